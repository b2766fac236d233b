"""Edits of links that take files in: executable models, pulses."""

from __future__ import annotations

from typing import Literal

from onda.project.base import fresh_id, set_value
from onda.project.edits import replace_object, with_design
from onda.project.file_reference import DeviceFile
from onda.project.links.executable import ExecutableModel
from onda.project.links.link import Link
from onda.project.links.recipe import over
from onda.project.model import Project

__all__ = ["End", "model_of", "put_model", "with_model", "with_pulse", "with_response"]

End = Literal["sender", "listener"]


def model_of(link: Link, end: End) -> ExecutableModel | None:
    """The model at an end."""
    found: ExecutableModel | None = getattr(link, end).model
    return found


def with_model(link: Link, end: End, model: ExecutableModel | None) -> Link:
    """Another model at an end, or none."""
    return set_value(link, **{end: set_value(getattr(link, end), model=model)})


def put_model(
    project: Project, link: Link, end: End, parameters: tuple[str, str], library: tuple[str, str]
) -> Project:
    """A model of two files, each by its name and SHA-256, at an end of a link."""
    project, first = _with_file(project, "models", *parameters)
    project, second = _with_file(project, "models", *library)
    model = ExecutableModel(parameters=first, library=second)
    return replace_object(project, with_model(link, end, model))


def with_pulse(project: Project, link: Link, name: str, sha256: str) -> Project:
    """A link over a pulse of a file by its name and SHA-256."""
    project, identifier = _with_file(project, "pulses", name, sha256)
    return replace_object(project, set_value(link, **over(f"pulse:{identifier}")))


def with_response(project: Project, link: Link, name: str, sha256: str) -> Project:
    """A link whose receiver goes by a measured response, a file by its name and SHA-256."""
    project, identifier = _with_file(project, "responses", name, sha256)
    listener = set_value(
        link.listener, response=identifier, response_setting=None, gains=(), gain=None
    )
    return replace_object(project, set_value(link, listener=listener))


def _with_file(project: Project, folder: str, name: str, sha256: str) -> tuple[Project, str]:
    """The project with a file, and its id; one of that content is not taken in twice."""
    known = project.design.device_files
    same = next((f for f in known if f.sha256 == sha256 and f.path.startswith(folder)), None)
    if same is not None:
        return project, same.id
    stem, dot, ending = name.rpartition(".")
    names = (f"{folder}/{name}", *(f"{folder}/{stem}-{k}{dot}{ending}" for k in range(2, 1000)))
    path = next(p for p in names if p not in {f.path for f in known})
    new = DeviceFile(id=fresh_id(name, {f.id for f in known}, "file"), path=path, sha256=sha256)
    return with_design(project, device_files=(*known, new)), new.id
