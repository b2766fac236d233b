"""Links at their error rate: against bits, against the lane of a group, against what must hold."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.links.chain import Chain
from onda.engine.links.sampler import Jitter
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.links.equalisers import Listener, Sender
from onda.project.links.link import Link
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.core.keys import key_of
from onda.studies.core.study import Control
from onda.studies.coupling.eye import GROUP_EYE
from onda.studies.coupling.eye import eye_inputs as lane_inputs
from onda.studies.links.costs import LINK_COSTS
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import LinkInputs, eye_inputs, link_inputs
from onda.studies.links.judge import measure_link
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.link_grid import channel_pulses


def q(text: str, dimension: str):
    return parse_quantity(text, dimension)


SENDER = Sender(random=q("0.01 UI", "unit interval"), bounded=q("0.04 UI", "unit interval"))
LISTENER = Listener(
    gains=(q("0 dB", "loss"), q("-3 dB", "loss"), q("-6 dB", "loss")),
    zero=q("4 GHz", "frequency"),
    poles=(q("4 GHz", "frequency"), q("16 GHz", "frequency")),
    decisions=2,
    noise=q("3 mV", "voltage"),
)


@pytest.fixture(scope="module")
def board() -> Project:
    from onda.demo import fulmar_project

    return fulmar_project()


@pytest.fixture(scope="module")
def jl0(board) -> Link:
    return board.design.link("jl0")


def run(project: Project, link: Link, **changes) -> LinkEye:
    return LINK.run(replace(link_inputs(project.design, link), **changes), Control())


# ---- against bits


def test_at_one_in_ten_thousand_it_is_what_bits_do(board, jl0) -> None:
    """A quarter of a million bits through the same pulse, noise and jitter drawn for each."""
    link = set_value(jl0, sender=SENDER, listener=LISTENER, error_rate=1e-4)
    found = run(board, link)
    inputs = link_inputs(board.design, link)
    unit, rng = found.unit_interval, np.random.default_rng(11)
    pulses = channel_pulses(inputs.channel)
    made = found.chain.behind_all(pulses.own, unit)
    at = float(found.time[0] * -1.0)
    count = 250_000
    bits = rng.choice([-1.0, 1.0], count + 80)
    j = inputs.jitter
    moves = rng.normal(0.0, j.random, count) + rng.choice([-0.5, 0.5], count) * j.dual_dirac

    def seen(moment: float) -> np.ndarray:
        out = rng.normal(0.0, inputs.noise, count)
        for k in range(-3, 60):
            tap = found.taps[k - 1] if 1 <= k <= len(found.taps) else 0.0
            cursor = made.at(at + moment + moves + k * unit) - tap
            out += bits[60 - k : 60 - k + count] * cursor
        return out

    sent = bits[60 : 60 + count]
    for moment in (0.0, 0.15 * unit):
        volts = seen(moment)
        ones, zeros = np.sort(volts[sent > 0]), np.sort(-volts[sent < 0])
        index = int(1e-4 * len(ones))
        height = ones[index] + zeros[index]
        k = int(np.argmin(np.abs(found.moments - moment)))
        eye = found.eye.eyes[0]
        # Twelve counted errors a side tell their level within some hundredths.
        assert eye.upper[k] - eye.lower[k] == pytest.approx(height, rel=0.02)
    # And the share that is wrong near a slope.
    tub = found.eye.eyes[0].bathtub
    late = found.moments > 0.0
    edge = float(np.interp(-2.5, tub[late], found.moments[late]))
    volts = seen(edge)
    wrong = float(np.mean(volts * sent < 0.0))
    # Eight hundred errors are counted.
    assert wrong == pytest.approx(10.0**-2.5, rel=0.12)


def test_bit_by_bit_and_statistics_agree_without_noise(board, jl0) -> None:
    link = set_value(jl0, bits=60_000, prbs=23)
    counted = EYE.run(eye_inputs(board.design, link), Control())
    found = run(board, link, error_rate=1e-4)
    assert counted.eye.height == pytest.approx(found.eye.height, rel=0.02)
    assert counted.peak.height == pytest.approx(found.worst, rel=0.01)
    assert found.worst <= found.eye.height


def test_equalised_bits_are_those_of_the_equalised_pulse(board, jl0) -> None:
    link = set_value(jl0, listener=set_value(LISTENER, noise=q("0 V", "voltage")), bits=40_000)
    plain = EYE.run(eye_inputs(board.design, jl0), Control())
    helped = EYE.run(eye_inputs(board.design, link), Control())
    found = run(board, link, error_rate=1e-4)
    assert helped.eye.height == pytest.approx(found.eye.height, rel=0.03)
    # The main cursor is a smaller share of the swing behind a peaking stage, the eye a larger one.
    assert (
        helped.eye.height / helped.peak.cursors.max() > plain.eye.height / plain.peak.cursors.max()
    )


def test_the_worst_pattern_is_as_bad_as_it_says(board, jl0) -> None:
    found = run(board, jl0)
    cursors = found.cursors
    numbers = sorted(cursors, reverse=True)
    value = sum(cursors[k] * s for k, s in zip(numbers, found.worst_symbols, strict=True))
    assert 2.0 * value == pytest.approx(found.worst)
    assert found.worst_symbols[numbers.index(0)] == 1.0


def test_a_lane_of_a_group_has_the_eye_that_coupling_shows(board) -> None:
    link = board.design.link("jl3")
    plain = set_value(link, sender=Sender(), listener=Listener())
    inputs = link_inputs(board.design, plain)
    quick = replace(inputs.channel, group=replace(
        inputs.channel.group, group=replace(inputs.channel.group.group, fine=False)
    ))  # fmt: skip
    ours = LINK.run(replace(inputs, channel=quick), Control())
    other = lane_inputs(board.design, board.design.group("converter-lanes"), "jl3")
    other = GROUP_EYE.run(replace(other, group=replace(other.group, fine=False)), Control())
    tallest = max(float((e.upper - e.lower).max()) for e in ours.eye.eyes)
    assert tallest == pytest.approx(other.crowded.height, rel=0.01)
    alone = LINK.run(replace(inputs, channel=replace(quick, crosstalk=False)), Control())
    assert alone.crosstalk == 0.0
    assert alone.eye.height > ours.eye.height + ours.crosstalk


# ---- what must hold


def test_each_equaliser_earns_what_the_eye_without_it_lacks(board, jl0) -> None:
    link = set_value(jl0, sender=set_value(SENDER, setting="best"), listener=LISTENER)
    found = run(board, link)
    assert found.settings[0].name == "all equalisers"
    assert found.settings[-1].name == "bare"
    by_name = {s.name: s for s in found.settings}
    assert by_name["all equalisers"].height > by_name["without feedback"].height
    assert by_name["bare"].chain == Chain()
    assert found.chain.gain in [pytest.approx(10 ** (db / 20)) for db in (0.0, -3.0, -6.0)]
    assert sum(abs(t) for t in found.chain.taps) == pytest.approx(1.0)
    # Given instead of found, the same setting is the same eye.
    given = set_value(
        link, sender=set_value(link.sender, setting="given", taps=found.chain.taps, main=1)
    )
    assert run(board, given).eye.height == pytest.approx(found.eye.height, rel=1e-9)


@pytest.mark.parametrize(
    "change",
    [
        {"jitter": Jitter(random=0.6e-12)},
        {"jitter": Jitter(dual_dirac=6e-12)},
        {"jitter": Jitter(sine=4e-12)},
        {"jitter": Jitter(duty=5e-12)},
        {"noise": 6e-3},
        {"error_rate": 1e-15},
    ],
)
def test_every_stress_costs(board, jl0, change) -> None:
    calm = run(board, jl0, noise=2e-3, jitter=Jitter(random=0.2e-12))
    stressed = run(board, jl0, **({"noise": 2e-3, "jitter": Jitter(random=0.2e-12)} | change))
    assert stressed.eye.width < calm.eye.width - 0.2e-12
    assert stressed.eye.height <= calm.eye.height + 1e-9


def test_bounded_jitter_costs_its_width_and_the_fit_finds_it(board, jl0) -> None:
    unit = 1.0 / jl0.rate.si
    calm = run(board, jl0, jitter=Jitter(random=0.01 * unit), noise=1e-3)
    shaken = run(board, jl0, jitter=Jitter(0.01 * unit, 0.1 * unit), noise=1e-3)
    assert calm.eye.width - shaken.eye.width == pytest.approx(0.1 * unit, abs=0.012 * unit)
    assert shaken.jitter.deterministic - calm.jitter.deterministic == pytest.approx(
        0.1 * unit, rel=0.15
    )
    assert shaken.jitter.total == pytest.approx(unit - shaken.eye.width, abs=0.02 * unit)


def test_four_levels_are_three_eyes(board, jl0) -> None:
    four = set_value(jl0, modulation="pam4", rate=q("32.5 Gb/s", "data rate"))
    found = run(board, four)
    two = run(board, jl0)
    assert [e.name for e in found.eye.eyes] == ["lower", "middle", "upper"]
    lower, middle, upper = found.eye.eyes
    assert lower.height == pytest.approx(upper.height, rel=1e-3)
    assert upper.threshold == pytest.approx(-lower.threshold)
    assert upper.threshold == pytest.approx(2 / 3 * found.merit.main, rel=1e-6)
    assert found.unit_interval == pytest.approx(two.unit_interval)
    # A third of the steps, the interference of almost the whole swing.
    assert middle.height < two.eye.height / 3.0
    uneven = set_value(four, mismatch=q("90 %", "ratio"))
    skewed = run(board, uneven)
    assert skewed.eye.eyes[1].height > skewed.eye.eyes[0].height
    assert np.diff(skewed.levels) == pytest.approx([0.6, 0.8, 0.6])


def test_four_levels_against_symbols_counted_one_by_one(board, jl0) -> None:
    four = set_value(jl0, modulation="pam4", rate=q("32.5 Gb/s", "data rate"), error_rate=1e-3)
    found = run(board, four, noise=4e-3)
    rng, count = np.random.default_rng(7), 200_000
    levels = np.array(found.levels)
    which = rng.integers(0, 4, count + 80)
    symbols = levels[which]
    volts = rng.normal(0.0, 4e-3, count)
    for k, cursor in found.cursors.items():
        if k < 60:
            volts += cursor * symbols[60 - k : 60 - k + count]
    sent = which[60 : 60 + count]
    for eye, (low, high) in zip(found.eye.eyes, ((0, 1), (1, 2), (2, 3)), strict=True):
        ones, zeros = np.sort(volts[sent == high]), np.sort(-volts[sent == low])
        height = ones[int(1e-3 * len(ones))] + zeros[int(1e-3 * len(zeros))]
        assert eye.height == pytest.approx(height, abs=1e-3)


def test_measures_are_read_off_the_result(board, jl0) -> None:
    link = set_value(jl0, sender=SENDER, listener=LISTENER)
    found = run(board, link)
    for name, value in (
        ("eye_height_at_rate", found.eye.height),
        ("eye_width_at_rate", found.eye.width / found.unit_interval),
        ("link_merit", found.merit.db),
        ("jitter_at_rate", found.jitter.total / found.unit_interval),
        ("mask_growth_at_rate", found.mask_growth),
    ):
        assert measure_link(found, name).value == pytest.approx(value)
    assert "at an error rate of 1e−12" in measure_link(found, "eye_height_at_rate").how
    bare = run(board, set_value(link, mask=None))
    assert math.isnan(measure_link(bare, "mask_growth_at_rate").value)
    assert "no mask" in measure_link(bare, "mask_growth_at_rate").how


def test_a_mask_grows_until_it_touches(board, jl0) -> None:
    found = run(board, jl0)
    assert jl0.mask is not None
    grown = set_value(
        jl0,
        mask=set_value(
            jl0.mask,
            width=q(f"{0.5 * (1 + found.mask_growth):.5f} UI", "unit interval"),
            flat=q(f"{0.2 * (1 + found.mask_growth):.5f} UI", "unit interval"),
            height=q(f"{150 * (1 + found.mask_growth):.4f} mV", "voltage"),
        ),
    )
    assert run(board, grown).mask_growth == pytest.approx(0.0, abs=2e-3)


def test_doubts_say_what_the_numbers_rest_on(board, jl0) -> None:
    stuck = set_value(jl0, listener=set_value(LISTENER, limit=q("1 %", "ratio")))
    assert "stand at their limit" in " ".join(run(board, stuck).doubts)
    network = board.design.link("up0")
    assert any("30 GHz" in d for d in LINK.run(
        replace(link_inputs(board.design, network), fine=False), Control()
    ).doubts)  # fmt: skip


# ---- slices


def test_every_field_changes_the_key(board, jl0) -> None:
    def key(link: Link) -> str:
        return key_of("link_eye", link_inputs(board.design, link))

    base = set_value(jl0, sender=SENDER, listener=LISTENER)
    changed = [
        set_value(base, rate=q("10 Gb/s", "data rate")),
        set_value(base, modulation="pam4"),
        set_value(base, modulation="pam4", mismatch=q("90 %", "ratio")),
        set_value(base, error_rate=1e-9),
        set_value(base, sampling="tallest"),
        set_value(base, mask=None),
        set_value(base, crosstalk=False),
        *(
            set_value(base, sender=set_value(SENDER, **{name: q("0.1 UI", "unit interval")}))
            for name in ("random", "bounded", "sine", "duty")
        ),
        set_value(base, sender=set_value(SENDER, taps=(0.8, -0.2))),
        set_value(base, sender=set_value(SENDER, setting="best")),
        set_value(base, listener=set_value(LISTENER, gain=q("-3 dB", "loss"))),
        set_value(base, listener=set_value(LISTENER, zero=q("5 GHz", "frequency"))),
        set_value(base, listener=set_value(LISTENER, taps=(0.1, 1.0), main=1)),
        set_value(base, listener=set_value(LISTENER, decisions=5)),
        set_value(base, listener=set_value(LISTENER, limit=q("10 %", "ratio"))),
        set_value(base, listener=set_value(LISTENER, noise=q("1 mV", "voltage"))),
    ]
    keys = {key(base), *map(key, changed)}
    assert len(keys) == len(changed) + 1
    # What only bits depend on does not.
    assert key(set_value(base, bits=5000, prbs=7)) == key(base)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"gains": (q("-3 dB", "loss"),)}, "needs a zero and two poles"),
        ({"gains": (q("3 dB", "loss"),), "zero": q("1 GHz", "frequency"),
          "poles": (q("1 GHz", "frequency"), q("2 GHz", "frequency"))}, "at or below 0 dB"),
        ({"taps": (1.0,), "main": 2}, "cannot be the main one"),
        ({"taps": (0.0, 1.0)}, "the main tap is 0"),
        ({"noise": q("-1 mV", "voltage")}, "0 V or above"),
        ({"poles": (q("1 GHz", "frequency"),) * 2}, "must differ"),
    ],
)  # fmt: skip
def test_receivers_that_cannot_be(values, words) -> None:
    with pytest.raises(InputError, match=words):
        set_value(Listener(), **values)


def test_links_that_cannot_be(board, jl0) -> None:
    with pytest.raises(InputError, match="no lane 'jl9'"):
        replace_object(board, set_value(board.design.link("jl3"), group_lane="jl9"))
    with pytest.raises(InputError, match="over a path, a network, a lane of a group, or a pulse"):
        set_value(jl0, group="converter-lanes")
    with pytest.raises(InputError, match="between 30 % and 100 %"):
        set_value(jl0, mismatch=q("10 %", "ratio"))
    with pytest.raises(InputError):
        set_value(jl0, error_rate=0.5)
    with pytest.raises(InputError, match="typed pattern"):
        set_value(jl0, typed="0120")
    assert set_value(jl0, typed="0120", modulation="pam4").typed == "0120"


def test_a_channel_that_lets_nothing_through_is_said(board, jl0) -> None:
    silly = set_value(jl0, sender=Sender(taps=(-1.0,), main=0))
    with pytest.raises(InputError, match="nothing of a symbol is left"):
        run(board, silly)


def test_quick_answers_are_near_the_fine_ones(board, jl0) -> None:
    inputs: LinkInputs = link_inputs(board.design, set_value(jl0, sender=SENDER, listener=LISTENER))
    fine = LINK.run(inputs, Control())
    quick = LINK.run(replace(inputs, fine=False), Control())
    assert quick.eye.height == pytest.approx(fine.eye.height, rel=5e-3)
    assert quick.eye.width == pytest.approx(fine.eye.width, abs=0.004 * fine.unit_interval)
    assert len(quick.settings) == 1


def test_what_each_thing_costs_is_the_eye_without_it(board, jl0) -> None:
    link = set_value(jl0, sender=SENDER, listener=LISTENER)
    inputs = link_inputs(board.design, link)
    found = LINK_COSTS.run(inputs, Control())
    whole = LINK.run(inputs, Control())
    assert (found.height, found.width) == (whole.eye.height, whole.eye.width)
    by_name = {c.what: c for c in found.costs}
    assert set(by_name) >= {"random jitter", "bounded jitter", "noise", "decision feedback"}
    assert "crosstalk" not in by_name
    calm = LINK.run(replace(inputs, jitter=replace(inputs.jitter, random=0.0),
                            equalisers=replace(inputs.equalisers, chain=whole.chain, gains=()),
                            ), Control())  # fmt: skip
    assert by_name["random jitter"].width == pytest.approx(calm.eye.width)
    bare = next(s for s in whole.settings if s.name == "without feedback")
    assert by_name["decision feedback"].height == pytest.approx(bare.height)
    assert by_name["decision feedback"].is_help
    assert by_name["decision feedback"].height < found.height < by_name["noise"].height
    moves = [abs(c.width - found.width) for c in found.costs]
    assert moves == sorted(moves, reverse=True)


def test_the_worst_case_takes_crosstalk_from_both_levels(board) -> None:
    """The lowest one sinks and the highest zero rises by what the others can do at most."""
    link = board.design.link("jl3")
    inputs = link_inputs(board.design, link)
    crowded = run(board, link, fine=False)
    alone = run(board, link, fine=False, channel=replace(inputs.channel, crosstalk=False))
    assert alone.crosstalk == 0.0
    assert crowded.crosstalk > 1e-3
    assert crowded.chain == alone.chain
    lost = alone.worst - crowded.worst
    assert lost == pytest.approx(2.0 * crowded.crosstalk, rel=1e-6)
