"""The channel of a link: what a step between two levels becomes, and what other lanes put in."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import solve_linear
from onda.engine.circuits.stimulus import edge
from onda.engine.links.measured import Response, behind, more_loss
from onda.errors import InputError, NotPhysical
from onda.formats.signal_csv import read_signals
from onda.project.files import Content
from onda.studies.core.held import held
from onda.studies.core.study import Control
from onda.studies.coupling.group import GROUP
from onda.studies.links.executable import through_models
from onda.studies.links.inputs import ChannelInputs, GroupLane
from onda.studies.links.network_channel import lane_doubts, lane_fall, lane_others, lane_step
from onda.studies.paths.build import at_device_edge, build_path
from onda.studies.paths.items import PathInputs, StimulusInputs, without_devices
from onda.studies.paths.run import run_path

__all__ = ["ChannelStep", "channel_step"]

FloatArray = NDArray[np.float64]
_PER_UI, _MOST_UI = 64, 20_000
"""Samples of a unit interval of a typed pulse, and how many of these it may have."""
_MOST_SAMPLES = 200_000
_ROUND_TRIPS, _EDGES, _REST_UI = 8.0, 10.0, 4.0
"""How long a device's edge has: delays of the path, edges, unit intervals."""
_STILL, _LONGER = 2e-3, 6
"""Share of the swing that may be left, and how often the time is doubled until it is."""
_SENT_UI, _SENT_EDGE = 8, 0.2
"""Unit intervals that what is sent is followed, and its edge where none is given."""
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
    fall : (t,) V at the receiver for the step back, None where that is the same turned over
    """

    time: FloatArray
    volts: FloatArray
    others: FloatArray
    delay: float
    doubts: tuple[str, ...] = ()
    fall: FloatArray | None = None


@held(2**27)
def channel_step(inputs: ChannelInputs) -> ChannelStep:
    """What a channel, and executable models at its ends, make of a step.

    Raises
    ------
    InputError : the network has no such lane, or a model fails
    NotPhysical : the edge is too slow for the rate
    """
    if inputs.at_start:
        return _sent(inputs)
    if inputs.more_loss > 0.0:
        less = channel_step(replace(inputs, more_loss=0.0))
        return _lossier(less, more_loss(inputs.more_loss, 1.0 / inputs.unit_interval))
    bare = _bare_step(inputs.without_models)
    if inputs.sender is None and inputs.listener is None:
        return bare
    doubts = bare.doubts
    if bare.fall is not None:
        # Models turn an impulse response into another one; both edges have one in the mean.
        bare = replace(bare, volts=0.5 * (bare.volts - bare.fall + bare.fall[0] + bare.fall[-1]))
        doubts = (*doubts, "executable models get the mean of unlike edges")
    steps = np.concatenate([bare.volts[None, :], bare.others])
    time, made = through_models(
        bare.time, steps, inputs.unit_interval, inputs.sender, inputs.listener
    )
    return ChannelStep(time, made[0], made[1:], bare.delay, doubts)


def _sent(inputs: ChannelInputs) -> ChannelStep:
    """What is sent, between the levels that come of it: straight edges of the channel's own time,
    and a model that sends."""
    unit = inputs.unit_interval
    far = channel_step(replace(inputs, at_start=False, more_loss=0.0, sender=None, listener=None))
    time = np.linspace(0.0, _SENT_UI * unit, _SENT_UI * _PER_UI + 1)
    rise = min(_edge_of(inputs), unit)
    low, high = float(far.volts[0]), float(far.volts[-1])

    def edge_from(first: float, last: float, took: float) -> FloatArray:
        share = np.clip((time - 2.0 * unit) / took + 0.5, 0.0, 1.0)
        return np.asarray(first + (last - first) * share)

    fall = edge_from(high, low, rise * inputs.fall) if inputs.fall != 1.0 else None
    volts, none = edge_from(low, high, rise), np.zeros((0, len(time)))
    if inputs.sender is not None:
        time, made = through_models(time, volts[None, :], unit, inputs.sender, None)
        volts, none, fall = made[0], np.zeros((0, len(time))), None
    return ChannelStep(time, volts, none, 0.0, far.doubts, fall)


def _edge_of(inputs: ChannelInputs) -> float:
    """0 to 100 percent time, s, of the edge that a channel is given."""
    if inputs.path is not None:
        return at_device_edge(inputs.path).edge
    if inputs.lane is not None and inputs.lane.edge > 0.0:
        return inputs.lane.edge / 0.6
    if inputs.group is not None:
        return inputs.group.group.rise / 0.6
    return _SENT_EDGE * inputs.unit_interval


def _lossier(channel: ChannelStep, more: Response) -> ChannelStep:
    """A channel behind more line."""
    apart = float(np.median(np.diff(channel.time)))
    count = min(math.ceil((channel.time[-1] - channel.time[0]) / apart), _MOST_SAMPLES)
    time = np.linspace(float(channel.time[0]), float(channel.time[-1]), count)

    def through(volts: FloatArray) -> FloatArray:
        even = np.interp(time, channel.time, volts)
        slope = np.diff(even, prepend=even[0])
        return np.asarray(even[0] + np.cumsum(behind(slope, time[1] - time[0], more, after=0)))

    others = [through(one) for one in channel.others]
    return replace(
        channel,
        time=time,
        volts=through(channel.volts),
        others=np.array(others) if others else np.zeros((0, count)),
        fall=None if channel.fall is None else through(channel.fall),
    )


@held(2**27)
def _bare_step(inputs: ChannelInputs) -> ChannelStep:
    if inputs.lane is not None:
        time, volts, delay = lane_step(inputs.lane, inputs.unit_interval)
        others = np.zeros((0, len(time)))
        if inputs.crosstalk:
            others = lane_others(inputs.lane, inputs.unit_interval, time)
        fall = None
        if inputs.lane.fall != 1.0:
            fall = lane_fall(inputs.lane, inputs.unit_interval, time)
        return ChannelStep(time, volts, others, delay, lane_doubts(inputs.lane), fall)
    if inputs.fall != 1.0 and inputs.path is None:
        raise InputError(
            "falling edges unlike the rising ones are worked out over paths and networks only",
            remedy="Set the falling edge to 100 %, or take the group into a network.",
        )
    if inputs.group is not None:
        return _of_group(inputs.group, inputs.unit_interval, crosstalk=inputs.crosstalk)
    if inputs.pulse is not None:
        return _of_pulse(inputs.pulse, inputs.unit_interval, crosstalk=inputs.crosstalk)
    assert inputs.path is not None
    if inputs.devices:
        return _by_devices(inputs.path, inputs.unit_interval)
    return _of_path(inputs.path, inputs.unit_interval, inputs.fall)


def _by_devices(path: PathInputs, ui: float) -> ChannelStep:
    """Both edges as the devices at the ends make them, each from rest."""
    wanted = at_device_edge(path)
    delay = build_path(wanted).spans[-1].end
    rest = ui * math.ceil((_ROUND_TRIPS * delay + _EDGES * wanted.edge) / ui + _REST_UI)
    for _ in range(_LONGER):
        time = np.arange(0.0, rest, min(wanted.edge / 20.0, ui / _PER_UI))
        edges = []
        for falling in (False, True):
            sent = StimulusInputs("edge", falling=falling)
            run = run_path(replace(path, stimulus=sent, window=rest))
            volts = run.solution.node(run.built.load)
            edges.append(np.interp(time, run.solution.time, volts))
        rise, fall = edges
        # Each edge leads to where the other one begins.
        if abs(fall[-1] - rise[0]) + abs(rise[-1] - fall[0]) <= _STILL * abs(fall[0] - rise[0]):
            break
        rest *= 2.0
    # A lead of one unit interval at rest.
    before = np.arange(-ui, 0.0, time[1])
    return ChannelStep(
        np.concatenate([before, time]) + ui,
        np.concatenate([np.full(len(before), rise[0]), rise]),
        np.zeros((0, len(before) + len(time))),
        delay,
        fall=np.concatenate([np.full(len(before), fall[0]), fall]),
    )


def _of_path(wanted: PathInputs, ui: float, fall: float) -> ChannelStep:
    # A device switches as its tables say, whatever edge was typed.
    path = at_device_edge(wanted)
    built = build_path(without_devices(path))
    delay = built.spans[-1].end
    if path.edge > 4 * ui:
        raise NotPhysical("edge", f"{path.edge:.3g} s", "below four unit intervals")
    # A lead of one unit interval, so that what comes before the edge is part of the pulse.
    end = ui + 5.0 * delay + 60.0 * ui
    step = max(min(path.edge * min(fall, 1.0) / 20.0, ui / 64.0), end / 20000.0)
    # The middles of both edges lie together.
    begin = ui + max(0.5 * path.edge * (fall - 1.0), 0.0)
    sent = edge(path.low, path.high, path.edge, start=begin)
    solution = solve_linear(built.net, sent, end=end, step=step)
    volts = solution.node(built.load)
    fallen = None
    if fall != 1.0:
        start = begin + 0.5 * path.edge * (1.0 - fall)
        sent = edge(path.high, path.low, path.edge * fall, start=start)
        fallen = solve_linear(built.net, sent, end=end, step=step).node(built.load)
    return ChannelStep(solution.time, volts, np.zeros((0, len(volts))), delay, fall=fallen)


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
