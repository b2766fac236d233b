"""What is opened to be read: a plain file, no pipe that never ends and no device."""

from __future__ import annotations

import stat
from pathlib import Path

from onda.errors import InputError

__all__ = ["check_plain"]

_KINDS = (
    (stat.S_ISDIR, "is a folder"),
    (stat.S_ISFIFO, "is a pipe"),
    (stat.S_ISCHR, "is a device"),
    (stat.S_ISBLK, "is a device"),
    (stat.S_ISSOCK, "is a socket"),
)


def check_plain(path: Path) -> None:
    """Raise `InputError` where there is something at a path that is no plain file.

    Where there is nothing, or it may not be looked at, whoever opens it says so.
    """
    try:
        mode = path.stat().st_mode
    except OSError:
        return
    for is_kind, words in _KINDS:
        if is_kind(mode):
            raise InputError(f"{words}, no file", file=str(path), remedy="Name a plain file.")
