"""A menu from a list of entries."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtWidgets import QMenu

__all__ = ["MenuEntry", "fill"]


@dataclass(frozen=True, slots=True)
class MenuEntry:
    """Words with their key behind a tab, what is done, and whether it can be done now."""

    words: str
    act: Callable[[], object]
    enabled: bool = True


def fill(menu: QMenu, entries: Sequence[MenuEntry]) -> QMenu:
    """Put entries into a menu."""
    for entry in entries:
        action = menu.addAction(entry.words)
        if action is not None:
            action.setEnabled(entry.enabled)
            action.triggered.connect(lambda _, act=entry.act: act())
    return menu
