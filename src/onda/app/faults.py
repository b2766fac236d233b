"""What goes wrong inside Onda itself reaches the log and the user, whatever thread it is in."""

from __future__ import annotations

import logging
import sys
import threading
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

__all__ = ["Faults"]

_log = logging.getLogger(__name__)


class Faults(QObject):
    """Catches what no one else caught; work goes on.

    Signals
    -------
    happened(sentence)
    """

    happened = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._before = (sys.excepthook, threading.excepthook)

    def install(self) -> None:
        """Be told from now on."""
        sys.excepthook = self._on_error
        threading.excepthook = lambda args: self._on_error(
            args.exc_type, args.exc_value, args.exc_traceback
        )

    def uninstall(self) -> None:
        """Be told no more."""
        sys.excepthook, threading.excepthook = self._before

    def _on_error(
        self,
        kind: type[BaseException],
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            self._before[0](kind, error or kind(), trace)
            return
        _log.critical("unexpected", exc_info=(kind, error or kind(), trace))
        self.happened.emit(
            f"Something went wrong inside Onda ({kind.__name__}: {error}). Your work is as it was "
            "before; the log says more. Undo the last change if it comes again."
        )
