"""Joins the views of the Buses stage to the document and the studies."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.buses.case_map import CaseMap, case_words
from onda.app.stages.buses.case_view import CaseView
from onda.app.stages.buses.lengths_form import LengthsForm, pieces_of
from onda.app.stages.buses.search_view import SearchView
from onda.app.stages.buses.settings_table import SettingsTable
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, EndSetting, OwnLength
from onda.project.files import content_of
from onda.project.kind import Ref
from onda.project.model import Design
from onda.project.quantities import Quantity, parse_quantity
from onda.studies.buses.bus import BUS, BusCase, BusResult
from onda.studies.buses.inputs import BusInputs, bus_inputs
from onda.studies.buses.search import BUS_SEARCH, BusSearch, search_inputs, with_models
from onda.studies.buses.seen import BUS_SEEN, CaseSeen
from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs, DeviceSummary

__all__ = ["BusesStage"]


class BusesStage(OneResultStage[BusResult]):
    """Buses."""

    margins_title = "this bus"
    add_title = "Make a bus"
    makes = ("bus",)

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look = context.look
        self.add_keep_button()
        row = QHBoxLayout()
        self.sentence = label("", "heading", wrap=True)
        row.addWidget(self.sentence, 1)
        self.sort = QCheckBox("Worst first")
        row.addWidget(self.sort)
        self.surface.body.addLayout(row)
        self.map = CaseMap(look)
        self.sort.toggled.connect(self.map.sort)
        self.table = SettingsTable(look, self.put_setting)
        self.case_title = label("", "heading", wrap=True)
        self.views = Views(
            [
                View("case", "Eye at the strobe", lambda: CaseView(look)),
                View("search", "Strengths tried", self._make_search),
            ],
            "Views of a case",
        )
        self.views.turned.connect(lambda _: self._ask_case())
        upper, lower = QWidget(), QWidget()
        above, below = QVBoxLayout(upper), QVBoxLayout(lower)
        for box in (above, below):
            box.setContentsMargins(0, 0, 0, 0)
        above.addWidget(self.map, 1)
        above.addWidget(label("What each device is in each operation", "heading"))
        above.addWidget(self.table)
        above.addStretch()
        title = QHBoxLayout()
        title.addWidget(self.case_title, 1)
        title.addWidget(self.views.chips)
        below.addLayout(title)
        below.addWidget(self.views.stack, 1)
        self.views.show_first()
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.addWidget(upper)
        halves.addWidget(lower)
        halves.setSizes([400, 240])
        # What a larger window has more of goes to the plots.
        halves.setStretchFactor(0, 0)
        halves.setStretchFactor(1, 1)
        self.surface.body.addWidget(halves, 1)
        self.surface.veil_over((halves,))
        self.map.chosen.connect(lambda _: self._ask_case())
        self.models: dict[str, tuple[str, ...]] = {}
        self.inspector = scrolled(self._build_inspector())

    @property
    def case_view(self) -> CaseView:
        """The eye of the chosen case."""
        return self.views.get("case", CaseView)

    def _make_search(self) -> SearchView:
        view = SearchView(self.context.look)
        view.taken.connect(self.take_models)
        return view

    def _build_inspector(self) -> QWidget:
        content = QWidget()
        layout = QVBoxLayout(content)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Bus", "title"))
        self.name = TextField("Name", lambda typed: self._set("Rename bus", name=typed))
        self.rate = TextField("Rate", self._put_rate, width=110)
        self.bits = TextField("Bits", self._put_bits, width=110)
        for field in (self.name, self.rate, self.bits):
            layout.addWidget(field)
        layout.addWidget(Heading("Measured"))
        self.numbers = NumberRows(self.context.look)
        layout.addWidget(self.numbers)
        layout.addWidget(Heading("Reference levels"))
        self.levels = NumberRows(self.context.look)
        layout.addWidget(self.levels)
        layout.addWidget(Heading("Lengths of the chosen signal"))
        self.lengths = LengthsForm(self.put_length)
        layout.addWidget(self.lengths)
        layout.addStretch(1)
        return content

    # ---- edits

    @property
    def bus(self) -> Bus | None:
        """The bus in view."""
        found: Bus | None = self.subject.item
        return found

    @property
    def _present(self) -> Bus:
        bus = self.bus
        assert bus is not None
        return bus

    def _set(self, what: str, **changes: object) -> None:
        self.editor.put(what, set_value(self._present, **changes))

    def _put_rate(self, typed: str) -> None:
        self._set("Change rate", rate=parse_quantity(typed, "data rate", "Gb/s"))

    def _put_bits(self, typed: str) -> None:
        if not typed.strip().isdecimal():
            raise InputError(f"{typed[:20]!r} is no number of bits", remedy="From 16 to 4096.")
        self._set("Change bits", bits=int(typed))

    def put_setting(self, operation: str, device: str, model: str) -> None:
        """Another model of a device in an operation."""

        def act() -> None:
            bus = self._present
            operations = []
            for one in bus.operations:
                if one.id == operation:
                    rest = tuple(s for s in one.settings if s.id != device)
                    new = (EndSetting(id=device, model=model),) if model else ()
                    one = set_value(one, settings=(*rest, *new))
                operations.append(one)
            name = bus.device(device).name
            self.editor.put(f"Change {name}", set_value(bus, operations=tuple(operations)))

        self.editor.run(act)

    def put_length(self, signal: str, piece: str, length: Quantity) -> None:
        """Another length of a piece that a signal has of its own."""
        bus = self._present
        signals = []
        for one in bus.signals:
            if one.id == signal:
                rest = tuple(x for x in one.lengths if x.id != piece)
                one = set_value(one, lengths=(*rest, OwnLength(id=piece, length=length)))
            signals.append(one)
        self._set(f"Change length of {bus.signal(signal).name}", signals=tuple(signals))

    def _show_lengths(self) -> None:
        case, bus = self.map.case, self.bus
        if case is None or bus is None or case.signal not in {s.id for s in bus.data}:
            self.lengths.show_signals([])
            return
        data = bus.signal(case.signal)
        pair = (data, bus.signal(data.strobe))
        self.lengths.show_signals([(s, pieces_of(bus, self.design.path(s.path))) for s in pair])

    def take_models(self, devices: Sequence[str], models: Sequence[str]) -> None:
        """Other models of devices in the operation of the chosen case."""
        case = self.map.case
        if case is None:
            return

        def act() -> None:
            bus = self._present
            operations = tuple(
                with_models(o, devices, models) if o.id == case.operation else o
                for o in bus.operations
            )
            what = f"Take strengths of {case.operation_name}"
            self.editor.put(what, set_value(bus, operations=operations))

        self.editor.run(act)

    # ---- what is in view

    def rows(self) -> Sequence[Row]:
        kind, standing = self.info.kinds[0], self.context.standing
        return [
            Row(
                b.id,
                b.name,
                f"{len(b.data)} signals · {b.rate.text}",
                standing.state_of_object(Ref(kind, b.id)),
            )
            for b in self.design.buses
        ]

    def refresh(self) -> None:
        bus = self.bus
        if bus is None:
            return
        self.subject.turn_to(bus.id)
        self.turned_to(bus.id, bus.name)
        cases = len(bus.data) * len(bus.operations) * len(bus.corners)
        words = f"{bus.rate.text} · {len(bus.data)} signals · {cases} cases of {bus.bits} bits"
        self.surface.show_head(bus.name, words)
        self.name.show_text(bus.name)
        self.rate.show_text(bus.rate.text)
        self.bits.show_text(str(bus.bits))
        self._ask_models(bus)
        self._show_table(bus)
        if self.context.document.in_gesture:
            return
        self.subject.ask(
            "now", BUS, lambda: bus_inputs(self.design, bus), self.show_result, self.show_failure
        )

        def inputs(design: Design) -> BusInputs | None:
            then = self.subject.item_in(design)
            return bus_inputs(design, then) if then is not None else None

        self.subject.ask_kept(BUS, self.kept, inputs, self.draw)

    def _show_table(self, bus: Bus) -> None:
        self.table.show_bus(bus, self.models, self.subject.kept_items())

    def _ask_models(self, bus: Bus) -> None:
        """Which models each device could be: those of its file."""
        path = self.design.path(bus.data[0].path)
        for device in bus.devices:
            use = path.end(device.end).model
            if use is None:
                continue
            file = self.design.device_file(use.file)
            self.subject.ask(
                f"models-{device.id}",
                DEVICE_FILE,
                partial(_file_inputs, file),
                partial(self._take_models, device.id),
                self.surface.tell,
            )

    def _take_models(self, device: str, found: DeviceSummary) -> None:
        self.models[device] = tuple(m.name for m in found.models)
        if self.bus is not None:
            self._show_table(self.bus)

    def draw(self) -> None:
        result = self.result
        if result is None or self.bus is None:
            return
        named = self.named_kept
        then = named[-1].result if named else None
        self.map.show_result(result, then)
        self.sentence.setText(bus_words(result))
        self._show_numbers(result, then)
        self._ask_case()
        self.margins_changed.emit()

    def _show_numbers(self, result: BusResult, then: BusResult | None) -> None:
        def row(title: str, name: str, dimension: str) -> tuple[str, str, str, str]:
            was = then.least(name) if then is not None else None
            if was is not None and was != was:
                was = None
            return NumberRows.si_row(title, result.least(name), dimension, was)

        rows = [
            row(title, name, dimension)
            for title, name, dimension in (
                ("Set-up margin", "setup", "time"),
                ("Hold margin", "hold", "time"),
                ("Eye height", "height", "voltage"),
            )
            if result.least(name) == result.least(name)
        ]
        states = Counter(c.state for c in result.cases)
        for title, key in (("Cases that fail", "fails"), ("Without an answer", "unknown")):
            rows.append((title, str(states[key]), "", ""))
        self.numbers.set_rows(rows)
        levels: dict[str, list[float]] = {}
        for case in result.cases:
            if case.found.level == case.found.level:
                levels.setdefault(case.operation_name, []).append(case.found.level)
        self.levels.set_rows(
            [
                NumberRows.si_row(name, sum(some) / len(some), "voltage", None)
                for name, some in levels.items()
            ]
        )

    # ---- the chosen case

    def _ask_case(self) -> None:
        case, bus = self.map.case, self.bus
        self._show_lengths()
        if case is None or bus is None:
            self.case_title.setText("")
            self.case_view.show_case(None, None)
            return
        self.case_title.setText(case_words(case))
        if self.views.current == "search":
            self._ask_search(bus, case)
            return
        if case.found.failure:
            self.case_view.show_case(None, None, case.found.failure)
            return

        def show(seen: CaseSeen, case: BusCase = case) -> None:
            if self.map.case == case:
                self.case_view.show_case(case, seen)

        self.subject.ask(
            "case", BUS_SEEN,
            lambda: next(
                one
                for one in bus_inputs(self.design, bus, case.signal).cases
                if (one.operation, one.corner) == (case.operation, case.corner)
            ),
            show, lambda why: self.case_view.show_case(None, None, why),
        )  # fmt: skip

    def _ask_search(self, bus: Bus, case: BusCase) -> None:
        view = self.views.get("search", SearchView)
        view.show_search(None, "")

        def show(found: BusSearch) -> None:
            now = self.map.case
            if now is not None and (now.signal, now.operation) == (case.signal, case.operation):
                view.show_search(found, "")

        self.subject.ask(
            "search", BUS_SEARCH,
            lambda: search_inputs(self.design, bus, case.operation, case.signal),
            show, lambda why: view.show_search(None, why),
        )  # fmt: skip

    def forget_results(self) -> None:
        self.map.show_result(None, None)
        self.sentence.setText("")
        self.numbers.set_rows([])
        self.levels.set_rows([])
        self.case_title.setText("")
        self.case_view.show_case(None, None)


def _file_inputs(file: object) -> DeviceFileInputs:
    return DeviceFileInputs(content_of(file))  # type: ignore[arg-type]


def bus_words(result: BusResult) -> str:
    """How many cases fail, and the worst one."""
    fails = [c for c in result.cases if c.state == "fails"]
    without = [c for c in result.cases if c.state == "unknown"]
    worst = result.worst
    if worst is None:
        return ""
    name = f"{worst.signal_name}, {worst.operation_name}, {worst.corner}"
    if without and worst in without:
        return f"{len(without)} of {len(result.cases)} cases have no answer: {name} first."
    margin = f"{1e12 * worst.worst:.0f} ps".replace("-", "\u2212")
    count = f"{len(fails)} of {len(result.cases)} cases fail" if fails else "Every case holds"
    why = f": {worst.found.why}" if fails and worst.found.why else ""
    return f"{count}; the worst is {name} with {margin}{why}."
