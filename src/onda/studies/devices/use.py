"""A model of a device file as a circuit needs it: its buffer and the package of its pin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.devices import Buffer
from onda.formats.ibis.buffers import buffer_of, package_matrices, pin_package
from onda.formats.ibis.model import IbisFile
from onda.formats.ibis.reader import read_ibis
from onda.project.files import Content, content_of
from onda.project.model import Design
from onda.project.paths.ends import ModelUse
from onda.studies.core.held import held

__all__ = ["CORNER_COLUMNS", "DeviceUse", "device_use", "models_in", "packaged", "used"]

FloatArray = NDArray[np.float64]


CORNER_COLUMNS = {"typ": "typ", "slow": "min", "fast": "max"}
"""Columns of a device file by the corners that are chosen."""


@dataclass(frozen=True, slots=True)
class DeviceUse:
    """A model of a file at a corner, on a pin where its package counts."""

    content: Content
    model: str
    component: str
    pin: str
    corner: str


def device_use(design: Design, use: ModelUse | None, corner: str) -> DeviceUse | None:
    """Slice for a use of a model; raise `InputError` where its file is nowhere."""
    if use is None:
        return None
    content = content_of(design.device_file(use.file))
    return DeviceUse(content, use.model, use.component, use.pin, corner)


@held(2**27)
def models_in(content: Content) -> IbisFile:
    """Models of a device file; raise `InputError` where it cannot be read."""
    return read_ibis(content.read(), content.name)


@held(2**24)
def packaged(use: DeviceUse, pins: tuple[str, ...]) -> tuple[FloatArray, FloatArray, FloatArray]:
    """R (n,) ohm, L (n, n) H and Maxwell C (n, n) F of the package of a use's pins."""
    return package_matrices(models_in(use.content), use.component, pins, use.corner)


@held(2**26)
def used(use: DeviceUse) -> tuple[Buffer, tuple[float, float, float] | None]:
    """Buffer and package (ohm, H, F) that a use means; raise `InputError` where there is none."""
    file = models_in(use.content)
    package = pin_package(file, use.component, use.pin, use.corner) if use.pin else None
    return buffer_of(file, use.model, use.corner), package
