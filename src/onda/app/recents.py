"""What the user had open lately, kept in the user's settings."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QSettings

from onda.project.shown_units import METRIC, ShownUnits, units_in_use

__all__ = ["known_look", "recent_files", "remember_file", "remember_look"]

_MOST = 8


def _settings() -> QSettings:
    """The user's settings."""
    return QSettings("onda", "onda")


def recent_files() -> list[Path]:
    """Project files that were open lately and are still there, the latest first."""
    known = _settings().value("recent", [])
    names = [known] if isinstance(known, str) else list(known or [])
    return [path for name in names if (path := Path(str(name))).is_file()]


def remember_file(path: Path) -> None:
    """Put a project file first."""
    path = path.resolve()
    others = [p for p in recent_files() if p != path]
    _settings().setValue("recent", [str(p) for p in (path, *others)][:_MOST])


def remember_look(night: bool) -> None:
    """Remember whether it is night, and the units in use; nothing is written that is known."""
    units = units_in_use()
    if known_look() == (night, units):
        return
    for key, value in (("night", night), ("lengths", units.lengths), ("losses", units.losses)):
        _settings().setValue(key, value)


def known_look() -> tuple[bool, ShownUnits]:
    """Whether it was night last time, and which units were in use; what is unknown is as usual."""
    kept = _settings()
    night = bool(kept.value("night", False, type=bool))
    lengths, losses = str(kept.value("lengths", "")), str(kept.value("losses", ""))
    return night, replace(
        METRIC,
        lengths="mil" if lengths == "mil" else "metric",
        losses=losses if losses in ("inch", "m") else "100 mm",  # type: ignore[arg-type]
    )
