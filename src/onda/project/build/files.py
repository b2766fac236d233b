"""Reading and writing the build of a project, by format."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from onda.errors import InputError
from onda.formats.build_table import BuildTable, layers_from_csv, layers_to_csv, rules_to_csv
from onda.formats.ipc2581.reader import read_ipc2581
from onda.formats.ipc2581.write import write_ipc2581
from onda.project.build.exchange import Taken, build_table, take_build
from onda.project.model import Project
from onda.project.store import write_atomically

__all__ = ["FORMATS", "BuildFormat", "read_build", "write_build"]


@dataclass(frozen=True, slots=True)
class BuildFormat:
    """A format that a build can be written in."""

    key: str
    title: str
    suffix: str


FORMATS = (
    BuildFormat("ipc2581-c", "IPC-2581 revision C", "xml"),
    BuildFormat("ipc2581-b", "IPC-2581 revision B", "xml"),
    BuildFormat("layers", "Layers as CSV", "csv"),
    BuildFormat("rules", "Layout rules as CSV", "csv"),
)


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise InputError(
            "there is no such file", file=str(path), remedy="Check the name and the folder."
        ) from error
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(path)) from error


def read_build(project: Project, path: Path) -> Taken:
    """A project with the build of a file: IPC-2581, or CSV layers by the suffix ``.csv``.

    Raises
    ------
    InputError : with file, line and remedy
    """
    data = _bytes_of(path)
    remarks: tuple[str, ...] = ()
    if path.suffix.lower() == ".csv":
        table = BuildTable(path.stem, layers_from_csv(data, file=path.name))
    else:
        found = read_ipc2581(data, file=path.name)
        table = found.build
        if found.left:
            remarks = (f"not part of the build: {', '.join(found.left[:8])}",)
    taken = take_build(project, table)
    return Taken(taken.project, (*remarks, *taken.remarks))


def write_build(
    project: Project,
    key: str,
    path: Path,
    reached: dict[tuple[str, str], float] | None = None,
) -> None:
    """Write the build; IPC-2581 onto an existing file keeps all that is not part of the build.

    Raises
    ------
    InputError : an unknown format, or the file cannot be written
    """
    table = build_table(project, reached)
    if key == "layers":
        data = layers_to_csv(table.layers)
    elif key == "rules":
        data = rules_to_csv(table.wishes)
    elif key in ("ipc2581-b", "ipc2581-c"):
        base = _bytes_of(path) if path.exists() and path.stat().st_size else None
        data = write_ipc2581(table, revision=key[-1].upper(), base=base, file=path.name)
    else:
        known = ", ".join(f.key for f in FORMATS)
        raise InputError(f"unknown format {key!r}", remedy=f"Use one of {known}.")
    write_atomically(path, data)
