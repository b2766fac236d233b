"""Sets of limits for networks as JSON: made once, used by any network of any project."""

from __future__ import annotations

import json
from importlib import resources
from typing import Annotated, Literal

from pydantic import Field, ValidationError, field_validator

from onda.errors import InputError
from onda.project.base import Frozen, Name, Text, set_value
from onda.project.kind import Ref
from onda.project.limit_text import read_limits
from onda.project.measures import measures_of
from onda.project.model import Project
from onda.project.requirement_edits import requirement_id
from onda.project.requirements import LimitPiece, Requirement

__all__ = [
    "LimitSet",
    "SetLimit",
    "add_range",
    "apply_set",
    "change_range",
    "read_set",
    "set_from",
    "set_text",
    "shipped_sets",
]

_KIND = "network"


class SetLimit(Frozen):
    """One limit of a set; `at_least` and `at_most` as typed, in the unit of the measure."""

    measure: str
    at_least: Annotated[str, Field(max_length=40)] = ""
    at_most: Annotated[str, Field(max_length=40)] = ""
    ranges: Annotated[tuple[LimitPiece, ...], Field(max_length=60)] = ()
    source: Text = ""

    @field_validator("measure")
    @classmethod
    def _known(cls, value: str) -> str:
        if all(m.key != value for m in measures_of(_KIND)):
            keys = ", ".join(m.key for m in measures_of(_KIND))
            raise ValueError(
                f"there is no measure {value!r} of networks; it should be one of {keys}"
            )
        return value

    def on(self, identifier: str, subject: str, source: str = "") -> Requirement:
        """The limit as a requirement of a network; `source` where it names none."""
        low, high = read_limits(self.measure, self.at_least, self.at_most)
        return Requirement(
            id=identifier,
            kind=_KIND,
            subject=subject,
            measure=self.measure,
            at_least=low,
            at_most=high,
            ranges=self.ranges,
            source=self.source or source,
        )


class LimitSet(Frozen):
    """A set with its name and where it comes from."""

    kind: Literal["onda requirement set 1"] = "onda requirement set 1"
    name: Name
    note: Text = ""
    limits: Annotated[tuple[SetLimit, ...], Field(max_length=200)] = ()


def read_set(text: str, file: str | None = None) -> LimitSet:
    """Read a set; raise `InputError` where it is none or a limit cannot be understood."""
    try:
        found = LimitSet.model_validate_json(text)
        for limit in found.limits:
            if not (limit.at_least or limit.at_most or limit.ranges):
                raise InputError(f"{limit.measure} has no limit", remedy="Give it one, or none.")
            read_limits(limit.measure, limit.at_least, limit.at_most)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(p) for p in first["loc"]) or None
        message = str(first["msg"]).removeprefix("Value error, ")
        remedy = "A set begins as the empty template does."
        raise InputError(message, file=file, where=where, remedy=remedy) from error
    except InputError as error:
        raise InputError(error.what, file=file, remedy=error.remedy) from error
    return found


def set_text(limits: LimitSet) -> str:
    """Text of a set."""
    tree = limits.model_dump(mode="json", exclude_defaults=False)
    return json.dumps(tree, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def shipped_sets() -> list[LimitSet]:
    """Sets that ship with Onda."""
    folder = resources.files("onda.data") / "requirements"
    return [
        read_set(entry.read_text(encoding="utf-8"), entry.name)
        for entry in sorted(folder.iterdir(), key=lambda e: e.name)
        if entry.name.endswith(".json")
    ]


def set_from(project: Project, subject: str, name: str) -> LimitSet:
    """The limits of a network as a set."""
    return LimitSet(
        name=name,
        limits=tuple(
            SetLimit(
                measure=r.measure,
                at_least=r.at_least.text if r.at_least else "",
                at_most=r.at_most.text if r.at_most else "",
                ranges=r.ranges,
                source=r.source,
            )
            for r in project.requirements
            if r.ref == Ref(_KIND, subject)
        ),
    )


def apply_set(project: Project, subject: str, limits: LimitSet) -> Project:
    """Put a set's limits on a network; those that it had on the same measures give way."""
    named = {limit.measure for limit in limits.limits}
    others = tuple(
        r for r in project.requirements if r.ref != Ref(_KIND, subject) or r.measure not in named
    )
    made: list[Requirement] = []
    for limit in limits.limits:
        name = requirement_id((*others, *made), limit.measure, subject)
        made.append(limit.on(name, subject, limits.name))
    return set_value(project, requirements=(*others, *made))


def add_range(project: Project, subject: str, measure: str, new: LimitPiece) -> Project:
    """Put a range on a measure of a network, beside those that it has."""
    same = next(
        (r for r in project.requirements if r.ref == Ref(_KIND, subject) and r.measure == measure),
        None,
    )
    if same is not None:
        return change_range(project, same.id, len(same.ranges), new)
    made = Requirement.model_validate(
        {
            "id": requirement_id(project.requirements, measure, subject),
            "kind": _KIND,
            "subject": subject,
            "measure": measure,
            "ranges": (new,),
            "source": "typed",
        }
    )
    return set_value(project, requirements=(*project.requirements, made))


def change_range(project: Project, requirement: str, index: int, new: LimitPiece | None) -> Project:
    """Change, add (index beyond the last) or take away (None) a range of a limit.

    With its last range the requirement goes, unless it has a limit at all frequencies too.
    """
    old = next((r for r in project.requirements if r.id == requirement), None)
    if old is None:
        raise InputError(f"there is no limit {requirement!r}")
    ranges = list(old.ranges)
    ranges[index : index + 1] = [new] if new is not None else []
    ranges.sort(key=lambda r: r.start.si)
    rest = tuple(r for r in project.requirements if r is not old)
    if not ranges and old.at_least is None and old.at_most is None:
        return set_value(project, requirements=rest)
    changed = set_value(old, ranges=tuple(ranges))
    every = tuple(changed if r is old else r for r in project.requirements)
    return set_value(project, requirements=every)
