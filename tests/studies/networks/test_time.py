"""A network in time against lines whose impedances, delays and couplings are known."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from onda.engine.lines import lossless_line
from onda.engine.networks.mixed_mode import single_ended
from onda.studies.networks import time as views
from onda.studies.networks.build import BuiltNetwork
from onda.studies.networks.time import NetworkTime, in_time, mode_matrix

NS, PS = 1e-9, 1e-12
F = np.arange(0.0, 1001.0) * 20e6
LEGS = ((0, 1), (2, 3))


def network(s: np.ndarray) -> BuiltNetwork:
    ports = tuple(range(1, s.shape[-1] + 1))
    return BuiltNetwork(F, s, 50.0, ports, F, s, 0.0, ())


def line(z: float, delay: float, reference: float) -> np.ndarray:
    s = lossless_line(z).s_parameters(np.maximum(F, 1.0), delay, reference)
    return np.where(F[:, None, None] == 0.0, s.real + 0j, s)


def by_modes() -> np.ndarray:
    """90 ohm and 1 ns for the differential mode, 30 ohm and 1.3 ns for the common one."""
    mixed = np.zeros((len(F), 4, 4), complex)
    mixed[:, :2, :2], mixed[:, 2:, 2:] = line(90.0, 1.0 * NS, 100.0), line(30.0, 1.3 * NS, 25.0)
    return single_ended(mixed, LEGS)


def by_legs() -> np.ndarray:
    """Legs that do not see each other: 55 ohm and 1 ns, 45 ohm and 1.2 ns."""
    s = np.zeros((len(F), 4, 4), complex)
    for leg, (z, delay) in enumerate(((55.0, 1.0 * NS), (45.0, 1.2 * NS))):
        at = np.ix_(range(len(F)), (leg, 2 + leg), (leg, 2 + leg))
        s[at] = line(z, delay, 50.0)
    return s


def seen(found: NetworkTime, mode: str, side: str = "left") -> Any:
    return next(r for r in found.reflections if r.mode == mode and r.side == side)


def middle(values: np.ndarray, at: np.ndarray, low: float, high: float) -> float:
    return float(np.mean(values[(at > low) & (at < high)]))


def test_each_mode_has_its_impedance_on_its_own_reference() -> None:
    found = in_time(network(by_modes()), True, 0.0, 0.0)
    for mode, z, reference, delay in (
        ("diff", 90.0, 100.0, 1.0 * NS),
        ("common", 30.0, 25.0, 1.3 * NS),
    ):
        for side in ("left", "right"):
            one = seen(found, mode, side)
            assert one.reference == reference
            assert middle(one.true, one.place, 0.2 * NS, 0.8 * NS) == pytest.approx(z, rel=2e-3)
            # On the way there and back, a step of 1 V behind the reference is divided.
            plain = middle(one.plain, one.time, 0.4 * NS, 1.6 * NS)
            assert plain == pytest.approx(z, rel=5e-3)
            volts = middle(one.volts, one.time, 0.4 * NS, 1.6 * NS)
            assert volts == pytest.approx(z / (z + reference), rel=3e-3)
        through = next(t for t in found.through if t.mode == mode)
        assert through.delay == pytest.approx(delay, abs=2 * PS)
        # The slope of a step that comes through whole has an area of one.
        area = float(np.sum(through.impulse) * (through.time[1] - through.time[0]))
        assert area == pytest.approx(1.0, abs=0.02)


def test_each_leg_is_its_own_line_and_what_they_differ_by_is_skew() -> None:
    found = in_time(network(by_legs()), True, 0.0, 0.0)
    for mode, z, delay in (("p leg", 55.0, 1.0 * NS), ("n leg", 45.0, 1.2 * NS)):
        one = seen(found, mode)
        assert one.reference == 50.0
        assert middle(one.true, one.place, 0.2 * NS, 0.8 * NS) == pytest.approx(z, rel=5e-3)
        through = next(t for t in found.through if t.mode == mode)
        assert through.delay == pytest.approx(delay, abs=2 * PS)
    (skew,) = found.skews
    assert abs(skew.figure) == pytest.approx(200 * PS, rel=0.02)


def test_conversion_is_named_by_where_it_goes() -> None:
    """A pair that turns common into differential waves on its way, and none back."""
    mixed = np.zeros((len(F), 4, 4), complex)
    # Differential out at the right (1) of common in at the left (2).
    mixed[:, 1, 2] = 0.3
    modes = mode_matrix(single_ended(mixed, LEGS), True)
    assert modes["conversion"][:, 1, 0] == pytest.approx(np.full(len(F), 0.3 + 0j))
    assert np.abs(modes["conversion_back"]).max() < 1e-12
    assert list(mode_matrix(mixed, False)) == ["single"]


def test_what_no_direct_current_passes_has_no_delay() -> None:
    s = np.zeros((len(F), 2, 2), complex)
    w = 2j * np.pi * F
    # 100 pF in series with 50 ohm on both sides: at rest nothing comes through.
    with np.errstate(divide="ignore", invalid="ignore"):
        through = w * 100e-12 * 100.0 / (1.0 + w * 100e-12 * 100.0)
    s[:, 0, 1] = s[:, 1, 0] = through
    s[:, 0, 0] = s[:, 1, 1] = 1.0 - through
    (one,) = in_time(network(s), False, 0.0, 0.0).through
    assert math.isnan(one.delay)


def test_crosstalk_lies_where_it_enters() -> None:
    """Two matched lanes of 1 ns; 0.3 ns behind their left end a hundredth of a wave goes back."""
    s = np.zeros((len(F), 4, 4), complex)
    for lane in (0, 1):
        s[:, lane, 2 + lane] = s[:, 2 + lane, lane] = np.exp(-2j * np.pi * F * 1.0 * NS)
    s[:, 0, 1] = s[:, 1, 0] = 0.01 * np.exp(-2j * np.pi * F * 2 * 0.3 * NS)
    found = in_time(network(s), False, 0.0, 0.0)
    near = next(t for t in found.crosstalk if (t.victim, t.aggressor, t.end) == (0, 1, "near"))
    at = near.place[np.argmax(np.abs(near.volts))]
    assert at == pytest.approx(0.3 * NS, abs=15 * PS)
    assert near.volts.max() == pytest.approx(0.01, rel=0.1)
    far = next(t for t in found.crosstalk if (t.victim, t.aggressor, t.end) == (0, 1, "far"))
    assert np.abs(far.volts).max() < 1e-5
    (peak,) = found.peaks[0]
    assert peak.place == pytest.approx(0.3 * NS, abs=15 * PS)


@pytest.mark.parametrize(("rate", "upto"), [(0.0, None), (10e9, 5e9)])
def test_skew_counts_up_to_half_of_the_rate(
    monkeypatch: pytest.MonkeyPatch, rate: float, upto: float | None
) -> None:
    asked = []

    def pair_skew(*_: Any, lane: int, upto: float | None) -> str:
        asked.append((lane, upto))
        return "skew"

    monkeypatch.setattr(views, "pair_skew", pair_skew)
    found = in_time(network(by_legs()), True, 0.0, rate)
    assert found.skews == ("skew",)
    assert asked == [(0, upto)]
