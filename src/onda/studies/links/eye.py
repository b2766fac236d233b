"""Study `eye`: a long pattern over a path or a network, laid over itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_linear
from onda.engine.circuits.stimulus import edge
from onda.engine.links.eye import Eye, Mask, bit_by_bit_eye, mask_hits
from onda.engine.links.patterns import prbs
from onda.engine.links.peak import PeakDistortion, peak_distortion
from onda.engine.links.pulse import PulseResponse, pulse_from_step
from onda.errors import NotPhysical
from onda.studies.core.study import Control, Study
from onda.studies.links.inputs import EyeInputs
from onda.studies.links.network_channel import lane_doubts, lane_step
from onda.studies.paths.build import at_device_edge, build_path
from onda.studies.paths.items import without_devices

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


def step_response(
    inputs: EyeInputs,
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Time, voltage at the receiver for a step between the two levels, and the channel's delay."""
    if inputs.lane is not None:
        return lane_step(inputs.lane, inputs.unit_interval)
    assert inputs.path is not None
    # A device switches as its tables say, whatever edge was typed.
    path = at_device_edge(inputs.path)
    built = build_path(without_devices(path))
    delay = built.spans[-1].end
    ui = inputs.unit_interval
    if path.edge > 4 * ui:
        raise NotPhysical("edge", f"{path.edge:.3g} s", "below four unit intervals")
    # A lead of one unit interval, so that what comes before the edge is part of the pulse.
    end = ui + 5.0 * delay + 60.0 * ui
    solution = solve_linear(
        built.net,
        edge(path.low, path.high, path.edge, start=ui),
        end=end,
        step=max(min(path.edge / 20.0, ui / 64.0), end / 20000.0),
    )
    return solution.time, solution.node(built.load), delay


def _run(inputs: EyeInputs, control: Control) -> EyeResult:
    time, step, delay = step_response(inputs)
    control.progress(0.2)
    phases = _PHASES if inputs.bits < _LONG else _PHASES // 2
    pulse = pulse_from_step(time, step, inputs.unit_interval, samples_per_ui=phases)
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
            *(() if inputs.lane is None else lane_doubts(inputs.lane)),
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
