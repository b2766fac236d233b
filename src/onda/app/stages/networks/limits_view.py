"""Limits of a network in a table: measure, range, formula, source; sets that projects share."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path as FilePath

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.shell.asking import ask_open, ask_save
from onda.app.shell.fields import ChoiceBox, TextField, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.errors import InputError, OndaError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.limit_text import range_of, range_text
from onda.project.measures import measure, measures_of
from onda.project.networks.limit_sets import (
    LimitSet,
    add_range,
    apply_set,
    change_range,
    read_set,
    set_from,
    set_text,
    shipped_sets,
)
from onda.project.requirement_edits import require
from onda.project.requirements import Requirement
from onda.project.writing import write_atomically
from onda.studies.core.margin import Margin

__all__ = ["LimitsView"]


class LimitsView(QWidget):
    """The table and an entry line below it."""

    def __init__(self, look: Look, document: Document, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._look, self._document, self._tell = look, document, tell
        self._subject = ""
        self._at: tuple[str, int] | None = None
        self._sets: list[LimitSet] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        columns = (
            Column("Measure", 1.1),
            Column("Limit", 2.6),
            Column("Now", 1.0, True),
            Column("State", 0.6),
            Column("Source", 1.5),
        )
        self.ledger = Ledger(look, "Limits", columns)
        self.ledger.chosen.connect(self._choose)
        layout.addWidget(self.ledger, 1)
        row = QHBoxLayout()
        self.measure = ChoiceBox(look, 150)
        self.measure.setAccessibleName("Measure")
        for what in measures_of("network"):
            self.measure.addItem(what.title, what.key)
        self.measure.activated.connect(lambda _: self._forget())
        row.addWidget(self.measure)
        self.entry = TextField("", self._typed, width=430)
        self.entry.edit.setAccessibleName("Limit")
        row.addWidget(self.entry, 1)
        self.source = TextField("Source", self._source_typed, width=120)
        row.addWidget(self.source)
        layout.addLayout(row)
        self.hint = label("", "secondary", wrap=True)
        layout.addWidget(self.hint)
        row = QHBoxLayout()
        row.addWidget(label("Sets", "heading"))
        self.sets = ChoiceBox(look, 230)
        self.sets.setAccessibleName("Requirement sets")
        row.addWidget(self.sets)
        for words, act, tip in (
            ("Use this set", self._use, "Put its limits on this network"),
            ("Open set…", self._open, "Read a set from a JSON file"),
            ("Save as set…", self._save, "Write this network's limits for other projects"),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _, act=act: self._try(act))
            row.addWidget(button)
        row.addStretch(1)
        layout.addLayout(row)
        self._forget()

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
            self._tell("")
        except OndaError as error:
            self._tell(str(error))

    def show_limits(self, subject: str, margins: Sequence[Margin]) -> None:
        """Show the limits of a network with how it stands to each."""
        if subject != self._subject:
            self._subject = subject
            self._forget()
        if not self._sets:
            self._sets = shipped_sets()
            for found in self._sets:
                self.sets.addItem(found.name)
        by_id = {m.requirement: m for m in margins}
        t = self._look.t
        inks = {"holds": t.holds, "tight": t.tight_ink, "fails": t.fails, "unknown": t.secondary}
        rows = []
        for r in self._requirements():
            margin = by_id.get(r.id)
            state = margin.state.value if margin else "unknown"
            now = margin.value_text if margin else ""
            state += ", but see Quality" if margin and margin.doubts else ""
            lines = [range_text(x) for x in r.ranges]
            if r.at_least is not None or r.at_most is not None:
                lines.append(_plain(r))
            for k, line in enumerate(lines):
                first = k == 0
                rows.append(
                    LedgerRow(
                        f"{r.id} {k}",
                        (
                            measure(r.measure).title if first else "",
                            line.replace(">=", "≥").replace("<=", "≤"),
                            now if first else "",
                            state if first else "",
                            r.source if first else "",
                        ),
                        ((3, inks[margin.state.value if margin else "unknown"]),),
                    )
                )
        self.ledger.set_rows(rows)

    def _requirements(self) -> list[Requirement]:
        return [
            r for r in self._document.project.requirements if r.ref == Ref("network", self._subject)
        ]

    def _found(self) -> Requirement | None:
        if self._at is None:
            return None
        return next((r for r in self._requirements() if r.id == self._at[0]), None)

    def _choose(self, row: str) -> None:
        identifier, _, index = row.rpartition(" ")
        self._at = identifier, int(index)
        found = self._found()
        if found is None:
            return
        self.measure.setCurrentIndex(self.measure.findData(found.measure))
        k = self._at[1]
        words = range_text(found.ranges[k]) if k < len(found.ranges) else _plain(found)
        self.entry.show_text(words)
        self.source.show_text(found.source)
        self._hint()

    def _forget(self) -> None:
        self._at = None
        self.ledger.current = ""
        self.entry.show_text("")
        self.source.show_text("")
        self._hint()

    def _hint(self) -> None:
        curve = measure(self.measure.currentData()).curve
        example = (
            "50 MHz to 4 GHz: <= -12 + 2*f, f in GHz; or <= -20 dB everywhere"
            if curve
            else "<= 2 ps, >= 99.9 %, or 85 to 115 ohm"
        )
        what = "Changes the chosen limit; empty takes it away." if self._at else "Adds a limit."
        self.hint.setText(f"{what} Write {example}.")

    def _typed(self, typed: str) -> None:
        document, found = self._document, self._found()
        key = str(self.measure.currentData())
        if ":" in typed or (found is not None and self._at and self._at[1] < len(found.ranges)):
            new = range_of(typed)
            if found is None:
                if new is None:
                    return
                changed = add_range(document.project, self._subject, key, new)
                document.edit("Add limit", changed)
            else:
                assert self._at is not None
                document.edit(
                    "Change limit", change_range(document.project, found.id, self._at[1], new)
                )
        else:
            kind = found.measure if found is not None else key
            if not typed.strip() and found is None:
                return
            document.edit(
                "Change limit",
                require(document.project, self._subject, kind, typed),
            )
        self._forget()

    def _source_typed(self, typed: str) -> None:
        found = self._found()
        if found is None:
            raise InputError("choose a limit first")
        project = self._document.project
        changed = set_value(found, source=typed.strip())
        every = tuple(changed if r is found else r for r in project.requirements)
        self._document.edit("Change source", set_value(project, requirements=every))

    # ---- sets

    def _use(self) -> None:
        found = self._sets[max(self.sets.currentIndex(), 0)]
        changed = apply_set(self._document.project, self._subject, found)
        self._document.edit(f"Use {found.name}", changed)

    def _open(self) -> None:
        path = ask_open(self, "Open set", "Requirement sets (*.json)")
        if path is not None:
            self.open_set(path)

    def open_set(self, path: FilePath) -> None:
        """Read a set from a file and offer it."""
        try:
            if path.stat().st_size > 10_000_000:
                raise InputError("is too large for a set", file=path.name)
            text = path.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise InputError(f"cannot be read ({error})", file=path.name) from error
        found = read_set(text, path.name)
        self._sets.append(found)
        self.sets.addItem(found.name)
        self.sets.setCurrentIndex(self.sets.count() - 1)

    def _save(self) -> None:
        path = ask_save(self, "Save set", "limits.json", "Requirement sets (*.json)")
        if path is not None:
            self.save_set(path)

    def save_set(self, path: FilePath) -> None:
        """Write the limits of this network as a set."""
        limits = set_from(self._document.project, self._subject, path.stem)
        write_atomically(path, set_text(limits).encode())


def _plain(requirement: Requirement) -> str:
    low, high = requirement.at_least, requirement.at_most
    if low is not None and high is not None:
        return f"{low.text} to {high.text}"
    return f">= {low.text}" if low is not None else f"<= {high.text}" if high is not None else ""
