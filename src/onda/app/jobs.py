"""Studies in the background: the latest wish of each slot wins, results arrive in the Qt thread."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from concurrent.futures import CancelledError, Future
from dataclasses import dataclass, field
from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from onda.errors import Cancelled, OndaError
from onda.studies.core.keys import key_of
from onda.studies.core.runner import Job, StudyRunner
from onda.studies.core.study import Study

__all__ = ["JobDesk", "Running"]

_log = logging.getLogger(__name__)

OnResult = Callable[[Any], None]
OnError = Callable[[str], None]
_AT_ONCE = 2
"""Runs under way at the same time; what waits is put in order anew whenever the view changes."""


@dataclass(slots=True)
class _Wish:
    study: Study[Any, Any]
    inputs: Any
    key: str
    on_result: OnResult
    on_error: OnError
    words: str
    first: Any = None


@dataclass(slots=True)
class Running:
    """A run in progress, as shown to the user: what it is in words, and whether it is in view."""

    slot: str
    words: str
    share: float = 0.0
    started: float = field(default_factory=time.monotonic)
    in_view: bool = True

    @property
    def seconds(self) -> float:
        """How long it has run."""
        return time.monotonic() - self.started

    @property
    def seconds_left(self) -> float | None:
        """Estimated time left, None while too little is known."""
        return self.seconds * (1.0 - self.share) / self.share if self.share > 0.05 else None


class JobDesk(QObject):
    """Takes wishes by slot ("lines-now", "paths-sweep", ...).

    While a slot's run is under way only the newest further wish waits; it starts when the run ends.
    A run whose result nobody will see is cancelled. What is in view goes first: what else runs
    gives way to it, and begins again later.

    Signals
    -------
    activity : something started, advanced or ended
    """

    activity = pyqtSignal()
    _arrived = pyqtSignal(object)
    _partly = pyqtSignal(object)

    def __init__(self, runner: StudyRunner) -> None:
        super().__init__()
        self.runner = runner
        self._running: dict[str, tuple[_Wish, Job[Any], Running]] = {}
        self._waiting: dict[str, _Wish] = {}
        self._view = ""
        self._closed = False
        # Queued, so that a run that ended at once does not overtake its own first answer.
        queued = Qt.ConnectionType.QueuedConnection
        self._arrived.connect(self._deliver, queued)  # type: ignore[call-arg]
        self._partly.connect(self._deliver_part, queued)  # type: ignore[call-arg]

    def look_at(self, view: str) -> None:
        """Slots that begin with ``view-`` are in view from now on, and go first."""
        self._view = view
        for _, _, running in self._running.values():
            running.in_view = self._is_in_view(running.slot)
        self._start_more()

    def _is_in_view(self, slot: str) -> bool:
        return slot.startswith(f"{self._view}-")

    def request(
        self,
        slot: str,
        study: Study[Any, Any],
        inputs: Any,
        on_result: OnResult,
        on_error: OnError,
        *,
        urgent: bool = False,
        first: Any = None,
        words: str = "",
    ) -> None:
        """Wish for a result. What is at hand in memory comes at once; no file is read here.

        `urgent` lets a run under way finish and show (while something is dragged); otherwise a run
        for other inputs is cancelled. `first` are inputs of a quicker run whose result is shown
        until the wanted one is there, unless that is known. `words` say what runs.
        """
        if self._closed:
            return
        key = key_of(study.name, inputs)
        known = self.runner.cache.get_from_memory(key)
        if known is not None:
            self._waiting.pop(slot, None)
            self._stop(slot)
            on_result(known)
            return
        wish = _Wish(study, inputs, key, on_result, on_error, words or study.title, first)
        current = self._running.get(slot)
        if current is not None and current[0].key == key:
            self._waiting.pop(slot, None)
            current[0].on_result, current[0].on_error = on_result, on_error
            return
        self._waiting[slot] = wish
        if current is not None and not urgent:
            current[1].cancel()
        self._start_more()

    def withdraw(self, slot: str) -> None:
        """Wish for nothing in a slot any more: what runs for it is stopped and not shown."""
        self._waiting.pop(slot, None)
        self._stop(slot)

    # ---- what runs next

    def _start_more(self) -> None:
        """Start what waits, what is in view first, as far as there is room."""
        ready = [slot for slot in self._waiting if slot not in self._running]
        ready.sort(key=lambda slot: not self._is_in_view(slot))
        for slot in ready:
            if len(self._running) >= _AT_ONCE and not (
                self._is_in_view(slot) and self._make_room()
            ):
                return
            self._start(slot, self._waiting.pop(slot))

    def _make_room(self) -> bool:
        """Put a run that is not in view back among what waits; whether there was one."""
        for slot, (wish, job, running) in self._running.items():
            if not running.in_view:
                del self._running[slot]
                job.cancel()
                self._waiting.setdefault(slot, wish)
                return True
        return False

    def _start(self, slot: str, wish: _Wish) -> None:
        running = Running(slot, wish.words, in_view=self._is_in_view(slot))

        def tell(share: float) -> None:
            running.share = share

        def show(result: Any) -> None:
            # Called in the worker; the signal carries it over to this thread.
            if not self._closed:
                self._partly.emit((slot, running, result))

        job = self.runner.submit(
            wish.study, wish.inputs, key=wish.key, first=wish.first, progress=tell, partial=show
        )
        self._running[slot] = (wish, job, running)
        # The callback runs in the worker; the signal carries it over to this thread.
        job.future.add_done_callback(lambda future: self._report(slot, running, future))
        self.activity.emit()

    def _report(self, slot: str, running: Running, future: Future[Any]) -> None:
        if not self._closed:
            self._arrived.emit((slot, running, future))

    def _deliver_part(self, message: tuple[str, Running, Any]) -> None:
        slot, running, result = message
        current = self._running.get(slot)
        if current is not None and current[2] is running:
            current[0].on_result(result)

    def _deliver(self, message: tuple[str, Running, Future[Any]]) -> None:
        slot, running, future = message
        current = self._running.get(slot)
        if current is None or current[2] is not running:
            return
        wish = current[0]
        del self._running[slot]
        superseded = slot in self._waiting
        self._start_more()
        try:
            result = future.result()
        except (Cancelled, CancelledError):
            self.activity.emit()
            return
        except OndaError as error:
            if not superseded:
                wish.on_error(str(error))
        except Exception:  # noqa: BLE001 - the user is told and the log has it; nothing is hidden
            _log.exception("study %s failed", wish.study.name)
            if not superseded:
                wish.on_error(
                    f"{wish.words} failed unexpectedly; the log says more. Undo the last "
                    "change or send the log with the project."
                )
        else:
            wish.on_result(result)
        self.activity.emit()

    def _stop(self, slot: str) -> None:
        current = self._running.pop(slot, None)
        if current is not None:
            current[1].cancel()
            self._start_more()
            self.activity.emit()

    def cancel_all(self) -> None:
        """Stop everything under way; what was shown stays."""
        self._waiting.clear()
        for slot in list(self._running):
            self._stop(slot)

    @property
    def under_way(self) -> list[Running]:
        """Runs in progress, oldest first."""
        return sorted((r for _, _, r in self._running.values()), key=lambda r: r.started)

    @property
    def waiting(self) -> int:
        """Wishes that wait for a run of their own."""
        return len(self._waiting)

    @property
    def is_idle(self) -> bool:
        """Whether nothing runs or waits."""
        return not self._running and not self._waiting

    def close(self) -> None:
        """Cancel everything and wait for the workers to end."""
        self._closed = True
        self.cancel_all()
        self.runner.close()
