"""What every command does alike: open a project, pick an object, run studies, print JSON."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, TypeVar

import typer

from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.model import Project
    from onda.studies.core.runner import StudyRunner

__all__ = [
    "EXIT_BAD_INPUT",
    "EXIT_FAILS",
    "FileArgument",
    "JobsOption",
    "JsonOption",
    "ReportOption",
    "SchedulerOption",
    "console",
    "name_and_values",
    "number",
    "open_project",
    "pick",
    "print_json",
    "progress_bar",
    "read_bytes",
    "read_text",
    "running",
    "write_file",
]

EXIT_FAILS, EXIT_BAD_INPUT = 1, 2
FileArgument = Annotated[Path, typer.Argument(help="Project file, name.onda.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON instead of text.")]
ReportOption = Annotated[
    Path | None, typer.Option("--report", help="Write a report with pictures into this folder.")
]
JobsOption = Annotated[int | None, typer.Option("--jobs", help="Run in so many processes.")]
SchedulerOption = Annotated[
    str, typer.Option("--scheduler", help="Run on this dask scheduler, as tcp://host:8786.")
]
_Item = TypeVar("_Item")


def open_project(file: Path) -> Project:
    """Read a project file."""
    from onda.project.store import load_project

    return load_project(file)


def pick(items: Sequence[_Item], name: str, what: str, *, file: Path | None = None) -> _Item:
    """The object of that id or name, the first one where none is named.

    Raises
    ------
    InputError : there is none
    """
    if items and not name:
        return items[0]
    for item in items:
        if name in (item.id, item.name):  # type: ignore[attr-defined]
            return item
    ids = ", ".join(item.id for item in items)  # type: ignore[attr-defined]
    remedy = f"It has: {ids}." if ids else "It has none."
    words = f"there is no {what} {name!r}" if name else f"there is no {what} in it"
    raise InputError(words, file=str(file) if file else None, remedy=remedy)


@contextmanager
def running(jobs: int | None = None, scheduler: str = "") -> Iterator[StudyRunner]:
    """A runner: here on all cores, in processes, or on a cluster; its workers end with the block.

    Raises
    ------
    InputError : both are named, or what is named cannot be had
    """
    from onda.studies.core.cache import ResultCache
    from onda.studies.core.executors import cluster, processes, threads
    from onda.studies.core.runner import StudyRunner

    if jobs is not None and scheduler:
        raise InputError("--jobs and --scheduler exclude each other", remedy="Use one of them.")
    place = threads()
    if scheduler:
        place = cluster(scheduler)
    elif jobs is not None:
        place = processes(jobs)
    cache = ResultCache()
    runner = StudyRunner(place, cache)
    try:
        yield runner
    finally:
        runner.close()
        cache.trim()


def print_json(data: object) -> None:
    """Strict JSON on one line: a number that is none becomes null."""
    typer.echo(json.dumps(_plain(data), allow_nan=False))


def _plain(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(v) for v in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def progress_bar() -> Callable[[int, int, str], None] | None:
    """A progress line on a terminal, nothing elsewhere."""
    if not sys.stderr.isatty():
        return None

    def tell(done: int, of: int, what: str) -> None:
        end = "\r" if done < of else "\r\033[K"
        sys.stderr.write(f"\r\033[K{done}/{of} {what}{end}")
        sys.stderr.flush()

    return tell


def console(width: int) -> Any:
    """A console for tables, so wide where it is not a terminal."""
    from rich.console import Console

    return Console(width=None if sys.stdout.isatty() else width)


def read_bytes(file: Path) -> bytes:
    """Content of a file; raise `InputError` where it cannot be read."""
    from onda.formats.plain_file import check_plain

    check_plain(file)
    try:
        return file.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(file)) from error


def read_text(file: Path) -> str:
    """Text of a file; raise `InputError` where it cannot be read."""
    try:
        return read_bytes(file).decode("utf-8")
    except UnicodeDecodeError as error:
        raise InputError(f"cannot be read ({error})", file=str(file)) from error


def write_file(file: Path, content: bytes | list[str]) -> None:
    """Write a file whole or not at all; a list is its lines."""
    from onda.project.writing import write_atomically

    data = content if isinstance(content, bytes) else ("\n".join(content) + "\n").encode()
    write_atomically(file, data)


def name_and_values(typed: str, examples: str) -> tuple[str, list[float]]:
    """A sweep as it is typed: ``NAME`` or ``NAME:VALUE,VALUE``; raise `InputError` else."""
    name, _, rest = typed.partition(":")
    try:
        return name.strip(), [float(v) for v in rest.split(",") if v.strip()]
    except ValueError:
        raise InputError(f"--sweep {typed}", remedy=f"As in {examples}.") from None


def number(value: float) -> float | None:
    """A number as JSON can have it."""
    return value if math.isfinite(value) else None
