"""What a field, a view or a number of the window means, where the pointer or the focus is."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib.resources import files
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton, QWidget

from onda.app.shell.chips import Chips
from onda.app.shell.fields import NumberRows, Trim

__all__ = ["explanation", "help_at", "help_of", "help_table", "measure_words"]


@lru_cache(maxsize=1)
def help_table() -> dict[str, dict[str, Any]]:
    """All texts by stage and title, read when something is explained first."""
    return tomllib.loads(files("onda.data").joinpath("help.toml").read_text(encoding="utf-8"))


def explanation(title: str, stage: str, *, view: bool = False) -> str:
    """What a title means in a stage, empty where nothing is known of it."""
    table = help_table()
    plain = title.strip().removesuffix(":")
    own = table.get(stage, {})
    known = own.get("views", {}) if view else own
    found = known.get(plain) or table["everywhere"].get(plain, "")
    if not found and ", " in plain and not view:
        # Some numbers carry where they hold: Loss, 8.1 GHz.
        found = own.get(plain.split(", ", 1)[0], "")
    if not found and plain.startswith("Skew "):
        found = own.get("Skew in pair", "")
    return found if isinstance(found, str) else ""


def measure_words(key: str) -> str:
    """What a measure is, and what moves it."""
    found = help_table()["measures"].get(key, "")
    return found if isinstance(found, str) else ""


def help_of(widget: QWidget | None, stage: str) -> tuple[str, str]:
    """Title and explanation of a widget, or of what it lies in; empty where there is none."""
    while widget is not None:
        view = isinstance(widget, QPushButton) and isinstance(widget.parentWidget(), Chips)
        title = _title(widget)
        found = explanation(title, stage, view=view) if title else ""
        if found:
            return title, found
        widget = widget.parentWidget()
    return "", ""


def help_at(widget: QWidget | None, at: QPoint, stage: str) -> tuple[str, str]:
    """The same below the pointer, at a point of the widget: rows of numbers have one each."""
    if isinstance(widget, NumberRows):
        title = widget.title_at(at.y())
        found = explanation(title, stage)
        if found:
            return title, found
    return help_of(widget, stage)


def _title(widget: QWidget) -> str:
    if isinstance(widget, (QLineEdit, QComboBox)):
        return widget.accessibleName()
    if isinstance(widget, Trim):
        return "Trim"
    if isinstance(widget, (QPushButton, QLabel)):
        return widget.text()
    return ""
