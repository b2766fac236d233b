"""Edits of executable models at the ends of links."""

from __future__ import annotations

from typing import Literal

from onda.project.base import fresh_id, set_value
from onda.project.edits import replace_object, with_design
from onda.project.file_reference import DeviceFile
from onda.project.links.executable import ExecutableModel
from onda.project.links.link import Link
from onda.project.model import Project

__all__ = ["End", "model_of", "put_model", "with_model"]

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
    known = list(project.design.device_files)
    ids = []
    for name, sha256 in (parameters, library):
        same = next((f for f in known if f.sha256 == sha256), None)
        if same is None:
            path, taken = f"models/{name}", {f.path for f in known}
            stem, dot, ending = name.rpartition(".")
            k = 2
            while path in taken:
                path, k = f"models/{stem}-{k}{dot}{ending}", k + 1
            same = DeviceFile(
                id=fresh_id(name, {f.id for f in known}, "model"), path=path, sha256=sha256
            )
            known.append(same)
        ids.append(same.id)
    project = with_design(project, device_files=tuple(known))
    model = ExecutableModel(parameters=ids[0], library=ids[1])
    return replace_object(project, with_model(link, end, model))
