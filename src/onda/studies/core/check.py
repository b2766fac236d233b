"""Check a whole board: everything that is required of it."""

from __future__ import annotations

import logging
from collections.abc import Callable, Collection

from onda.errors import OndaError
from onda.project.model import Project
from onda.studies.core.judge import Book, margins_from
from onda.studies.core.margin import Margin
from onda.studies.core.runner import StudyRunner

__all__ = ["check_project"]

_log = logging.getLogger(__name__)


def check_project(
    project: Project,
    runner: StudyRunner,
    *,
    only: Collection[str] | None = None,
    progress: Callable[[int, int, str], None] | None = None,
) -> list[Margin]:
    """Run whatever is not known yet and hold everything against its requirement.

    Parameters
    ----------
    only : kinds of objects, to leave the others out
    progress : told (done, of, what)
    """
    wanted = tuple(r for r in project.requirements if only is None or r.kind in only)
    book = Book()
    todo = {need.key: need for need in book.needs(project.design, wanted)}
    results: dict[str, object] = {}
    problems: dict[str, str] = {}
    for done, (key, outcome) in enumerate(runner.all_of(todo.values()), start=1):
        if isinstance(outcome, OndaError):
            _log.warning("%s failed: %s", todo[key].study.name, outcome)
            problems[key] = str(outcome)
        else:
            results[key] = outcome
        if progress is not None:
            progress(done, len(todo), todo[key].study.name)
    return list(
        margins_from(project.design, wanted, results.get, book, lambda key: problems.get(key, ""))
    )
