"""Study `network_file`: read a file of S-parameters from disk and say what is in it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from onda.engine.networks.ports import suggest_order
from onda.errors import InputError
from onda.project.files import LARGEST_BYTES, keep
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import file_network

__all__ = ["NETWORK_READ", "FileSummary", "ReadInputs", "read_inputs"]


@dataclass(frozen=True, slots=True)
class ReadInputs:
    """A file by its path, its size and when it was changed last."""

    path: str
    size: int
    changed: int


@dataclass(frozen=True, slots=True)
class FileSummary:
    """What is in the file: `order` from 1, empty where it is as it comes."""

    name: str
    sha256: str
    ports: int
    points: int
    order: tuple[int, ...]


def read_inputs(path: Path) -> ReadInputs:
    """Inputs for a file.

    Raises
    ------
    InputError : it is not there, or is too large to be read
    """
    try:
        found = path.stat()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=path.name) from error
    if found.st_size > LARGEST_BYTES:
        raise InputError(
            f"is {found.st_size / 1e9:.2f} GB; reading it would take about "
            f"{2.5 * found.st_size / 1e9:.1f} GB of memory",
            file=path.name,
            remedy=f"Take fewer points or ports: up to {LARGEST_BYTES / 1e9:.1f} GB is read.",
        )
    return ReadInputs(str(path), found.st_size, found.st_mtime_ns)


def _run(inputs: ReadInputs, control: Control) -> FileSummary:
    path = Path(inputs.path)
    try:
        data = path.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=path.name) from error
    control.progress(0.3)
    sha256 = keep(data)
    file = file_network(path.name, sha256)
    natural = tuple(range(file.ports))
    found = suggest_order(file.frequency, file.data, natural) if file.ports <= 40 else None
    order = tuple(p + 1 for p in found) if found else ()
    return FileSummary(path.name, sha256, file.ports, len(file.frequency), order)


NETWORK_READ: Study[ReadInputs, FileSummary] = Study(
    "network_read", _run, (FileSummary,), keep_on_disk=False
)
