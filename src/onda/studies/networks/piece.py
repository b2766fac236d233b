"""A two-port from a file as a block for circuits."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.arrival_fit import fit_arrivals
from onda.engine.networks.arrivals import ArrivalModel
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.quality import doubts, quality_of
from onda.errors import InputError
from onda.formats.network_files import read_network
from onda.formats.touchstone.reader import TouchstoneFile
from onda.formats.touchstone.write import write_touchstone
from onda.project.files import Content
from onda.studies.core.held import held
from onda.studies.core.study import Control, Study
from onda.studies.devices.device_file import DeviceFileInputs

__all__ = ["NETWORK_FILE", "NetworkSummary", "doubts_of_file", "piece_content", "piece_of_file"]


@held(2**26)
def _network(content: Content) -> TouchstoneFile:
    """A file, read once for its model and for what is wrong with it."""
    return read_network(content.read(), content.name)


@held(2**26)
def piece_of_file(content: Content, turned: bool) -> tuple[ArrivalModel, float, float]:
    """Model, its reference (ohm) and its delay (s) for a two-port file.

    Raises
    ------
    InputError : it cannot be read, or is no plain two-port of S-parameters on one reference
    """
    name, network = content.name, _network(content)
    if network.ports != 2:
        raise InputError(
            f"has {network.ports} ports", file=name, remedy="A piece of a path needs a two-port."
        )
    if network.parameter != "S" or network.mixed_mode:
        raise InputError("does not hold plain S-parameters", file=name)
    z = float(network.reference[0])
    if network.reference[1] != z:
        raise InputError("has a reference for each port", file=name, remedy="Renormalise it first.")
    s = network.data[:, ::-1, ::-1] if turned else network.data
    model = fit_arrivals(network.frequency, s)
    through = s[:, 1, 0]
    phase = np.unwrap(np.angle(through))
    slope = np.polyfit(network.frequency, phase, 1)[0]
    return model, z, max(-float(slope) / (2.0 * np.pi), 0.0)


@held(2**20)
def doubts_of_file(content: Content) -> tuple[str, ...]:
    """What is wrong with the data of a two-port file."""
    network = _network(content)
    return doubts(quality_of(network.frequency, network.data))


def piece_content(
    frequency: NDArray[np.float64], s: NDArray[np.complex128], reference: float, pair: bool
) -> bytes:
    """A two-port file of a network, left and right: of a pair its differential two-port.

    Raises
    ------
    InputError : it has more than one lane
    """
    if s.shape[-1] != (4 if pair else 2):
        raise InputError(
            f"the network has {s.shape[-1]} ports", remedy="A piece of a path has one lane."
        )
    matrix = mixed_mode(s, ((0, 1), (2, 3)))[:, :2, :2] if pair else s
    z = np.array([2.0 * reference if pair else reference])
    return write_touchstone(frequency, matrix, z, comments=("Two-port for a path, by Onda",))


@dataclass(frozen=True, slots=True)
class NetworkSummary:
    """Size and error of the model of a two-port, its reference (ohm) and delay (s)."""

    size: str
    error: float
    reference: float
    delay: float


def _run(inputs: DeviceFileInputs, control: Control) -> NetworkSummary:
    model, z, delay = piece_of_file(inputs.content, False)
    return NetworkSummary(model.size, model.error, z, delay)


NETWORK_FILE: Study[DeviceFileInputs, NetworkSummary] = Study(
    "network_file", _run, NetworkSummary, keep_on_disk=False, title="File"
)
