"""Paths: their pieces refer to classes, lines, layers and files."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Kind, Mention, Objects
from onda.project.paths.path import Path

__all__ = ["PATH_KINDS"]


def _refers(path: Path) -> Iterable[Mention]:
    for element in path.all_elements:
        for mention in element.refers():
            yield mention._replace(part=f"piece {element.id}")
    for use in path.models:
        yield Mention("file", use.file)


def _check(path: Path, objects: Objects) -> None:
    for element in path.all_elements:
        problem = element.problem(objects, path.lane)
        if problem:
            raise ValueError(f"path {path.id}, piece {element.id}: {problem}")


PATH_KINDS = (
    Kind(
        "path",
        "path",
        "paths",
        Path,
        refers=_refers,
        needs=("line", "sheet_line", "file", "layer", "group"),
        check=_check,
        space="paths",
        place="receiver",
        places=lambda p: (
            ("", "at the worst receiver"),
            *((key, f"at {r.name}") for key, r in p.receivers.items()),
        ),
    ),
)
