"""The report of the whole project, written in the background."""

from __future__ import annotations

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from onda.errors import Cancelled, OndaError
from onda.project.model import Project
from onda.studies.core.cache import ResultCache

__all__ = ["Reporter"]


class Reporter(QObject):
    """Writes one report at a time.

    Signals
    -------
    went_on(sentence) : how far it is; written(page) : it is there; failed(sentence) : it is not
    """

    went_on = pyqtSignal(str)
    written = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, cache: ResultCache) -> None:
        super().__init__()
        self._cache = cache
        self._thread: threading.Thread | None = None
        self._stopped = threading.Event()

    @property
    def is_busy(self) -> bool:
        """Whether a report is being written."""
        return self._thread is not None and self._thread.is_alive()

    def write(self, project: Project, folder: Path) -> None:
        """Begin to write; what has not been run yet is run first."""
        if self.is_busy:
            self.failed.emit("A report is being written already.")
            return
        self._stopped.clear()
        self._thread = threading.Thread(
            target=self._run, args=(project, folder), name="onda-report", daemon=True
        )
        self._thread.start()

    def stop(self) -> None:
        """Give it up, and wait until it has ended."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join()

    def _run(self, project: Project, folder: Path) -> None:
        # Drawing takes its time to load, and is not needed before.
        from onda.report.html import write_report
        from onda.studies.core.check import check_project
        from onda.studies.core.executors import here
        from onda.studies.core.runner import StudyRunner

        def tell(done: int, of: int, _: str) -> None:
            if self._stopped.is_set():
                raise Cancelled
            self.went_on.emit(f"Report: {done} of {of} runs…")

        runner = StudyRunner(here(), self._cache)
        try:
            margins = check_project(project, runner, progress=tell)
            page = write_report(project, margins, runner, folder)
        except Cancelled:
            return
        except OndaError as error:
            self.failed.emit(str(error))
        else:
            self.written.emit(str(page))
        finally:
            runner.close()
