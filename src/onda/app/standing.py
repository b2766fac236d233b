"""How the whole board stands: margins of all requirements, kept up in the background."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence
from functools import partial

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.project.kind import Ref
from onda.studies.core.judge import Book, margins_from
from onda.studies.core.margin import Margin, State, worst

__all__ = ["Standing"]

_SLICE_S = 0.015
"""Longest that margins are worked out in one go; the rest follows when the window had its turn."""


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
        self._book = Book()
        self._by_ref: dict[Ref, list[Margin]] = {}
        self._states: dict[Ref, State] = {}
        self.margins: list[Margin] = []
        self._coming: Iterator[Margin] | None = None
        self._made: list[Margin] = []
        self._more = QTimer(self)
        self._more.setSingleShot(True)
        self._more.timeout.connect(self._work)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(150)
        self._rest.timeout.connect(self._run_next)
        # First of all: what is gone must not be found by those who show the rest.
        document.changed.connect(self._drop_gone)
        document.settled.connect(self._restart)

    @property
    def rest_ms(self) -> int:
        """How long the document rests before what is not in view is run."""
        return self._rest.interval()

    @rest_ms.setter
    def rest_ms(self, milliseconds: int) -> None:
        self._rest.setInterval(milliseconds)

    def begin(self) -> None:
        """Look at everything for the first time, once the view that is shown had time to show."""
        self._rest.start()
        self._more.start(self._rest.interval())

    def _drop_gone(self) -> None:
        """Margins of requirements that are not there any more."""
        if self._document.in_gesture:
            return
        known = {r.id: r for r in self._document.project.requirements}
        kept = [m for m in self.margins if m.requirement in known]
        if len(kept) != len(self.margins):
            self._coming = None
            self._take(kept)

    def _restart(self) -> None:
        self._update()
        self._rest.start()

    def note_live(self, live: Sequence[Margin]) -> None:
        """Put the margins of what is being dragged in place of those of the last rest."""
        by_id = {m.requirement: m for m in live}
        self._take([by_id.get(m.requirement, m) for m in self.margins])

    def note(self) -> None:
        """Look again: a stage has a new result."""
        self._update()

    def _at_hand(self, key: str) -> object | None:
        return self._desk.runner.cache.get_from_memory(key)

    @property
    def is_waiting(self) -> bool:
        """Whether the next run is about to start."""
        return self._rest.isActive() or self._more.isActive()

    def close(self) -> None:
        """Start nothing any more."""
        self._rest.stop()
        self._more.stop()
        self._document.changed.disconnect(self._drop_gone)
        self._document.settled.disconnect(self._restart)

    def _update(self) -> None:
        # Begun again from the start, once the view that asked for it has been drawn.
        self._coming = None
        self._more.start(0)

    def _work(self) -> None:
        """Work out margins until the slice is used up; with the last one all are shown."""
        if self._coming is None:
            project = self._document.project
            self._made = []
            self._coming = margins_from(
                project.design,
                project.requirements,
                self._at_hand,
                self._book,
                lambda key: self._failed.get(key, ""),
            )
        until = time.monotonic() + _SLICE_S
        for margin in self._coming:
            self._made.append(margin)
            if time.monotonic() > until:
                self._more.start(0)
                return
        self._coming = None
        self._take(self._made)

    def _take(self, margins: list[Margin]) -> None:
        self.margins = margins
        self._by_ref, self._states = {}, {}
        for margin in margins:
            self._by_ref.setdefault(margin.ref, []).append(margin)
        self.changed.emit()

    def _run_next(self) -> None:
        if self._coming is not None or self._more.isActive():
            # What is missing is known when all were looked at.
            self._rest.start()
            return
        project = self._document.project
        for need in self._book.needs(project.design, project.requirements):
            if need.key in self._failed or self._at_hand(need.key) is not None:
                continue
            self._desk.request(
                "standing",
                need.study,
                need.inputs,
                lambda _: self._one_done(),
                partial(self._one_failed, need.key),
            )
            return

    def _one_done(self) -> None:
        self._update()
        self._rest.start(1)

    def _one_failed(self, key: str, message: str) -> None:
        self._failed[key] = message
        self._one_done()

    def state_of_kinds(self, kinds: Iterable[str]) -> State | None:
        """Worst state of all objects of some kinds; None where nothing is required of them."""
        wanted = set(kinds)
        found = [m for ref, ms in self._by_ref.items() if ref.kind in wanted for m in ms]
        return worst(found) if found else None

    def state_of_object(self, ref: Ref) -> State | None:
        """Worst state of one object; None where nothing is required of it."""
        known = self._states.get(ref)
        if known is None and ref in self._by_ref:
            known = self._states[ref] = worst(self._by_ref[ref])
        return known

    def of(self, ref: Ref) -> list[Margin]:
        """Margins of one object."""
        return self._by_ref.get(ref, [])
