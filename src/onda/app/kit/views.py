"""A stack of named views: words to choose from, each view made when it is first looked at."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from onda.app.shell.chips import Chips

__all__ = ["View", "Views"]

_Kind = TypeVar("_Kind", bound=QWidget)


@dataclass(frozen=True, slots=True)
class View:
    """A view by key: its word, and how it is made."""

    key: str
    title: str
    make: Callable[[], QWidget]


class Views(QObject):
    """Views of which one is looked at; `chips` and `stack` are placed by who owns them.

    Signals
    -------
    turned(key) : another view is looked at
    """

    turned = pyqtSignal(str)

    def __init__(self, views: Sequence[View], name: str) -> None:
        super().__init__()
        self._views = {v.key: v for v in views}
        self._made: dict[str, QWidget] = {}
        self.chips = Chips([(v.key, v.title) for v in views], name)
        self.stack = QStackedWidget()
        self.chips.chosen.connect(self._turn)

    @property
    def titles(self) -> dict[str, str]:
        """Words of every view, by key."""
        return {key: view.title for key, view in self._views.items()}

    @property
    def current(self) -> str:
        """Key of the view that is looked at."""
        return self.chips.current

    def choose(self, key: str) -> None:
        """Look at a view."""
        self.chips.choose(key)

    def show_first(self) -> None:
        """Make and show the view that is chosen, without telling."""
        self.stack.setCurrentWidget(self.of(self.current))

    def _turn(self, key: str) -> None:
        self.stack.setCurrentWidget(self.of(key))
        self.turned.emit(key)

    def of(self, key: str) -> QWidget:
        """A view, made now where it was never looked at."""
        if key not in self._made:
            made = self._made[key] = self._views[key].make()
            self.stack.addWidget(made)
        return self._made[key]

    def get(self, key: str, kind: type[_Kind]) -> _Kind:
        """A view as what it is."""
        found = self.of(key)
        assert isinstance(found, kind)
        return found

    @property
    def shown(self) -> QWidget:
        """The view that is looked at."""
        return self.of(self.current)

    def made(self, key: str) -> QWidget | None:
        """A view if it was looked at already."""
        return self._made.get(key)

    @property
    def all_made(self) -> tuple[QWidget, ...]:
        """Every view that was looked at."""
        return tuple(self._made.values())

    def show_only(self, keys: set[str]) -> None:
        """Offer only some."""
        self.chips.show_only(keys)
