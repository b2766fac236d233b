"""Why a case is as it is: sentences at the shares from which on something is worth a word."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.links.patterns import prbs
from onda.engine.timing.levels import Memory
from onda.studies.buses import case as case_module
from onda.studies.buses.case import _strobe_quality
from onda.studies.buses.why import bits_behind, why_so

PS = 1e-12


def told(
    earlier: tuple[float, ...] = (0.0, 0.0, 0.0),
    *,
    own: float = 0.4,
    short: tuple[int, int] = (0, 0),
    shift: float = 0.0,
    margins: tuple[float, float] = (50 * PS, 60 * PS),
    centred: bool = False,
) -> str:
    """Words for levels that earlier bits move so many volts, in bits of 500 ps."""
    path = SimpleNamespace(every_item=())
    inputs: Any = SimpleNamespace(
        sheet=SimpleNamespace(ac=0.15), unit_interval=500 * PS, centred=centred,
        data=SimpleNamespace(path=path), strobe=SimpleNamespace(wave=SimpleNamespace(path=path)),
    )  # fmt: skip
    timing: Any = SimpleNamespace(
        edge=np.zeros(40), strobe_shift=shift, worst_setup=margins[0], worst_hold=margins[1]
    )
    return why_so(inputs, timing, Memory(0.75, own, np.array(earlier), 0.0), short)


@pytest.mark.parametrize(
    ("earlier", "words"),
    [
        # From 8 % of half the swing on, of 0.4 V: 32 mV.
        ((0.0, 0.0, 0.034), "levels lie in two groups 68 mV apart, by the bit 3 before: "
         "a reflection 1.50 ns late"),
        ((0.0, -0.034, 0.01), "levels lie in two groups 68 mV apart, by the bit 2 before: "
         "a reflection 1.00 ns late"),
        ((0.0, 0.0, 0.030), ""),
        ((-0.034, 0.0, 0.0), "the bit before moves the level by 68 mV: an edge that has not "
         "settled, or a reflection within 0.50 ns"),
        ((-0.030, 0.0, 0.0), ""),
    ],
)  # fmt: skip
def test_a_bit_that_moves_the_level_is_told(earlier: tuple[float, ...], words: str) -> None:
    assert told(earlier) == words


def test_a_slow_edge_is_told_from_its_tail() -> None:
    # All pull the same way, each less than the one after it: 0.08 V of 0.4 V are 20 %.
    words = told((0.05, 0.02, 0.01))
    assert words.startswith("earlier bits pull the same way, 20 % of the swing in all")
    assert "slow edge" not in told((0.03, 0.012, 0.006))


@pytest.mark.parametrize(("own", "sags"), [(0.23, False), (0.22, True)])
def test_a_level_sags_below_three_quarters_of_what_is_asked(own: float, sags: bool) -> None:
    # 0.15 V on either side are asked: 0.75 of 0.3 V are 0.225 V.
    words = told(own=own)
    assert words == (
        f"both levels sag: {2e3 * own:.0f} mV of swing for 300 mV that are asked: "
        "a termination that is too strong, or a weak driver"
        if sags
        else ""
    )


def test_bits_that_fall_short_come_first_then_what_takes_most() -> None:
    words = told((0.05, 0.0, 0.0), own=0.2, short=(3, 2)).split("; ")
    assert words[0] == "3 of 40 bits never reach their ac level"
    assert words[1] == "2 of 40 bits lie within their dc level at the strobe"
    assert words[2].startswith("both levels sag")
    assert words[3].startswith("the bit before moves")
    words = told((0.05, 0.0, 0.0), own=0.2).split("; ")
    assert [w[:9] for w in words] == ["the bit b", "both leve"]


@pytest.mark.parametrize(
    ("shift", "margins", "words"),
    [
        # From a tenth of a bit on: 50 ps.
        (51 * PS, (80 * PS, 20 * PS), "the strobe comes 51 ps early for this signal"),
        (-51 * PS, (80 * PS, 20 * PS), "the strobe comes 51 ps late for this signal"),
        (49 * PS, (80 * PS, 20 * PS), ""),
        # Where it alone would mend it.
        (60 * PS, (100 * PS, -20 * PS),
         "the strobe comes 60 ps early for this signal: in its place either margin is 40 ps"),
        (60 * PS, (10 * PS, -20 * PS), "the strobe comes 60 ps early for this signal"),
    ],
)  # fmt: skip
def test_a_strobe_out_of_its_place_is_told(
    shift: float, margins: tuple[float, float], words: str
) -> None:
    assert told(shift=shift, margins=margins) == words
    assert told(shift=shift, margins=margins, centred=True) == ""


def test_what_would_mend_it_comes_first() -> None:
    words = told((0.05, 0.0, 0.0), shift=60 * PS, margins=(100 * PS, -20 * PS)).split("; ")
    assert words[0].startswith("the strobe comes")
    words = told((0.05, 0.0, 0.0), shift=60 * PS, margins=(80 * PS, 20 * PS)).split("; ")
    assert words[1].startswith("the strobe comes")


@pytest.mark.parametrize(("up", "down"), [(0.02, -0.07), (-0.06, 0.01), (0.0, 0.0)])
def test_the_farthest_crossing_of_legs_counts_whichever_way_it_goes(
    monkeypatch: pytest.MonkeyPatch, up: float, down: float
) -> None:
    """A leg that is off its middle where the difference rises, and by something else where it
    falls."""
    unit = 1e-9
    time = np.linspace(0.0, 24 * unit, 24 * 64 + 1)
    both = -np.cos(np.pi * time / unit)
    # Between 0 and 1 V with a bump around every crossing.
    phase = (time / unit) % 2.0
    leg = 0.5 + 0.5 * both
    leg = leg + up * np.exp(-(((phase - 0.5) / 0.1) ** 2))
    leg = leg + down * np.exp(-(((phase - 1.5) / 0.1) ** 2))
    monkeypatch.setattr(case_module, "strobe_waves", lambda _: (time, both, leg))
    inputs: Any = SimpleNamespace(
        strobe=None, unit_interval=unit, lead=2, data=SimpleNamespace(count=20)
    )
    duty, away = _strobe_quality(inputs)
    assert duty == pytest.approx((0.5, 0.5), abs=1e-3)
    assert away == pytest.approx(max(abs(up), abs(down)), abs=1e-3)
    monkeypatch.setattr(case_module, "strobe_waves", lambda _: (time, both, np.empty(0)))
    assert np.isnan(_strobe_quality(inputs)[1])


# -- which bits the levels depend on ------------------------------------------------------


def behind(late: int, *, edges: int = 30, lead: int = 30, bits: int = 90) -> Memory | None:
    """Levels of 0.6 V and 0.3 either way with a tenth of that of the bit before, seen `late` bits
    behind the commands."""
    unit = 500 * PS
    sent = prbs(9, bits).astype(int)
    swing = 2 * sent - 1
    numbers = lead + np.arange(edges)
    volts = np.full(4 * bits, 0.6)
    for k in range(1, bits):
        # Four samples a bit, in the middle of what is seen of it.
        at = 4 * (k + late)
        volts[at : at + 4] = 0.6 + 0.3 * swing[k] + 0.03 * swing[k - 1]
    waves: Any = SimpleNamespace(time=(np.arange(4 * bits) + 0.5) * unit / 4, data=volts)
    timing: Any = SimpleNamespace(edge=(numbers + late + 0.5) * unit, bit=sent[numbers])
    inputs: Any = SimpleNamespace(
        unit_interval=unit, data=SimpleNamespace(bits="".join(map(str, sent)))
    )
    return bits_behind(inputs, timing, waves)


@pytest.mark.parametrize("late", [0, 1, 7, 12])
def test_the_bits_are_found_however_late_they_come(late: int) -> None:
    found = behind(late)
    assert found is not None
    assert found.own == pytest.approx(0.3)
    assert found.earlier[0] == pytest.approx(0.03)
    assert np.abs(found.earlier[1:]).max() < 1e-9


def test_too_few_bits_tell_nothing() -> None:
    assert behind(0, edges=12) is not None
    assert behind(0, edges=11) is None
    # Four before the first one are the least.
    assert behind(0, lead=4) is not None
    assert behind(0, lead=3) is None
