"""A stage, its kind and measures, a path element, a structure and two file formats, added as
`docs/extending.md` tells it: defined here, entered into the tables, and driven through the whole
program. If this file needs more lines to add one of them, the house has got worse."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, ClassVar, Literal

import numpy as np
import pytest
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot
from typer.testing import CliRunner

from onda.app.kit.context import Context
from onda.app.kit.stage import OneResultStage
from onda.app.shell.rows import Row
from onda.app.shell.window import MainWindow
from onda.app.stages import STAGES, StageInfo
from onda.app.stages.paths.elements import LOOKS
from onda.app.stages.paths.look import ElementLook, FieldRow
from onda.cli.main import app
from onda.demo import fulmar_project
from onda.errors import InputError
from onda.formats.build_table import BuildTable
from onda.formats.network_files import NETWORK_FORMATS, NetworkFormat, read_network
from onda.formats.touchstone.reader import TouchstoneFile
from onda.project.base import Frozen, Identifier, Name, set_value
from onda.project.build import files as build_files
from onda.project.edits import add_copy, remove_object, rename_object, replace_object
from onda.project.kind import Kind, Mention, Objects, Ref
from onda.project.kinds import KINDS
from onda.project.lines.structure_edits import with_structure
from onda.project.lines.structures import STRUCTURES, Structure
from onda.project.measure import Measure
from onda.project.measures import MEASURES
from onda.project.model import Design, Project
from onda.project.paths.edits import insert_element
from onda.project.paths.elements import OFFERS
from onda.project.paths.elements.element import ELEMENTS, Element, Offer
from onda.project.quantities import ResistanceOrZero, Voltage, parse_quantity
from onda.project.requirement_edits import require
from onda.project.requirements import Requirement
from onda.project.store import load_project, save_project
from onda.report.html import write_report
from onda.report.sheets import SHEETS, Drawing, Sheet
from onda.studies.core.cache import ResultCache
from onda.studies.core.check import check_project
from onda.studies.core.executors import here, threads
from onda.studies.core.judge import JUDGES, Answer, Judge
from onda.studies.core.margin import Measured, State
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Control, Study
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.paths.elements import SLICES
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import Item
from onda.studies.paths.layout import Layout, Place
from onda.studies.paths.path import PATH
from onda.studies.paths.slice import Slice

# ---- a kind: a supply pin whose current makes a drop over its resistance


class Pin(Frozen):
    """A supply pin beside a path."""

    id: Identifier
    name: Name
    path: Identifier
    supply: Voltage
    resistance: ResistanceOrZero


PIN = Kind(
    "pin",
    "supply pin",
    "pins",
    Pin,
    refers=lambda pin: (Mention("path", pin.path),),
    needs=("path",),
)

# ---- two studies, and a measure that each of them answers


@dataclass(frozen=True, slots=True)
class PinInputs:
    supply: float
    resistance: float


@dataclass(frozen=True, slots=True)
class Drop:
    voltage: float


@dataclass(frozen=True, slots=True)
class Heat:
    ratio: float


def _run_drop(inputs: PinInputs, control: Control) -> Drop:
    control.progress(0.5)
    return Drop(0.1 * inputs.resistance)


def _run_heat(inputs: PinInputs, control: Control) -> Heat:
    return Heat(0.1 * inputs.resistance / inputs.supply)


DROP = Study("pin_drop", _run_drop, Drop)
HEAT = Study("pin_heat", _run_heat, Heat)
PIN_MEASURES = (
    Measure("drop", "Drop", "voltage", kind="pin", study="drop"),
    Measure("lost", "Lost share", "ratio", kind="pin", study="heat"),
)


def _pin_of(design: Any, identifier: str) -> Pin:
    return next(p for p in PIN.items(design) if p.id == identifier)


def _slice(design: Design, subject: str) -> PinInputs:
    pin = _pin_of(design, subject)
    if pin.resistance.si > 10.0:
        raise InputError(f"{pin.name} carries nothing")
    return PinInputs(pin.supply.si, pin.resistance.si)


def _follows(objects: Objects, requirement: Requirement) -> Iterable[object]:
    yield objects.get("pin", requirement.subject)


PIN_JUDGE = Judge(
    {
        "drop": Answer(
            DROP,
            lambda design, r: _slice(design, r.subject),
            _follows,
            lambda _, __, result: Measured(result.voltage, "at the pin", "Ohm's law"),
        ),
        "heat": Answer(
            HEAT,
            lambda design, r: _slice(design, r.subject),
            _follows,
            lambda _, __, result: Measured(result.ratio, "at the pin", "of the supply"),
        ),
    }
)

# ---- a stage


class PinsStage(OneResultStage[Drop]):
    """Supply pins."""

    margins_title = "this pin"

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        self.number = QLabel("–")
        self.surface.body.addWidget(self.number)
        self.inspector = QLabel("Pin")

    def rows(self) -> Sequence[Row]:
        return [self.row_of(p, p.supply.text) for p in PIN.items(self.design)]

    def refresh(self) -> None:
        pin = self.subject.item
        if pin is None:
            self.surface.show_head("Pins", "There is no pin yet.")
            return
        self.subject.turn_to(pin.id)
        self.surface.show_head(pin.name, pin.supply.text)
        self.subject.ask(
            "now", DROP, lambda: _slice(self.design, pin.id), self.show_result, self.show_failure
        )

    def draw(self) -> None:
        assert self.result is not None
        self.number.setText(f"{1e3 * self.result.voltage:.0f} mV")
        self.margins_changed.emit()


PINS = StageInfo("pins", "Pins", "Supply pins.", "Pins", ("pin",), f"{__name__}:PinsStage")


def _draw_pin(pin: Pin, drawing: Drawing) -> None:
    found = drawing.runner.result(DROP, PinInputs(pin.supply.si, pin.resistance.si))
    drawing.file.write_bytes(f"picture of {found.voltage:.3f} V".encode())


# ---- an element of a path: a bead that takes its resistance away from the wave


class Bead(Element):
    """A bead in the line."""

    kind: Literal["bead"] = "bead"
    main: ClassVar[str] = "loss"
    loss: ResistanceOrZero


@dataclass(frozen=True, slots=True)
class BeadItem(Item):
    loss: float

    def lay(self, layout: Layout, place: Place) -> Place:
        place = place.at(layout.in_series(place.node, self.id, r=self.loss))
        layout.mark(place, self.id, "bead", self.id)
        return place

    def with_value(self, value: float) -> Item:
        return replace(self, loss=value)


def _bead_slice(element: Bead, _: Slice) -> Item:
    return BeadItem(element.id, element.loss.si)


BEAD_OFFER = Offer(
    "bead",
    "bead",
    "B",
    lambda name, _, __: Bead(id=name, loss=parse_quantity("10 ohm", "resistance")),
)
BEAD_LOOK = ElementLook("Bead", "in the line of {net}", (FieldRow("Loss", "resistance", "loss"),))

# ---- a structure, and formats of files

TRIO = Structure(
    "trio", (3,), 3, 3, "trio", "trio, the middle one driven", mark=" trio", one_line=False
)


def _read_rows(data: bytes, name: str) -> TouchstoneFile:
    rows = [line.split(";") for line in data.decode().splitlines()[1:]]
    try:
        table = np.array([[float(x) for x in row] for row in rows])
    except ValueError as error:
        raise InputError(f"holds no numbers ({error})", file=name, line=2) from error
    s = (table[:, 1::2] + 1j * table[:, 2::2]).reshape(len(table), 2, 2)
    return TouchstoneFile(table[:, 0], s, "S", np.full(2, 50.0), np.empty((0, 5)))


def _write_rows(f: Any, s: Any, _: Any, __: Any) -> bytes:
    flat = s.reshape(len(f), -1)
    cells = np.column_stack([f, np.stack([flat.real, flat.imag], -1).reshape(len(f), -1)])
    return "\n".join(["ROWS", *(";".join(repr(float(x)) for x in row) for row in cells)]).encode()


ROWS = NetworkFormat(
    "Rows", ("*.rows",), ".rows", lambda data: data.startswith(b"ROWS"), _read_rows, _write_rows
)


def _write_names(table: BuildTable, _: str, __: bytes | None) -> bytes:
    return "\n".join(layer.name for layer in table.layers).encode()


NAMES = build_files.BuildFormat("names", "Names of layers", "txt", _write_names)


@pytest.fixture
def extended(monkeypatch: pytest.MonkeyPatch) -> Iterator[Project]:
    """Fulmar's nets with everything above in its table, a pin and what is required of it."""
    monkeypatch.setitem(KINDS, "pin", PIN)
    for made in PIN_MEASURES:
        monkeypatch.setitem(MEASURES, made.key, made)
    monkeypatch.setitem(JUDGES, "pin", PIN_JUDGE)
    monkeypatch.setattr("onda.app.stages.STAGES", (*STAGES, PINS))
    monkeypatch.setitem(SHEETS, "pin", Sheet(lambda p: p.supply.text, _draw_pin))
    monkeypatch.setitem(ELEMENTS, "bead", Bead)
    monkeypatch.setitem(OFFERS, "bead", BEAD_OFFER)
    monkeypatch.setitem(SLICES, Bead, _bead_slice)
    monkeypatch.setitem(LOOKS, Bead, BEAD_LOOK)
    monkeypatch.setitem(STRUCTURES, "trio", TRIO)
    monkeypatch.setattr(build_files, "FORMATS", [*build_files.FORMATS, NAMES])
    NETWORK_FORMATS.insert(0, ROWS)
    fulmar = fulmar_project()
    volt, ohm = parse_quantity("1.8 V", "voltage"), parse_quantity("0.5 ohm", "resistance")
    pin = Pin(id="vdd", name="VDD", path="clk-adc", supply=volt, resistance=ohm)
    project = set_value(
        fulmar,
        design=Design.model_validate({**dict(fulmar.design), "pins": (pin,)}),
        requirements=(),
    )
    project = require(project, "vdd", "drop", "40 mV")
    yield require(project, "vdd", "lost", "5 %")
    NETWORK_FORMATS.remove(ROWS)


@pytest.fixture
def alone(result_store: ResultCache) -> StudyRunner:
    return StudyRunner(here(), result_store)


def test_the_kind_is_saved_read_and_edited(extended: Project, tmp_path: Path) -> None:
    file = tmp_path / "pins.onda"
    save_project(extended, file)
    assert load_project(file) == extended
    ref = Ref("pin", "vdd")
    doubled, new = add_copy(extended, ref)
    assert [p.id for p in PIN.items(doubled.design)] == ["vdd", new]
    renamed = rename_object(extended, ref, "Core")
    assert _pin_of(renamed.design, "vdd").name == "Core"
    with pytest.raises(InputError, match="VDD uses it"):
        remove_object(extended, Ref("path", "clk-adc"))
    gone = remove_object(extended, ref)
    assert PIN.items(gone.design) == ()
    assert gone.requirements == ()
    with pytest.raises(InputError, match="there is no path 'none'"):
        replace_object(extended, set_value(_pin_of(extended.design, "vdd"), path="none"))


def test_two_studies_answer_its_measures(extended: Project, alone: StudyRunner) -> None:
    found = {m.measure: m for m in check_project(extended, alone)}
    # 0.1 A through 0.5 ohm is 50 mV, above 40 mV; of 1.8 V it is 2.8 %, below 5 %.
    assert found["drop"].value == pytest.approx(0.05)
    assert found["drop"].state is State.FAILS
    assert found["lost"].value == pytest.approx(0.05 / 1.8)
    assert found["lost"].state is State.HOLDS
    pin = _pin_of(extended.design, "vdd")
    broken = replace_object(extended, set_value(pin, resistance="20 ohm"))
    assert {m.how for m in check_project(broken, alone)} == {"VDD carries nothing"}


def test_the_stage_shows_edits_and_undoes(
    extended: Project, shared_cache: ResultCache, qtbot: QtBot
) -> None:
    window = MainWindow(extended, stages=(*STAGES, PINS), place=threads(2), cache=shared_cache)
    window.standing.rest_ms = 10
    qtbot.addWidget(window)
    window.show()
    window.selection.go("pins")
    assert window.settle()
    stage = window.stages["pins"]
    assert isinstance(stage, PinsStage)
    assert [(r.title, r.state) for r in stage.rows()] == [("VDD", State.FAILS)]
    assert stage.number.text() == "50 mV"
    pin = _pin_of(extended.design, "vdd")
    stage.editor.put("Less", set_value(pin, resistance="0.2 ohm"))
    assert window.settle()
    assert stage.number.text() == "20 mV"
    assert {m.measure: m.state for m in stage.margins()[1]}["drop"] is State.HOLDS
    assert window.standing.state_of_kinds(("pin",)) is State.HOLDS
    assert [r.state for r in stage.rows()] == [State.HOLDS]
    window.document.undo()
    assert window.settle()
    assert stage.number.text() == "50 mV"
    window.close()


def test_report_and_command_line_tell_of_it(
    extended: Project, alone: StudyRunner, tmp_path: Path
) -> None:
    margins = check_project(extended, alone)
    page = write_report(extended, margins, alone, tmp_path / "report").read_text("utf-8")
    assert "VDD" in page
    assert "50.0 mV" in page
    assert b"0.050 V" in b"".join(p.read_bytes() for p in (tmp_path / "report").glob("*vdd*"))
    file = tmp_path / "pins.onda"
    save_project(extended, file)
    answer = CliRunner().invoke(app, ["check", str(file), "--json"])
    assert answer.exit_code == 1, answer.output
    assert isinstance(answer.exception, SystemExit)
    told = {m["measure"]: m for m in json.loads(answer.stdout)}
    assert told["drop"]["value"] == pytest.approx(0.05)
    assert told["lost"]["state"] == "holds"


def test_the_element_is_inserted_laid_and_shown(
    extended: Project, alone: StudyRunner, shared_cache: ResultCache, qtbot: QtBot, tmp_path: Path
) -> None:
    path = extended.design.path("clk-adc")
    changed, new = insert_element(path, path.elements[0].id, "bead", extended.design)
    project = replace_object(extended, changed)
    save_project(project, tmp_path / "bead.onda")
    assert load_project(tmp_path / "bead.onda") == project
    inputs = path_inputs(project.design, changed)
    bead = next(i for i in inputs.items if i.id == new)
    assert bead == BeadItem(new, 10.0)
    # It stands in series: a resistor of its value in its place gives the very same wave.
    from onda.studies.paths.elements.resistor import ResistorItem

    as_resistor = replace(
        inputs,
        items=tuple(ResistorItem(i.id, 10.0) if i.id == new else i for i in inputs.items),
    )
    one, other = (alone.result(PATH, x) for x in (inputs, as_resistor))
    assert one.measures == other.measures
    window = MainWindow(project, stages=(*STAGES, PINS), place=threads(2), cache=shared_cache)
    qtbot.addWidget(window)
    window.show()
    window.selection.show(Ref("path", "clk-adc"))
    window.selection.choose_element(new)
    assert window.settle()
    assert any(x.text().startswith("Bead") for x in window.findChildren(QLabel) if x.isVisible())
    window.close()


def test_the_structure_is_chosen_and_solved(extended: Project, alone: StudyRunner) -> None:
    design = extended.design
    line = next(c for c in design.line_classes if c.kind == "pair" and c.on[0].facing is None)
    layer = line.on[0].layer
    trio = with_structure(line, layer, "trio")
    assert (trio.kind, trio.count) == ("trio", 3)
    group = with_structure(line, layer, "group 3")
    found, same = (
        alone.result(IMPEDANCE, ImpedanceInputs(line_inputs(design, c, layer)))
        for c in (trio, group)
    )
    assert found.z == pytest.approx(same.z, rel=1e-9)
    with pytest.raises(InputError, match="is none"):
        set_value(trio, count=4)


def test_the_formats_are_read_and_written(extended: Project, tmp_path: Path) -> None:
    f, s = np.array([1e6, 1e9]), np.arange(8.0).reshape(2, 2, 2) * (1 + 0.5j) / 10
    data = ROWS.write(f, s, np.full(2, 50.0), ())
    back = read_network(data, "a.rows")
    np.testing.assert_allclose(back.data, s, rtol=1e-15)
    (tmp_path / "a.rows").write_bytes(data)
    answer = CliRunner().invoke(app, ["network", str(tmp_path / "a.rows"), "--single", "--json"])
    assert answer.exit_code == 0, answer.output
    assert json.loads(answer.stdout)["ports"] == [1, 2]
    build_files.write_build(extended, "names", tmp_path / "names.txt")
    assert "L3" in (tmp_path / "names.txt").read_text().split("\n")
