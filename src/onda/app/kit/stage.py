"""What every stage is: a work surface, an inspector, and the margins of what is on screen."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from onda.app.kit.context import Context
from onda.app.kit.editor import Editor
from onda.app.kit.kept import Kept
from onda.app.kit.subject import OneResult, Subject
from onda.app.kit.surface import Surface
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.errors import OndaError
from onda.project.edits import add_copy, remove_object, rename_object
from onda.project.kind import Ref
from onda.project.kinds import KINDS
from onda.project.model import Design, Project
from onda.project.recipe import Answers, Recipe, cook
from onda.studies.core.margin import Margin

if TYPE_CHECKING:
    from onda.app.kit.maker import Aside, MakerPage

__all__ = ["OneResultStage", "Stage"]

ResultT = TypeVar("ResultT")


def _recipe(kind: str) -> Recipe:
    """How a kind is made; the library behind it is loaded when something is made first."""
    from onda.project.recipes import RECIPES

    return RECIPES[kind]


class Stage(QObject):
    """Base of the stages.

    Signals
    -------
    margins_changed : the margins of what is on screen are others
    keep_wanted : the Keep state button was pressed
    page_changed : a page came in place of the content, or went
    make_wanted(kind) : an object of another stage has to be made first
    """

    margins_changed = pyqtSignal()
    keep_wanted = pyqtSignal()
    page_changed = pyqtSignal()
    make_wanted = pyqtSignal(str)
    add_title = ""
    makes: tuple[str, ...] = ()
    """Kinds that are made here from decisions, the usual one first."""
    live_margins = True
    """Whether its margins are shown while something is dragged."""
    subject_type: type[Subject] = Subject

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__()
        self.context, self.info = context, info
        self.surface = Surface(context.look)
        self._in_view = ""
        self._is_making = False
        self._maker: MakerPage | None = None
        self.inspector = QWidget()
        self.editor = Editor(context.document, self.surface.tell)
        self.subject = self.subject_type(context, info.id, info.kinds)
        context.document.changed.connect(self._on_changed)
        context.document.replaced.connect(self._forget_all)
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
            self.show()

    def show(self) -> None:
        """Show the chosen object; where there is none, or one is being made, the page for that."""
        if self._is_making or self.is_empty:
            self._show_maker()
        else:
            self._leave_page()
            self.refresh()

    def refresh(self) -> None:
        """Show the present tree and ask for what is missing."""
        raise NotImplementedError

    # ---- what is on screen belongs to what is chosen

    def turned_to(self, key: str, name: str) -> bool:
        """Say what is in view; whether it is another object than before.

        What is shown of another one is covered at once, of an older state unless the present one
        comes soon.
        """
        if key != self._in_view:
            self._in_view = key
            self.surface.hush()
            self.forget_results()
            self.surface.veil.drop(f"Computing {name}…")
            self.margins_changed.emit()
            return True
        if not self.context.document.in_gesture:
            self.surface.veil.drop_soon("The state before this one. Computing…")
        return False

    def forget_results(self) -> None:
        """Take off the screen what is of another object, where it is not covered."""

    def _forget_all(self) -> None:
        """Another project is open: nothing that is shown is of it."""
        self._in_view = ""
        self._is_making = False
        self.surface.hush()

    # ---- making an object

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to be shown yet."""
        return not any(KINDS[k].items(self.design) for k in self.info.kinds)

    def asides(self) -> Sequence[Aside]:
        """Other ways to get an object."""
        return ()

    @property
    def maker(self) -> MakerPage:
        """The page on which objects are made."""
        if self._maker is None:
            from onda.app.kit.maker import MakerPage

            recipes = [_recipe(k) for k in self.makes]
            self._maker = MakerPage(self.context.look, recipes, self.asides())
            self._maker.made.connect(self._make)
            self._maker.left.connect(self.leave_making)
            self._maker.first_wanted.connect(self.make_wanted)
        return self._maker

    def begin_making(self) -> None:
        """Make another object, from nothing."""
        self._is_making = True
        self.show()

    def leave_making(self) -> None:
        """Back to what there is."""
        self._is_making = False
        self.show()

    def _show_maker(self) -> None:
        fresh = self.surface.shows_content or self._in_view != ""
        self._in_view = ""
        self.surface.show_head(self.info.title, self.info.promise)
        self.surface.show_page(self.maker)
        if fresh:
            self.maker.begin(self.project, can_leave=not self.is_empty)
        else:
            self.maker.follow(self.project)
        self.page_changed.emit()
        self.margins_changed.emit()

    def _leave_page(self) -> None:
        if not self.surface.shows_content:
            self.surface.show_page(None)
            self.page_changed.emit()

    def _make(self, kind: str, answers: Answers) -> None:
        try:
            project, ref = cook(_recipe(kind), self.project, answers)
            self.finish_making(f"Make {KINDS[kind].title}", project, ref, answers)
        except OndaError as error:
            self.maker.refuse(str(error))

    def finish_making(self, label: str, project: Project, ref: Ref, _: Answers) -> None:
        """Take over a project with an object that was just made."""
        self._is_making = False
        self.editor.make(label, project)
        self.context.selection.choose(ref.id, self.info.id)
        self.show()

    def take_file(self, path: Path) -> None:
        """Take a file of a kind that the table of stages says it takes."""
        raise NotImplementedError

    def rows(self) -> Sequence[Row]:
        """The objects of this stage."""
        raise NotImplementedError

    def row_of(self, item: Any, detail: str, title: str = "") -> Row:
        """A row of an object: what is worst about it where something is, else a detail."""
        kind = next(k for k in self.info.kinds if isinstance(item, KINDS[k].model))
        standing, ref = self.context.standing, Ref(kind, item.id)
        figure = ""
        bad = [m for m in standing.of(ref) if m.state.value in ("fails", "tight")]
        if bad:
            worst = min(bad, key=lambda m: m.normalised)
            detail = worst.title.lower()
            figure = f"{worst.value_text}{' ?' if worst.doubts else ''}"
        state = standing.state_of_object(ref)
        return Row(item.id, title or item.name, detail, state, figure=figure)

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

    def add(self) -> None:
        """Add an object: what the plus does."""
        self.begin_making()

    def add_copy(self, identifier: str = "") -> None:
        """Add a copy of an object, of the present one where none is named, and choose it."""
        selection = self.context.selection
        source = self._ref(identifier or self.subject.id)
        project, new = add_copy(self.editor.project, source)
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

    @property
    def named_kept(self) -> list[Kept[ResultT]]:
        """The same with the names of their states, in order."""
        return self.subject.named(self.subject.kept)

    def draw(self) -> None:
        """Draw the result and the kept ones."""
        raise NotImplementedError

    def show_failure(self, message: str) -> None:
        """Say why there is no result; numbers of another design must not stand beside it."""
        self.surface.tell(message)
        self.surface.veil.drop(message, failed=True)
        self.subject.result, self.subject.failure = None, message
        self.forget_results()
        self.margins_changed.emit()

    def show_result(self, result: ResultT) -> None:
        """Take a result over."""
        self.surface.tell("")
        self.surface.veil.lift()
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
