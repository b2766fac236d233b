"""Bits through executable models: waveforms, one model behind the other.

The flow in time of IBIS 7.2, section 10.2.3: what is sent goes through the transmitter's
AMI_GetWave, is folded with the impulse response of the channel, and goes through that of the
receiver. A model without AMI_GetWave is in the impulse response instead, by its AMI_Init.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.eye import Eye
from onda.engine.links.overlay import eye_of_wave
from onda.errors import InputError
from onda.studies.core.study import Control
from onda.studies.links.channel import channel_step
from onda.studies.links.executable import (
    PER_UI,
    answers_bits,
    bits_ignored,
    returns_impulse,
    through_model,
    wave_through,
)
from onda.studies.links.inputs import ChannelInputs, EyeInputs

__all__ = ["is_by_waves", "wave_eye"]

FloatArray = NDArray[np.float64]
_MOST_BITS = 1_000_000
_FEW_TICKS = 0.5
"""Share of all symbols that must have a tick for these to be the clock."""


def is_by_waves(inputs: ChannelInputs) -> bool:
    """Whether a model at one of its ends takes waveforms."""
    return answers_bits(inputs.sender) or answers_bits(inputs.listener)


def wave_eye(inputs: EyeInputs, control: Control) -> Eye:
    """The eye of a link whose models take waveforms.

    Raises
    ------
    InputError : equalisers of the link's own beside these models, too many bits, or a model that
        fails
    """
    if not inputs.equalisers.is_bare:
        raise InputError(
            "bit by bit executable models are all that equalises a link",
            remedy="Take its own taps, gains and feedback away, or look at its error rate.",
        )
    if inputs.bits > _MOST_BITS:
        raise InputError(
            f"{inputs.bits} bits through executable models", remedy=f"At most {_MOST_BITS}."
        )
    channel, unit = inputs.channel, inputs.unit_interval
    step = channel_step(channel.without_models)
    at = np.arange(float(step.time[0]), float(step.time[-1]), unit / PER_UI)
    fine = np.stack([np.interp(at, step.time, one) for one in (step.volts, *step.others)])
    columns = np.diff(fine, axis=1, append=fine[:, -1:]).T * (PER_UI / unit)
    first = max(bits_ignored(channel.sender), bits_ignored(channel.listener))
    first += -(-len(at) // PER_UI)
    symbols = inputs.pattern.symbols(inputs.bits + first + 2, len(inputs.levels))
    # Half a swing to either side, as a model's waveform is.
    wave = np.repeat(0.5 * np.asarray(inputs.levels)[symbols], PER_UI)
    control.progress(0.1)
    known = columns
    if channel.sender is not None:
        if returns_impulse(channel.sender):
            behind = through_model(channel.sender, at, columns[:, :1], unit)
            known = np.concatenate([behind, columns[:, 1:]], axis=1)
        if answers_bits(channel.sender):
            wave, _ = wave_through(channel.sender, columns[:, :1], wave, unit)
        else:
            columns = known
    control.progress(0.4)
    from scipy.signal import fftconvolve

    wave = fftconvolve(wave, columns[:, 0])[: len(wave)] * (unit / PER_UI)
    ticks = np.zeros(0)
    if channel.listener is not None:
        if answers_bits(channel.listener):
            wave, ticks = wave_through(channel.listener, known, wave, unit)
        else:
            made = through_model(channel.listener, at, known, unit)
            wave = _refolded(wave, known[:, 0], made[:, 0])
    control.progress(0.8)
    middle = 0.5 * (float(fine[0, 0]) + float(fine[0, -1]))
    rows, sent = _rows(wave + middle, ticks, symbols, first, unit)
    return eye_of_wave(
        rows, sent, unit, PER_UI, values=inputs.levels,
        progress=lambda share: control.progress(0.8 + 0.2 * share),
    )  # fmt: skip


def _refolded(wave: FloatArray, before: FloatArray, made: FloatArray) -> FloatArray:
    """A waveform folded with what turns one impulse response into the other."""
    count = 2 ** int(np.ceil(np.log2(len(wave) + 2 * len(made))))
    ratio = np.fft.rfft(made, count), np.fft.rfft(before, count)
    size = np.abs(ratio[1])
    # Where nothing comes through nothing is asked for.
    safe = np.where(size > 1e-6 * size.max(), ratio[1], np.inf)
    return np.asarray(np.fft.irfft(np.fft.rfft(wave, count) * ratio[0] / safe, count)[: len(wave)])


def _rows(
    wave: FloatArray, ticks: FloatArray, symbols: NDArray[np.int8], first: int, unit: float
) -> tuple[FloatArray, NDArray[np.int8]]:
    """Traces (n, phases + 1) around the sampling moments, and the symbol of each."""
    step = unit / PER_UI
    last = len(symbols) - 1
    if len(ticks) > _FEW_TICKS * len(symbols):
        # A sample is taken half a unit interval behind a tick.
        at = ticks + 0.5 * unit
        moments = np.asarray(at[(at > first * unit) & (at < last * unit)])
    else:
        moments = np.asarray(np.arange(first, last) * unit + _phase(wave[first * PER_UI :]) * step)
    around = np.asarray(np.arange(-(PER_UI // 2), PER_UI - PER_UI // 2 + 1) * step)
    flat = np.interp((moments[:, None] + around).ravel(), np.arange(len(wave)) * step, wave)
    rows = np.asarray(flat, dtype=np.float64).reshape(len(moments), -1)
    late = _delay(rows[:, PER_UI // 2], np.round(moments / unit).astype(int), symbols)
    return rows, symbols[np.round(moments / unit).astype(int) - late]


def _phase(wave: FloatArray) -> float:
    """Samples from the start of a unit interval to half a unit interval behind the crossings."""
    middle = float(np.median(wave))
    up = np.flatnonzero((wave[:-1] < middle) != (wave[1:] < middle))
    share = (wave[up] - middle) / (wave[up] - wave[up + 1])
    turns = np.exp(2j * np.pi * (up + share) / PER_UI)
    return float((np.angle(turns.sum()) / (2.0 * np.pi) + 0.5) % 1.0 * PER_UI)


def _delay(samples: FloatArray, numbers: NDArray[np.int64], symbols: NDArray[np.int8]) -> int:
    """How many symbols a sample comes behind the one it carries."""
    volts = samples - samples.mean()
    most = int(numbers.min())
    alike = [float(volts @ (symbols[numbers - k] - symbols.mean())) for k in range(most)]
    return int(np.argmax(alike))
