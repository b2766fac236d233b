"""Pins of every signal at every device: what is set, what names propose, each to be chosen."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.shell.fields import ChoiceBox, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.buses.bus import Bus
from onda.project.buses.pins import PinRow, pin_rows

__all__ = ["PinsView", "pin_words"]

Pins = Sequence[tuple[str, str]]
_OF_PATH = "as in Paths"


def pin_words(bus: Bus, rows: Sequence[PinRow]) -> str:
    """How many pins are set or can be, and which signals no name fits."""
    if not rows:
        return "No device of this bus has a file with pins: choose one in Paths."
    given = sum(bool(r.set) for r in rows)
    more = sum(not r.set and bool(r.proposed) for r in rows)
    words = f"{given} of {len(rows)} pins are set"
    if more:
        words += f", {more} more are proposed by their names"
    lost: dict[str, list[str]] = {}
    for row in rows:
        if not row.fits:
            lost.setdefault(bus.signal(row.signal).name, []).append(bus.device(row.device).name)
    if lost:
        named = "; ".join(f"{signal} at {', '.join(at)}" for signal, at in list(lost.items())[:4])
        rest = f" and {len(lost) - 4} more signals" if len(lost) > 4 else ""
        words += f"; no name fits {named}{rest}"
    return f"{words}."


class PinsView(QWidget):
    """A list of signals, and below it the pins of the chosen one.

    `put(signal, device, pin)` sets one, an empty pin that of the path; `take()` all proposals.
    """

    def __init__(
        self, look: Look, put: Callable[[str, str, str], None], take: Callable[[], None]
    ) -> None:
        super().__init__()
        self._look, self._put = look, put
        self._bus: Bus | None = None
        self._files: Mapping[tuple[str, str], str] = {}
        self._pins: Mapping[str, Pins] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        head = QHBoxLayout()
        self.sentence = label("", "secondary", wrap=True)
        self.take = QPushButton("Take proposals")
        self.take.clicked.connect(lambda _: take())
        head.addWidget(self.sentence, 1)
        head.addWidget(self.take)
        layout.addLayout(head)
        self.list = Ledger(look, "Pins of signals", ())
        self.list.chosen.connect(self._choose)
        layout.addWidget(self.list, 1)
        self._row = QHBoxLayout()
        self.chosen = label("", "heading")
        self._row.addWidget(self.chosen)
        self._row.addStretch(1)
        layout.addLayout(self._row)
        self.boxes: dict[str, ChoiceBox] = {}
        self._made: list[QWidget] = []

    def show_bus(
        self, bus: Bus, files: Mapping[tuple[str, str], str], pins: Mapping[str, Pins]
    ) -> None:
        """Show a bus; `files` of its devices by (path, device), `pins` as (pin, its signal) by
        file."""
        self._bus, self._files, self._pins = bus, files, pins
        rows = pin_rows(bus, files, pins)
        has = {r.device for r in rows}
        devices = [d for d in bus.devices if d.id in has]
        self.sentence.setText(pin_words(bus, rows))
        self.take.setEnabled(any(not r.set and r.proposed for r in rows))
        by_place = {(r.signal, r.device): r for r in rows}
        share = 0.8 / max(len(devices), 1)
        self.list.set_columns((Column("signal", 0.2), *(Column(d.name, share) for d in devices)))
        t = self._look.t
        made = []
        for signal in bus.signals if devices else ():
            cells, inks = [signal.name], []
            for k, device in enumerate(devices, 1):
                row = by_place.get((signal.id, device.id))
                if row is None:
                    cells.append("no file")
                    inks.append((k, t.secondary))
                elif row.set:
                    cells.append(row.set)
                else:
                    cells.append(f"{row.proposed}?" if row.proposed else "none fits")
                    inks.append((k, t.secondary if row.proposed else t.fails))
            made.append(LedgerRow(signal.id, tuple(cells), tuple(inks)))
        self.list.set_rows(made)
        if not any(row.id == self.list.current for row in made):
            self.list.current = made[0].id if made else ""
        self._show_chosen()

    def _choose(self, signal: str) -> None:
        if signal:
            self.list.current = signal
            self.list.update()
            self._show_chosen()

    def _show_chosen(self) -> None:
        bus, signal = self._bus, self.list.current
        for widget in self._made:
            self._row.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self.boxes, self._made = {}, []
        if bus is None or not signal:
            self.chosen.setText("")
            return
        self.chosen.setText(bus.signal(signal).name)
        for device in bus.devices:
            file = self._files.get((bus.signal(signal).path, device.id), "")
            some = self._pins.get(file)
            if not some:
                continue
            box = ChoiceBox(self._look, 150)
            box.setAccessibleName(f"{bus.signal(signal).name}, {device.name}")
            box.addItem(_OF_PATH, "")
            now = bus.signal(signal).pin_at(device.id)
            known = {pin for pin, _ in some}
            for pin, name in (*some, *(((now, "not in its file"),) if now not in known else ())):
                if pin:
                    box.addItem(f"{pin} · {name}", pin)
            box.setCurrentIndex(max(box.findData(now), 0))
            box.activated.connect(partial(self._put_chosen, device.id))
            for widget in (label(device.name, "secondary"), box):
                self._row.insertWidget(self._row.count() - 1, widget)
                self._made.append(widget)
            self.boxes[device.id] = box

    def _put_chosen(self, device: str, _: int) -> None:
        self._put(self.list.current, device, str(self.boxes[device].currentData() or ""))
