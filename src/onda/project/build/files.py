"""Reading and writing the build of a project, by format."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from onda.errors import InputError
from onda.formats.build_table import BuildTable, layers_from_csv, layers_to_csv, rules_to_csv
from onda.formats.ipc2581.reader import read_ipc2581
from onda.formats.ipc2581.write import write_ipc2581
from onda.formats.plain_file import check_plain
from onda.project.build.exchange import Taken, build_table, take_build
from onda.project.model import Project
from onda.project.writing import write_atomically

__all__ = ["FORMATS", "BuildFormat", "read_build", "write_build"]


_Reached = dict[tuple[str, str], float]


@dataclass(frozen=True, slots=True)
class BuildFormat:
    """A format that a build can be written in, and some read from.

    Attributes
    ----------
    write : the build, where it goes and the bytes that are there already, to bytes
    read : bytes and name to a build and what was not understood; None where it is only written
    """

    key: str
    title: str
    suffix: str
    write: Callable[[BuildTable, str, bytes | None], bytes]
    read: Callable[[bytes, str], tuple[BuildTable, tuple[str, ...]]] | None = None


def _read_ipc2581(data: bytes, name: str) -> tuple[BuildTable, tuple[str, ...]]:
    found = read_ipc2581(data, file=name)
    left = (f"not part of the build: {', '.join(found.left[:8])}",) if found.left else ()
    return found.build, left


def _write_ipc2581(revision: str) -> Callable[[BuildTable, str, bytes | None], bytes]:
    def write(table: BuildTable, name: str, base: bytes | None) -> bytes:
        return write_ipc2581(table, revision=revision, base=base, file=name)

    return write


def _read_layers(data: bytes, name: str) -> tuple[BuildTable, tuple[str, ...]]:
    return BuildTable(Path(name).stem, layers_from_csv(data, file=name)), ()


FORMATS: list[BuildFormat] = [
    BuildFormat("ipc2581-c", "IPC-2581 revision C", "xml", _write_ipc2581("C"), read=_read_ipc2581),
    BuildFormat("ipc2581-b", "IPC-2581 revision B", "xml", _write_ipc2581("B")),
    BuildFormat(
        "layers",
        "Layers as CSV",
        "csv",
        lambda table, _name, _base: layers_to_csv(table.layers),
        read=_read_layers,
    ),
    BuildFormat(
        "rules",
        "Layout rules as CSV",
        "csv",
        lambda table, _name, _base: rules_to_csv(table.wishes),
    ),
]
"""What can be read comes by its suffix; the first one reads what has another."""


def _bytes_of(path: Path) -> bytes:
    check_plain(path)
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise InputError(
            "there is no such file", file=str(path), remedy="Check the name and the folder."
        ) from error
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(path)) from error


def read_build(project: Project, path: Path) -> Taken:
    """A project with the build of a file, read by its suffix.

    Raises
    ------
    InputError : with file, line and remedy
    """
    data = _bytes_of(path)
    readers = [(f.suffix, f.read) for f in FORMATS if f.read is not None]
    by_suffix = dict(readers[::-1])
    read = by_suffix.get(path.suffix.lower().lstrip("."), readers[0][1])
    table, remarks = read(data, path.name)
    taken = take_build(project, table)
    return Taken(taken.project, (*remarks, *taken.remarks))


def write_build(
    project: Project,
    key: str,
    path: Path,
    reached: _Reached | None = None,
) -> None:
    """Write the build; IPC-2581 onto an existing file keeps all that is not part of the build.

    Raises
    ------
    InputError : an unknown format, or the file cannot be written
    """
    made = next((f for f in FORMATS if f.key == key), None)
    if made is None:
        known = ", ".join(f.key for f in FORMATS)
        raise InputError(f"unknown format {key!r}", remedy=f"Use one of {known}.")
    base = _bytes_of(path) if path.exists() and path.stat().st_size else None
    write_atomically(path, made.write(build_table(project, reached), path.name, base))
