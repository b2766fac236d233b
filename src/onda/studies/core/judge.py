"""From a requirement to the study that answers it: the one road to a margin.

`JUDGES` names for each kind of object where its judge is; it is loaded when it is first needed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from onda.errors import InputError, OndaError
from onda.project.kind import Objects
from onda.project.kinds import objects_in
from onda.project.measures import measure
from onda.project.model import Design
from onda.project.requirements import Requirement
from onda.studies.core.keys import key_of
from onda.studies.core.margin import Margin, Measured, margin_of, missing
from onda.studies.core.study import Study

__all__ = ["JUDGES", "Answer", "Book", "Found", "Judge", "Need", "judge_of", "margins_from"]


@dataclass(frozen=True, slots=True)
class Answer:
    """How one study answers requirements of a kind.

    Attributes
    ----------
    inputs : the study's slice, from a design and a requirement; may raise an `OndaError`
    follows : parts of the design that the slice is made from, each frozen, from its objects
    read : the measured value, from the design, the requirement and the study's result
    """

    study: Study[Any, Any]
    inputs: Callable[[Design, Requirement], Any]
    follows: Callable[[Objects, Requirement], Iterable[object]]
    read: Callable[[Design, Requirement, Any], Measured]


@dataclass(frozen=True, slots=True)
class Judge:
    """How requirements of a kind are judged: its answers by the name that measures give."""

    answers: Mapping[str, Answer]

    def answer(self, requirement: Requirement) -> Answer:
        """The answer to a requirement."""
        return self.answers[measure(requirement.measure).study]

    def reads(self, requirement: Requirement, result: object) -> bool:
        """Whether a result is of the study that answers a requirement."""
        return isinstance(result, self.answer(requirement).study.result_type)

    def measured(self, design: Design, requirement: Requirement, result: Any) -> Measured:
        """Read a requirement's measure off a result; what cannot be read is missing, and why."""
        try:
            return self.answer(requirement).read(design, requirement, result)
        except OndaError as error:
            return missing(str(error))

    def margin(
        self, design: Design, requirement: Requirement, result: Any, evidence: str = ""
    ) -> Margin:
        """A result held against a requirement."""
        return margin_of(requirement, self.measured(design, requirement, result), evidence)


JUDGES: dict[str, str | Judge] = {
    "line": "onda.studies.lines.judge",
    "path": "onda.studies.paths.judge",
    "group": "onda.studies.coupling.judge",
    "network": "onda.studies.networks.judge",
    "link": "onda.studies.links.judge",
    "bus": "onda.studies.buses.judge",
}
"""By kind: a judge, or the module whose `JUDGE` it is."""


def judge_of(kind: str) -> Judge:
    """The judge of a kind; raise `InputError` where nothing can be required of it."""
    found = JUDGES.get(kind)
    if found is None:
        raise InputError(f"nothing can be required of a {kind}")
    if isinstance(found, str):
        judge = import_module(found).JUDGE
        assert isinstance(judge, Judge)
        JUDGES[kind] = found = judge
    return found


@dataclass(frozen=True, slots=True)
class Need:
    """A study with its inputs and the key of its result."""

    study: Study[Any, Any]
    inputs: Any
    key: str


@dataclass(frozen=True, slots=True)
class Found:
    """What a requirement needs, or what stands in its way."""

    need: Need | None
    problem: str = ""

    @property
    def key(self) -> str:
        """Key of the result, empty where there can be none."""
        return self.need.key if self.need else ""


class Book:
    """Needs by object; an edit shares what it does not change, so that most of them stay known."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], tuple[tuple[object, ...], Found]] = {}
        self._design: Design | None = None
        self._seen: dict[int, tuple[Requirement, Found]] = {}

    def look(
        self, design: Design, requirement: Requirement, objects: Objects | None = None
    ) -> Found:
        """The need of a requirement in a design; `objects` are those of the design, if at hand."""
        if self._design is not design:
            self._design, self._seen = design, {}
        # The requirement is held, so that no other one has its number.
        _, seen = self._seen.get(id(requirement), (None, None))
        if seen is None:
            seen = self._looked_up(design, requirement, objects)
            self._seen[id(requirement)] = requirement, seen
        return seen

    def _looked_up(
        self, design: Design, requirement: Requirement, objects: Objects | None
    ) -> Found:
        answer = judge_of(requirement.kind).answer(requirement)
        about = (requirement.ref, requirement.layer, answer.study.name)
        parts = tuple(answer.follows(objects or objects_in(design), requirement))
        known = self._known.get(about)
        if known is not None and _same(known[0], parts):
            return known[1]
        try:
            inputs = answer.inputs(design, requirement)
            found = Found(Need(answer.study, inputs, key_of(answer.study.name, inputs)))
        except OndaError as error:
            found = Found(None, str(error))
        # The parts are held, so that none of them can be taken for another one made later.
        self._known[about] = parts, found
        return found

    def needs(self, design: Design, requirements: Iterable[Requirement]) -> Iterator[Need]:
        """All that has to be run for some requirements, each once; what cannot be is left out."""
        seen: set[str] = set()
        objects = objects_in(design)
        for requirement in requirements:
            need = self.look(design, requirement, objects).need
            if need is not None and need.key not in seen:
                seen.add(need.key)
                yield need


def _same(old: tuple[object, ...], new: tuple[object, ...]) -> bool:
    return len(old) == len(new) and all(a is b for a, b in zip(old, new, strict=True))


def margins_from(
    design: Design,
    requirements: Iterable[Requirement],
    result_of: Callable[[str], object | None],
    book: Book | None = None,
    problem_of: Callable[[str], str] = lambda _: "",
) -> Iterator[Margin]:
    """Margins of requirements; those whose result `result_of` does not know by key are unknown.

    Parameters
    ----------
    book : remembers what each requirement is judged by, from one call to the next
    problem_of : why there is no result under a key, where it was tried
    """
    book, objects = book or Book(), objects_in(design)
    for requirement in requirements:
        found = book.look(design, requirement, objects)
        measured = missing(found.problem) if found.problem else None
        if found.need is not None:
            result, problem = result_of(found.key), problem_of(found.key)
            if result is not None:
                judge = judge_of(requirement.kind)
                measured = judge.measured(design, requirement, result)
            elif problem:
                measured = Measured(math.nan, "", problem)
        yield margin_of(requirement, measured, found.key)
