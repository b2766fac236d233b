"""Edits of the tree: each takes a project and returns a new one, checked."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from onda.errors import InputError
from onda.project.limit_text import limits_of
from onda.project.model import (
    MEASURE_DIMENSIONS,
    Design,
    KeptState,
    LineClass,
    Link,
    Network,
    Path,
    Project,
    Requirement,
    SheetLine,
    ShieldedSection,
)
from onda.project.networks.network import needs_of
from onda.project.quantities import parse_quantity

__all__ = [
    "add_copy",
    "keep_state",
    "objects_of",
    "remove_object",
    "rename_kept",
    "rename_object",
    "replace_class",
    "replace_line_object",
    "replace_link",
    "replace_network",
    "replace_path",
    "require",
    "requirement_id",
    "restore_kept",
    "set_limit",
    "set_value",
    "show_kept",
    "with_design",
    "without_kept",
]

_Part = TypeVar("_Part", bound=BaseModel)
_Listed = TypeVar("_Listed", LineClass, Path, Link, Network)

_SHOWN_AT_MOST = 3


def set_value(part: _Part, **changes: Any) -> _Part:
    """A copy of a part with changed fields, validated as if it had been read from a file."""
    fields = {name: getattr(part, name) for name in type(part).model_fields}
    try:
        return type(part).model_validate(fields | changes)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(p) for p in first["loc"]) or None
        message = str(first["msg"]).removeprefix("Value error, ")
        raise InputError(message, where=where) from error


def _replaced(items: tuple[_Listed, ...], new: _Listed) -> tuple[_Listed, ...]:
    return tuple(new if item.id == new.id else item for item in items)


def with_design(project: Project, **changes: Any) -> Project:
    """A project whose design has changed parts; raise `InputError` where they do not fit."""
    return set_value(project, design=set_value(project.design, **changes))


def replace_class(project: Project, new: LineClass) -> Project:
    """Put a changed line class in the place of the one with the same id."""
    return with_design(project, line_classes=_replaced(project.design.line_classes, new))


def replace_path(project: Project, new: Path) -> Project:
    """Put a changed path in the place of the one with the same id."""
    return with_design(project, paths=_replaced(project.design.paths, new))


def replace_network(project: Project, new: Network) -> Project:
    """Put a changed network in the place of the one with the same id."""
    return with_design(project, networks=_replaced(project.design.networks, new))


def replace_link(project: Project, new: Link) -> Project:
    """Put a changed link in the place of the one with the same id."""
    return with_design(project, links=_replaced(project.design.links, new))


_LISTS: dict[str, tuple[str, ...]] = {
    "lines": ("line_classes", "shielded", "sheet_lines"),
    "paths": ("paths",),
    "networks": ("networks",),
    "eyes": ("links",),
}
"""Where the objects of a stage stand in the design."""
_Object = LineClass | ShieldedSection | SheetLine | Path | Network | Link


def objects_of(project: Project, stage: str) -> tuple[_Object, ...]:
    """The objects of a stage."""
    out: list[_Object] = []
    for name in _LISTS[stage]:
        out += getattr(project.design, name)
    return tuple(out)


def _list_of(project: Project, stage: str, identifier: str) -> str:
    """Name of the list that holds an object."""
    for name in _LISTS[stage]:
        if any(item.id == identifier for item in getattr(project.design, name)):
            return name
    raise InputError("there is nothing to start from", remedy="Open the demo for an example.")


def _with_objects(
    project: Project,
    name: str,
    items: tuple[Any, ...],
    requirements: tuple[Requirement, ...] | None = None,
) -> Project:
    design = set_value(project.design, **{name: items})
    kept = project.requirements if requirements is None else requirements
    return set_value(project, design=design, requirements=kept)


def add_copy(project: Project, stage: str, of: str) -> tuple[Project, str]:
    """Add a copy of an object with its requirements; return the project and the new id."""
    name = _list_of(project, stage, of)
    items = getattr(project.design, name)
    source = next(item for item in items if item.id == of)
    ids = {item.id for item in objects_of(project, stage)}
    new_id = next(f"{stage}-{n}" for n in range(1, 10_000) if f"{stage}-{n}" not in ids)
    new = set_value(source, id=new_id, name=f"{source.name} copy")
    wanted = tuple(
        set_value(r, id="-".join(filter(None, (r.measure, new_id, r.layer))), subject=new_id)
        for r in project.requirements
        if (r.stage, r.subject) == (stage, of)
    )
    changed = _with_objects(project, name, (*items, new), (*project.requirements, *wanted))
    return changed, new_id


def remove_object(project: Project, stage: str, identifier: str) -> Project:
    """Remove an object and its requirements; raise `InputError` while something uses it."""
    name = _list_of(project, stage, identifier)
    items = getattr(project.design, name)
    if len(objects_of(project, stage)) == 1:
        raise InputError("this is the last one", remedy="Add another first.")
    user = _user_of(project, stage, identifier)
    if user is not None:
        raise InputError(f"{user} uses it", remedy="Change or remove that first.")
    return _with_objects(
        project,
        name,
        tuple(item for item in items if item.id != identifier),
        tuple(r for r in project.requirements if (r.stage, r.subject) != (stage, identifier)),
    )


def _user_of(project: Project, stage: str, identifier: str) -> str | None:
    networks = project.design.networks
    if stage == "networks":
        return next((n.name for n in networks if identifier in needs_of(n)), None)
    if stage == "paths":
        users = [k.name for k in project.design.links if k.path == identifier]
        users += [n.name for n in networks if getattr(n.source, "path", "") == identifier]
        return next(iter(users), None)
    if stage == "lines":
        for network in networks:
            if getattr(network.source, "line_class", "") == identifier:
                return network.name
        for path in project.design.paths:
            used = {
                getattr(e, name, "") for e in path.all_elements for name in ("line_class", "line")
            }
            if identifier in used:
                return path.name
    return None


def rename_object(project: Project, stage: str, identifier: str, name: str) -> Project:
    """Give an object another name."""
    kept = _list_of(project, stage, identifier)
    items = tuple(
        set_value(item, name=name) if item.id == identifier else item
        for item in getattr(project.design, kept)
    )
    return _with_objects(project, kept, items)


def replace_line_object(project: Project, new: ShieldedSection | SheetLine) -> Project:
    """Put a changed shielded section or data-sheet line in the place of the one with its id."""
    kept = _list_of(project, "lines", new.id)
    items = tuple(new if x.id == new.id else x for x in getattr(project.design, kept))
    return _with_objects(project, kept, items)


def set_limit(project: Project, requirement: str, typed: str) -> Project:
    """Change the limit of a requirement from text: ``0.25 V``, or ``58 – 70 ohm`` for a range.

    A number without a unit takes that of the limit it replaces, or of the range's other end.
    """
    old = next(r for r in project.requirements if r.id == requirement)
    if old.ranges:
        raise InputError(
            "this limit runs over ranges of frequencies", remedy="Change it in the view Limits."
        )
    dimension = MEASURE_DIMENSIONS[old.measure]
    present = old.at_most or old.at_least
    unit = present.text.split(" ", 1)[-1] if present else None
    parts = [p.strip(" ≤≥") for p in re.split(r"–|\.\.+| to ", typed)]
    wanted = [name for name in ("at_least", "at_most") if getattr(old, name) is not None]
    if len(parts) != len(wanted):
        form = "two values, as in 58 – 70 ohm" if len(wanted) == 2 else "one value"
        raise InputError(f"{typed.strip()[:40]!r} does not fit this limit", remedy=f"Write {form}.")
    last = parse_quantity(parts[-1], dimension, unit)
    unit = last.text.split(" ", 1)[-1]
    values = [parse_quantity(p, dimension, unit) for p in parts[:-1]] + [last]
    new = set_value(old, **dict(zip(wanted, values, strict=True)))
    return set_value(
        project,
        requirements=tuple(new if r.id == requirement else r for r in project.requirements),
    )


def requirement_id(others: Iterable[Requirement], measure: str, subject: str) -> str:
    """An id that none of the others has."""
    taken = {r.id for r in others}
    base = f"{measure}-{subject}"[:56]
    names = (base, *(f"{base}-{n}" for n in range(2, 10_000)))
    return next(n for n in names if n not in taken)


def require(project: Project, stage: str, subject: str, measure: str, typed: str) -> Project:
    """Put a limit on a measure of an object, or change the one that is there.

    ``0.3 V`` and ``<= 0.3 V`` mean at most, ``>= 0.1 V`` at least, ``10 – 20 ps`` both; nothing
    takes the requirement away.

    Raises
    ------
    InputError : the text is no limit of that measure
    """
    present = next(
        (
            r
            for r in project.requirements
            if (r.stage, r.subject, r.measure) == (stage, subject, measure) and r.receiver is None
        ),
        None,
    )
    others = tuple(r for r in project.requirements if r is not present)
    ranges = present.ranges if present else ()
    if not typed.strip() and not ranges:
        return set_value(project, requirements=others)
    if not typed.strip():
        # What holds over ranges of frequencies stays.
        bare = set_value(present, at_least=None, at_most=None) if present else None
        kept = tuple(bare if r is present and bare else r for r in project.requirements)
        return set_value(project, requirements=kept)
    low, high = limits_of(measure, typed)
    limits = {name: q for name, q in (("at_least", low), ("at_most", high)) if q is not None}
    new = Requirement.model_validate(
        {
            "id": present.id if present else requirement_id(others, measure, subject),
            "stage": stage,
            "subject": subject,
            "measure": measure,
            "source": present.source if present else "typed",
            "ranges": ranges,
            **limits,
        }
    )
    if present is None:
        return set_value(project, requirements=(*others, new))
    changed = tuple(new if r is present else r for r in project.requirements)
    return set_value(project, requirements=changed)


def keep_state(project: Project, name: str, note: str = "") -> Project:
    """Keep the present design under a name and show it; at most three are shown at once."""
    number = 1 + max((int(k.id[1:]) for k in project.kept if k.id[1:].isdigit()), default=0)
    kept = KeptState(id=f"k{number}", name=name, note=note, design=project.design)
    return _limit_shown(set_value(project, kept=(*project.kept, kept)))


def _limit_shown(project: Project) -> Project:
    """Hide the oldest shown states beyond the number that can be told apart."""
    shown = [k.id for k in project.kept if k.shown]
    hide = set(shown[: max(0, len(shown) - _SHOWN_AT_MOST)])
    return _map_kept(project, lambda k: set_value(k, shown=False) if k.id in hide else k)


def _map_kept(project: Project, change: Callable[[KeptState], KeptState]) -> Project:
    return set_value(project, kept=tuple(change(k) for k in project.kept))


def show_kept(project: Project, identifier: str, shown: bool) -> Project:
    """Show or hide a kept state."""
    changed = _map_kept(project, lambda k: set_value(k, shown=shown) if k.id == identifier else k)
    return _limit_shown(changed)


def rename_kept(project: Project, identifier: str, name: str) -> Project:
    """Give a kept state another name."""
    return _map_kept(project, lambda k: set_value(k, name=name) if k.id == identifier else k)


def without_kept(project: Project, identifier: str) -> Project:
    """Delete a kept state."""
    return set_value(project, kept=tuple(k for k in project.kept if k.id != identifier))


def restore_kept(project: Project, identifier: str) -> Project:
    """Make a kept state's design the present one."""
    design: Design = next(k.design for k in project.kept if k.id == identifier)
    return set_value(project, design=design)
