"""Study `bus_case`: one signal of a bus in one operation at one corner."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from onda.engine.timing.levels import Memory, memory_of
from onda.engine.timing.quality import WaveQuality, duty_of, wave_quality
from onda.engine.timing.strobed import (
    LaneTiming,
    Sheet,
    Waveform,
    edges_short,
    lane_timing,
)
from onda.errors import NotPhysical, OndaError
from onda.studies.buses.inputs import CaseInputs, StrobeInputs, WaveInputs
from onda.studies.buses.plan import SheetInputs
from onda.studies.core.held import held
from onda.studies.core.study import Control, Study
from onda.studies.paths.elements.trace import TraceItem
from onda.studies.paths.items import PathInputs, StimulusInputs
from onda.studies.paths.run import run_path

__all__ = [
    "BUS_CASE",
    "CaseResult",
    "CaseWaves",
    "Looked",
    "best_of",
    "case_waves",
    "strobe_waves",
    "timed",
]

FloatArray = NDArray[np.float64]
_STEP = 0.125
_PLACES = tuple(_STEP * k for k in (0, -1, 1, -2, 2, -3, 3, -4, 4))
"""Places of the strobe that are looked at, unit intervals from where it comes."""
_ALIKE = 0.1
"""Share of the tallest eye by which another one counts as tall."""
_OPEN = 0.5
"""Share of the tallest eye by which a place is looked at."""
_LOOKS = 4
"""How often the reference level is taken anew from the eye that it makes."""
_GROUPS, _SAGS, _SLOPES = 0.08, 0.75, 0.15
_LONGER = 2e-3
"""Metres of line that are worth a word."""


@dataclass(frozen=True, slots=True, eq=False)
class CaseWaves:
    """Volts of data (n,) and of the strobe, from its crossing (m,), at the listener; times s."""

    time: FloatArray
    data: FloatArray
    strobe_time: FloatArray
    strobe: FloatArray


@dataclass(frozen=True, slots=True)
class Looked:
    """A case with its strobe moved by `offset` s: worst margins s, NaN where there is none, the
    reference level, the middle of the eye at the strobe and its height, V; at how many edges a bit
    has no set-up, or no hold, at all."""

    offset: float
    setup: float
    hold: float
    level: float
    centre: float
    height: float
    no_setup: int = 0
    no_hold: int = 0


@dataclass(frozen=True, slots=True)
class CaseResult:
    """What counts of a case, before a lane's strobe is centred.

    Attributes
    ----------
    setup, hold : s, worst margins, NaN where there is none; shift : s that would make them alike
    level : V, reference; centre : V, in the middle of the eye at the strobe; height : V of it
    swing : V between the mean levels; slew : V/s, the slowest edge that set-up is measured on
    duty : least and largest share of its period that the strobe is high
    crossing : V, how far from the middle of its levels the legs of the strobe cross at most; NaN
        where it runs over a pair, which is known by its difference alone
    quality : of the data between its edges, its rails those of the driver
    why : what takes most, in words; failure : why there is no answer
    looked : the same with the strobe elsewhere, for a lane to choose from
    """

    setup: float = math.nan
    hold: float = math.nan
    shift: float = math.nan
    level: float = math.nan
    centre: float = math.nan
    height: float = math.nan
    swing: float = math.nan
    slew: float = math.nan
    duty: tuple[float, float] = (math.nan, math.nan)
    crossing: float = math.nan
    quality: WaveQuality | None = None
    why: str = ""
    failure: str = ""
    looked: tuple[Looked, ...] = field(default=())


@held(2**27)
def _wave(inputs: WaveInputs) -> tuple[FloatArray, FloatArray]:
    """Times s and volts at the end that listens."""
    sent = StimulusInputs("bits", rate=1.0 / inputs.unit_interval, bits=inputs.bits)
    window = (inputs.count + 2) * inputs.unit_interval
    run = run_path(replace(inputs.path, stimulus=sent, window=window))
    # The driver's die is the first node of every net.
    dies = {"driver": 0} | {end.id: end.die for end in run.built.ends}
    if inputs.listens not in dies:
        raise NotPhysical("listener", inputs.listens, "an end of the net")
    return run.solution.time, run.solution.node(dies[inputs.listens])


def case_waves(inputs: CaseInputs) -> CaseWaves:
    """Waveforms of a case, its strobe where it is taken.

    Raises
    ------
    OndaError : a net cannot be built or solved
    """
    time, data = _wave(inputs.data)
    strobe_time, strobe, _ = strobe_waves(inputs.strobe)
    return CaseWaves(time, data, strobe_time + inputs.strobe_at, strobe)


def strobe_waves(inputs: StrobeInputs) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Times s, volts of a strobe's difference, and of its true leg, empty where it has no own."""
    time, volts = _wave(inputs.wave)
    if not inputs.single:
        return time, volts, np.empty(0)
    # One and zero in turn: the other leg is the same a bit before.
    other = np.interp(time - inputs.wave.unit_interval, time, volts)
    return time, volts - other, volts


def _middle(inputs: CaseInputs, time: FloatArray, volts: FloatArray) -> float:
    """V in the middle between the highest and the lowest level, the net in its swing."""
    unit = inputs.unit_interval
    # Neither the first bits from rest nor what comes after the last one.
    swings = (time > 2 * inputs.lead * unit) & (time < (inputs.data.count - 1) * unit)
    return 0.5 * (float(volts[swings].max()) + float(volts[swings].min()))


def _sheet(asked: SheetInputs, level: float) -> Sheet:
    return Sheet(
        level, asked.ac, asked.dc, asked.strobe, asked.setup, asked.hold, asked.setup_table,
        asked.hold_table,
    )  # fmt: skip


def timed(inputs: CaseInputs, waves: CaseWaves, offset: float = 0.0) -> tuple[LaneTiming, float]:
    """Timing at the sheet's reference level, or at the one in the middle of the eye, the strobe
    moved by `offset` s."""
    data = Waveform(waves.time, waves.data)
    strobe = Waveform(waves.strobe_time + offset, waves.strobe)
    unit = inputs.unit_interval
    first = inputs.lead * unit + inputs.strobe_at + offset
    window = (first, (inputs.data.count - 1) * unit + inputs.strobe_at + offset)
    asked = inputs.sheet
    if asked.level is not None:
        return lane_timing(
            data, strobe, _sheet(asked, asked.level), window, edges=inputs.edges
        ), asked.level
    level = _middle(inputs, waves.time, waves.data)
    timing = lane_timing(data, strobe, _sheet(asked, level), window, edges=inputs.edges)
    for _ in range(_LOOKS):
        centre = timing.centre_level
        if not math.isfinite(centre):
            break
        new = asked.level_step * round(centre / asked.level_step)
        if new == level:
            break
        level = new
        timing = lane_timing(data, strobe, _sheet(asked, level), window, edges=inputs.edges)
    return timing, level


def _quality(inputs: CaseInputs, waves: CaseWaves, level: float) -> WaveQuality:
    """Of the data around a reference level, of the bits that count."""
    asked, path, unit = inputs.sheet, inputs.data.path, inputs.unit_interval
    window = (inputs.lead * unit, (inputs.data.count - 1) * unit)
    return wave_quality(
        Waveform(waves.time, waves.data), window, level=level, ac=asked.ac, dc=asked.dc,
        rails=(min(path.low, path.high), max(path.low, path.high)),
    )  # fmt: skip


def _strobe_quality(inputs: CaseInputs) -> tuple[tuple[float, float], float]:
    """Duty of a strobe, and how far from the middle of its levels its legs cross at most, V."""
    time, both, leg = strobe_waves(inputs.strobe)
    unit, lead = inputs.unit_interval, inputs.lead
    window = (lead * unit, (inputs.data.count - 1) * unit)
    strobe = Waveform(time, both)
    duty = duty_of(strobe, window)
    if not len(leg):
        return duty, math.nan
    edges = np.concatenate([strobe.crossings(0.0, 1), strobe.crossings(0.0, -1)])
    edges = edges[(edges > 2 * window[0]) & (edges < window[1])]
    away = np.interp(edges, time, leg) - _middle(inputs, time, leg)
    return duty, float(np.abs(away).max()) if len(away) else math.nan


def _memory(inputs: CaseInputs, timing: LaneTiming, waves: CaseWaves) -> Memory | None:
    """Which bits the levels at the strobe depend on."""
    edges = np.array([e.edge for e in timing.edges])
    decided = np.array([e.bit for e in timing.edges])
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


def _why(inputs: CaseInputs, timing: LaneTiming, memory: Memory | None, looked: Looked) -> str:
    asked, unit = inputs.sheet, inputs.unit_interval
    parts = []
    for count, level in ((looked.no_setup, "never reach their ac level"),
                         (looked.no_hold, "lie within their dc level at the strobe")):  # fmt: skip
        if count:
            parts.append(f"{count} of {len(timing.edges)} bits {level}")
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


def best_of(signals: Sequence[tuple[Looked, ...]]) -> float:
    """The place of a strobe, s, where the least tall eye of its signals is tallest, the nearest of
    those that are nearly as good.

    Only places are taken that the most signals have: a signal without it is closed there.
    """
    heights: dict[float, list[float]] = {}
    for looked in chain.from_iterable(signals):
        height = looked.height if math.isfinite(looked.height) else -math.inf
        heights.setdefault(looked.offset, []).append(height)
    shared = max(map(len, heights.values()))
    least = {offset: min(some) for offset, some in heights.items() if len(some) == shared}
    most = max(least.values())
    good = [x for x, height in least.items() if height >= most - _ALIKE * abs(most)]
    return min(good or least, key=abs)


def _open_places(inputs: CaseInputs, waves: CaseWaves) -> list[float]:
    """Where the eye at the strobe is at least half as tall as anywhere, s from where it comes."""
    unit, level = inputs.unit_interval, _middle(inputs, waves.time, waves.data)
    strobe = Waveform(waves.strobe_time, waves.strobe)
    ways = (1, -1) if inputs.edges == "both" else (1,)
    edges = np.concatenate([strobe.crossings(0.0, way) for way in ways])
    first, last = 2 * inputs.lead * unit, (inputs.data.count - 2) * unit
    edges = edges[(edges > first) & (edges < last)]

    def height(place: float) -> float:
        seen = np.interp(edges + place * unit, waves.time, waves.data)
        ones, zeros = seen[seen > level], seen[seen <= level]
        return float(ones.min() - zeros.max()) if len(ones) and len(zeros) else -math.inf

    heights = {place: height(place) for place in _PLACES}
    most = max(heights.values())
    return [unit * p for p in _PLACES if heights[p] >= most - _OPEN * abs(most)]


def _run(inputs: CaseInputs, _: Control) -> CaseResult:
    try:
        waves = case_waves(inputs)
        looked, times = [], {}
        for offset in _open_places(inputs, waves) if inputs.centred else [0.0]:
            found, level = times[offset] = timed(inputs, waves, offset)
            looked.append(
                Looked(
                    offset, found.worst_setup, found.worst_hold, level, found.centre_level,
                    found.height,
                    *edges_short(
                        Waveform(waves.time, waves.data), _sheet(inputs.sheet, level), found
                    ),
                )
            )  # fmt: skip
        place = best_of([tuple(looked)])
        timing, level = times[place]
        memory = _memory(inputs, timing, waves)
        quality = _quality(inputs, waves, level)
        duty, crossing = _strobe_quality(inputs)
    except OndaError as error:
        return CaseResult(failure=str(error))
    slews = [e.setup_slew for e in timing.edges if math.isfinite(e.setup_slew)]
    return CaseResult(
        timing.worst_setup,
        timing.worst_hold,
        timing.strobe_shift,
        level,
        timing.centre_level,
        timing.height,
        2.0 * memory.own if memory is not None else math.nan,
        min(slews, default=math.nan),
        duty,
        crossing,
        quality,
        _why(inputs, timing, memory, next(x for x in looked if x.offset == place)),
        looked=tuple(looked),
    )


BUS_CASE: Study[CaseInputs, CaseResult] = Study("bus_case", _run, CaseResult, title="Case of a bus")
