"""Study `bus_case`: one signal of a bus in one operation at one corner."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.timing.quality import WaveQuality, duty_of, wave_quality
from onda.engine.timing.strobed import Waveform
from onda.errors import NotPhysical, OndaError
from onda.studies.buses.inputs import CaseInputs, StrobeInputs, WaveInputs
from onda.studies.buses.looked import (
    CaseEyes,
    CaseWaves,
    Looked,
    common_place,
    edges_that_count,
    middle_of_swing,
)
from onda.studies.buses.why import bits_behind, why_so
from onda.studies.buses.worst import single_bits, worst_bits
from onda.studies.core.held import held
from onda.studies.core.study import Control, Study
from onda.studies.paths.items import StimulusInputs
from onda.studies.paths.run import run_path

__all__ = ["BUS_CASE", "CaseResult", "case_waves", "sent", "strobe_waves"]

FloatArray = NDArray[np.float64]


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
    looked : the same with the strobe elsewhere and around other levels, for a lane to choose
        from; None without an answer
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
    looked: Looked | None = field(default=None, compare=False)


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


def _quality(inputs: CaseInputs, data: Waveform, level: float) -> WaveQuality:
    """Of the data around a reference level, of the bits that count."""
    asked, path, unit = inputs.sheet, inputs.data.path, inputs.unit_interval
    window = (inputs.lead * unit, (inputs.data.count - 1) * unit)
    return wave_quality(
        data, window, level=level, ac=asked.ac, dc=asked.dc,
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
    away = np.interp(edges, time, leg) - middle_of_swing(inputs, time, leg)
    return duty, float(np.abs(away).max()) if len(away) else math.nan


def sent(inputs: CaseInputs) -> CaseInputs:
    """A case with the bits that are sent: where the worst ones are asked for, these.

    Raises
    ------
    OndaError : a net cannot be built or solved
    """
    if not inputs.worst:
        return inputs
    one, zero = (Waveform(*_wave(wave)) for wave in single_bits(inputs.data))
    time, strobe, _ = strobe_waves(inputs.strobe)
    edges = edges_that_count(inputs, Waveform(time + inputs.strobe_at, strobe))
    bits = worst_bits(inputs, one, zero, edges.at)
    return replace(inputs, data=replace(inputs.data, typed=bits), worst=False)


def _run(asked: CaseInputs, _: Control) -> CaseResult:
    try:
        inputs = sent(asked)
        waves = case_waves(inputs)
        eyes = CaseEyes(inputs, waves)
        looked = eyes.look()
        offset = common_place([looked])
        place = looked.place(offset)
        assert place is not None
        level = float(looked.own[place])
        decided = eyes.decided(level)
        timing = decided.timing(eyes.edges(offset))
        memory = bits_behind(inputs, timing, waves)
        quality = _quality(inputs, eyes.data, level)
        duty, crossing = _strobe_quality(inputs)
    except OndaError as error:
        return CaseResult(failure=str(error))
    slews = timing.setup_slew[np.isfinite(timing.setup_slew)]
    return CaseResult(
        timing.worst_setup,
        timing.worst_hold,
        timing.strobe_shift,
        level,
        timing.centre_level,
        timing.height,
        2.0 * memory.own if memory is not None else math.nan,
        float(slews.min()) if len(slews) else math.nan,
        duty,
        crossing,
        quality,
        why_so(inputs, timing, memory, decided.short(timing)),
        looked=looked,
    )


BUS_CASE: Study[CaseInputs, CaseResult] = Study("bus_case", _run, CaseResult, title="Case of a bus")
