"""What is not alike in two states of a project, by name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from onda.project.kinds import KINDS
from onda.project.model import Project

__all__ = ["differences"]


def differences(before: Project, after: Project) -> tuple[str, ...]:
    """Sentences without an end, as ``line Clock: width, gap`` or ``path CLK is new``."""
    return tuple(_differences(before, after))


def _differences(before: Project, after: Project) -> Iterator[str]:
    for field in ("name", "revision"):
        if getattr(before, field) != getattr(after, field):
            yield f"{field} {getattr(after, field) or 'none'}"
    if before.design != after.design:
        for kind in KINDS.values():
            olds, news = kind.items(before.design), kind.items(after.design)
            yield from _of_list(kind.title, olds, news)
        yield from _of_build(before, after)
    yield from _of_list("requirement", before.requirements, after.requirements)
    yield from _of_list("kept state", before.kept, after.kept)


def _of_build(before: Project, after: Project) -> Iterator[str]:
    """What of the build is in no list of a kind."""
    own = {k.field.split(".", 1)[1] for k in KINDS.values() if k.field.startswith("stackup.")}
    old, new = before.design.stackup, after.design.stackup
    fields = [f for f in _fields(old, new) if f not in own]
    if fields:
        yield f"build: {', '.join(fields)}"


def _of_list(title: str, olds: tuple[Any, ...], news: tuple[Any, ...]) -> Iterator[str]:
    if olds == news:
        return
    old, new = ({item.id: item for item in items} for items in (olds, news))
    for key in old.keys() | new.keys():
        name = _name(new.get(key) or old[key])
        if key not in old:
            yield f"{title} {name} is new"
        elif key not in new:
            yield f"{title} {name} is gone"
        elif old[key] != new[key]:
            yield f"{title} {name}: {', '.join(_fields(old[key], new[key]))}"


def _name(item: Any) -> str:
    return str(getattr(item, "name", "") or item.id)


def _fields(old: Any, new: Any) -> list[str]:
    """Fields that differ, in plain words."""
    if type(old) is not type(new):
        return ["another kind"]
    names = [n for n in type(new).model_fields if getattr(old, n) != getattr(new, n)]
    return [n.replace("_", " ") for n in names]
