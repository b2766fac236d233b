"""What each source of stress costs a link, and what each equaliser earns it."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.links.costs import LinkCosts

__all__ = ["CostsView", "cost_words"]


def _signed(value: float, digits: int) -> str:
    return f"{value:+.{digits}f}".replace("-", "−")


def cost_words(found: LinkCosts | None, why_not: str) -> str:
    """What costs most, and what earns most."""
    if found is None:
        return why_not or "Working out what each thing costs…"
    parts = []
    stress = [c for c in found.costs if not c.is_help]
    helps = [c for c in found.costs if c.is_help]
    unit = found.unit_interval
    if stress:
        most = max(stress, key=lambda c: c.width)
        gain = (most.width - found.width) / unit
        parts.append(f"{most.what.capitalize()} costs most width, {gain:.3f} UI.")
    if helps:
        best = min(helps, key=lambda c: c.height)
        earned = format_si(found.height - best.height, "voltage")
        parts.append(f"{best.what.capitalize()} earns most height, {earned}.")
    return " ".join(parts) or "Nothing shakes this link, and nothing helps it: set either first."


class CostsView(QWidget):
    """A list, what moves most first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        columns = (
            Column("without", 0.32),
            Column("height", 0.17, True),
            Column("more height", 0.17, True),
            Column("width", 0.17, True),
            Column("more width", 0.17, True),
        )
        self.list = Ledger(look, "Without one thing at a time", columns)
        layout.addWidget(self.list, 1)

    def show_costs(self, found: LinkCosts | None, why_not: str) -> None:
        """Show what each thing costs; why it is not known where it is not."""
        t = self._look.t
        self.sentence.setText(cost_words(found, why_not))
        rows = []
        for k, one in enumerate(found.costs if found is not None else ()):
            assert found is not None
            unit = found.unit_interval
            higher, wider = one.height - found.height, (one.width - found.width) / unit
            cells = (
                one.what,
                format_si(one.height, "voltage") if one.height > 0.0 else "closed",
                f"{_signed(1e3 * higher, 1)} mV",
                f"{one.width / unit:.3f} UI",
                f"{_signed(wider, 3)} UI",
            )
            color = t.fails if one.is_help and higher < 0.0 else t.holds
            rows.append(LedgerRow(str(k), cells, ((2, color), (4, color))))
        self.list.set_rows(rows)
