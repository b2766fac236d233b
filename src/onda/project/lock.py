"""Who has something open: a file that is held as long as its process lives.

The system itself lets go of it when a process ends, however that happens: what a crash leaves
behind is a file that nobody holds, and as good as none.
"""

from __future__ import annotations

import fcntl
import getpass
import json
import os
import socket
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Hold", "Holder", "is_held", "lock_beside"]

_LONGEST = 4096


@dataclass(frozen=True, slots=True)
class Holder:
    """Who holds it: a name, a machine, a process, and since when (s since the epoch)."""

    user: str
    host: str
    process: int
    since: float


def lock_beside(project_file: Path) -> Path:
    """Where it says who has a project open: beside the file itself, behind all links."""
    real = project_file.resolve()
    return real.with_name(f".{real.name}.open")


class Hold:
    """Holds a file, or knows who does."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._handle = -1

    @property
    def is_mine(self) -> bool:
        """Whether it is held here."""
        return self._handle >= 0

    def take(self) -> Holder | None:
        """Hold it; who does so already, None where it is now held here, or cannot be by anybody:
        in a folder that may not be written to there is nothing to lose either."""
        if self.is_mine:
            return None
        for _ in range(8):
            try:
                handle = os.open(
                    self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o644
                )
            except OSError:
                return None
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                found = _holder(handle)
                os.close(handle)
                return found
            except OSError:
                # No locks on this disk.
                os.close(handle)
                return None
            if _is_same(handle, self.path):
                self._handle = handle
                self._write()
                return None
            # Its holder let go and took it away between opening and holding.
            os.close(handle)
        return None

    def _write(self) -> None:
        told = {
            "user": _user(),
            "host": socket.gethostname(),
            "process": os.getpid(),
            "since": time.time(),
        }
        with suppress(OSError):
            os.ftruncate(self._handle, 0)
            os.pwrite(self._handle, json.dumps(told).encode(), 0)

    def release(self) -> None:
        """Let go, and take the file away."""
        if not self.is_mine:
            return
        with suppress(OSError):
            self.path.unlink(missing_ok=True)
        os.close(self._handle)
        self._handle = -1


def is_held(path: Path) -> bool:
    """Whether a living process holds it."""
    try:
        handle = os.open(path, os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    finally:
        os.close(handle)
    return False


def _is_same(handle: int, path: Path) -> bool:
    try:
        there, mine = os.stat(path), os.fstat(handle)
    except OSError:
        return False
    return (there.st_dev, there.st_ino) == (mine.st_dev, mine.st_ino)


def _holder(handle: int) -> Holder:
    unknown = Holder("somebody", "", 0, 0.0)
    try:
        told = json.loads(os.pread(handle, _LONGEST, 0))
        return Holder(
            str(told["user"])[:64],
            str(told["host"])[:64],
            int(told["process"]),
            float(told["since"]),
        )
    except (OSError, ValueError, TypeError, KeyError, RecursionError, OverflowError):
        return unknown


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return str(os.getuid())
