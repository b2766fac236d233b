"""Bits folded over one another, from waves that are drawn."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.links.patterns import prbs
from onda.errors import InputError
from onda.studies.coupling.bits import GroupBits, _folded

UNIT = 500e-12
BITS = np.take(prbs(7, 127).astype(np.int64), np.arange(136) % 127)
LOW, HIGH = 0.3, 0.9


def inputs() -> Any:
    lanes = (SimpleNamespace(name="A"), SimpleNamespace(name="B"))
    group = SimpleNamespace(rate=1.0 / UNIT, lanes=lanes, name="pair")
    return SimpleNamespace(group=group, victim=1)


def drawn(late: float, per_unit: int = 8, edge: float = 0.4) -> tuple[np.ndarray, np.ndarray]:
    """Straight edges about `late` behind the command of each bit; the first bit is at rest, the
    second one is sent at time 0."""
    time = np.arange(0.0, 134.0, 1.0 / per_unit) * UNIT
    volts = np.full(len(time), LOW + (HIGH - LOW) * BITS[0])
    for k, (a, b) in enumerate(itertools.pairwise(BITS)):
        share = np.clip((time - k * UNIT - late) / (edge * UNIT) + 0.5, 0.0, 1.0)
        volts += (HIGH - LOW) * (b - a) * share
    return time, volts


def folded(late: float, level: float = 0.6, guess: float = 0.0, **changes: Any) -> GroupBits:
    return _folded(inputs(), *drawn(late, **changes), BITS, level, late + guess)


@pytest.mark.parametrize("late", [0.31 * UNIT, 1.62 * UNIT, 2.05 * UNIT])
@pytest.mark.parametrize("guess", [0.0, 0.45 * UNIT, -0.45 * UNIT])
def test_a_bit_begins_where_its_edge_crosses_the_level(late: float, guess: float) -> None:
    """However coarsely it is sampled, and though only about known when it should come."""
    found = folded(late, guess=guess)
    assert found.lane == "B"
    assert found.unit_interval == UNIT
    assert len(found.traces) == 127 - 2
    assert found.ones.tolist() == [bool(b) for b in BITS[9 : 9 + 125]]
    assert found.phases[0] == 0.0
    assert found.phases[-1] == pytest.approx(UNIT)
    # Half an edge after each crossing the level of the bit is there.
    middle = np.searchsorted(found.phases, 0.5 * UNIT)
    ones = found.traces[found.ones]
    assert ones[:, middle] == pytest.approx(np.full(len(ones), HIGH))
    zeros = found.traces[~found.ones]
    assert zeros[:, middle] == pytest.approx(np.full(len(zeros), LOW))
    # What is on the edge of a changed bit is at the level at both ends.
    changed = BITS[9 : 9 + 125] != BITS[8 : 8 + 125]
    assert found.traces[changed, 0] == pytest.approx(np.full(changed.sum(), 0.6), abs=2e-3)
    assert found.upper == pytest.approx(ones.min(axis=0))
    assert found.lower == pytest.approx(zeros.max(axis=0))
    assert found.height == pytest.approx(HIGH - LOW)
    assert found.width == pytest.approx(UNIT, rel=0.01)


def test_another_level_is_crossed_at_another_time() -> None:
    """Rising edges come early where it is low and falling ones late: the eye is as narrow."""
    found = folded(0.5 * UNIT, level=0.4, per_unit=200)
    # A sixth of the swing above the low level: both edges are a third of the edge's time off.
    apart = 2.0 * (0.6 - 0.4) / (HIGH - LOW) * 0.4 * UNIT
    assert found.width == pytest.approx(UNIT - apart, rel=0.01)
    assert found.level == 0.4


def test_closed_eyes_have_neither_height_nor_width() -> None:
    time, volts = drawn(0.5 * UNIT)
    noisy = volts + 0.35 * np.sin(2.0 * math.pi * time / (7.3 * UNIT))
    found = _folded(inputs(), time, noisy, BITS, 0.6, 0.5 * UNIT)
    assert found.height == 0.0
    assert found.width == 0.0
    assert (found.upper < found.lower).all()


def test_what_does_not_follow_its_bits_is_refused() -> None:
    time, volts = drawn(0.5 * UNIT)
    with pytest.raises(InputError, match=r"do not cross 0.95 V"):
        _folded(inputs(), time, volts, BITS, 0.95, 0.5 * UNIT)
    with pytest.raises(InputError, match="does not see the bits"):
        _folded(inputs(), time, 1.2 - volts, BITS, 0.6, 0.5 * UNIT)


def test_open_for_part_of_a_bit() -> None:
    slow = folded(0.5 * UNIT, edge=0.9)
    fast = replace(folded(0.5 * UNIT, edge=0.2))
    assert slow.height == pytest.approx(HIGH - LOW, rel=0.12)
    at = int(0.25 * 128)
    # A quarter behind the crossing a straight edge has gone on by its share.
    assert slow.upper[at] == pytest.approx(0.6 + 0.6 * 0.25 / 0.9, rel=5e-3)
    assert fast.upper[at] == pytest.approx(HIGH)
