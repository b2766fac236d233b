"""The inspector of a bus: its fields, what is measured, the chosen signal's lengths, and the sheet
of the device that listens."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.shell.asking import ask_open, ask_save
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.stages.buses.hand import BusHand
from onda.app.stages.buses.lengths_form import LengthsForm, pieces_of
from onda.app.stages.buses.sheet_form import SheetForm
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.buses.bus import Bus, Operation, SlewTable, TimingSheet
from onda.project.model import Design
from onda.studies.buses.bus import BusCase, BusResult

__all__ = ["BusInspector"]

_YES = {True: "yes", False: "no"}
_WORST = (("no", "not sent"), ("yes", "sent as well"))
_ALIKE = (("no", "for each corner"), ("yes", "alike in all"))
_SHEETS = "Timing sheets (*.json)"


class BusInspector(QWidget):
    """Fields and numbers of the bus in view."""

    def __init__(self, look: Look, hand: BusHand) -> None:
        super().__init__()
        self._hand = hand
        self._operation: Operation | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Bus", "title"))
        self.name = TextField("Name", hand.rename)
        self.rate = TextField("Rate", hand.put_rate, width=110)
        self.bits = TextField("Bits", hand.put_bits, width=110)
        self.typed = TextField("Pattern", hand.put_typed)
        self.typed.edit.setPlaceholderText("pseudo-random")
        self.step = TextField("Levelling step", hand.put_levelling, width=110)
        self.step.edit.setPlaceholderText("not moved")
        for field in (self.name, self.rate, self.bits, self.typed, self.step):
            layout.addWidget(field)
        self.ways = Choices(look)
        layout.addWidget(self.ways)
        layout.addWidget(Heading("Measured"))
        self.numbers = NumberRows(look)
        layout.addWidget(self.numbers)
        layout.addWidget(Heading("Lengths of the chosen signal"))
        self.lengths = LengthsForm(hand.put_length)
        layout.addWidget(self.lengths)
        layout.addWidget(Heading("What the listener asks"))
        self.sheet = SheetForm(self._put_sheet, self._ask_read, self._ask_write)
        layout.addWidget(self.sheet)
        layout.addStretch(1)
        self.show_case(None, None, None)

    def show_bus(self, bus: Bus) -> None:
        """Show the fields of a bus."""
        self.name.show_text(bus.name)
        self.rate.show_text(bus.rate.text)
        self.bits.show_text(str(bus.bits))
        self.typed.show_text(bus.typed)
        self.step.show_text(bus.levelling_step.text if bus.levelling_step is not None else "")

        self.ways.set_specs(
            [
                ChoiceSpec("Worst bits", _WORST, _YES[bus.worst], self._hand.put_worst),
                ChoiceSpec("Levels, strobes", _ALIKE, _YES[bus.alike], self._hand.put_alike),
            ]
        )

    def show_numbers(self, result: BusResult | None, then: BusResult | None) -> None:
        """Show what is measured beside a kept state; nothing without a result."""
        if result is None:
            self.numbers.set_rows([])
            return
        rows = []
        for title, name, dimension in (
            ("Set-up margin", "setup", "time"),
            ("Hold margin", "hold", "time"),
            ("Eye height", "height", "voltage"),
        ):
            now = result.least(name)
            was = then.least(name) if then is not None else None
            if now == now:
                kept = was if was is not None and was == was else None
                rows.append(NumberRows.si_row(title, now, dimension, kept))
        states = Counter(c.state for c in result.cases)
        for title, key in (("Cases that fail", "fails"), ("Without an answer", "unknown")):
            rows.append((title, str(states[key]), "", ""))
        self.numbers.set_rows(rows)

    def show_case(self, case: BusCase | None, bus: Bus | None, design: Design | None) -> None:
        """Show lengths of a case's signal and the sheet of its listener."""
        self._operation = None
        if case is None or bus is None or design is None or not _has(bus, case):
            self.lengths.show_signals([])
            self.sheet.show_sheet("", None)
            return
        data = bus.signal(case.signal)
        pair = (data, bus.signal(data.strobe))
        self.lengths.show_signals([(s, pieces_of(bus, design.path(s.path))) for s in pair])
        self._operation = bus.operation(case.operation)
        device = bus.device(self._operation.listens)
        owner = f"{device.name}, {self._operation.over}"
        self.sheet.show_sheet(owner, device.sheet_for(self._operation.over))

    # ---- the sheet

    @property
    def owner(self) -> str:
        """Whose sheet it is, and for what."""
        return self.sheet.owner.text()

    @property
    def asked(self) -> TimingSheet | None:
        """The sheet of the device that listens in the chosen case."""
        return self._hand.sheet_of(self._operation) if self._operation is not None else None

    def put_table(self, field: str, table: SlewTable | None) -> None:
        """Another table of slews in the sheet."""
        self._put_sheet(field, table)

    def _put_sheet(self, field: str, value: object) -> None:
        if self._operation is not None:
            sheet = self._hand.sheet_of(self._operation)
            self._hand.put_sheet(self._operation, set_value(sheet, **{field: value}))

    def _ask_read(self) -> None:
        path = ask_open(self, "Read timing sheet", _SHEETS)
        if path is not None:
            self.read_sheet(path)

    def _ask_write(self) -> None:
        path = ask_save(self, "Write timing sheet", "sheet.json", _SHEETS)
        if path is not None:
            self.write_sheet(path)

    def read_sheet(self, path: Path) -> None:
        """Take the sheet of a file for the device that listens."""
        if self._operation is not None:
            self._hand.take_sheet(self._operation, path)

    def write_sheet(self, path: Path) -> None:
        """Write the sheet of the device that listens."""
        if self._operation is not None:
            self._hand.write_sheet(self._operation, path)


def _has(bus: Bus, case: BusCase) -> bool:
    """Whether a case is still one of a bus that was edited meanwhile."""
    operation = next((o for o in bus.operations if o.id == case.operation), None)
    return operation is not None and case.signal in {s.id for s in bus.taken_in(operation)}
