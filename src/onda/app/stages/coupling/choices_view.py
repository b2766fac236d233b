"""What else could be done about a group: what each choice would bring to the receiver looked at."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.coupling.choices import GroupChoices

__all__ = ["ChoicesView", "choice_words"]

_LOUD_DB = 1.0
"""A rise that is worth a word."""


def _signed(db: float) -> str:
    return f"{db:+.1f} dB".replace("-", "−")


class ChoicesView(QWidget):
    """A list of choices, the quietest first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        self.list = Ledger(
            look,
            "Instead",
            (
                Column("instead", 0.29),
                Column("noise here", 0.145, True),
                Column("against now", 0.165, True),
                Column("at worst", 0.13, True),
                Column("rises most", 0.27, True),
            ),
        )
        layout.addWidget(self.list, 1)

    def show_result(self, found: GroupChoices | None, victim: int) -> None:
        """Show what each choice brings to a receiver; nothing while it is not known."""
        t = self._look.t
        rows = []
        for k, one in enumerate(found.choices if found is not None else ()):
            db, rise = float(one.change_db[victim]), float(one.rise_db[victim])
            most = f"{_signed(rise)}, {one.rise_at[victim] * 1e-9:.3g} GHz"
            cells = (
                one.words,
                format_si(float(one.noise[victim]), "voltage"),
                _signed(db),
                format_si(float(one.noise.max()), "voltage"),
                most if rise > _LOUD_DB else "nowhere",
            )
            color = t.holds if db < -0.05 else t.fails if db > 0.05 else t.secondary
            rows.append(LedgerRow(str(k), cells, ((2, color),)))
        self.list.set_rows(rows)


def choice_words(found: GroupChoices | None, victim: int, why_not: str) -> str:
    """The best choice for a receiver, and what resonates although it is quieter."""
    if found is None:
        return why_not or "Working out what else could be done…"
    if not found.choices:
        return "Nothing else can be done about this group here."
    best = min(found.choices, key=lambda c: float(c.noise[victim]))
    db = float(best.change_db[victim])
    name = found.lanes[victim]
    if db > -0.05:
        words = f"Nothing of this makes {name} quieter."
    else:
        words = f"{name} would be quietest with: {best.words}, {_signed(db)}."
    rings = [c for c in found.choices if c.change_db[victim] < 0.0 and c.rise_db[victim] > _LOUD_DB]
    if rings:
        one = max(rings, key=lambda c: float(c.rise_db[victim]))
        words += (
            f" With {one.words} it is quieter in all, but {_signed(float(one.rise_db[victim]))} "
            f"louder at {one.rise_at[victim] * 1e-9:.3g} GHz."
        )
    return words
