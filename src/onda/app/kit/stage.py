"""What every stage is: a work surface, an inspector, and the margins of what is on screen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Generic, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from onda.app.kit.context import Context
from onda.app.kit.editor import Editor
from onda.app.kit.subject import OneResult, Subject
from onda.app.kit.surface import Surface
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.project.edits import add_copy, remove_object, rename_object
from onda.project.kind import Ref
from onda.project.kinds import KINDS
from onda.project.model import Design, Project
from onda.studies.core.margin import Margin

__all__ = ["OneResultStage", "Stage"]

ResultT = TypeVar("ResultT")


class Stage(QObject):
    """Base of the stages.

    Signals
    -------
    margins_changed : the margins of what is on screen are others
    keep_wanted : the Keep state button was pressed
    """

    margins_changed = pyqtSignal()
    keep_wanted = pyqtSignal()
    add_title = ""
    live_margins = True
    """Whether its margins are shown while something is dragged."""
    subject_type: type[Subject] = Subject

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__()
        self.context, self.info = context, info
        self.surface = Surface()
        self.inspector = QWidget()
        self.editor = Editor(context.document, self.surface.tell)
        self.subject = self.subject_type(context, info.id, info.kinds)
        context.document.changed.connect(self._on_changed)
        context.document.settled.connect(self._refresh_if_active)
        context.selection.subject_changed.connect(lambda _: self._refresh_if_active())
        context.selection.element_changed.connect(lambda _: self._refresh_if_active())
        context.look.changed.connect(self._refresh_if_active)

    def add_keep_button(self) -> None:
        """The button that keeps the present state."""
        tip = "Keep this state to compare (K)"
        self.surface.add_button("Keep state", self.keep_wanted.emit, primary=True, tip=tip)

    @property
    def active(self) -> bool:
        """Whether this stage is in view."""
        return self.context.selection.stage == self.info.id

    @property
    def design(self) -> Design:
        """The present design."""
        return self.context.document.project.design

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

    def row_of(self, item: Any, detail: str, title: str = "") -> Row:
        """A row of an object: what is worst about it where something is, else a detail."""
        kind = next(k for k in self.info.kinds if isinstance(item, KINDS[k].model))
        standing, ref = self.context.standing, Ref(kind, item.id)
        bad = [m for m in standing.of(ref) if m.state.value in ("fails", "tight")]
        if bad:
            worst = min(bad, key=lambda m: m.normalised)
            detail = f"{worst.title.lower()} {worst.value_text}"
        return Row(item.id, title or item.name, detail, standing.state_of_object(ref))

    def parts(self) -> tuple[str, Sequence[Row], str]:
        """A second list below the objects: title, rows, chosen id; empty where there is none."""
        return "", (), ""

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        """Title, margins of what is on screen, values of kept states by requirement."""
        raise NotImplementedError

    def _ref(self, identifier: str) -> Ref:
        project = self.context.document.project
        for key in self.info.kinds:
            if any(x.id == identifier for x in KINDS[key].items(project.design)):
                return Ref(key, identifier)
        return Ref(self.info.kinds[0], identifier)

    def add_copy(self) -> None:
        """Add an object made from the present one, and choose it."""
        selection = self.context.selection
        project, new = add_copy(self.editor.project, self._ref(self.subject.id))
        self.editor.make("Add copy", project)
        selection.choose(new, self.info.id)

    def remove(self, identifier: str) -> None:
        """Remove an object."""
        self.editor.make("Remove", remove_object(self.editor.project, self._ref(identifier)))

    def rename(self, identifier: str, name: str) -> None:
        """Give an object another name."""
        ref = self._ref(identifier)
        self.editor.make("Rename", rename_object(self.editor.project, ref, name))

    @property
    def project(self) -> Project:
        """The present project."""
        return self.context.document.project


class OneResultStage(Stage, Generic[ResultT]):
    """A stage whose object has one result: the last one, why there is none, and kept ones."""

    margins_title = ""
    subject_type = OneResult
    subject: OneResult[ResultT]

    @property
    def result(self) -> ResultT | None:
        """The result that is shown."""
        return self.subject.result

    @property
    def failure(self) -> str:
        """Why there is none."""
        return self.subject.failure

    @property
    def kept(self) -> dict[str, ResultT]:
        """Results of kept states."""
        return self.subject.kept

    def draw(self) -> None:
        """Draw the result and the kept ones."""
        raise NotImplementedError

    def show_failure(self, message: str) -> None:
        """Say why there is no result; numbers of another design must not stand beside it."""
        self.surface.tell(message)
        self.subject.result, self.subject.failure = None, message
        self.margins_changed.emit()

    def show_result(self, result: ResultT) -> None:
        """Take a result over."""
        self.surface.tell("")
        self.subject.result, self.subject.failure = result, ""
        self.draw()
        if not self.context.document.in_gesture:
            self.context.standing.note()

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        subject, wanted = self.subject, self.subject.requirements
        shown = [subject.margin(r, self.result, self.failure) for r in wanted]
        designs = {k.id: k.design for k in subject.kept_states}
        kept = {
            r.id: [
                subject.kept_value(r, designs[state], result)
                for state, result in self.kept.items()
                if state in designs
            ]
            for r in wanted
        }
        return self.margins_title, shown, kept
