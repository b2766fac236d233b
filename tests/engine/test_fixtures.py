"""Fixtures unlike their 2x through, taken off a device that is known by itself."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.networks.algebra import cascade, s_to_t, t_to_s
from onda.engine.networks.fixture import corrected_halves, unlike_fixtures
from onda.engine.networks.mixed_mode import single_ended
from onda.engine.networks.split import split_through
from onda.errors import NotPhysical
from tests.engine.test_unlossed import F, chain

LOSS = {"df": 0.01, "skin": 1e-3, "r": 5.0}
PAIRS = ((0, 1), (2, 3))


def lump(series: float, shunt: float) -> np.ndarray:
    """S of a series L (H) before a shunt C (F) on 50 ohm."""
    w = 2j * np.pi * F
    a, b, c, d = 1 + w * series * w * shunt, w * series / 50, w * shunt * 50, np.ones(len(F))
    whole = a + b + c + d
    rows = [[a + b - c - d, 2 * (a * d - b * c)], [2 + 0 * a, -a + b - c + d]]
    return np.stack([np.stack(row, -1) for row in rows], -2) / whole[:, None, None]


def turned(s: np.ndarray) -> np.ndarray:
    return s[:, ::-1, ::-1]


def fixture(z: float, length: float = 0.06, c: float = 6e-14) -> np.ndarray:
    return cascade(lump(5e-11, c), chain(((z, length),), **LOSS))


DEVICE = cascade(
    chain(((42.0, 0.02),), **LOSS),
    lump(1e-10, 8e-14),
    chain(((57.0, 0.015), (48.0, 0.02)), **LOSS),
)


def without(measured: np.ndarray, left: np.ndarray, right: np.ndarray) -> np.ndarray:
    inverse = np.linalg.inv
    return t_to_s(inverse(s_to_t(left)) @ s_to_t(measured) @ inverse(s_to_t(right)))


def departure(found: np.ndarray, upto: float) -> tuple[float, float]:
    """Largest of |S11|, and of |S21| in dB, against the device alone."""
    some = (F > 0) & (upto >= F)
    through = np.abs(found[some, 1, 0] / DEVICE[some, 1, 0])
    return (
        float(np.abs(found - DEVICE)[some][:, 0, 0].max()),
        float(np.abs(20 * np.log10(through)).max()),
    )


@pytest.mark.parametrize("length", [0.025, 0.06])
def test_impedance_that_differs_by_a_tenth(length) -> None:
    two = cascade(fixture(50.0, length), turned(fixture(50.0, length)))
    measured = cascade(fixture(55.0, length), DEVICE, turned(fixture(45.0, length)))
    split = split_through(F[1:], two[1:])
    plain = departure(without(measured, split.left, split.right), 30e9)
    assert plain[0] > 0.15
    assert plain[1] > 0.25
    halves, unlike = corrected_halves(F[1:], two[1:], F[1:], measured[1:])
    found = departure(without(measured, halves.left, halves.right), 30e9)
    assert found[0] < 0.02
    assert found[1] < 0.06
    assert (unlike.left, unlike.right) == pytest.approx((0.1, -0.1), abs=0.002)
    # What is said of fixtures left as they are is what that costs.
    assert unlike.reflection == pytest.approx(plain[0], rel=0.25)
    assert unlike_fixtures(F[1:], two[1:], F[1:], measured[1:]) == unlike


def test_what_is_alike_stays_as_it_was_split() -> None:
    two = cascade(fixture(50.0), turned(fixture(50.0)))
    measured = cascade(fixture(50.0), DEVICE, turned(fixture(50.0)))
    split = split_through(F[1:], two[1:])
    halves, unlike = corrected_halves(F[1:], two[1:], F[1:], measured[1:])
    assert (unlike.left, unlike.right) == pytest.approx((0.0, 0.0), abs=1e-3)
    some = F < 30e9
    assert np.abs(halves.left - split.left)[some].max() < 0.01
    assert np.abs(halves.right - split.right)[some].max() < 0.01


def test_launches_that_differ_too() -> None:
    two = cascade(fixture(50.0), turned(fixture(50.0)))
    measured = cascade(fixture(45.0, c=5e-14), DEVICE, turned(fixture(47.0, c=5e-14)))
    halves, _ = corrected_halves(F[1:], two[1:], F[1:], measured[1:])
    found = departure(without(measured, halves.left, halves.right), 20e9)
    assert found[0] < 0.03
    assert found[1] < 0.06


def test_a_pair_is_corrected_mode_by_mode() -> None:
    def pair(odd: np.ndarray, even: np.ndarray) -> np.ndarray:
        mixed = np.zeros((len(F), 4, 4), complex)
        mixed[:, :2, :2], mixed[:, 2:, 2:] = odd, even
        return single_ended(mixed, PAIRS)

    even = fixture(60.0)
    two = pair(cascade(fixture(50.0), turned(fixture(50.0))), cascade(even, turned(even)))
    other = fixture(66.0)
    measured = pair(
        cascade(fixture(54.0), DEVICE, turned(fixture(48.0))),
        cascade(other, DEVICE, turned(even)),
    )
    halves, unlike = corrected_halves(F[1:], two[1:], F[1:], measured[1:])
    assert (unlike.left, unlike.right) == pytest.approx((0.08, -0.04), abs=0.003)
    found = without(measured, halves.left, halves.right)
    some = (F > 0) & (F < 20e9)
    assert np.abs(found - pair(DEVICE, DEVICE))[some].max() < 0.03


@pytest.mark.parametrize("side", [0, 1])
def test_what_is_off_at_the_inner_end_alone_counts_too(side: int) -> None:
    """The last third of a fixture is 12 percent off: a mean of four, seen through all of it."""
    good = fixture(50.0)
    bent = cascade(lump(5e-11, 6e-14), chain(((50.0, 0.04), (56.0, 0.02)), **LOSS))
    ends = [good, good]
    ends[side] = bent
    measured = cascade(ends[0], DEVICE, turned(ends[1]))
    two = cascade(good, turned(good))
    found = unlike_fixtures(F[1:], two[1:], F[1:], measured[1:])
    off = (found.left, found.right)
    assert off[side] == pytest.approx(1.12 ** (1 / 3) - 1.0, abs=0.012)
    assert off[1 - side] == pytest.approx(0.0, abs=0.004)


def test_where_a_through_is_cut_is_told() -> None:
    smooth = cascade(fixture(50.0), turned(fixture(50.0)))
    assert split_through(F[1:], smooth[1:]).error < 0.005
    # 52 ohm against 48 in the middle: 0.04 of an edge comes back from the cut.
    stepped = cascade(fixture(52.0), turned(fixture(48.0)))
    assert split_through(F[1:], stepped[1:]).error == pytest.approx(0.04, abs=0.01)


def test_what_does_not_fit_is_refused() -> None:
    two = cascade(fixture(50.0), turned(fixture(50.0)))
    with pytest.raises(NotPhysical, match="4 ports"):
        corrected_halves(F[1:], two[1:], F[1:], np.zeros((len(F) - 1, 4, 4), complex))
    with pytest.raises(NotPhysical, match="common band"):
        corrected_halves(F[1:100], two[1:100], F[200:], two[200:])
    with pytest.raises(NotPhysical, match="transmission"):
        corrected_halves(F[1:], np.zeros_like(two[1:]), F[1:], two[1:])
    short = two.copy()
    short[:, 0, 0], short[:, 1, 1], short[:, 1, 0], short[:, 0, 1] = -0.9999, -0.9999, 1e-3, 1e-3
    with pytest.raises(NotPhysical, match="open or short"):
        corrected_halves(F[1:], two[1:], F[1:], short[1:])
