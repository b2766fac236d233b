"""Reference levels of every lane beside its strobe's distance from the clock."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from onda.app.kit.surface import scrolled
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.stages.buses.level_chart import LevelChart, level_rows
from onda.app.theme import Look
from onda.project.quantities import fixed
from onda.studies.buses.bus import BusResult
from onda.studies.buses.levelling import Levelled

__all__ = ["LevelsView", "clock_words"]


def _ps(seconds: float) -> str:
    return f"{fixed(1e12 * seconds, 0)} ps" if math.isfinite(seconds) else ""


def clock_words(levelled: tuple[Levelled, ...]) -> str:
    """How near strobes come to their clock."""
    if not levelled:
        return (
            "No strobe is held against a clock: there is no operation over address to a device "
            "that data are sent to."
        )
    lost = [one for one in levelled if one.failure]
    if lost:
        one = lost[0]
        return f"{one.lane_name}, {one.operation_name}, {one.corner}: {one.failure}."
    worst = min(levelled, key=lambda one: one.room)
    name = f"{worst.lane_name}, {worst.operation_name}, {worst.corner}"
    left = f"the clock comes {_ps(worst.left)} later than the moved strobe in {name}"
    if math.isinf(worst.room):
        return f"At most {left}; no sheet says how far it may come."
    holds = "with room of" if worst.room >= 0.0 else "too far by"
    return f"At most {left}, {holds} {_ps(abs(worst.room))}."


class LevelsView(QWidget):
    """A chart and a list."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        layout.setSpacing(16)
        left, right = QVBoxLayout(), QVBoxLayout()
        self.chart = LevelChart(look)
        left.addWidget(label("Eyes at the strobe, and the level in them", "heading"))
        self._room: QScrollArea = scrolled(self.chart)
        left.addWidget(self._room, 1)
        self.sentence = label("", "secondary", wrap=True)
        columns = (
            Column("strobe", 0.15), Column("operation", 0.2), Column("corner", 0.12),
            Column("clock later", 0.2, True), Column("moved by", 0.18, True),
            Column("room", 0.15, True),
        )  # fmt: skip
        self.list = Ledger(look, "Strobes beside the clock", columns)
        right.addWidget(label("Strobes beside the clock", "heading"))
        right.addWidget(self.sentence)
        right.addWidget(self.list, 1)
        layout.addLayout(left, 5)
        layout.addLayout(right, 6)

    def show_result(self, result: BusResult | None) -> None:
        """Show a result; nothing where there is none."""
        if result is None:
            self.chart.show_rows([])
            self.list.set_rows([])
            self.sentence.setText("")
            return
        self.chart.show_rows(level_rows(result))
        self.sentence.setText(clock_words(result.levelled))
        t = self._look.t
        self.list.set_rows(
            [
                LedgerRow(
                    f"{one.lane}/{one.operation}/{one.corner}",
                    (
                        one.lane_name, one.operation_name, one.corner, _ps(one.late),
                        _ps(one.moved), _ps(one.room),
                    ),
                    ((5, t.fails),) if one.state == "fails" else (),
                )
                for one in result.levelled
            ]
        )  # fmt: skip
