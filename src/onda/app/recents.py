"""What the user had open lately, kept in the user's settings."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings

__all__ = ["recent_files", "remember_file", "settings"]

_MOST = 8


def settings() -> QSettings:
    """The user's settings."""
    return QSettings("onda", "onda")


def recent_files() -> list[Path]:
    """Project files that were open lately and are still there, the latest first."""
    known = settings().value("recent", [])
    names = [known] if isinstance(known, str) else list(known or [])
    return [path for name in names if (path := Path(str(name))).is_file()]


def remember_file(path: Path) -> None:
    """Put a project file first."""
    path = path.resolve()
    others = [p for p in recent_files() if p != path]
    settings().setValue("recent", [str(p) for p in (path, *others)][:_MOST])
