"""Whether a file is still as it was last read or written here."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

__all__ = ["DiskState"]


@dataclass(frozen=True, slots=True)
class DiskState:
    """A file at a moment; the stamp is looked at first, its content only where that is another.

    Attributes
    ----------
    stamp : inode, size and time of change (ns); sha256 : of its content
    """

    stamp: tuple[int, int, int]
    sha256: str

    @classmethod
    def of(cls, path: Path) -> DiskState | None:
        """The state of a file now; None where it is not there or cannot be read."""
        try:
            stamp = _stamp(path)
            return cls(stamp, hashlib.sha256(path.read_bytes()).hexdigest())
        except OSError:
            return None

    def is_of(self, path: Path) -> bool:
        """Whether a file still has this content; one that is gone was not changed."""
        try:
            if _stamp(path) == self.stamp:
                return True
        except OSError:
            return True
        now = DiskState.of(path)
        return now is None or now.sha256 == self.sha256


def _stamp(path: Path) -> tuple[int, int, int]:
    about = path.stat()
    return about.st_ino, about.st_size, about.st_mtime_ns
