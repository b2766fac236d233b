"""What is left of a link's eye in every corner, its settings kept."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.links.corners import LinkCorners

__all__ = ["CornersView", "corner_words"]


def corner_words(found: LinkCorners | None, why_not: str) -> str:
    """The worst corner, and what it costs."""
    if found is None:
        return why_not or "Working out every corner…"
    here, worst = found.points[0], found.points[found.worst]
    if worst.why:
        return f"No eye in the corner {found.names[found.worst]}: {worst.why}"
    if found.worst == 0:
        return f"The eye is nowhere smaller than as it is, {format_si(here.height, 'voltage')}."
    less = format_si(here.height - worst.height, "voltage")
    left = format_si(worst.height, "voltage") if worst.height > 0.0 else "closed"
    return f"Least in the corner {found.names[found.worst]}: {left}, {less} less than as it is."


class CornersView(QWidget):
    """A list, the least eye first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        columns = (
            Column("corner", 0.36), Column("height", 0.16, True), Column("more height", 0.16, True),
            Column("width", 0.16, True), Column("signal over all", 0.16, True),
        )  # fmt: skip
        self.list = Ledger(look, "Corners", columns)
        layout.addWidget(self.list, 1)

    def show_corners(self, found: LinkCorners | None, why_not: str) -> None:
        """Show the corners; why they are not known where they are not."""
        self.sentence.setText(corner_words(found, why_not))
        if found is None:
            self.list.set_rows([])
            return
        t, here = self._look.t, found.points[0]
        order = sorted(
            range(len(found.points)),
            key=lambda k: -math.inf if found.points[k].why else found.points[k].height,
        )
        rows = []
        for k in order:
            point = found.points[k]
            if point.why:
                rows.append(
                    LedgerRow(str(k), (found.names[k], "none", "", "", ""), ((1, t.fails),))
                )
                continue
            more = 1e3 * (point.height - here.height)
            cells = (
                found.names[k],
                format_si(point.height, "voltage") if point.height > 0.0 else "closed",
                f"{more:+.1f} mV".replace("-", "\u2212") if k else "",
                f"{point.width:.3f} UI",
                f"{point.merit:.1f} dB".replace("-", "\u2212"),
            )
            ink = ((1, t.fails),) if point.height <= 0.0 else ()
            rows.append(LedgerRow(str(k), cells, ink))
        self.list.set_rows(rows)
