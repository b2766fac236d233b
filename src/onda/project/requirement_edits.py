"""Edits of requirements: a limit typed, changed, taken away."""

from __future__ import annotations

from collections.abc import Iterable

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.kinds import KINDS
from onda.project.limit_text import limits_of, said_side
from onda.project.measures import measure as measure_of
from onda.project.model import Project
from onda.project.quantities import Quantity, quantity
from onda.project.requirements import Requirement

__all__ = ["around_target", "drop_requirement", "require", "requirement_id", "set_limit"]


def set_limit(project: Project, requirement: str, typed: str) -> Project:
    """Change the limit of a requirement from text: ``0.25 V``, or ``58 – 70 ohm`` for a range.

    A number without a unit takes that of the limit it replaces, or of the range's other end; one
    without a sign stays on the side of that limit.
    """
    old = next(r for r in project.requirements if r.id == requirement)
    if old.ranges:
        raise InputError(
            "this limit runs over ranges of frequencies", remedy="Change it in the view Limits."
        )
    present = old.at_most or old.at_least
    wanted = [name for name in ("at_least", "at_most") if getattr(old, name) is not None]
    found = limits_of(old.measure, typed, present.unit if present else None)
    values = [q for q in found if q is not None]
    if len(values) != len(wanted):
        form = "two values, as in 58 – 70 ohm" if len(wanted) == 2 else "one value"
        raise InputError(f"{typed.strip()[:40]!r} does not fit this limit", remedy=f"Write {form}.")
    if len(wanted) == 1 and said_side(typed):
        low, high = found
        return _with(project, old, set_value(old, at_least=low, at_most=high))
    new = set_value(old, **dict(zip(wanted, values, strict=True)))
    return _with(project, old, new)


def _place(requirement: Requirement, field: str) -> str | None:
    found: str | None = getattr(requirement, field) if field else None
    return found


def drop_requirement(project: Project, requirement: str) -> Project:
    """Take a requirement away."""
    kept = tuple(r for r in project.requirements if r.id != requirement)
    return set_value(project, requirements=kept)


def around_target(project: Project, ref: Ref, measure: str, old: float, new: Quantity) -> Project:
    """Limits of an object that lay evenly around an old target, moved to a new one."""
    changed = []
    for r in project.requirements:
        if r.ref == ref and r.measure == measure and _is_around(r, old):
            share = r.at_most.si / old - 1.0 if r.at_most else 0.0
            low, high = (quantity(new.si * f, "resistance", "ohm") for f in (1 - share, 1 + share))
            source = f"target {new.text} within {100 * share:.3g} %"
            r = set_value(r, at_least=low, at_most=high, source=source)
        changed.append(r)
    return set_value(project, requirements=tuple(changed))


def _is_around(requirement: Requirement, target: float) -> bool:
    low, high = requirement.at_least, requirement.at_most
    if low is None or high is None:
        return False
    return abs(0.5 * (low.si + high.si) - target) < 0.01 * target


def _with(project: Project, old: Requirement, new: Requirement) -> Project:
    return set_value(
        project, requirements=tuple(new if r is old else r for r in project.requirements)
    )


def requirement_id(others: Iterable[Requirement], measure: str, subject: str) -> str:
    """An id that none of the others has."""
    taken = {r.id for r in others}
    base = f"{measure}-{subject}"[:56]
    names = (base, *(f"{base}-{n}" for n in range(2, 10_000)))
    return next(n for n in names if n not in taken)


def require(
    project: Project,
    subject: str,
    measure: str,
    typed: str,
    *,
    place: str = "",
    source: str = "",
) -> Project:
    """Put a limit on a measure of an object, or change the one that is there.

    `place` is the layer or the receiver where it holds, as the kind of the object says; `source`
    is where the limit comes from.

    ``0.3 V`` and ``<= 0.3 V`` mean at most, ``>= 0.1 V`` at least, ``10 – 20 ps`` both; nothing
    takes the requirement away.

    Raises
    ------
    InputError : the text is no limit of that measure
    """
    ref = Ref(measure_of(measure).kind, subject)
    field = KINDS[ref.kind].place
    where = {field: place} if field and place else {}
    present = next(
        (
            r
            for r in project.requirements
            if r.ref == ref and r.measure == measure and _place(r, field) == (place or None)
        ),
        None,
    )
    others = tuple(r for r in project.requirements if r is not present)
    if not typed.strip():
        if present is None or not present.ranges:
            return set_value(project, requirements=others)
        # What holds over ranges of frequencies stays.
        return _with(project, present, set_value(present, at_least=None, at_most=None))
    low, high = limits_of(measure, typed)
    limits = {name: q for name, q in (("at_least", low), ("at_most", high)) if q is not None}
    new = Requirement.model_validate(
        {
            "id": present.id if present else requirement_id(others, measure, subject),
            **where,
            "kind": ref.kind,
            "subject": subject,
            "measure": measure,
            "source": source or (present.source if present else "typed"),
            "ranges": present.ranges if present else (),
            **limits,
        }
    )
    if present is None:
        return set_value(project, requirements=(*others, new))
    return _with(project, present, new)
