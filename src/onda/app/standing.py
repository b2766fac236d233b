"""How the whole board stands: margins of all requirements, kept up in the background."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.studies.core.check import STUDIES, margins_from
from onda.studies.core.margin import Margin, State, worst
from onda.studies.core.needs import NeedBook

__all__ = ["Standing"]


class Standing(QObject):
    """Margins of every requirement of the present design.

    Results come from what the stages have computed already; the rest is run after the document has
    rested a moment, one at a time.

    Signals
    -------
    changed : some margin is another
    """

    changed = pyqtSignal()

    def __init__(self, document: Document, desk: JobDesk) -> None:
        super().__init__()
        self._document = document
        self._desk = desk
        self._failed: dict[str, str] = {}
        self._book = NeedBook()
        self.margins: list[Margin] = []
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(150)
        self._rest.timeout.connect(self._run_next)
        document.settled.connect(self._restart)
        self._restart()

    def _restart(self) -> None:
        self._update()
        self._rest.start()

    def note_live(self, live: Sequence[Margin]) -> None:
        """Put the margins of what is being dragged in place of those of the last rest."""
        by_id = {m.requirement: m for m in live}
        self.margins = [by_id.get(m.requirement, m) for m in self.margins]
        self.changed.emit()

    def note(self) -> None:
        """Look again: a stage has a new result."""
        self._update()

    def _at_hand(self, key: str) -> object | None:
        return self._desk.runner.cache.get_from_memory(key)

    @property
    def is_waiting(self) -> bool:
        """Whether the next run is about to start."""
        return self._rest.isActive()

    def close(self) -> None:
        """Start nothing any more."""
        self._rest.stop()
        self._document.settled.disconnect(self._restart)

    def _update(self) -> None:
        project = self._document.project
        self.margins = margins_from(project.design, project.requirements, self._at_hand, self._book)
        self.changed.emit()

    def _run_next(self) -> None:
        project = self._document.project
        todo = self._book.all_of(project.design, project.requirements)
        for key, (name, inputs) in todo.items():
            if key in self._failed or self._at_hand(key) is not None:
                continue
            self._desk.request(
                "standing",
                STUDIES[name],
                inputs,
                lambda _: self._one_done(),
                partial(self._one_failed, key),
            )
            return

    def _one_done(self) -> None:
        self._update()
        self._rest.start(1)

    def _one_failed(self, key: str, message: str) -> None:
        self._failed[key] = message
        self._one_done()

    def state_of(self, stage: str, subject: str | None = None) -> State | None:
        """Worst state of a stage or of one object; None where it has no requirement."""
        found = [
            m
            for m in self.margins
            if m.stage == stage and (subject is None or m.subject == subject)
        ]
        return worst(found) if found else None

    def of(self, stage: str, subject: str) -> list[Margin]:
        """Margins of one object."""
        return [m for m in self.margins if m.stage == stage and m.subject == subject]
