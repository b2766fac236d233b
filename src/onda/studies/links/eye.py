"""Study `eye`: a long pattern over a path or a network, laid over itself."""

from __future__ import annotations

import math
from dataclasses import dataclass

from onda.engine.links.eye import Eye, mask_hits
from onda.engine.links.overlay import bit_by_bit_eye
from onda.engine.links.peak import PeakDistortion, peak_distortion
from onda.engine.links.pulse import PulseResponse, pulse_from_step, sampling_phase
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.links.channel import channel_step
from onda.studies.links.equalised import at_sampler
from onda.studies.links.inputs import EyeInputs, PatternInputs
from onda.studies.links.waves import is_by_waves, wave_eye

__all__ = ["EYE", "Eye", "EyeResult"]


_PHASES, _LONG = 128, 200_000
"""Samples in a unit interval; half as many for as many bits or more."""
_UNSEEN = 0.1
"""Share of the height that a pattern may leave out without a word."""


@dataclass(frozen=True, slots=True)
class EyeResult:
    """What the Eyes stage shows.

    Attributes
    ----------
    eye : the measured eye
    pulse : response to one bit
    peak : worst pattern at the same sampling phase
    hits : samples inside the mask, of each opening; growths : how much it could grow there; empty
        without a mask
    levels : of the symbols, -1 to 1
    delay : s, of the channel
    doubts : what is wrong with the data that it rests on
    """

    eye: Eye
    pulse: PulseResponse
    peak: PeakDistortion
    hits: tuple[float, ...]
    growths: tuple[float, ...]
    delay: float
    levels: tuple[float, ...]
    doubts: tuple[str, ...] = ()

    @property
    def mask_hits(self) -> float:
        """Of all openings, NaN without a mask."""
        return math.fsum(self.hits) if self.hits else math.nan

    @property
    def mask_growth(self) -> float:
        """Of the opening with least room, NaN without a mask."""
        return min(self.growths, default=math.nan)


def _run(inputs: EyeInputs, control: Control) -> EyeResult:
    waved: Eye | None = None
    more: tuple[str, ...] = ()
    through = inputs.channel
    if is_by_waves(through):
        waved = wave_eye(inputs, control)
        try:
            channel_step(through)
        except InputError:
            # A model that answers bits only has no pulse.
            through = through.without_models
            more = ("the pulse and the worst case are those of the channel without its models",)
    channel = channel_step(through)
    delay = channel.delay
    control.progress(0.2)
    phases = _PHASES if inputs.bits < _LONG else _PHASES // 2
    pulse = pulse_from_step(
        channel.time,
        channel.volts,
        inputs.unit_interval,
        samples_per_ui=phases,
        fall=channel.fall,
    )
    levels = inputs.levels
    phase: int | None = None
    if not inputs.equalisers.is_bare:
        pulse, phase = at_sampler(pulse, inputs)
    elif inputs.sampling == "tallest":
        phase = peak_distortion(pulse, values=levels).phase
    # The response's memory is filled first, so that exactly the bits asked for are measured.
    count = inputs.bits + pulse.volts.shape[0] + (pulse.uneven is not None)
    symbols = inputs.pattern.symbols(count, len(levels))
    eye = waved or bit_by_bit_eye(
        pulse,
        symbols,
        phase=phase,
        values=levels,
        progress=lambda share: control.progress(0.2 + 0.8 * share),
    )
    hits, growths = mask_hits(eye, inputs.mask) if inputs.mask is not None else ((), ())
    # The phase of a waveform is its own.
    sampled = eye.phase if waved is None else sampling_phase(pulse)
    peak = peak_distortion(pulse, sampled, levels)
    return EyeResult(
        eye=eye,
        pulse=pulse,
        peak=peak,
        hits=hits,
        growths=growths,
        delay=delay,
        levels=levels,
        doubts=(
            *channel.doubts,
            *more,
            *_pattern_doubts(inputs.pattern, pulse, eye, peak),
        ),
    )


def _pattern_doubts(
    sent: PatternInputs, pulse: PulseResponse, eye: Eye, peak: PeakDistortion
) -> tuple[str, ...]:
    """A pattern of n bits holds all sequences of n bits, and none longer for sure.

    No pattern is worse than the one of peak distortion.
    """
    if sent.typed.strip() or sent.code != "none":
        # What these leave out they leave out by design.
        return ()
    two = len(eye.means) == 2
    order, what = (sent.order, "bits") if two else (sent.order // 2, "symbols")
    unseen = min(pulse.unseen(eye.phase, order), max(eye.height - peak.height, 0.0))
    if unseen <= _UNSEEN * max(eye.height, 0.0):
        return ()
    return (
        f"{sent.name} holds all sequences of {order} {what}; what the channel "
        f"remembers beyond can close the eye by {unseen * 1e3:.3g} mV more",
    )


EYE: Study[EyeInputs, EyeResult] = Study("eye", _run, EyeResult, title="Eye")
