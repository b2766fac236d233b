"""Slice of a design for an eye: its channel, its rate and its mask."""

from __future__ import annotations

from dataclasses import dataclass

from onda.project.links.link import Link, Sampling
from onda.project.model import Design
from onda.studies.links.network_channel import LaneInputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs

__all__ = ["EyeInputs", "MaskInputs", "eye_inputs"]


@dataclass(frozen=True, slots=True)
class MaskInputs:
    """Whole widths in unit intervals and whole height in volts."""

    width: float
    flat: float
    height: float


@dataclass(frozen=True, slots=True)
class EyeInputs:
    """Everything an eye depends on; over a path, or over a lane of a network."""

    path: PathInputs | None
    lane: LaneInputs | None
    unit_interval: float
    prbs: int
    bits: int
    sampling: Sampling
    mask: MaskInputs | None


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


def eye_inputs(design: Design, link: Link) -> EyeInputs:
    """Slice for a link."""
    mask = link.mask
    return EyeInputs(
        path=path_inputs(design, design.path(link.path)) if link.path is not None else None,
        lane=_lane_inputs(design, link),
        unit_interval=1.0 / link.rate.si,
        prbs=link.prbs,
        bits=link.bits,
        sampling=link.sampling,
        mask=None if mask is None else MaskInputs(mask.width.si, mask.flat.si, mask.height.si),
    )
