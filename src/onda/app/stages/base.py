"""What every stage is: a work surface, an inspector, and the margins of what is on screen."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.app.selection import Selection
from onda.app.shell.fields import label
from onda.app.shell.rows import Row
from onda.app.standing import Standing
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.edits import add_copy, remove_object, rename_object
from onda.project.model import Design, KeptState
from onda.studies.core.margin import Margin, Measured, margin_of
from onda.studies.core.study import Study, key_of

__all__ = ["Context", "OneResultStage", "Stage", "Surface", "scrolled"]

ResultT = TypeVar("ResultT")


@dataclass(frozen=True)
class Context:
    """The models that every stage works with."""

    look: Look
    document: Document
    selection: Selection
    desk: JobDesk
    standing: Standing


class Surface(QWidget):
    """A work surface: title, remark, buttons, then the content; a line where something is wrong."""

    def __init__(self) -> None:
        super().__init__()
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(16, 10, 14, 8)
        self.body.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(10)
        self.title = label("", "title")
        self.remark = label("", "secondary")
        head.addWidget(self.title)
        head.addWidget(self.remark, 1)
        self.buttons = QHBoxLayout()
        self.buttons.setSpacing(6)
        head.addLayout(self.buttons)
        self.body.addLayout(head)
        self.problem: QLabel = label("", "error", wrap=True)
        self.problem.hide()
        self.body.addWidget(self.problem)

    def add_button(
        self, title: str, act: Callable[[], None], *, primary: bool = False, tip: str = ""
    ) -> QPushButton:
        """A button at the right of the title."""
        button = QPushButton(title)
        if primary:
            button.setObjectName("primary")
        button.setToolTip(tip)
        button.clicked.connect(lambda: act())
        self.buttons.addWidget(button)
        return button

    def tell(self, problem: str) -> None:
        """Say what is wrong, or nothing."""
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))


def scrolled(content: QWidget) -> QScrollArea:
    """A vertical scroll area without a frame."""
    area = QScrollArea()
    area.setWidget(content)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area


class Stage(QObject):
    """Base of the stages.

    Signals
    -------
    margins_changed : the margins of what is on screen are others
    keep_wanted : the Keep state button was pressed
    """

    margins_changed = pyqtSignal()
    keep_wanted = pyqtSignal()
    id = ""
    add_title = ""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context = context
        self.surface = Surface()
        self.inspector = QWidget()
        self._wishes: dict[str, object] = {}
        context.document.changed.connect(self._on_changed)
        context.document.settled.connect(self._refresh_if_active)
        context.selection.subject_changed.connect(lambda _: self._refresh_if_active())
        context.selection.element_changed.connect(lambda _: self._refresh_if_active())
        context.look.changed.connect(self._refresh_if_active)

    @property
    def active(self) -> bool:
        """Whether this stage is in view."""
        return self.context.selection.stage == self.id

    @property
    def design(self) -> Design:
        """The present design."""
        return self.context.document.project.design

    @property
    def shown_kept(self) -> tuple[KeptState, ...]:
        """Kept states to compare with."""
        return tuple(k for k in self.context.document.project.kept if k.shown)

    def _on_changed(self) -> None:
        # Outside a gesture every change is followed by `settled`; once is enough.
        if self.context.document.in_gesture:
            self._refresh_if_active()

    def _refresh_if_active(self) -> None:
        if self.active:
            self.refresh()

    def refresh(self) -> None:
        """Show the present tree and ask for what is missing."""
        raise NotImplementedError

    def rows(self) -> Sequence[Row]:
        """The objects of this stage."""
        raise NotImplementedError

    def parts(self) -> tuple[str, Sequence[Row], str]:
        """A second list below the objects: title, rows, chosen id; empty where there is none."""
        return "", (), ""

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        """Title, margins of what is on screen, values of kept states by requirement."""
        raise NotImplementedError

    def add_copy(self) -> None:
        """Add an object made from the present one, and choose it."""
        document, selection = self.context.document, self.context.selection
        project, new = add_copy(document.project, self.id, selection.subject_of(self.id))
        document.edit("Add copy", project)
        selection.choose(new, self.id)

    def remove(self, identifier: str) -> None:
        """Remove an object."""
        document = self.context.document
        document.edit("Remove", remove_object(document.project, self.id, identifier))

    def rename(self, identifier: str, name: str) -> None:
        """Give an object another name."""
        document = self.context.document
        document.edit("Rename", rename_object(document.project, self.id, identifier, name))

    def ask_kept(
        self,
        study: Study[Any, Any],
        kept: dict[str, Any],
        inputs: Callable[[Design], Any],
        draw: Callable[[], None],
    ) -> None:
        """Bring `kept`, results by kept state, in line with the states that are shown.

        `inputs` makes the study's inputs from a kept design, and returns None where the object in
        view is not in it.
        """
        shown = {k.id: k.design for k in self.shown_kept}
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
                # A kept state that cannot be computed is not compared with.
                continue
            if made is not None:
                self.ask(f"kept-{identifier}", study, lambda made=made: made, show, lambda _: None)  # type: ignore[misc]

    def ask(
        self,
        slot: str,
        study: Study[Any, Any],
        inputs: Callable[[], Any],
        show: Callable[[Any], None],
        fail: Callable[[str], None],
    ) -> None:
        """Wish for a result; `inputs` may raise an `OndaError`, shown like a failed run."""
        try:
            made = inputs()
        except OndaError as error:
            fail(str(error))
            return
        gesture = self.context.document.in_gesture
        self.context.desk.request(f"{self.id}-{slot}", study, made, show, fail, urgent=gesture)

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
        wish = self._wishes[slot] = object()
        if self.context.document.in_gesture:
            self.ask(slot, study, lambda: inputs(False), show, fail)
            return

        def fine(result: Any) -> None:
            # From here on the quick answer is not wanted any more.
            self._wishes.pop(slot, None)
            show(result)

        def quick(result: Any) -> None:
            if self._wishes.get(slot) is wish:
                show(result)

        if not self._is_known(study, inputs):
            self.ask(f"{slot}-quick", study, lambda: inputs(False), quick, lambda _: None)
        self.ask(slot, study, lambda: inputs(True), fine, fail)

    def _is_known(self, study: Study[Any, Any], inputs: Callable[[bool], Any]) -> bool:
        """Whether the fine answer is at hand, so that no quick one is needed."""
        try:
            key = key_of(study.name, inputs(True))
        except OndaError:
            return True
        return self.context.desk.runner.cache.get(key, study.result_types) is not None


class OneResultStage(Stage, Generic[ResultT]):
    """A stage whose object has one result: the last one, why there is none, and kept ones."""

    margins_title = ""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.result: ResultT | None = None
        self.failure = ""
        self.kept: dict[str, ResultT] = {}
        self._result_of = ""

    def read(self, result: ResultT, measure: str) -> Measured:
        """Read a measure off a result."""
        raise NotImplementedError

    def draw(self) -> None:
        """Draw the result and the kept ones."""
        raise NotImplementedError

    def turn_to(self, subject: str) -> None:
        """Forget the results of another object."""
        if self._result_of != subject:
            self.result, self.failure = None, ""
            self.kept.clear()
            self._result_of = subject

    def show_failure(self, message: str) -> None:
        """Say why there is no result; numbers of another design must not stand beside it."""
        self.surface.tell(message)
        self.result, self.failure = None, message
        self.margins_changed.emit()

    def show_result(self, result: ResultT) -> None:
        """Take a result over."""
        self.surface.tell("")
        self.result, self.failure = result, ""
        self.draw()
        if not self.context.document.in_gesture:
            self.context.standing.note()

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        subject = self.context.selection.subject_of(self.id)
        wanted = [
            r
            for r in self.context.document.project.requirements
            if (r.stage, r.subject) == (self.id, subject)
        ]
        shown = [margin_of(r, self._measured(r.measure)) for r in wanted]
        kept = {r.id: [self.read(k, r.measure).value for k in self.kept.values()] for r in wanted}
        return self.margins_title, shown, kept

    def _measured(self, measure: str) -> Measured | None:
        if self.failure:
            return Measured(math.nan, "", self.failure)
        return self.read(self.result, measure) if self.result is not None else None
