"""Help where the hand is: tips below the pointer, and the field in focus explained."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QToolTip, QWidget

from onda.app.kit.explain import help_at, help_of

__all__ = ["Helping"]

_READ_MS = 20_000
"""How long an explanation that was asked for stands."""


class Helping:
    """Explains what lies in a window."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self._explained: QWidget | None = None

    def tip(self, at: QPoint, stage: str) -> bool:
        """Explain what lies at a point in global coordinates; whether it could."""
        widget = self._window.childAt(self._window.mapFromGlobal(at))
        if widget is None:
            return False
        title, words = help_at(widget, widget.mapFromGlobal(at), stage)
        if words:
            QToolTip.showText(at, _page(title, words), widget)
        return bool(words)

    def explain_focus(self, stage: str) -> bool:
        """Explain the widget in focus; False where nothing is known of it, or it just was."""
        widget = QApplication.focusWidget()
        title, words = help_of(widget, stage)
        again = widget is self._explained and QToolTip.isVisible()
        self._explained = None if again else widget
        if widget is None or not words or again:
            QToolTip.hideText()
            return False
        below = widget.mapToGlobal(widget.rect().bottomLeft())
        QToolTip.showText(below, _page(title, words), widget, widget.rect(), _READ_MS)
        return True


def _page(title: str, words: str) -> str:
    """As a tip shows it: the title, then what it means, in lines of a readable width."""
    body = f"<b>{escape(title)}</b><br>{escape(words)}"
    return f'<table width="320"><tr><td>{body}</td></tr></table>'
