"""A form of quantities with one trim that can be put on any of them (T)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.shell.fields import Heading, QuantityField, Trim, label
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.quantities import Quantity, quantity

__all__ = ["FieldSpec", "Form"]


@dataclass(frozen=True)
class FieldSpec:
    """One field: how to read it, how to change it, and the range of its trim (SI)."""

    title: str
    dimension: str
    get: Callable[[], Quantity | None]
    put: Callable[[Quantity], None]
    trim: tuple[float, float, float] | None = None
    remark: str = ""
    kept: Callable[[], list[float]] = field(default=list)


class Form(QWidget):
    """Fields under each other and a trim for the one last chosen."""

    def __init__(self, look: Look, document: Document) -> None:
        super().__init__()
        self._look = look
        self._document = document
        self._specs: list[FieldSpec] = []
        self.fields: list[QuantityField] = []
        self._on = 0
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)
        self._fields_box = QVBoxLayout()
        self._layout.addLayout(self._fields_box)
        self.heading = Heading("Trim")
        self._layout.addWidget(self.heading)
        self.trim = Trim(look, "value")
        self._layout.addWidget(self.trim)
        self.problem = label("", "error", wrap=True)
        self._layout.addWidget(self.problem)
        self.problem.hide()
        self.trim.began.connect(document.begin_gesture)
        self.trim.moved.connect(self._moved)
        self.trim.ended.connect(self._ended)
        key = QShortcut(QKeySequence("T"), self)
        key.setContext(Qt.ShortcutContext.WindowShortcut)
        key.activated.connect(self.put_trim_on_focus)

    def set_specs(self, specs: list[FieldSpec]) -> None:
        """Show other fields."""
        same = [s.title for s in specs] == [s.title for s in self._specs]
        self._specs = specs
        if not same:
            for old in self.fields:
                self._fields_box.removeWidget(old)
                # Until it is deleted it would still be painted where it was.
                old.hide()
                old.deleteLater()
            self.fields = [
                QuantityField(s.title, s.dimension, self._put_at(i)) for i, s in enumerate(specs)
            ]
            for made in self.fields:
                self._fields_box.addWidget(made)
            self._on = next((i for i, s in enumerate(specs) if s.trim), -1)
        self.refresh()

    def _put_at(self, index: int) -> Callable[[Quantity], None]:
        # By index, so that a field built once acts on the spec now in its place.
        return lambda q: self._specs[index].put(q)

    def refresh(self) -> None:
        """Read all values again."""
        for made, spec in zip(self.fields, self._specs, strict=True):
            made.show_quantity(spec.get())
            made.setToolTip(spec.remark)
        trimmed = self._specs[self._on] if 0 <= self._on < len(self._specs) else None
        shown = trimmed is not None and trimmed.trim is not None
        for part in (self.heading, self.trim):
            part.setVisible(shown)
        if trimmed is not None and trimmed.trim is not None:
            self._refresh_trim(trimmed, trimmed.trim)

    def _refresh_trim(self, spec: FieldSpec, bounds: tuple[float, float, float]) -> None:
        value = spec.get()
        self.heading.remark.setText(spec.title.lower())
        self.trim.setAccessibleName(f"Trim: {spec.title}")
        if not self._document.in_gesture:
            low, high, step = bounds
            at = value.si if value else low
            self.trim.set_range(min(low, at), max(high, at), step)
        if value is not None:
            self.trim.set_value(value.si, spec.kept())

    def put_trim_on_focus(self) -> None:
        """Put the trim on the field that has the focus, or give the trim the focus."""
        for i, made in enumerate(self.fields):
            if made.edit.hasFocus() and self._specs[i].trim:
                self._on = i
                self.refresh()
                break
        if self.trim.isVisible():
            self.trim.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _moved(self, value: float) -> None:
        spec = self._specs[self._on]
        present = spec.get()
        unit = (present.unit or None) if present is not None else None
        try:
            spec.put(quantity(value, spec.dimension, unit))
            self._tell("")
        except OndaError as error:
            self._tell(str(error))

    def _tell(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    def _ended(self) -> None:
        self._document.end_gesture()
        self._tell("")
        self.refresh()
