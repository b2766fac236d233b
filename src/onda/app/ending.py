"""An end from outside: a signal keeps unsaved work and closes the window, soon, whatever runs."""

from __future__ import annotations

import os
import signal
import socket
import threading
from collections.abc import Callable
from types import FrameType
from typing import Any

from PyQt6.QtCore import QObject, QSocketNotifier

__all__ = ["Ending"]

_SIGNALS = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)
_PATIENCE = 1.5
"""Seconds that runs get to end by themselves."""


class Ending(QObject):
    """Listens to the signals that end a program.

    `keep` puts unsaved work aside, `close` closes what is open; both are called in Qt's thread.
    """

    def __init__(self, keep: Callable[[], object], close: Callable[[], object]) -> None:
        super().__init__()
        self._keep, self._close = keep, close
        self._code = 0
        self._before: dict[int, Any] = {}
        # Python looks at signals between its own steps only; a byte in a pipe wakes Qt for them.
        self._read, self._write = socket.socketpair()
        self._write.setblocking(False)
        reads = QSocketNotifier.Type.Read
        self._notifier = QSocketNotifier(self._read.fileno(), reads, self)  # type: ignore[call-overload]
        self._notifier.activated.connect(lambda *_: self._wake())

    @property
    def code(self) -> int:
        """What the program ends with: 128 and the signal, 0 where none came."""
        return self._code

    def install(self) -> None:
        """Listen from now on."""
        signal.set_wakeup_fd(self._write.fileno())
        for number in _SIGNALS:
            self._before[number] = signal.signal(number, self._note)

    def uninstall(self) -> None:
        """As it was before."""
        for number, handler in self._before.items():
            signal.signal(number, handler)
        signal.set_wakeup_fd(-1)
        self._notifier.setEnabled(False)
        self._read.close()
        self._write.close()

    def _note(self, number: int, _: FrameType | None) -> None:
        self._code = 128 + number

    def _wake(self) -> None:
        self._read.recv(64)
        if not self._code:
            return
        self._notifier.setEnabled(False)
        self._keep()
        # Work is safe now. A run that does not look whether it is still wanted must not hold us.
        last = threading.Timer(_PATIENCE, os._exit, (self._code,))
        last.daemon = True
        last.start()
        self._close()
        last.cancel()
