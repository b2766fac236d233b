"""What a study is: a named pure function of a frozen slice, whole or in cases."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from onda.studies.core.result_types import types_in

__all__ = ["Case", "Control", "Inputs", "Study", "compute"]

Inputs = TypeVar("Inputs")
Result = TypeVar("Result")


class Control:
    """How a run tells its progress and learns that it is not wanted any more."""

    def progress(self, share: float) -> None:
        """Tell the share done, 0..1; raises `Cancelled` where the run was stopped."""

    def partial(self, result: object) -> None:
        """Hand on a result that is not complete yet; it is shown, and never kept."""


@dataclass(frozen=True, slots=True)
class Case:
    """A part of a study: another study and its inputs."""

    study: Study[Any, Any]
    inputs: Any


@dataclass(frozen=True, slots=True)
class Study(Generic[Inputs, Result]):
    """A named pure function of a frozen slice.

    Attributes
    ----------
    name : part of the key of every result
    run : the function; module-level, so that it can run in another process
    result_type : what it returns; a dataclass of arrays, plain values and other dataclasses
    title : in the user's words
    keep_on_disk : whether results outlive the process
    split : for a study made of cases: these, each run and kept by itself
    gather : puts the results of the cases, in their order, together; None stands for one that is
        not there yet, where the gathered is shown before it is complete
    """

    name: str
    run: Callable[[Inputs, Control], Result]
    result_type: type
    title: str = "Run"
    keep_on_disk: bool = True
    split: Callable[[Inputs], Sequence[Case]] | None = None
    gather: Callable[[Inputs, Sequence[Any]], Result] | None = None

    @property
    def result_types(self) -> tuple[type, ...]:
        """Every dataclass that a result is made of."""
        return types_in(self.result_type)

    def __repr__(self) -> str:
        return f"<study {self.name}>"


def compute(study: Study[Inputs, Result], inputs: Inputs, control: Control) -> Result:
    """Run a study here and now, with all its cases, and keep nothing."""
    if study.split is None or study.gather is None:
        return study.run(inputs, control)
    cases = study.split(inputs)
    found = []
    for k, case in enumerate(cases):
        control.progress(k / len(cases))
        found.append(compute(case.study, case.inputs, Control()))
    return study.gather(inputs, found)
