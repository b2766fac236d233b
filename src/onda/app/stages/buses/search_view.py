"""What every choice of strengths and terminations would bring to the chosen case's signal."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import fixed, format_si
from onda.studies.buses.search import BusSearch

__all__ = ["SearchView", "search_words"]


def _ps(seconds: float) -> str:
    if not math.isfinite(seconds):
        return "no eye"
    return f"{fixed(1e12 * seconds, 0)} ps"


def search_words(found: BusSearch | None, why_not: str) -> str:
    """The best choice against the present one, and how flat it is around it."""
    if found is None:
        return why_not or "Trying every strength and termination…"
    best, worst = found.best, found.worst
    if not math.isfinite(worst[best]):
        return "No choice gives this signal an answer."
    if worst[best] <= worst[found.now]:
        words = f"Nothing of {len(found.choices)} is better than the present {_ps(worst[best])}"
    else:
        named = zip(found.devices, found.choices[best], strict=True)
        models = ", ".join(f"{device} {model}" for device, model in named)
        words = (
            f"Best of {len(found.choices)}: {models}, {_ps(worst[best])} "
            f"against {_ps(worst[found.now])} now"
        )
    near = f"{found.near} come within a tenth of it" if found.near > 1 else "none comes near it"
    device, cost = found.steepest
    steep = f"; another {device} costs {_ps(cost)} at least" if device else ""
    return f"{words}; {near}{steep}."


class SearchView(QWidget):
    """A list, the best first.

    Signals
    -------
    taken(ids, models) : the chosen row's models, device by device
    """

    taken = pyqtSignal(tuple, tuple)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._found: BusSearch | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        head = QHBoxLayout()
        self.sentence = label("", "secondary", wrap=True)
        head.addWidget(self.sentence, 1)
        self.take = QPushButton("Take this one")
        self.take.clicked.connect(self._take)
        head.addWidget(self.take)
        layout.addLayout(head)
        self.list = Ledger(look, "Strengths and terminations", _columns(()))
        self.list.chosen.connect(self._choose)
        layout.addWidget(self.list, 1)
        self.show_search(None, "")

    def show_search(self, found: BusSearch | None, why_not: str) -> None:
        """Show what was found; why there is nothing where there is not."""
        self._found = found
        self.sentence.setText(search_words(found, why_not))
        self.take.setEnabled(False)
        if found is None:
            self.list.set_rows([])
            return
        t = self._look.t
        self.list.set_columns(_columns(found.devices))
        rows = []
        for k in found.order:
            here = "\u25b8 " if k == found.now else ""
            first, *rest = found.choices[k]
            answered = math.isfinite(found.worst[k])
            cells = (
                f"{here}{first}", *rest, _ps(found.setup[k]), _ps(found.hold[k]),
                format_si(found.height[k], "voltage") if answered else "",
            )  # fmt: skip
            fails = not found.worst[k] >= 0.0
            at = len(found.devices)
            rows.append(LedgerRow(str(k), cells, ((at, t.fails), (at + 1, t.fails)) * fails))
        self.list.set_rows(rows)
        self._choose(str(found.best))

    def _choose(self, row: str) -> None:
        if row and self._found is not None:
            self.list.current = row
            self.take.setEnabled(int(row) != self._found.now)
            self.list.update()

    def _take(self) -> None:
        if self._found is not None and self.list.current:
            self.taken.emit(self._found.ids, self._found.choices[int(self.list.current)])


def _columns(devices: Sequence[str]) -> tuple[Column, ...]:
    share = 0.58 / max(len(devices), 1)
    return (
        *(Column(name, share) for name in devices),
        Column("set-up", 0.14, True),
        Column("hold", 0.14, True),
        Column("height", 0.14, True),
    )
