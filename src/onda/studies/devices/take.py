"""Study `take_file`: take a device file over from wherever the user found it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from onda.studies.core.reading import ReadInputs, read_inputs, take
from onda.studies.core.study import Control, Study

__all__ = ["TAKE_FILE", "TakenFile", "take_inputs"]

_LARGEST_BYTES = 256 * 1024 * 1024
"""Larger than any device file."""


@dataclass(frozen=True, slots=True)
class TakenFile:
    """The hash under which the content is found again."""

    sha256: str


def take_inputs(path: Path) -> ReadInputs:
    """Inputs for a file; raise `InputError` where it is none that can be taken."""
    return read_inputs(path, _LARGEST_BYTES)


def _run(inputs: ReadInputs, _: Control) -> TakenFile:
    return TakenFile(take(inputs).sha256)


TAKE_FILE: Study[ReadInputs, TakenFile] = Study(
    "take_file", _run, TakenFile, keep_on_disk=False, title="File"
)
