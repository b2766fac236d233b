"""Files that the user points at: taken over in a run, never in the window's own thread."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from onda.errors import InputError
from onda.formats.plain_file import check_plain
from onda.project.files import LARGEST_BYTES, Content, keep

__all__ = ["ReadInputs", "read_inputs", "take"]


@dataclass(frozen=True, slots=True)
class ReadInputs:
    """A file by its path, its size and when it was changed last."""

    path: str
    size: int
    changed: int


def read_inputs(path: Path, largest: int = LARGEST_BYTES) -> ReadInputs:
    """Inputs for a file.

    Raises
    ------
    InputError : it is not there, or is too large to be read
    """
    try:
        found = path.stat()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=path.name) from error
    if found.st_size > largest:
        raise InputError(
            f"is {found.st_size / 1e9:.2f} GB; reading it would take about "
            f"{2.5 * found.st_size / 1e9:.1f} GB of memory",
            file=path.name,
            remedy=f"Up to {largest / 1e9:.1f} GB is read; take less of it.",
        )
    return ReadInputs(str(path), found.st_size, found.st_mtime_ns)


def take(inputs: ReadInputs) -> Content:
    """Put a file's content into the store; raise `InputError` where it cannot be read."""
    path = Path(inputs.path)
    check_plain(path)
    try:
        data = path.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=path.name) from error
    return Content(path.name, keep(data), str(path))
