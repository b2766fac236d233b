"""Edits of requirements: a limit typed, changed, taken away."""

from __future__ import annotations

from collections.abc import Iterable

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.limit_text import limits_of
from onda.project.measures import measure as measure_of
from onda.project.model import Project
from onda.project.requirements import Requirement

__all__ = ["require", "requirement_id", "set_limit"]


def set_limit(project: Project, requirement: str, typed: str) -> Project:
    """Change the limit of a requirement from text: ``0.25 V``, or ``58 – 70 ohm`` for a range.

    A number without a unit takes that of the limit it replaces, or of the range's other end.
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
    new = set_value(old, **dict(zip(wanted, values, strict=True)))
    return _with(project, old, new)


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


def require(project: Project, subject: str, measure: str, typed: str) -> Project:
    """Put a limit on a measure of an object, or change the one that is there.

    ``0.3 V`` and ``<= 0.3 V`` mean at most, ``>= 0.1 V`` at least, ``10 – 20 ps`` both; nothing
    takes the requirement away.

    Raises
    ------
    InputError : the text is no limit of that measure
    """
    ref = Ref(measure_of(measure).kind, subject)
    present = next(
        (
            r
            for r in project.requirements
            if r.ref == ref and r.measure == measure and r.receiver is None
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
            "kind": ref.kind,
            "subject": subject,
            "measure": measure,
            "source": present.source if present else "typed",
            "ranges": present.ranges if present else (),
            **limits,
        }
    )
    if present is None:
        return set_value(project, requirements=(*others, new))
    return _with(project, present, new)
