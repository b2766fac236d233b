"""A card above the margin strip: put a limit on a measure of what is on screen."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.kit.explain import measure_words
from onda.app.shell.fields import ChoiceBox, Entry, label
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.kind import Ref
from onda.project.kinds import KINDS, find
from onda.project.measures import measure, measures_of
from onda.project.quantities import DIMENSIONS
from onda.project.requirement_edits import require

__all__ = ["LimitCard"]


class LimitCard(QFrame):
    """Measure, place, limit and where the limit comes from."""

    def __init__(self, parent: QWidget, look: Look, document: Document) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self._document = document
        self._ref: Ref | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 12)
        self.title = label("", "heading")
        layout.addWidget(self.title)
        self.measure = ChoiceBox(look, 190)
        self.measure.activated.connect(lambda _: self._show_measure())
        self.place = ChoiceBox(look, 190)
        self.limit, self.source = Entry(), Entry()
        self.limit.setFixedWidth(190)
        self.source.setFixedWidth(190)
        self.source.setPlaceholderText("data sheet, standard")
        self._rows: dict[str, QWidget] = {}
        for title, entry in (
            ("Measure", self.measure),
            ("Where", self.place),
            ("Limit", self.limit),
            ("Source", self.source),
        ):
            entry.setAccessibleName(title)
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(label(title), 1)
            line.addWidget(entry)
            layout.addWidget(row)
            self._rows[title] = row
        self.hint = label("", "secondary", wrap=True)
        layout.addWidget(self.hint)
        self.problem = label("", "error", wrap=True)
        layout.addWidget(self.problem)
        self.put = QPushButton("Require it")
        self.put.setObjectName("primary")
        self.put.clicked.connect(lambda: self._put())
        for entry in (self.limit, self.source):
            entry.returnPressed.connect(self._put)
        layout.addWidget(self.put, 0, Qt.AlignmentFlag.AlignLeft)
        self.setFixedWidth(300)
        self._done: Callable[[], None] = lambda: None

    def show_for(self, ref: Ref, point: QPoint) -> bool:
        """Show it for an object, its corner at a point; False where it has no measure."""
        offered = measures_of(ref.kind)
        if not offered:
            return False
        self._ref = ref
        item = find(self._document.project.design, ref)
        self.title.setText(f"Require something of {item.name}")
        self.measure.clear()
        for m in offered:
            self.measure.addItem(m.title, m.key)
        self.place.clear()
        for key, words in KINDS[ref.kind].places(item):
            self.place.addItem(words, key)
        self._rows["Where"].setVisible(self.place.count() > 0)
        self.limit.setText("")
        self.problem.setText("")
        self._show_measure()
        self.adjustSize()
        self.move(point - QPoint(0, self.height()))
        self.show()
        self.measure.setFocus()
        return True

    def _show_measure(self) -> None:
        chosen = measure(str(self.measure.currentData()))
        info = DIMENSIONS[chosen.dimension]
        sign = ">= " if chosen.worse == "smaller" else ""
        both = "90 to 110 ohm" if chosen.dimension == "resistance" else f"{sign}0.3 {info.shown}"
        self.limit.setPlaceholderText(both)
        how = f"{measure_words(chosen.key)} "
        self.hint.setText(
            f"{how}A value alone is the most it may be; >= before it the least; two with "
            f"to between them are both. Units: {info.units}."
        )

    def _put(self) -> None:
        assert self._ref is not None
        key, place = str(self.measure.currentData()), str(self.place.currentData() or "")
        if not self.limit.text().strip():
            self.problem.setText("Type a limit first.")
            return
        try:
            new = require(
                self._document.project,
                self._ref.id,
                key,
                self.limit.text(),
                place=place,
                source=self.source.text().strip(),
            )
            self._document.edit(f"Require {measure(key).title.lower()}", new)
        except OndaError as error:
            self.problem.setText(str(error))
            self.adjustSize()
            return
        self.hide()
