"""Slice of a design for a link: its channel, its rate, its equalisers and its mask."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypedDict

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain
from onda.engine.links.clock import ClockRecovery
from onda.engine.links.codes import coded, gray, repeated, typed_symbols
from onda.engine.links.masks import Mask
from onda.engine.links.measured import Response
from onda.engine.links.sampler import Jitter
from onda.errors import InputError
from onda.formats.response_csv import read_responses
from onda.project.files import Content, content_of
from onda.project.links.equalisers import Listener
from onda.project.links.link import Link, Sampling
from onda.project.model import Design
from onda.studies.coupling.inputs import GroupInputs, group_inputs, lane_number
from onda.studies.links.executable import ModelInputs, model_inputs
from onda.studies.links.network_channel import LaneInputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs

__all__ = [
    "ChainInputs",
    "ChannelInputs",
    "EyeInputs",
    "GroupLane",
    "LinkInputs",
    "Mask",
    "MeritTerms",
    "PatternInputs",
    "channel_inputs",
    "eye_inputs",
    "link_inputs",
    "mask_inputs",
    "pattern_inputs",
]

_CODES = {"8b10b": "8b/10b", "64b66b": "64b/66b"}


@dataclass(frozen=True, slots=True)
class PatternInputs:
    """Symbols that are sent: pseudo-random of an order, in a code, or `typed` over and over."""

    order: int
    code: str = "none"
    typed: str = ""

    def symbols(self, count: int, levels: int) -> NDArray[np.int8]:
        """As many of them, 0 to `levels` - 1."""
        if self.typed.strip():
            return repeated(typed_symbols(self.typed, levels), count)
        if levels == 2:
            return coded(self.code, self.order, count)
        return gray(coded(self.code, self.order, 2 * count))

    @property
    def name(self) -> str:
        """As it is called."""
        if self.typed.strip():
            return "typed pattern"
        code = "" if self.code == "none" else f" in {_CODES[self.code]}"
        return f"PRBS{self.order}{code}"


@dataclass(frozen=True, slots=True)
class GroupLane:
    """A lane (from 0) of a group."""

    group: GroupInputs
    lane: int


@dataclass(frozen=True, slots=True)
class ChannelInputs:
    """What the symbols run over: one of a path, a lane of a network, a lane of a group, a pulse.

    `crosstalk` asks for what other lanes of the same network or group put into it; `sender` and
    `listener` are executable models at its ends. `fall` is what falling edges take of the rising
    ones; `devices` asks for the edges of the device models at the ends of a path; `more_loss` is dB
    more line than there is, at half the symbol rate. `at_start` looks at
    what is sent, as a receiver without any channel would get it.
    """

    path: PathInputs | None
    lane: LaneInputs | None
    group: GroupLane | None
    unit_interval: float
    crosstalk: bool
    sender: ModelInputs | None = None
    listener: ModelInputs | None = None
    pulse: Content | None = None
    fall: float = 1.0
    devices: bool = False
    more_loss: float = 0.0
    at_start: bool = False

    @property
    def without_models(self) -> ChannelInputs:
        """The same without executable models."""
        return replace(self, sender=None, listener=None)


@dataclass(frozen=True, slots=True)
class ChainInputs:
    """Equalisers as they are wanted: `chain` as far as it is given; `gains` of the continuous one
    to choose from (0 to 1), or `responses`, `find_taps` to look for the transmit taps."""

    chain: Chain
    gains: tuple[float, ...] = ()
    find_taps: bool = False
    responses: tuple[Response, ...] = ()

    @property
    def is_bare(self) -> bool:
        """Whether there is no equaliser at all."""
        return self == ChainInputs(Chain())


class MeritTerms(TypedDict):
    """What a figure of merit goes by, beside pulses and equalisers; see `chain.merit`."""

    where: str
    noise: float
    jitter: float
    levels: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class EyeInputs:
    """Everything an eye bit by bit depends on. `noise` V rms and `jitter` s are not on its bits:
    they count where settings of equalisers are looked for."""

    channel: ChannelInputs
    equalisers: ChainInputs
    pattern: PatternInputs
    bits: int
    sampling: Sampling
    mask: Mask | None
    levels: tuple[float, ...] = (-1.0, 1.0)
    noise: float = 0.0
    jitter: float = 0.0

    @property
    def unit_interval(self) -> float:
        """Seconds."""
        return self.channel.unit_interval

    @property
    def merit_terms(self) -> MeritTerms:
        """What settings are looked for by."""
        return {
            "where": self.sampling,
            "noise": self.noise,
            "jitter": self.jitter,
            "levels": self.levels,
        }


@dataclass(frozen=True, slots=True)
class LinkInputs:
    """Everything a statistical eye depends on; jitter in s, noise in V rms.

    `sine_at` is Hz of the sine of jitter; `clock` follows the edges, None for an ideal one;
    `offset` V is added to the threshold, `sensitivity` V is what the sampler needs. `fine` False
    looks at fewer moments, while something is dragged; `compare` False leaves out the eyes without
    some equalisers. `settings_of` is the link whose equaliser settings are kept, None for such as
    are best here.
    """

    channel: ChannelInputs
    equalisers: ChainInputs
    levels: tuple[float, ...]
    jitter: Jitter
    noise: float
    error_rate: float
    sampling: Sampling
    mask: Mask | None
    fine: bool = True
    compare: bool = True
    sine_at: float | None = None
    clock: ClockRecovery | None = None
    offset: float = 0.0
    sensitivity: float = 0.0
    settings_of: LinkInputs | None = None

    @property
    def merit_terms(self) -> MeritTerms:
        """What settings are looked for by."""
        return {
            "where": self.sampling,
            "noise": self.noise,
            "jitter": self.jitter.effective,
            "levels": self.levels,
        }


def _lane_inputs(design: Design, link: Link) -> LaneInputs | None:
    if link.network is None:
        return None
    launch = link.launch
    return LaneInputs(
        network_inputs(design, design.network(link.network)),
        link.lane - 1,
        launch.low.si,
        launch.high.si,
        launch.edge.si if launch.edge is not None else 0.0,
        link.sender.fall.si,
        tuple(k - 1 for k in link.near),
        (link.sender.capacitance.si, link.listener.capacitance.si),
    )


def _group_lane(design: Design, link: Link) -> GroupLane | None:
    if link.group is None:
        return None
    group = group_inputs(design, design.group(link.group))
    return GroupLane(group, lane_number(group, link.group_lane))


def channel_inputs(design: Design, link: Link) -> ChannelInputs:
    """Slice for the channel of a link."""
    return ChannelInputs(
        path=path_inputs(design, design.path(link.path)) if link.path is not None else None,
        lane=_lane_inputs(design, link),
        group=_group_lane(design, link),
        unit_interval=1.0 / link.symbols_per_second,
        crosstalk=link.crosstalk,
        sender=model_inputs(design, link.sender.model),
        listener=model_inputs(design, link.listener.model),
        pulse=content_of(design.device_file(link.pulse)) if link.pulse is not None else None,
        fall=link.sender.fall.si,
        devices=link.devices and link.path is not None,
    )


def mask_inputs(link: Link) -> Mask | None:
    """The mask of a link, None where it has none."""
    return None if link.mask is None else link.mask.shape()


def pattern_inputs(link: Link) -> PatternInputs:
    """What is sent over a link."""
    return PatternInputs(link.prbs, link.code, link.typed)


def _responses(design: Design, listener: Listener) -> tuple[Response, ...]:
    if listener.response is None:
        return ()
    content = content_of(design.device_file(listener.response))
    every = read_responses(content.read(), content.name)
    wanted = listener.response_setting
    if wanted is None:
        return every
    if wanted > len(every):
        raise InputError(f"{content.name} has no setting {wanted}", remedy=f"It has {len(every)}.")
    return (every[wanted - 1],)


def _clock(listener: Listener) -> ClockRecovery | None:
    if listener.clock == "ideal" or listener.clock_bandwidth is None:
        return None
    order = 1 if listener.clock == "first" else 2
    return ClockRecovery(order, listener.clock_bandwidth.si, listener.clock_damping)


def _linear(db: float) -> float:
    return float(10.0 ** (db / 20.0))


def _equalisers(design: Design, link: Link) -> ChainInputs:
    sender, listener = link.sender, link.listener
    given = _linear(listener.gain.si) if listener.gain is not None else 1.0
    continuous = bool(listener.gains) or listener.gain is not None
    chain = Chain(
        taps=sender.taps or (1.0,),
        main=sender.main if sender.taps else 0,
        gain=given,
        zero=listener.zero.si if continuous and listener.zero is not None else 0.0,
        poles=tuple(p.si for p in listener.poles) if continuous else (),
        receive_taps=listener.taps or (1.0,),
        receive_main=listener.main if listener.taps else 0,
        decisions=listener.decisions,
        limit=listener.limit.si,
        gain_to=listener.gain_to.si if listener.gain_to is not None else 0.0,
    )
    gains = () if listener.gain is not None else tuple(_linear(g.si) for g in listener.gains)
    responses = _responses(design, listener)
    if len(responses) == 1:
        chain, responses = replace(chain, response=responses[0]), ()
    return ChainInputs(chain, gains, sender.setting == "best", responses)


def _jitter(link: Link, unit: float) -> Jitter:
    sender = link.sender
    return Jitter(
        sender.random.si * unit,
        sender.bounded.si * unit,
        sender.sine.si * unit,
        sender.duty.si * unit,
    )


def eye_inputs(design: Design, link: Link) -> EyeInputs:
    """Slice for the eye of a link bit by bit."""
    channel = channel_inputs(design, link)
    return EyeInputs(
        channel=channel,
        equalisers=_equalisers(design, link),
        pattern=pattern_inputs(link),
        bits=link.bits,
        sampling=link.sampling,
        mask=mask_inputs(link),
        levels=link.levels,
        noise=link.listener.noise.si,
        jitter=_jitter(link, channel.unit_interval).effective,
    )


def link_inputs(design: Design, link: Link, *, fine: bool = True) -> LinkInputs:
    """Slice for the eye of a link at its error rate."""
    channel = channel_inputs(design, link)
    sender = link.sender
    return LinkInputs(
        channel=channel,
        equalisers=_equalisers(design, link),
        levels=link.levels,
        jitter=_jitter(link, channel.unit_interval),
        noise=link.listener.noise.si,
        error_rate=link.error_rate,
        sampling=link.sampling,
        mask=mask_inputs(link),
        fine=fine,
        sine_at=sender.sine_at.si if sender.sine_at is not None else None,
        clock=_clock(link.listener),
        offset=link.listener.offset.si,
        sensitivity=link.listener.sensitivity.si,
    )
