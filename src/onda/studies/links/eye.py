"""Study `eye`: a long pattern over a path or a network, laid over itself."""

from __future__ import annotations

from dataclasses import dataclass

from onda.engine.links.eye import Eye, Mask, bit_by_bit_eye, mask_hits
from onda.engine.links.patterns import prbs
from onda.engine.links.peak import PeakDistortion, peak_distortion
from onda.engine.links.pulse import PulseResponse, pulse_from_step
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.links.channel import channel_step
from onda.studies.links.equalised import at_sampler
from onda.studies.links.inputs import EyeInputs

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
    mask_hits : samples inside the mask; mask_growth : how much it could grow; NaN without a mask
    delay : s, of the channel
    doubts : what is wrong with the data that it rests on
    """

    eye: Eye
    pulse: PulseResponse
    peak: PeakDistortion
    mask_hits: float
    mask_growth: float
    delay: float
    doubts: tuple[str, ...] = ()


def _run(inputs: EyeInputs, control: Control) -> EyeResult:
    if not inputs.two_levels:
        raise InputError(
            "bit by bit only eyes of two levels are laid over each other",
            remedy="Look at the eye at its error rate; require its height and width there.",
        )
    channel = channel_step(inputs.channel)
    delay = channel.delay
    control.progress(0.2)
    phases = _PHASES if inputs.bits < _LONG else _PHASES // 2
    pulse = pulse_from_step(
        channel.time, channel.volts, inputs.unit_interval, samples_per_ui=phases
    )
    if not inputs.equalisers.is_bare:
        pulse = at_sampler(pulse, inputs)
    # The response's memory is filled first, so that exactly the bits asked for are measured.
    bits = prbs(inputs.prbs, inputs.bits + pulse.volts.shape[0])
    eye = bit_by_bit_eye(
        pulse,
        bits,
        phase=peak_distortion(pulse).phase if inputs.sampling == "tallest" else None,
        progress=lambda share: control.progress(0.2 + 0.8 * share),
    )
    hits, growth = float("nan"), float("nan")
    if inputs.mask is not None:
        mask = Mask(0.5 * inputs.mask.width, 0.5 * inputs.mask.flat, 0.5 * inputs.mask.height)
        hits, growth = mask_hits(eye, mask)
    peak = peak_distortion(pulse, eye.phase)
    return EyeResult(
        eye=eye,
        pulse=pulse,
        peak=peak,
        mask_hits=hits,
        mask_growth=growth,
        delay=delay,
        doubts=(
            *channel.doubts,
            *_pattern_doubts(inputs.prbs, pulse, eye, peak),
        ),
    )


def _pattern_doubts(
    order: int, pulse: PulseResponse, eye: Eye, peak: PeakDistortion
) -> tuple[str, ...]:
    """A pattern of n bits holds all sequences of n bits, and none longer for sure.

    No pattern is worse than the one of peak distortion.
    """
    unseen = min(pulse.unseen(eye.phase, order), max(eye.height - peak.height, 0.0))
    if unseen <= _UNSEEN * max(eye.height, 0.0):
        return ()
    return (
        f"PRBS{order} holds all sequences of {order} bits; what the channel remembers beyond can "
        f"close the eye by {unseen * 1e3:.3g} mV more",
    )


EYE: Study[EyeInputs, EyeResult] = Study("eye", _run, EyeResult, title="Eye")
