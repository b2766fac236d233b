"""What is done to a bus by hand, each an undo step."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from onda.app.kit.editor import Editor
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, OwnLength
from onda.project.quantities import Quantity, parse_quantity
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

    def put_length(self, signal: str, piece: str, length: Quantity) -> None:
        """Another length of a piece that a signal has of its own."""
        bus = self._bus()
        signals = []
        for one in bus.signals:
            if one.id == signal:
                rest = tuple(x for x in one.lengths if x.id != piece)
                one = set_value(one, lengths=(*rest, OwnLength(id=piece, length=length)))
            signals.append(one)
        self._put(f"Change length of {bus.signal(signal).name}", signals=tuple(signals))

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
