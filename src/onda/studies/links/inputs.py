"""Slice of a design for an eye: its path, its rate and its mask."""

from __future__ import annotations

from dataclasses import dataclass

from onda.project.links.link import Link
from onda.project.model import Design
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
    """Everything an eye depends on."""

    path: PathInputs
    unit_interval: float
    prbs: int
    bits: int
    mask: MaskInputs | None


def eye_inputs(design: Design, link: Link) -> EyeInputs:
    """Slice for a link."""
    mask = link.mask
    return EyeInputs(
        path=path_inputs(design, design.path(link.path)),
        unit_interval=1.0 / link.rate.si,
        prbs=link.prbs,
        bits=link.bits,
        mask=None if mask is None else MaskInputs(mask.width.si, mask.flat.si, mask.height.si),
    )
