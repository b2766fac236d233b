"""Study `network_file`: read a file of S-parameters from disk and say what is in it."""

from __future__ import annotations

from dataclasses import dataclass

from onda.engine.networks.ports import suggest_order
from onda.studies.core.reading import ReadInputs, take
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import file_network

__all__ = ["NETWORK_READ", "FileSummary"]


@dataclass(frozen=True, slots=True)
class FileSummary:
    """What is in the file: `order` from 1, empty where it is as it comes."""

    name: str
    sha256: str
    ports: int
    points: int
    order: tuple[int, ...]


def _run(inputs: ReadInputs, control: Control) -> FileSummary:
    content = take(inputs)
    control.progress(0.3)
    file = file_network(content)
    natural = tuple(range(file.ports))
    found = suggest_order(file.frequency, file.data, natural) if file.ports <= 40 else None
    order = tuple(p + 1 for p in found) if found else ()
    return FileSummary(content.name, content.sha256, file.ports, len(file.frequency), order)


NETWORK_READ: Study[ReadInputs, FileSummary] = Study(
    "network_read", _run, FileSummary, keep_on_disk=False, title="File"
)
