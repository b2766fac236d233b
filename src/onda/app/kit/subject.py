"""What is chosen in a stage, what is required of it, and how results are asked for."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any, Generic, TypeVar

from onda.app.kit.context import Context
from onda.app.kit.kept import Kept
from onda.errors import OndaError
from onda.project.edits import requirements_of
from onda.project.kind import Ref
from onda.project.kinds import KINDS, kind_of
from onda.project.model import Design, KeptState
from onda.project.requirements import Requirement
from onda.studies.core.judge import judge_of
from onda.studies.core.margin import Margin, margin_of, missing
from onda.studies.core.study import Study

__all__ = ["OneResult", "Subject"]

ResultT = TypeVar("ResultT")
KeptT = TypeVar("KeptT")


class Subject:
    """The object that is chosen in a stage.

    Results come by slot: while a slot's run is under way only the newest further wish waits.
    """

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        self.context = context
        self._stage, self._kinds = stage, kinds

    # ---- what is chosen

    @property
    def design(self) -> Design:
        """The present design."""
        return self.context.document.project.design

    @property
    def id(self) -> str:
        """Id of the chosen object, empty for none."""
        return self.context.selection.subject_of(self._stage)

    @property
    def element(self) -> str:
        """The chosen element of it, empty for none."""
        return self.context.selection.element_of(self._stage)

    def choose_element(self, element: str) -> None:
        """Choose an element of it."""
        self.context.selection.choose_element(element)

    @property
    def item(self) -> Any:
        """The chosen object, None where there is none."""
        return self.item_in(self.design)

    def item_in(self, design: Design) -> Any:
        """The same object in another design, None where it is not there."""
        chosen = self.id
        every = (item for key in self._kinds for item in KINDS[key].items(design))
        return next((item for item in every if item.id == chosen), None)

    @property
    def ref(self) -> Ref | None:
        """The chosen object by kind and id."""
        item = self.item
        return Ref(kind_of(item).key, item.id) if item is not None else None

    @property
    def requirements(self) -> tuple[Requirement, ...]:
        """What is required of it."""
        ref = self.ref
        return requirements_of(self.context.document.project, ref) if ref else ()

    @property
    def kept_states(self) -> tuple[KeptState, ...]:
        """Kept states to compare with."""
        return tuple(k for k in self.context.document.project.kept if k.shown)

    def named(self, kept: dict[str, KeptT]) -> list[Kept[KeptT]]:
        """Results by kept state, in the order and with the names of the states."""
        return [
            Kept(number, state.name, kept[state.id])
            for number, state in enumerate(self.kept_states, 1)
            if state.id in kept
        ]

    def kept_items(self) -> list[Any]:
        """The object as it was in each kept state that is shown and has it."""
        found = (self.item_in(k.design) for k in self.kept_states)
        return [item for item in found if item is not None]

    # ---- margins

    def margin(self, requirement: Requirement, result: Any, failure: str = "") -> Margin:
        """A requirement held against a result, or against why there is none."""
        if failure:
            return margin_of(requirement, missing(failure))
        judge = judge_of(requirement.kind)
        if not judge.reads(requirement, result):
            # Another study of its kind answers it; what the board knows of it holds here too.
            known = self.context.standing.of(requirement.ref)
            ours = (m for m in known if m.requirement == requirement.id)
            return next(ours, margin_of(requirement, None))
        return judge.margin(self.design, requirement, result)

    def kept_value(self, requirement: Requirement, design: Design, result: Any) -> float:
        """The value of a requirement's measure in a kept state."""
        judge = judge_of(requirement.kind)
        if not judge.reads(requirement, result):
            return math.nan
        return judge.measured(design, requirement, result).value

    # ---- asking

    def ask(
        self,
        slot: str,
        study: Study[Any, Any],
        inputs: Callable[[], Any],
        show: Callable[[Any], None],
        fail: Callable[[str], None],
        *,
        first: Callable[[], Any] | None = None,
    ) -> None:
        """Wish for a result; `inputs` may raise an `OndaError`, shown like a failed run.

        `first` makes the inputs of a quicker run, shown until the wanted one is there.
        """
        try:
            made = inputs()
            quick = first() if first is not None else None
        except OndaError as error:
            # What still runs is of a design that is none any more.
            self.context.desk.withdraw(f"{self._stage}-{slot}")
            fail(str(error))
            return
        urgent = self.context.document.in_gesture
        item = self.item
        words = f"{study.title}, {item.name}" if item is not None else study.title
        self.context.desk.request(
            f"{self._stage}-{slot}",
            study,
            made,
            show,
            fail,
            urgent=urgent,
            first=quick,
            words=words,
        )

    def ask_quick_first(
        self,
        slot: str,
        study: Study[Any, Any],
        inputs: Callable[[bool], Any],
        show: Callable[[Any], None],
        fail: Callable[[str], None],
    ) -> None:
        """Wish for a fine result; a quick one stands until it is there, and alone while dragged.

        `inputs(fine)` makes the study's inputs and may raise an `OndaError`.
        """
        if self.context.document.in_gesture:
            self.ask(slot, study, lambda: inputs(False), show, fail)
        else:
            self.ask(slot, study, lambda: inputs(True), show, fail, first=lambda: inputs(False))

    def ask_kept(
        self,
        study: Study[Any, Any],
        kept: dict[str, Any],
        inputs: Callable[[Design], Any],
        draw: Callable[[], None],
        *,
        slot: str = "",
    ) -> None:
        """Bring `kept`, results by kept state, in line with the states that are shown.

        `inputs` makes the study's inputs from a kept design, and returns None where the object in
        view is not in it. A kept state that cannot be computed is not compared with.
        """
        shown = {k.id: k.design for k in self.kept_states}
        gone = set(kept) - set(shown)
        for identifier in gone:
            del kept[identifier]
        if gone:
            draw()
        for identifier, design in shown.items():

            def show(result: Any, identifier: str = identifier) -> None:
                kept[identifier] = result
                draw()

            try:
                made = inputs(design)
            except OndaError:
                continue
            if made is not None:
                wish = partial(_same, made)
                self.ask(f"kept-{identifier}{slot}", study, wish, show, lambda _: None)


def _same(made: Any) -> Any:
    return made


class OneResult(Subject, Generic[ResultT]):
    """A chosen object that has one result: the last one, why there is none, and kept ones."""

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.result: ResultT | None = None
        self.failure = ""
        self.kept: dict[str, ResultT] = {}
        self.result_of = ""

    def turn_to(self, identifier: str) -> bool:
        """Forget the results of another object; whether there was another."""
        if self.result_of == identifier:
            return False
        self.result, self.failure = None, ""
        self.kept.clear()
        self.result_of = identifier
        return True
