"""What is done to a bus by hand, each an undo step."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from onda.app.kit.editor import Editor
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, Operation, OwnLength, TimingSheet
from onda.project.buses.edits import with_sheet, with_signal
from onda.project.buses.pins import PinRow, with_pins
from onda.project.buses.sheet_file import load_sheet, sheet_text
from onda.project.quantities import Quantity, parse_quantity
from onda.project.writing import write_atomically
from onda.studies.buses.search import with_models

__all__ = ["BusHand"]


class BusHand:
    """Edits of the bus in view."""

    def __init__(self, editor: Editor, bus: Callable[[], Bus]) -> None:
        self._editor, self._bus = editor, bus

    def _put(self, what: str, **changes: object) -> None:
        self._editor.put(what, set_value(self._bus(), **changes))

    def rename(self, name: str) -> None:
        """Another name."""
        self._put("Rename bus", name=name)

    def put_rate(self, typed: str) -> None:
        """Another rate."""
        self._put("Change rate", rate=parse_quantity(typed, "data rate", "Gb/s"))

    def put_bits(self, typed: str) -> None:
        """Another number of bits in each case."""
        if not typed.strip().isdecimal():
            raise InputError(f"{typed[:20]!r} is no number of bits", remedy="From 16 to 4096.")
        self._put("Change bits", bits=int(typed))

    def put_typed(self, typed: str) -> None:
        """Other bits to send, over and over; none for pseudo-random ones."""
        self._put("Change pattern", typed=typed.replace(" ", ""))

    def put_length(self, signal: str, piece: str, length: Quantity) -> None:
        """Another length of a piece that a signal has of its own."""
        bus = self._bus()
        one = bus.signal(signal)
        rest = tuple(x for x in one.lengths if x.id != piece)
        lengths = (*rest, OwnLength(id=piece, length=length))
        self.put_bus(f"Change length of {one.name}", with_signal(bus, signal, lengths=lengths))

    def put_pin(self, signal: str, device: str, pin: str) -> None:
        """Another pin of a signal at a device, empty for that of the path."""
        bus = self._bus()
        name = f"{bus.signal(signal).name} at {bus.device(device).name}"
        self._put(f"Change pin of {name}", signals=with_pins(bus, {(signal, device): pin}))

    def take_pins(self, rows: Sequence[PinRow]) -> None:
        """Pins that names propose, where none is set."""
        bus = self._bus()
        pins = {(r.signal, r.device): r.proposed for r in rows if r.proposed and not r.set}
        self._editor.run(lambda: self._put("Take pins", signals=with_pins(bus, pins)))

    def put_worst(self, chosen: str) -> None:
        """Whether the worst bits are sent as well."""
        self._editor.run(lambda: self._put("Change worst bits", worst=chosen == "yes"))

    def put_alike(self, chosen: str) -> None:
        """Whether levels and strobes are set once for all corners."""
        self._editor.run(lambda: self._put("Change levels, strobes", alike=chosen == "yes"))

    def put_bus(self, what: str, new: Bus) -> None:
        """Another bus in its place; raise `InputError` where it does not fit."""
        self._editor.put(what, new)

    def attempt_bus(self, what: str, make: Callable[[], Bus]) -> bool:
        """Another bus in its place; say why where it is refused, and whether it was not."""
        return self._editor.attempt_put(what, make)

    def put_levelling(self, typed: str) -> None:
        """Another step of strobes towards their clock; empty for none."""
        step = parse_quantity(typed, "time", "ps") if typed else None
        self._put("Change levelling", levelling_step=step)

    def sheet_of(self, operation: Operation) -> TimingSheet:
        """The sheet of the device that listens in an operation."""
        sheet = self._bus().device(operation.listens).sheet_for(operation.over)
        assert sheet is not None
        return sheet

    def put_sheet(self, operation: Operation, sheet: TimingSheet) -> None:
        """Another sheet of the device that listens in an operation."""
        bus = self._bus()
        new = with_sheet(bus, operation.listens, operation.over, sheet)
        self.put_bus(f"Change sheet of {bus.device(operation.listens).name}", new)

    def take_sheet(self, operation: Operation, path: Path) -> None:
        """The sheet of a file."""
        self._editor.run(lambda: self.put_sheet(operation, load_sheet(path).sheet))

    def write_sheet(self, operation: Operation, path: Path) -> None:
        """The sheet as a file."""
        name = self._bus().device(operation.listens).name
        text = sheet_text(name, self.sheet_of(operation))
        self._editor.run(lambda: write_atomically(path, text.encode()))

    def put_setting(self, operation: str, device: str, model: str) -> None:
        """Another model of a device in an operation, or that of its path."""
        name = self._bus().device(device).name
        self._change(f"Change {name}", operation, (device,), (model,))

    def take_models(self, operation: str, devices: Sequence[str], models: Sequence[str]) -> None:
        """Other models of several devices in an operation."""
        self._change("Take strengths", operation, devices, models)

    def _change(
        self, what: str, operation: str, devices: Sequence[str], models: Sequence[str]
    ) -> None:
        def act() -> None:
            operations = tuple(
                with_models(o, devices, models) if o.id == operation else o
                for o in self._bus().operations
            )
            self._put(what, operations=operations)

        self._editor.run(act)
