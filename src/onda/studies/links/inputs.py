"""Slice of a design for a link: its channel, its rate, its equalisers and its mask."""

from __future__ import annotations

from dataclasses import dataclass, replace

from onda.engine.links.chain import Chain
from onda.engine.links.statistical import Jitter
from onda.project.files import Content, content_of
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
    "MaskInputs",
    "channel_inputs",
    "eye_inputs",
    "link_inputs",
    "mask_inputs",
]


@dataclass(frozen=True, slots=True)
class MaskInputs:
    """Whole widths in unit intervals and whole height in volts."""

    width: float
    flat: float
    height: float


@dataclass(frozen=True, slots=True)
class GroupLane:
    """A lane (from 0) of a group."""

    group: GroupInputs
    lane: int


@dataclass(frozen=True, slots=True)
class ChannelInputs:
    """What the symbols run over: one of a path, a lane of a network, a lane of a group, a pulse.

    `crosstalk` asks for what other lanes of the same network or group put into it; `sender` and
    `listener` are executable models at its ends.
    """

    path: PathInputs | None
    lane: LaneInputs | None
    group: GroupLane | None
    unit_interval: float
    crosstalk: bool
    sender: ModelInputs | None = None
    listener: ModelInputs | None = None
    pulse: Content | None = None

    @property
    def without_models(self) -> ChannelInputs:
        """The same without executable models."""
        return replace(self, sender=None, listener=None)


@dataclass(frozen=True, slots=True)
class ChainInputs:
    """Equalisers as they are wanted: `chain` as far as it is given; `gains` of the continuous one
    to choose from (0 to 1), `find_taps` to look for the transmit taps."""

    chain: Chain
    gains: tuple[float, ...] = ()
    find_taps: bool = False

    @property
    def is_bare(self) -> bool:
        """Whether there is no equaliser at all."""
        return self.chain == Chain() and not self.gains and not self.find_taps


@dataclass(frozen=True, slots=True)
class EyeInputs:
    """Everything an eye bit by bit depends on."""

    channel: ChannelInputs
    equalisers: ChainInputs
    prbs: int
    bits: int
    sampling: Sampling
    mask: MaskInputs | None
    two_levels: bool = True

    @property
    def unit_interval(self) -> float:
        """Seconds."""
        return self.channel.unit_interval


@dataclass(frozen=True, slots=True)
class LinkInputs:
    """Everything a statistical eye depends on; jitter in s, noise in V rms.

    `fine` False looks at fewer moments, while something is dragged; `compare` False leaves out the
    eyes without some equalisers.
    """

    channel: ChannelInputs
    equalisers: ChainInputs
    levels: tuple[float, ...]
    jitter: Jitter
    noise: float
    error_rate: float
    sampling: Sampling
    mask: MaskInputs | None
    fine: bool = True
    compare: bool = True


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
    )


def mask_inputs(link: Link) -> MaskInputs | None:
    """The mask of a link, None where it has none."""
    mask = link.mask
    return None if mask is None else MaskInputs(mask.width.si, mask.flat.si, mask.height.si)


def _linear(db: float) -> float:
    return float(10.0 ** (db / 20.0))


def _equalisers(link: Link) -> ChainInputs:
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
    )
    gains = () if listener.gain is not None else tuple(_linear(g.si) for g in listener.gains)
    return ChainInputs(chain, gains, sender.setting == "best")


def eye_inputs(design: Design, link: Link) -> EyeInputs:
    """Slice for the eye of a link bit by bit."""
    return EyeInputs(
        channel=channel_inputs(design, link),
        equalisers=_equalisers(link),
        prbs=link.prbs,
        bits=link.bits,
        sampling=link.sampling,
        mask=mask_inputs(link),
        two_levels=link.modulation == "nrz",
    )


def link_inputs(design: Design, link: Link, *, fine: bool = True) -> LinkInputs:
    """Slice for the eye of a link at its error rate."""
    channel = channel_inputs(design, link)
    unit, sender = channel.unit_interval, link.sender
    return LinkInputs(
        channel=channel,
        equalisers=_equalisers(link),
        levels=link.levels,
        jitter=Jitter(
            sender.random.si * unit,
            sender.bounded.si * unit,
            sender.sine.si * unit,
            sender.duty.si * unit,
        ),
        noise=link.listener.noise.si,
        error_rate=link.error_rate,
        sampling=link.sampling,
        mask=mask_inputs(link),
        fine=fine,
    )
