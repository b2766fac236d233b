"""Lengths that a signal and its strobe have of their own, changed in their place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.shell.fields import QuantityField
from onda.project.buses.bus import Bus, BusSignal
from onda.project.paths.elements.trace import TracePiece
from onda.project.paths.path import Path
from onda.project.quantities import Quantity

__all__ = ["LengthsForm", "pieces_of"]


def pieces_of(bus: Bus, path: Path) -> dict[str, Quantity]:
    """Lengths of the pieces of a path that signals of a bus have of their own; where none has,
    of all of its pieces."""
    every = {e.id: e.length for e in path.all_elements if isinstance(e, TracePiece)}
    own = {x.id for s in bus.signals if s.path == path.id for x in s.lengths}
    return {name: length for name, length in every.items() if name in own or not own}


class LengthsForm(QWidget):
    """A field for each signal and piece; `put(signal, piece, length)` changes one."""

    def __init__(self, put: Callable[[str, str, Quantity], None]) -> None:
        super().__init__()
        self._put = put
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(3)
        self.fields: dict[tuple[str, str], QuantityField] = {}

    def show_signals(self, some: Sequence[tuple[BusSignal, dict[str, Quantity]]]) -> None:
        """Show signals with the lengths that their paths have for each piece."""
        wanted = [(s.id, piece) for s, pieces in some for piece in pieces]
        if wanted != list(self.fields):
            self._make(some)
        for signal, pieces in some:
            own = {x.id: x.length for x in signal.lengths}
            for piece, length in pieces.items():
                self.fields[signal.id, piece].show_quantity(own.get(piece, length))

    def _make(self, some: Sequence[tuple[BusSignal, dict[str, Quantity]]]) -> None:
        for field in self.fields.values():
            self._layout.removeWidget(field)
            field.hide()
            field.deleteLater()
        self.fields = {}
        for signal, pieces in some:
            for piece in pieces:
                title = f"Length, {signal.name} {piece}"
                field = QuantityField(title, "length", partial(self._put, signal.id, piece))
                self._layout.addWidget(field)
                self.fields[signal.id, piece] = field
