"""The channel of a link: what a step between two levels becomes, and what other lanes put in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_linear
from onda.engine.circuits.stimulus import edge
from onda.errors import InputError, NotPhysical
from onda.formats.signal_csv import read_signals
from onda.project.files import Content
from onda.studies.core.held import held
from onda.studies.core.study import Control
from onda.studies.coupling.group import GROUP
from onda.studies.links.executable import through_models
from onda.studies.links.inputs import ChannelInputs, GroupLane
from onda.studies.links.network_channel import lane_doubts, lane_others, lane_step
from onda.studies.paths.build import at_device_edge, build_path
from onda.studies.paths.items import PathInputs, without_devices

__all__ = ["ChannelStep", "channel_step"]

FloatArray = NDArray[np.float64]
_PER_UI, _MOST_UI = 64, 20_000
"""Samples of a unit interval of a typed pulse, and how many of these it may have."""
_KEPT = 0.95
"""Share of a response by a transform that is not disturbed by its own repetition."""


@dataclass(frozen=True, slots=True, eq=False)
class ChannelStep:
    """Responses to a step between the two levels.

    Attributes
    ----------
    time : (t,) s, the step a unit interval after the first; volts : (t,) at the receiver
    others : (k, t) V that each other lane puts in by its own step
    delay : s; doubts : what is wrong with the data that it rests on
    """

    time: FloatArray
    volts: FloatArray
    others: FloatArray
    delay: float
    doubts: tuple[str, ...] = ()


@held(2**27)
def channel_step(inputs: ChannelInputs) -> ChannelStep:
    """What a channel, and executable models at its ends, make of a step.

    Raises
    ------
    InputError : the network has no such lane, or a model fails
    NotPhysical : the edge is too slow for the rate
    """
    bare = _bare_step(inputs.without_models)
    if inputs.sender is None and inputs.listener is None:
        return bare
    steps = np.concatenate([bare.volts[None, :], bare.others])
    time, made = through_models(
        bare.time, steps, inputs.unit_interval, inputs.sender, inputs.listener
    )
    return ChannelStep(time, made[0], made[1:], bare.delay, bare.doubts)


@held(2**27)
def _bare_step(inputs: ChannelInputs) -> ChannelStep:
    if inputs.lane is not None:
        time, volts, delay = lane_step(inputs.lane, inputs.unit_interval)
        others = np.zeros((0, len(time)))
        if inputs.crosstalk:
            others = lane_others(inputs.lane, inputs.unit_interval, time)
        return ChannelStep(time, volts, others, delay, lane_doubts(inputs.lane))
    if inputs.group is not None:
        return _of_group(inputs.group, inputs.unit_interval, crosstalk=inputs.crosstalk)
    if inputs.pulse is not None:
        return _of_pulse(inputs.pulse, inputs.unit_interval, crosstalk=inputs.crosstalk)
    assert inputs.path is not None
    return _of_path(inputs.path, inputs.unit_interval)


def _of_path(wanted: PathInputs, ui: float) -> ChannelStep:
    # A device switches as its tables say, whatever edge was typed.
    path = at_device_edge(wanted)
    built = build_path(without_devices(path))
    delay = built.spans[-1].end
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
    volts = solution.node(built.load)
    return ChannelStep(solution.time, volts, np.zeros((0, len(volts))), delay)


def _of_pulse(content: Content, ui: float, *, crosstalk: bool) -> ChannelStep:
    """A step is a symbol that goes on and on: pulses a unit interval apart."""
    time, columns = read_signals(content.read(), content.name)
    if float(time[-1] - time[0]) < 2.0 * ui:
        raise InputError(
            f"is {time[-1] - time[0]:.3g} s long, less than two unit intervals",
            file=content.name,
            remedy="Write more of the response, or choose a higher rate.",
        )
    apart = ui / _PER_UI
    whole = -(-round((time[-1] - time[0]) / apart) // _PER_UI) + 2
    if whole > _MOST_UI:
        raise InputError(
            f"is {whole} unit intervals long, at most {_MOST_UI}",
            file=content.name,
            remedy="Cut the response where nothing comes any more.",
        )
    # A lead of one unit interval before the first sample.
    at = float(time[0]) - ui + apart * np.arange(whole * _PER_UI)
    some = columns if crosstalk else columns[:, :1]
    steps = []
    for column in some.T:
        pulse = np.interp(at, time, column, left=0.0, right=0.0)
        steps.append(np.cumsum(pulse.reshape(whole, _PER_UI), axis=0).ravel())
    own = steps[0] - 0.5 * steps[0][-1]
    peak = float(time[int(np.argmax(np.abs(columns[:, 0])))])
    others = np.array(steps[1:]) if len(steps) > 1 else np.zeros((0, len(at)))
    return ChannelStep(at, own, others, max(peak, 0.0))


def _of_group(of: GroupLane, ui: float, *, crosstalk: bool) -> ChannelStep:
    group, v = of.group, of.lane
    result = GROUP.run(group, Control())
    kept = result.time <= _KEPT * float(result.time[-1])
    time = result.time[kept]
    # A symbol's two levels lie twice the amplitude apart.
    own = 2.0 * group.far * (result.volts[kept, v, v] - 0.5)
    heard = []
    for a in range(len(group.lanes)):
        if a != v and crosstalk:
            amplitude = group.near if result.near[v, a] else group.far
            heard.append(2.0 * amplitude * result.volts[kept, v, a])
    others = np.array(heard) if heard else np.zeros((0, len(time)))
    lead = ui - float(time[0])
    if time[-1] + lead < result.delay + 8.0 * ui:
        raise NotPhysical(
            "unit interval", f"{ui:.3g} s", "short enough for the response that is known"
        )
    return ChannelStep(time + lead, own, others, result.delay, result.doubts)
