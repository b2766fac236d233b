"""Projects to begin with: empty, from a template, from a file."""

from __future__ import annotations

from pathlib import Path

from onda.project.build.stackup import Stackup
from onda.project.build.templates import template_build
from onda.project.model import Design, Project

__all__ = ["empty_project", "from_build_file", "from_template"]


def empty_project(name: str) -> Project:
    """A board of which nothing is known."""
    design = Design(materials=(), stackup=Stackup(layers=()), line_classes=(), paths=(), links=())
    return Project(name=name, design=design)


def from_template(name: str, layers: int, *, tail: bool = False) -> Project:
    """A board with a usual build, and nothing on it.

    Raises
    ------
    InputError : there is no such template
    """
    materials, stackup = template_build(layers, tail=tail)
    empty = empty_project(name)
    design = empty.design.model_copy(update={"materials": materials, "stackup": stackup})
    return empty.model_copy(update={"design": design})


def from_build_file(path: Path, name: str = "") -> tuple[Project, tuple[str, ...]]:
    """A board with the build of a file, and what is to be said of the reading.

    Raises
    ------
    InputError : with file, line and remedy
    """
    # Readers of files take their time to load.
    from onda.project.build.files import read_build

    taken = read_build(empty_project(name or path.stem), path)
    return taken.project, taken.remarks
