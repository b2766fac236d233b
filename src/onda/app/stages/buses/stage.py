"""Joins the views of the Buses stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.shell.asking import ask_save
from onda.app.shell.fields import label
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.buses.case_map import CaseMap, case_words
from onda.app.stages.buses.case_view import CaseView
from onda.app.stages.buses.hand import BusHand
from onda.app.stages.buses.inspector import BusInspector
from onda.app.stages.buses.levels_view import LevelsView
from onda.app.stages.buses.parts_view import PartsView
from onda.app.stages.buses.pins_view import PinsView
from onda.app.stages.buses.search_view import SearchView
from onda.app.stages.buses.settings_table import SettingsTable
from onda.app.stages.buses.slews_view import SlewsView
from onda.app.stages.buses.sweep_view import SweepView
from onda.errors import InputError
from onda.project.buses.bus import Bus
from onda.project.buses.pins import device_files, pin_rows
from onda.project.files import content_of
from onda.project.kind import Ref
from onda.project.model import Design
from onda.project.quantities import fixed
from onda.project.writing import write_atomically
from onda.studies.buses.book import BUS_BOOK, BookFile, book_inputs
from onda.studies.buses.bus import BUS, BusCase, BusResult
from onda.studies.buses.inputs import bus_inputs
from onda.studies.buses.plan import BusPlan, alone, bus_plan
from onda.studies.buses.search import BUS_SEARCH, BusSearch, search_inputs
from onda.studies.buses.seen import BUS_SEEN, CaseSeen, SeenInputs
from onda.studies.buses.sweep import BUS_SWEEP, BusSweep, sweep_inputs
from onda.studies.buses.waves import BUS_WAVES, WavesFile, WavesInputs, waves_inputs
from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs, DeviceSummary

__all__ = ["BusesStage"]


_LEAST = 120
"""Pixels of the map that stay in view."""
_UPPER = 0.62
"""Share of the height that map and table take at most, before somebody drags."""
_HEADS = 60
"""Pixels at the top of the map that its heads may cover."""
_FORMS = "Spreadsheet (*.xlsx);;Waveforms, CSV (*.csv);;Waveforms, HDF5 (*.h5)"


class BusesStage(OneResultStage[BusResult]):
    """Buses."""

    margins_title = "this bus"
    add_title = "Make a bus"
    makes = ("bus",)

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look = context.look
        self.hand = BusHand(self.editor, lambda: self._present)
        tip = "Spreadsheet of all cases, or waveforms of the chosen signal"
        self.surface.add_button("Write…", self._ask_where, tip=tip)
        self.add_keep_button()
        row = QHBoxLayout()
        self.sentence = label("", "heading", wrap=True)
        row.addWidget(self.sentence, 1)
        self.sort = QCheckBox("Worst first")
        row.addWidget(self.sort)
        self.surface.body.addLayout(row)
        self.map = CaseMap(look)
        self.sort.toggled.connect(self.map.sort)
        self.table = SettingsTable(look, self.hand.put_setting)
        self.case_title = label("", "heading", wrap=True)
        self.views = Views(
            [
                View("case", "Eye", lambda: CaseView(look)),
                View("search", "Strengths tried", self._make_search),
                View("sweep", "Swept", lambda: SweepView(look, self._ask_case)),
                View("levels", "Levels", lambda: LevelsView(look)),
                View("slews", "Slews", lambda: SlewsView(self.fields.put_table)),
                View("pins", "Pins", lambda: PinsView(look, self._put_pin, self._take_pins)),
                View("parts", "Set-up", self._make_parts),
            ],
            "Views of a case",
        )
        self.views.turned.connect(lambda _: self._ask_case())
        self._upper = upper = QWidget()
        lower = QWidget()
        above = QVBoxLayout(upper)
        below = QVBoxLayout(lower)
        for box in (above, below):
            box.setContentsMargins(0, 0, 0, 0)
        self._room = scrolled(self.map)
        bar = self._room.verticalScrollBar()
        assert bar is not None
        # What stays in view is drawn elsewhere on the map.
        bar.valueChanged.connect(lambda _: self.map.update())
        above.addWidget(self._room, 1)
        above.addWidget(label("What each device is in each operation", "heading"))
        above.addWidget(self.table)
        above.addStretch()
        title = QHBoxLayout()
        title.addWidget(self.case_title, 1)
        title.addWidget(self.views.chips)
        below.addLayout(title)
        below.addWidget(self.views.stack, 1)
        self.views.show_first()
        self._halves = halves = QSplitter(Qt.Orientation.Vertical)
        halves.addWidget(upper)
        halves.addWidget(lower)
        halves.setSizes([400, 240])
        # What a larger window has more of goes to the plots.
        halves.setStretchFactor(0, 0)
        halves.setStretchFactor(1, 1)
        self.surface.body.addWidget(halves, 1)
        self.surface.veil_over((halves,))
        self.map.chosen.connect(lambda _: self._show_chosen())
        self.files: dict[tuple[str, str], str] = {}
        self._models_of: dict[str, tuple[str, ...]] = {}
        self.pins: dict[str, tuple[tuple[str, str], ...]] = {}
        self.fields = BusInspector(look, self.hand)
        self.inspector = scrolled(self.fields)

    @property
    def case_view(self) -> CaseView:
        """The eye of the chosen case."""
        return self.views.get("case", CaseView)

    def _make_parts(self) -> PartsView:
        return PartsView(self.context.look, self.hand.attempt_bus, self.hand.put_bus)

    def _make_search(self) -> SearchView:
        view = SearchView(self.context.look)
        view.taken.connect(self._take_models_of)
        return view

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

    def _take_models_of(self, devices: Sequence[str], models: Sequence[str]) -> None:
        case = self.map.case
        if case is not None:
            self.hand.take_models(case.operation, devices, models)

    # ---- what goes out

    def _ask_where(self) -> None:
        bus = self.bus
        if bus is None or self.result is None:
            self.surface.tell("There is nothing to write yet: it is not computed.")
            return
        path = ask_save(self.surface, "Write cases", f"{bus.name.replace('/', '-')}.xlsx", _FORMS)
        if path is not None:
            self.editor.run(lambda: self.write(path))

    def write(self, path: Path) -> None:
        """Write a spreadsheet of all cases, or waveforms of the chosen signal, by the suffix."""
        result, bus, case = self.result, self._present, self.map.case
        if result is None or case is None:
            raise InputError("there is nothing to write yet")

        def put(found: WavesFile | BookFile) -> None:
            self.editor.run(lambda: write_atomically(path, found.content))

        if path.suffix.lower() == ".xlsx":
            self.subject.ask(
                "book", BUS_BOOK, lambda: book_inputs(bus, result), put, self.surface.tell
            )
            return

        def inputs() -> WavesInputs:
            return waves_inputs(bus_inputs(self.design, bus, case.signal), path.suffix)

        self.subject.ask("waves", BUS_WAVES, inputs, put, self.surface.tell)

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
        words = f"{bus.rate.text} · {len(bus.data)} signals · {bus.cases} cases of {bus.bits} bits"
        self.surface.show_head(bus.name, words)
        self.fields.show_bus(bus)
        # What a case had that is no more is not to be edited until cases are there again.
        self.fields.show_case(self.map.case, bus, self.design)
        self._ask_models(bus)
        self._show_table(bus)
        if self.context.document.in_gesture:
            return
        self.subject.ask(
            "now", BUS, lambda: bus_plan(self.design, bus), self.show_result, self.show_failure
        )

        def inputs(design: Design) -> BusPlan | None:
            then = self.subject.item_in(design)
            return bus_plan(design, then) if then is not None else None

        self.subject.ask_kept(BUS, self.kept, inputs, self.draw)

    def _show_table(self, bus: Bus) -> None:
        self.table.show_bus(bus, self.models, self.subject.kept_items())
        # What is set is known long before the cases are.
        self._show_of_bus(bus)

    def _ask_models(self, bus: Bus) -> None:
        """Which models each device could be: those of its files."""
        self.files = device_files(self.design, bus)
        for file in dict.fromkeys(self.files.values()):
            self.subject.ask(
                f"models-{file}",
                DEVICE_FILE,
                partial(_file_inputs, self.design.device_file(file)),
                partial(self._take_models, file),
                self.surface.tell,
            )

    def _take_models(self, file: str, found: DeviceSummary) -> None:
        self._models_of[file] = tuple(m.name for m in found.models)
        self.pins[file] = tuple((p.pin, p.signal) for p in found.pins)
        if self.bus is not None:
            self._show_table(self.bus)

    @property
    def models(self) -> dict[str, tuple[str, ...]]:
        """What each device could be: models of its files on all paths."""
        out: dict[str, tuple[str, ...]] = {}
        for (_, device), file in self.files.items():
            some = (*out.get(device, ()), *self._models_of.get(file, ()))
            out[device] = tuple(dict.fromkeys(some))
        return out

    def draw(self) -> None:
        result = self.result
        if result is None or self.bus is None:
            return
        named = self.named_kept
        then = named[-1].result if named else None
        self.map.show_result(result, then)
        self._share_room()
        self.sentence.setText(bus_words(result))
        self.fields.show_numbers(result, then)
        self._ask_case()
        self.margins_changed.emit()

    def _share_room(self) -> None:
        """Few signals leave their room to the chosen case; what was dragged stays while they do."""
        self._room.setMaximumHeight(self.map.maximumHeight())
        below = self._upper.sizeHint().height() - self._room.sizeHint().height()
        self._upper.setMinimumHeight(below + min(self.map.minimumHeight(), _LEAST))
        most, total = self.map.maximumHeight() + below, sum(self._halves.sizes())
        if most != self._upper.maximumHeight():
            upper = min(most, round(_UPPER * total))
            self._upper.setMaximumHeight(most)
            self._halves.setSizes([upper, total - upper])

    # ---- the chosen case

    def _show_chosen(self) -> None:
        if self.map.key is not None:
            place = self.map.rect_of(self.map.key).center().toPoint()
            # Clear of the heads, too.
            self._room.ensureVisible(place.x(), place.y(), 0, _HEADS)
        self._ask_case()

    def _ask_case(self) -> None:
        case, bus = self.map.case, self.bus
        self.fields.show_case(case, bus, self.design)
        self.case_title.setText("" if case is None else case_words(case))
        if bus is not None and self._show_of_bus(bus):
            return
        if case is None or bus is None:
            self.case_view.show_case(None, None)
            return
        turned = {"search": self._ask_search, "sweep": self._ask_sweep}
        if self.views.current in turned:
            turned[self.views.current](bus, case)
            return
        if case.found.failure:
            self.case_view.show_case(None, None, case.found.failure)
            return

        def show(seen: CaseSeen, case: BusCase = case) -> None:
            if self.map.case == case:
                self.case_view.show_case(case, seen)

        def inputs() -> SeenInputs:
            cases = bus_inputs(self.design, alone(bus, case.operation, case.signal)).cases
            one = next(one for one in cases if one.corner == case.corner)
            return SeenInputs(one, case.shift, case.found.level)

        self.subject.ask(
            "case", BUS_SEEN, inputs, show, lambda why: self.case_view.show_case(None, None, why)
        )

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

    def _ask_sweep(self, bus: Bus, case: BusCase) -> None:
        view = self.views.get("sweep", SweepView)
        view.show_sweep(None, "")
        over = view.over.current

        def show(found: BusSweep) -> None:
            now = self.map.case
            if now is not None and (now.signal, now.operation) == (case.signal, case.operation):
                view.show_sweep(found, "")

        self.subject.ask(
            "sweep", BUS_SWEEP,
            lambda: sweep_inputs(self.design, bus, case.operation, case.signal, over),
            show, lambda why: view.show_sweep(None, why),
        )  # fmt: skip

    def _show_of_bus(self, bus: Bus) -> bool:
        """Show the view that is looked at where it is no view of a case; whether it was."""
        views = self.views
        shows: dict[str, Callable[[], None]] = {
            "levels": lambda: views.get("levels", LevelsView).show_result(self.result),
            "slews": lambda: views.get("slews", SlewsView).show_sheet(
                self.fields.owner, self.fields.asked
            ),
            "pins": lambda: views.get("pins", PinsView).show_bus(bus, self.files, self.pins),
            "parts": lambda: views.get("parts", PartsView).show_bus(self.design, bus),
        }
        show = shows.get(views.current)
        if show is not None:
            show()
        return show is not None

    def _put_pin(self, signal: str, device: str, pin: str) -> None:
        self.editor.run(lambda: self.hand.put_pin(signal, device, pin))

    def _take_pins(self) -> None:
        self.hand.take_pins(pin_rows(self._present, self.files, self.pins))

    def forget_results(self) -> None:
        self.map.show_result(None, None)
        self.sentence.setText("")
        self.fields.show_numbers(None, None)
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
    margin = f"{fixed(1e12 * worst.worst, 0)} ps"
    count = f"{len(fails)} of {len(result.cases)} cases fail" if fails else "Every case holds"
    # The whole of it stands beside the chosen case.
    first = "; ".join(worst.found.why.split("; ")[:2])
    why = f": {first}" if fails and first else ""
    return f"{count}; the worst is {name} with {margin}{why}."
