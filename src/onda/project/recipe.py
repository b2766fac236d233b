"""How an object is made from a few decisions, each typed or chosen, without one to copy from."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from onda.errors import InputError
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["Answers", "Decision", "Option", "Recipe", "cook", "defaults", "named", "several"]

Answers = Mapping[str, str]
"""What was decided, as typed, by the key of the decision."""
Option = tuple[str, str]
"""A key to choose, and its words."""


def _empty(_: Project, __: Answers) -> str:
    return ""


def _no_options(_: Project, __: Answers) -> tuple[Option, ...]:
    return ()


def _always(_: Answers) -> bool:
    return True


@dataclass(frozen=True, slots=True)
class Decision:
    """One thing to decide.

    Attributes
    ----------
    way : text; quantity of `dimension`; choice of one option; choices of several, with commas
    default, options : from the project and what was decided before it
    asked : whether it matters, from what was decided
    optional : nothing is an answer too
    """

    key: str
    title: str
    help: str
    way: Literal["text", "quantity", "choice", "choices"] = "text"
    dimension: str = ""
    default: Callable[[Project, Answers], str] = _empty
    options: Callable[[Project, Answers], Iterable[Option]] = _no_options
    asked: Callable[[Answers], bool] = _always
    optional: bool = False

    def quantity(self, answers: Answers) -> Quantity:
        """The answer as a quantity.

        Raises
        ------
        InputError : it is none
        """
        try:
            return parse_quantity(answers[self.key], self.dimension)
        except InputError as error:
            raise InputError(f"{self.title}: {error.what}", remedy=error.remedy) from error


@dataclass(frozen=True, slots=True)
class Recipe:
    """A way to make an object of a kind.

    Attributes
    ----------
    kind : of what it makes; title, sentence : on its page
    make : a project with the new object, and which it is; may raise `InputError`
    lacks : a sentence and the kind that must be there first; None where all is there
    """

    kind: str
    title: str
    sentence: str
    decisions: tuple[Decision, ...]
    make: Callable[[Project, Answers], tuple[Project, Ref]]
    lacks: Callable[[Project], tuple[str, str] | None] = lambda _: None


def defaults(recipe: Recipe, project: Project, decided: Answers | None = None) -> dict[str, str]:
    """An answer to every decision: what was decided, else the default that follows from it."""
    given = dict(decided or {})
    out: dict[str, str] = {}
    for d in recipe.decisions:
        known = given.get(d.key)
        if d.way == "choice" and known is not None:
            # A choice that is not offered any more is none.
            known = known if known in {key for key, _ in d.options(project, out)} else None
        out[d.key] = d.default(project, out) if known is None else known
    return out


def cook(recipe: Recipe, project: Project, decided: Answers) -> tuple[Project, Ref]:
    """Make the object.

    Raises
    ------
    InputError : something is missing first, is not offered, or cannot be
    """
    lack = recipe.lacks(project)
    if lack is not None:
        raise InputError(lack[0])
    unknown = sorted(set(decided) - {d.key for d in recipe.decisions})
    if unknown:
        keys = ", ".join(d.key for d in recipe.decisions)
        raise InputError(
            f"nothing called {unknown[0]!r} is to be decided", remedy=f"One of {keys}."
        )
    answers = defaults(recipe, project, decided)
    for d in recipe.decisions:
        _check(d, project, answers, decided.get(d.key))
    return recipe.make(project, answers)


def _check(decision: Decision, project: Project, answers: Answers, given: str | None) -> None:
    if not decision.asked(answers):
        return
    answer = answers[decision.key].strip()
    if not answer:
        if not decision.optional:
            raise InputError(f"{decision.title} is missing", remedy=decision.help)
        return
    if decision.way == "quantity":
        decision.quantity(answers)
    elif decision.way in ("choice", "choices"):
        offered = [key for key, _ in decision.options(project, answers)]
        chosen = [given or answer] if decision.way == "choice" else several(answer)
        for key in chosen:
            if key not in offered:
                raise InputError(
                    f"{decision.title}: there is no {key!r}",
                    remedy=f"One of {', '.join(offered)}." if offered else "There is none yet.",
                )


def several(answer: str) -> list[str]:
    """Keys of an answer that names several."""
    return [key for key in (part.strip() for part in answer.split(",")) if key]


def named(title: str, field: str) -> Callable[[Project, Answers], str]:
    """Default of a name: the title with the next number that is free."""

    def default(project: Project, _: Answers) -> str:
        taken = {item.name for item in getattr(project.design, field)}
        return next(n for k in range(1, 10_000) if (n := f"{title} {k}") not in taken)

    return default
