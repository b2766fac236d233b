"""The window: course on top, list left, work surface, inspector right, margins below."""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QEventLoop, QPoint, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QHelpEvent,
    QKeySequence,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.app.kit.context import Context
from onda.app.kit.menus import MenuEntry, fill
from onda.app.kit.stage import Stage
from onda.app.plots.sharing import Share, titled
from onda.app.recents import remember_look
from onda.app.reporting import Reporter
from onda.app.selection import Selection
from onda.app.shell.asking import ask_folder
from onda.app.shell.card import ProjectCard
from onda.app.shell.course import Course
from onda.app.shell.helping import Helping
from onda.app.shell.limit_card import LimitCard
from onda.app.shell.listing import Listing
from onda.app.shell.made_stages import MadeStages
from onda.app.shell.margin_strip import MarginStrip
from onda.app.shell.notice import WordsLine
from onda.app.shell.opening import Opening
from onda.app.shell.pages import ComingPage, KeysPage
from onda.app.shell.start_page import StartPage
from onda.app.shell.units_menu import add_units_menu
from onda.app.stages import FIRST, STAGES, START, StageInfo, stage_of
from onda.app.standing import Standing
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.edits import keep_state
from onda.project.measures import measures_of
from onda.project.model import Project
from onda.project.requirement_edits import drop_requirement, set_limit
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import Place, threads
from onda.studies.core.runner import StudyRunner

__all__ = ["MainWindow"]

_log = logging.getLogger(__name__)
_LONG_MS = 1000
"""After which a run is a long one."""


class MainWindow(QMainWindow):
    """The frame around the stages."""

    def __init__(
        self,
        project: Project,
        path: Path | None = None,
        *,
        stages: tuple[StageInfo, ...] = STAGES,
        stage: str = START,
        place: Place | None = None,
        cache: ResultCache | None = None,
    ) -> None:
        super().__init__()
        self.look = Look()
        self.document = Document(project, path)
        self._infos = {s.id: s for s in stages}
        self.selection = Selection(stage, lambda kind: stage_of(kind, stages).id)
        self.desk = JobDesk(StudyRunner(place or threads(2), cache or ResultCache()))
        self.standing = Standing(self.document, self.desk)
        for model in (self.look, self.document, self.selection, self.desk, self.standing):
            # They go with the window, and with them what listens to them.
            model.setParent(self)
        self._context = Context(self.look, self.document, self.selection, self.desk, self.standing)
        self.stages = MadeStages(self._make_stage)
        self.reporter = Reporter(self.desk.runner.cache)
        self.reporter.setParent(self)
        self._closing = False
        self.helping = Helping(self)
        self.kept_at: Path | None = None
        """Where work that was not saved is kept once the window is closed."""
        self._build()
        self.opening = Opening(self, self.document, self.messages, self.start_page, stages, self)
        self.setAcceptDrops(True)
        self._connect()
        self._keys()
        self._restyle()
        self._show_stage()
        self.resize(1280, 800)
        self.listing.objects.setFocus()
        self.setMinimumSize(1280, 720)
        # What is in view is asked for first; the rest of the board follows it.
        self.standing.begin()

    # -- building ---------------------------------------------------------------------------------

    def _build(self) -> None:
        central = QWidget()
        outer = QVBoxLayout(central)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.course = Course(
            self.look, self.document, self.selection, self.standing, tuple(self._infos.values())
        )
        outer.addWidget(self.course)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.listing = Listing(self.look, self.document)
        middle.addWidget(self.listing)
        centre = QVBoxLayout()
        centre.setSpacing(0)
        self.words = WordsLine(self.desk)
        self.messages, self.progress = self.words.messages, self.words.progress
        self.surfaces = QStackedWidget()
        self.inspectors = QStackedWidget()
        self.inspectors.setObjectName("inspector")
        self.inspectors.setFixedWidth(272)
        self.coming = ComingPage(self.selection.go)
        self.keys_page = KeysPage(self._show_stage)
        self.surfaces.addWidget(self.coming)
        self.surfaces.addWidget(self.keys_page)
        self.start_page = StartPage()
        self.surfaces.addWidget(self.start_page)
        self._no_inspector = QWidget()
        self.inspectors.addWidget(self._no_inspector)
        self.limits = LimitCard(self, self.look, self.document)
        self.card = ProjectCard(self, self.document)
        centre.addWidget(self.surfaces, 1)
        centre.addWidget(self.words)
        middle.addLayout(centre, 1)
        middle.addWidget(self.inspectors)
        outer.addLayout(middle, 1)
        self.strip = MarginStrip(self.look)
        outer.addWidget(self.strip)
        self.setCentralWidget(central)

    def _connect(self) -> None:
        self.look.changed.connect(self._restyle)
        self.selection.stage_changed.connect(lambda _: self._show_stage())
        self.selection.stage_changed.connect(lambda _: self._leave_stage())
        self.selection.subject_changed.connect(lambda _: self._show_list())
        self.document.changed.connect(self._on_document)
        self.document.saved_changed.connect(self._show_title)
        self.document.trouble.connect(lambda words: self.messages.say(words, error=True))
        self.standing.changed.connect(self._show_list)
        self._long = QTimer(self)
        self._long.setSingleShot(True)
        self._long.setInterval(_LONG_MS)
        self._long.timeout.connect(self._keep_before_long)
        self.desk.activity.connect(self._watch_for_long)
        self.course.project_menu_wanted.connect(self._project_menu)
        self.course.help_wanted.connect(self.show_keys)
        self.listing.chosen.connect(lambda i: self.selection.choose(i))
        self.listing.part_chosen.connect(self.selection.choose_element)
        self.listing.add_wanted.connect(lambda: self._try(self._stage().add))
        self.listing.copy_wanted.connect(lambda i: self._try(lambda: self._stage().add_copy(i)))
        self.listing.remove_wanted.connect(lambda i: self._try(lambda: self._stage().remove(i)))
        self.listing.rename_wanted.connect(
            lambda i, name: self._try(lambda: self._stage().rename(i, name))
        )
        self.strip.limit_typed.connect(
            lambda r, typed: self._try(lambda: self._set_limit(r, typed))
        )
        self.reporter.went_on.connect(self.messages.say)
        self.reporter.written.connect(lambda page: self.messages.say(f"Report: {page}"))
        self.reporter.failed.connect(lambda words: self.messages.say(words, error=True))
        self.strip.limit_wanted.connect(self._ask_limit)
        self.strip.limit_dropped.connect(lambda r: self._try(lambda: self._drop_limit(r)))
        self.listing.trouble.connect(lambda words: self.messages.say(words, error=True))

    def _keys(self) -> None:
        def key(sequence: str | QKeySequence.StandardKey, act: Callable[[], None]) -> None:
            shortcut = QShortcut(QKeySequence(sequence), self)
            shortcut.activated.connect(act)

        for i, stage in enumerate(list(self._infos.values())[:9]):
            key(f"Ctrl+{i + 1}", lambda stage=stage: self.selection.go(stage.id))  # type: ignore[misc]
        key("Ctrl+PgDown", lambda: self._step_stage(1))
        key("Ctrl+PgUp", lambda: self._step_stage(-1))
        key("K", self.keep)
        key("Ctrl+Z", self.undo)
        key("Ctrl+Shift+Z", self.redo)
        key("Ctrl+Y", self.redo)
        key("L", self._limit_key)
        key("Ctrl+N", self.show_start)
        key("Ctrl+E", self.save_view)
        key("Ctrl+R", self.report)
        key("Ctrl+S", self.opening.save)
        key("Ctrl+Shift+S", self.opening.save_as)
        key("Ctrl+O", self.opening.open_file)
        key("Ctrl+D", lambda: self.look.set_night(not self.look.is_night))
        key("F1", self.explain)
        key("?", self.show_keys)
        key("Esc", self.desk.cancel_all)

    def _make_stage(self, identifier: str) -> Stage | None:
        """A stage, made when it is first looked at; None for one that is not built yet."""
        info = self._infos[identifier]
        if not info.ready:
            return None
        stage: Stage = info.load()(self._context, info)
        stage.margins_changed.connect(self._show_margins)
        stage.keep_wanted.connect(self.keep)
        stage.page_changed.connect(self._show_inspector)
        stage.make_wanted.connect(self._make_first)
        stage.surface.told.connect(self._show_words)
        self.surfaces.addWidget(stage.surface)
        self.inspectors.addWidget(stage.inspector)
        stage.setParent(self)
        return stage

    def _choose_first(self) -> None:
        """Choose the first object in the stage in view, where none or a vanished one is chosen."""
        stage = self._shown_stage
        if stage is None or stage.subject.item is not None:
            return
        rows = stage.rows()
        if rows and self.selection.subject not in {r.id for r in rows}:
            self.selection.choose(rows[0].id)

    @property
    def infos(self) -> tuple[StageInfo, ...]:
        """The stages of the course."""
        return tuple(self._infos.values())

    # -- showing ----------------------------------------------------------------------------------

    @property
    def _shown_stage(self) -> Stage | None:
        """The stage in view, None for one that is not built yet."""
        return self.stages.get(self.selection.stage)

    def _stage(self) -> Stage:
        stage = self._shown_stage
        assert stage is not None
        return stage

    def _restyle(self) -> None:
        self.setStyleSheet(self.look.style_sheet())

    def _leave_stage(self) -> None:
        """Notes go with the stage that they are of; what is wrong stays until it is mended."""
        for stage in self.stages.values():
            if stage.surface.problem.is_note and not stage.active:
                stage.surface.hush()
        self._show_words()

    def _show_stage(self) -> None:
        info = self._infos[self.selection.stage]
        stage = self._shown_stage
        self.inspectors.setVisible(stage is not None)
        self.listing.setVisible(stage is not None)
        if stage is None:
            self.coming.show_stage(info)
            self.surfaces.setCurrentWidget(self.coming)
            self.strip.show_margins(info.title.lower(), [], {})
            return
        # All of it is shown below, once.
        self.selection.blockSignals(True)
        self._choose_first()
        self.selection.blockSignals(False)
        self.strip.show()
        self.surfaces.setCurrentWidget(stage.surface)
        self.desk.look_at(stage.info.id)
        self._show_inspector()
        self._show_list()
        stage.show()
        self._show_margins()
        self._show_title()

    def _show_page(self, page: QWidget) -> None:
        """Show a page that is no stage; what belongs to one is not there meanwhile."""
        self.surfaces.setCurrentWidget(page)
        is_start = page is self.start_page
        self.listing.setVisible(not is_start)
        self.inspectors.setVisible(not is_start)
        self.strip.setVisible(not is_start)

    @property
    def _on_stage(self) -> bool:
        """Whether a stage is looked at, and no page in its place."""
        stage = self._shown_stage
        return stage is not None and self.surfaces.currentWidget() is stage.surface

    def _show_inspector(self) -> None:
        stage = self._shown_stage
        if stage is not None:
            shows = stage.surface.shows_content
            self.inspectors.setCurrentWidget(stage.inspector if shows else self._no_inspector)

    def _make_first(self, kind: str) -> None:
        """Go to where an object of a kind is made, and begin one."""
        self.selection.go(stage_of(kind, tuple(self._infos.values())).id)
        stage = self._stage()
        if kind in stage.makes:
            stage.begin_making()

    def _show_words(self) -> None:
        """Say what the stage in view has to say."""
        stage = self._shown_stage
        if stage is None:
            return
        surface, said = stage.surface, stage.surface.problem
        self.messages.say(
            said.text(), list(said.actions), error=not said.is_note, on_close=surface.hush
        )

    def _show_list(self) -> None:
        stage = self._shown_stage
        if stage is None:
            return
        rows = list(stage.rows())
        title = stage.info.list_title
        self.listing.show_rows(title, rows, self.selection.subject, stage.add_title)
        self.listing.show_parts(*stage.parts())
        self.listing.show_kept()

    def _show_margins(self) -> None:
        stage = self._shown_stage
        if stage is not None and self.surfaces.currentWidget() is not self.start_page:
            title, margins, kept = stage.margins()
            self.strip.show_margins(title, margins, kept)
            ref = stage.subject.ref if stage.surface.shows_content else None
            self.strip.can_require(ref is not None and bool(measures_of(ref.kind)))
            if self.document.in_gesture and stage.live_margins:
                # The list shows itself again, parts and all, when the standing has changed.
                self.standing.note_live(margins)
            else:
                self.listing.show_parts(*stage.parts())

    def _show_title(self) -> None:
        document = self.document
        saved = "" if document.is_saved else " •"
        place = f"{document.path.name} in {document.path.parent} – " if document.path else ""
        self.setWindowTitle(f"{document.project.name}{saved} – {place}Onda")

    def _watch_for_long(self) -> None:
        if not self._closing and not self._long.isActive():
            self._long.start()

    def _keep_before_long(self) -> None:
        """A run that takes its time: what is not kept yet is kept now."""
        if any(1e3 * run.seconds >= 0.9 * _LONG_MS for run in self.desk.under_way):
            self.document.autosave_if_due()

    def _on_document(self) -> None:
        stage = self._shown_stage
        if stage is not None:
            self._choose_first()
        self._show_list()

    def event(self, event: QEvent | None) -> bool:
        """What nobody explained below the pointer is explained here."""
        is_tip = isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip
        if is_tip and self.helping.tip(event.globalPos(), self.selection.stage):  # type: ignore[union-attr]
            return True
        return super().event(event)

    def explain(self) -> None:
        """Explain the field in focus; where there is none, or once more, show the page of keys."""
        if not self.helping.explain_focus(self.selection.stage):
            self.show_keys()

    def show_keys(self) -> None:
        """Show the page of keys."""
        self._show_page(self.keys_page)

    # -- doing ------------------------------------------------------------------------------------

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except OndaError as error:
            self.messages.say(str(error), error=True)

    def _set_limit(self, requirement: str, typed: str) -> None:
        project = set_limit(self.document.project, requirement, typed)
        self.document.edit("Change limit", project)

    def _drop_limit(self, requirement: str) -> None:
        project = drop_requirement(self.document.project, requirement)
        self.document.edit("Remove limit", project)

    def _limit_key(self) -> None:
        if not isinstance(QApplication.focusWidget(), QLineEdit) and not self.strip.add.isHidden():
            self.strip.ask_limit()

    def _ask_limit(self, point: QPoint) -> None:
        stage = self._shown_stage
        ref = stage.subject.ref if stage is not None and self._on_stage else None
        if ref is not None:
            self.limits.show_for(ref, point)

    def save_view(self) -> None:
        """Save what the stage in view shows as a picture."""
        stage = self._shown_stage
        if stage is None or not self._on_stage:
            return
        surface = stage.surface
        share = Share(
            surface,
            self.look,
            lambda: titled(surface, stage.info.title),
            trouble=lambda words: self.messages.say(words, error=True),
        )
        path = share.ask_save()
        if path is not None:
            self.messages.say(f"Written: {path}")

    def report(self) -> None:
        """Write a report of the whole project into a folder; what is missing is run first."""
        folder = ask_folder(self, "Report into folder")
        if folder is not None:
            self.write_report(folder)

    def write_report(self, folder: Path) -> None:
        """Write a report into a folder, in the background."""
        self.document.autosave_if_due()
        self.reporter.write(self.document.project, folder)

    def _step_stage(self, step: int) -> None:
        ids = list(self._infos)
        at = ids.index(self.selection.stage) + step
        self.selection.go(ids[min(max(at, 0), len(ids) - 1)])

    def keep(self) -> None:
        """Keep the present state under a name that says what it is."""
        if isinstance(QApplication.focusWidget(), QLineEdit):
            return
        project = self.document.project
        last = self.document.stack.undoText()
        name = f"State {len(project.kept) + 1}"
        note = last if self.document.stack.index() else "as opened"
        self._try(lambda: self.document.edit("Keep state", keep_state(project, name, note)))

    def undo(self) -> None:
        """One step back."""
        self.document.undo()

    def redo(self) -> None:
        """One step forward."""
        self.document.redo()

    # ---- what `Opening` asks of the window

    def show_start(self) -> None:
        """Show the page to begin on."""
        self.opening.show_begun()
        self._show_page(self.start_page)

    def leave_start(self) -> None:
        """Show the stages."""
        self._show_stage()

    def go_with_file(self, stage: str, path: Path) -> None:
        """Go to a stage, which takes a file."""
        self.selection.go(stage)
        self._show_stage()
        self._stage().take_file(path)

    def go_to_work(self) -> None:
        """Show the stage where work on the project goes on: the first one of an empty board."""
        design = self.document.project.design
        begun = design.paths or design.networks or design.line_classes
        self.selection.go(START if begun else FIRST)
        self._show_stage()

    def load(self, path: Path) -> None:
        """Open a file; what is open stays where that fails."""
        self.opening.load(path)

    def offer_recovery(self) -> None:
        """Offer unsaved work on this project."""
        self.opening.offer_recovery()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped anywhere."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A dropped file opens, or is added to the project."""
        data = event.mimeData() if event is not None else None
        for url in data.urls() if data is not None else ():
            if url.isLocalFile():
                self.opening.drop(Path(url.toLocalFile()))

    def _project_menu(self, point: QPoint) -> None:
        stack = self.document.stack
        entries = [
            MenuEntry("Name and revision…", lambda: self.card.show_at(point), True),
            MenuEntry("New…\tCtrl+N", self.show_start, True),
            MenuEntry("Open…\tCtrl+O", self.opening.open_file, True),
            MenuEntry("Save\tCtrl+S", self.opening.save, True),
            MenuEntry("Save as…\tCtrl+Shift+S", self.opening.save_as, True),
            MenuEntry(f"Undo {stack.undoText().lower()}\tCtrl+Z", self.undo, stack.canUndo()),
            MenuEntry(f"Redo {stack.redoText().lower()}\tCtrl+Shift+Z", self.redo, stack.canRedo()),
            MenuEntry(
                "Day\tCtrl+D" if self.look.is_night else "Night\tCtrl+D",
                lambda: self.look.set_night(not self.look.is_night),
                True,
            ),
            MenuEntry("Save this view…\tCtrl+E", self.save_view, self._on_stage),
            MenuEntry("Report of the project…\tCtrl+R", self.report, True),
            MenuEntry("Keys\tF1", self.show_keys, True),
        ]
        menu = fill(QMenu(self), entries)
        add_units_menu(menu, self.look)
        menu.popup(point)

    def settle(self, milliseconds: int = 90_000) -> bool:
        """Wait, with events running, until nothing is under way; for the tour and for tests."""
        app = QApplication.instance()
        assert app is not None
        waited = QTimer()
        waited.setSingleShot(True)
        waited.start(milliseconds)
        quiet = False
        while waited.isActive():
            app.processEvents()
            if not (self.desk.is_idle and not self.standing.is_waiting):
                quiet = False
                # Sleeps until something happens: a result, a timer, or the end of the wait.
                app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
            elif quiet:
                return True
            else:
                # What was posted meanwhile has its turn before it counts as quiet.
                quiet = True
        return False

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Unsaved work is kept aside, runs are stopped; nothing asks."""
        if not self._closing:
            self._closing = True
            self.messages.hush()
            for stage in self.stages.values():
                stage.surface.veil.lift()
            if self.document.is_touched:
                self.kept_at = self.document.autosave_now(closed=True)
            remember_look(self.look.is_night)
            self._long.stop()
            self.reporter.stop()
            self.desk.close()
            self.standing.close()
            self.document.close()
        if event is not None:
            event.accept()
