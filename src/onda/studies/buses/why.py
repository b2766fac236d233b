"""Why a case has the margins that it has, in words with their evidence."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from onda.engine.timing.levels import Memory, memory_of
from onda.engine.timing.strobed import LaneTiming
from onda.studies.buses.inputs import CaseInputs
from onda.studies.buses.looked import CaseWaves
from onda.studies.paths.elements.trace import TraceItem
from onda.studies.paths.items import PathInputs

__all__ = ["bits_behind", "why_so"]

_GROUPS, _SAGS, _SLOPES = 0.08, 0.75, 0.15
_LONGER = 2e-3
"""Metres of line that are worth a word."""


def bits_behind(inputs: CaseInputs, timing: LaneTiming, waves: CaseWaves) -> Memory | None:
    """Which bits the levels at the strobe depend on."""
    edges, decided = timing.edge, timing.bit
    sent = np.array([int(b) for b in inputs.data.bits], dtype=np.int8)
    levels = np.interp(edges, waves.time, waves.data)
    guess = np.floor(edges / inputs.unit_interval).astype(int)
    best: tuple[int, NDArray[np.int64]] | None = None
    for late in range(min(int(guess.min()), 24) + 1):
        numbers = guess - late
        if numbers.max() >= len(sent):
            continue
        alike = int((sent[numbers] == decided).sum())
        if best is None or alike > best[0]:
            best = alike, numbers
    if best is None or best[1].min() < 4 or len(levels) < 12:
        return None
    return memory_of(levels, sent, best[1])


def why_so(
    inputs: CaseInputs, timing: LaneTiming, memory: Memory | None, short: tuple[int, int]
) -> str:
    """What takes most, the first thing first; `short` are bits without any set-up, any hold."""
    asked, unit = inputs.sheet, inputs.unit_interval
    parts = []
    told = ("never reach their ac level", "lie within their dc level at the strobe")
    for count, level in zip(short, told, strict=True):
        if count:
            parts.append(f"{count} of {len(timing.edge)} bits {level}")
    fallen = len(parts)
    if memory is None or not memory.own > 0.0:
        return "; ".join(parts)
    strongest = memory.strongest
    size = float(abs(memory.earlier[strongest - 1]))
    if memory.is_slope and memory.tail > _SLOPES:
        parts.append(
            f"earlier bits pull the same way, {100 * memory.tail:.0f} % of the swing in all: a "
            "slow edge, from loss or load"
        )
    elif size > _GROUPS * memory.own and strongest > 1:
        parts.append(
            f"levels lie in two groups {2e3 * size:.0f} mV apart, by the bit {strongest} before: "
            f"a reflection {1e9 * strongest * unit:.2f} ns late"
        )
    elif size > _GROUPS * memory.own:
        parts.append(
            f"the bit before moves the level by {2e3 * size:.0f} mV: an edge that has not settled, "
            f"or a reflection within {1e9 * unit:.2f} ns"
        )
    if memory.own < _SAGS * asked.ac * 2.0:
        # Where bits fall short it is what takes most.
        parts.insert(
            fallen or len(parts),
            f"both levels sag: {2e3 * memory.own:.0f} mV of swing for {2e3 * asked.ac:.0f} mV that "
            "are asked: a termination that is too strong, or a weak driver",
        )
    shift = timing.strobe_shift
    # One that is centred does not stay where it comes.
    if not inputs.centred and math.isfinite(shift) and abs(shift) > 0.1 * unit:
        mended = min(timing.worst_setup, timing.worst_hold) < 0.0 < _both(timing)
        # What alone would mend it is told first.
        parts.insert(0 if mended else len(parts), _strobe_words(inputs, timing, mended=mended))
    return "; ".join(parts)


def _both(timing: LaneTiming) -> float:
    """Either margin, s, with the strobe where they are alike."""
    return 0.5 * (timing.worst_setup + timing.worst_hold)


def _strobe_words(inputs: CaseInputs, timing: LaneTiming, *, mended: bool) -> str:
    early = timing.strobe_shift > 0.0
    longer = _line_length(inputs.strobe.wave.path) - _line_length(inputs.data.path)
    routed = ""
    if abs(longer) > _LONGER and early == (longer < 0.0):
        routed = f", whose line is {1e3 * abs(longer):.1f} mm {'shorter' if early else 'longer'},"
    way = f"{1e12 * abs(timing.strobe_shift):.0f} ps {'early' if early else 'late'}"
    then = f": in its place either margin is {1e12 * _both(timing):.0f} ps" if mended else ""
    return f"the strobe{routed} comes {way} for this signal{then}"


def _line_length(path: PathInputs) -> float:
    """Metres of line, with those of branches."""
    return sum(item.length for item in path.every_item if isinstance(item, TraceItem))
