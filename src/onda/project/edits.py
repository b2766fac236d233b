"""Edits of any object in the tree: each takes a project and returns a new one, checked.

What is special to a subject is in its own `edits`; limits are in `requirement_edits`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import lru_cache
from typing import Annotated, Any

from pydantic import TypeAdapter, ValidationError

from onda.errors import InputError
from onda.project.base import Frozen, as_input_error, set_value
from onda.project.kind import Kind, Ref
from onda.project.kinds import KINDS, check_design, find, kind_of, users_of
from onda.project.model import Design, KeptState, Project
from onda.project.requirements import Requirement

__all__ = [
    "add_copy",
    "keep_state",
    "objects_of",
    "remove_object",
    "rename_kept",
    "rename_object",
    "replace_object",
    "requirements_of",
    "restore_kept",
    "show_kept",
    "with_design",
    "without_kept",
]

_SHOWN_AT_MOST = 3


@lru_cache(maxsize=64)
def _reader(field: str) -> TypeAdapter[Any]:
    info = Design.model_fields[field]
    kind: Any = info.annotation
    for constraint in info.metadata:
        kind = Annotated[kind, constraint]
    return TypeAdapter(kind)


def change_design(design: Design, **changes: Any) -> Design:
    """A design with changed parts, of which only these and what refers to them are checked.

    Raises
    ------
    InputError : they do not fit the rest
    """
    try:
        read = {
            field: _reader(field).validate_python(value) if field in Design.model_fields else value
            for field, value in changes.items()
        }
    except ValidationError as error:
        raise as_input_error(error) from error
    new = design.model_copy(update=read)
    try:
        check_design(new, changes, design)
    except ValueError as error:
        raise InputError(str(error)) from error
    return new


def with_design(project: Project, **changes: Any) -> Project:
    """A project whose design has changed parts; raise `InputError` where they do not fit."""
    new = project.model_copy(update={"design": change_design(project.design, **changes)})
    if any(k.field in changes for k in KINDS.values()):
        _check_requirements(new, project)
    return new


def _check_requirements(new: Project, old: Project) -> None:
    """An object that is required something of must not have gone."""
    gone: set[Ref] = set()
    for kind in KINDS.values():
        before, after = kind.items(old.design), kind.items(new.design)
        if before is not after and len(after) <= len(before):
            gone |= {Ref(kind.key, x) for x in {x.id for x in before} - {x.id for x in after}}
    if gone and any(r.ref in gone for r in new.requirements):
        raise InputError("something is required of what would be gone", remedy="Remove it instead.")


def replace_object(project: Project, new: Frozen) -> Project:
    """Put a changed object in the place of the one of its kind with the same id."""
    kind = kind_of(new)
    return _listed(project, kind, lambda x: new if x.id == new.id else x)  # type: ignore[attr-defined]


def _listed(project: Project, kind: Kind, change: Callable[[Any], Any]) -> Project:
    items = tuple(change(item) for item in kind.items(project.design))
    return with_design(project, **{kind.field: items})


def objects_of(project: Project, kinds: Iterable[str]) -> tuple[Any, ...]:
    """The objects of some kinds."""
    return tuple(item for key in kinds for item in KINDS[key].items(project.design))


def requirements_of(project: Project, ref: Ref) -> tuple[Requirement, ...]:
    """What is required of an object."""
    return _by_ref(project.requirements).get(ref, ())


_known: tuple[tuple[Requirement, ...], dict[Ref, tuple[Requirement, ...]]] = ((), {})


def _by_ref(requirements: tuple[Requirement, ...]) -> dict[Ref, tuple[Requirement, ...]]:
    """Requirements by their object; an edit of the design leaves them the same tuple."""
    global _known
    of, found = _known
    if of is not requirements:
        lists: dict[Ref, list[Requirement]] = {}
        for requirement in requirements:
            lists.setdefault(requirement.ref, []).append(requirement)
        found = {ref: tuple(items) for ref, items in lists.items()}
        _known = requirements, found
    return found


def _space(kind: Kind) -> list[str]:
    """Kinds that share their ids with one."""
    return [k.key for k in KINDS.values() if k.space == kind.space]


def add_copy(project: Project, ref: Ref) -> tuple[Project, str]:
    """Add a copy of an object with its requirements; return the project and the new id."""
    if ref.kind not in KINDS or not ref.id:
        raise InputError("there is nothing to start from", remedy="Open the demo for an example.")
    source, kind = find(project.design, ref), KINDS[ref.kind]
    ids = {item.id for item in objects_of(project, _space(kind))}
    new_id = next(n for k in range(1, 10_000) if (n := f"{kind.space}-{k}") not in ids)
    new = set_value(source, id=new_id, name=f"{source.name} copy")
    wanted = tuple(
        set_value(r, id="-".join(filter(None, (r.measure, new_id, r.layer))), subject=new_id)
        for r in requirements_of(project, ref)
    )
    added = with_design(project, **{kind.field: (*kind.items(project.design), new)})
    return set_value(added, requirements=(*project.requirements, *wanted)), new_id


def remove_object(project: Project, ref: Ref) -> Project:
    """Remove an object and its requirements; raise `InputError` while something uses it."""
    find(project.design, ref)
    kind = KINDS[ref.kind]
    user = next(users_of(project.design, ref), None)
    if user is not None:
        raise InputError(f"{user.name} uses it", remedy="Change or remove that first.")
    free = set_value(project, requirements=tuple(r for r in project.requirements if r.ref != ref))
    items = tuple(item for item in kind.items(project.design) if item.id != ref.id)
    return with_design(free, **{kind.field: items})


def rename_object(project: Project, ref: Ref, name: str) -> Project:
    """Give an object another name."""
    return replace_object(project, set_value(find(project.design, ref), name=name))


def keep_state(project: Project, name: str, note: str = "") -> Project:
    """Keep the present design under a name and show it; at most three are shown at once."""
    number = 1 + max((int(k.id[1:]) for k in project.kept if k.id[1:].isdecimal()), default=0)
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
