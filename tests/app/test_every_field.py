"""Every field of every inspector: what is typed stands in it afterwards, nothing else has moved,
and undo brings back what was there."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import QuantityField, TextField
from onda.app.shell.window import MainWindow
from onda.project.base import set_value
from onda.project.coupling.edits import set_vias
from onda.project.coupling.group import LaneVias
from onda.project.edits import replace_object
from onda.project.files import content_of
from onda.project.model import Project
from onda.project.quantities import Quantity, quantity
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import here
from onda.studies.core.runner import StudyRunner
from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs
from tests.app.conftest import KNOWN, type_into

Field = QuantityField | TextField


def ui(value: float) -> Quantity:
    return quantity(value, "unit interval", "UI")


@pytest.fixture(scope="module")
def board(project: Project) -> Project:
    """Fulmar with a link that has every equaliser there is, and vias between lanes."""
    link = project.design.link("up0")
    sender = set_value(
        link.sender, taps=(-0.05, 0.8, -0.15), main=1, random=ui(0.01), bounded=ui(0.05),
        sine=ui(0.03), duty=ui(0.02), sine_at=quantity(11e6, "frequency", "MHz"),
        capacitance=quantity(150e-15, "capacitance", "fF"),
    )  # fmt: skip
    listener = set_value(
        link.listener, gain=quantity(-4.0, "loss", "dB"),
        zero=quantity(6.1e9, "frequency", "GHz"),
        poles=(quantity(7.3e9, "frequency", "GHz"), quantity(26.2e9, "frequency", "GHz")),
        taps=(0.9, -0.1, 0.07), main=0, decisions=3, limit=quantity(0.4, "ratio", "%"),
        noise=quantity(1.7e-3, "voltage", "mV"), clock="second",
        clock_bandwidth=quantity(4e6, "frequency", "MHz"), clock_damping=1.9,
        capacitance=quantity(230e-15, "capacitance", "fF"),
        gain_to=quantity(0.21, "voltage", "mV"), offset=quantity(2.3e-3, "voltage", "mV"),
        sensitivity=quantity(9e-3, "voltage", "mV"),
    )  # fmt: skip
    project = replace_object(project, set_value(link, sender=sender, listener=listener))
    group = project.design.group("converter-lanes")
    vias = LaneVias(from_layer="L8", returns=2, rest=quantity(0.2e-3, "length", "mm"))
    return replace_object(project, set_vias(group, group.pieces[0].id, vias))


@pytest.fixture
def window(qtbot: QtBot, board: Project, shared_cache: ResultCache) -> Iterator[MainWindow]:
    # Which models and pins there are to choose from is read from device files.
    runner = StudyRunner(here(), shared_cache)
    for file in board.design.device_files:
        if file.path.endswith(".ibs"):
            runner.result(DEVICE_FILE, DeviceFileInputs(content_of(file)))
    made = MainWindow(board, place=KNOWN, cache=shared_cache)
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close()


@dataclass(frozen=True)
class Where:
    """Where fields are: a stage, an object, an element or a part of it; what each field is in the
    project; what is typed into those that take no plain number; what else is shown to move."""

    stage: str
    subject: str
    element: str
    moves: dict[str, str]
    typed: dict[str, tuple[str, str]] = field(default_factory=dict)
    also: dict[str, set[str]] = field(default_factory=dict)


def fields(window: MainWindow) -> list[Field]:
    """Of the inspector, then of the work surface."""
    stage = window.stages[window.selection.stage]
    return [
        f
        for part in (window.inspectors.currentWidget(), stage.surface)
        for kind in (QuantityField, TextField)
        for f in part.findChildren(kind)
        if f.isVisibleTo(part)
    ]


def shown(window: MainWindow) -> list[tuple[str, str]]:
    return [(f.edit.accessibleName(), f.edit.text()) for f in fields(window)]


NUMBER = re.compile(r"^([\u2212-]?[\d.]+)((?: [^ ]*)?)$")


def other(name: str, now: str, where: Where) -> tuple[str, str] | None:
    """What is typed into a field, and what stands in it then."""
    if name in where.typed:
        return where.typed[name]
    if name in ("Name", "Lane", "Source"):
        return f"{now} B", f"{now} B"
    found = NUMBER.match(now)
    if found is None:
        return None
    value = 0.93 * float(found.group(1).replace("\u2212", "-"))
    if value == 0.0:
        return None
    number = f"{round(value)}" if "." not in found.group(1) and value > 80 else f"{value:.4g}"
    return number + found.group(2), number + found.group(2)


def changes(old: Any, new: Any, way: str = "") -> list[str]:
    """Where two trees differ; of lists of things with an id, by that id."""
    if type(old) is not type(new):
        return [way]
    if isinstance(old, dict):
        if set(old) == {"text", "si"}:
            return [way] if old != new else []
        keys = old.keys() | new.keys()
        return [x for k in sorted(keys) for x in changes(old.get(k), new.get(k), f"{way}.{k}")]
    if isinstance(old, list | tuple):
        if len(old) != len(new):
            return [way]
        out = []
        for k, (a, b) in enumerate(zip(old, new, strict=True)):
            name = a.get("id", k) if isinstance(a, dict) else k
            out += changes(a, b, f"{way}[{name}]")
        return out
    return [way] if old != new else []


def in_words(found: list[str], subject: str) -> str:
    """Changes seen from an object; those of a row of like things once."""
    ways = {re.sub(r"\[\d+\]", "[]", way).removeprefix(".design.") for way in found}
    return " + ".join(sorted({way.partition(f"[{subject}].")[2] or way for way in ways}))


PLACES = [
    Where(
        "coupling",
        "memory-byte",
        "",
        {
            "Length": "pieces[C1].length",
            "All distances": "pieces[C1].spacings[]",
            "This distance": "pieces[C1].spacings[]",
            "Rate": "rate",
            "Edge, 20–80 %": "rise",
            "Near amplitude": "near",
            "Far amplitude": "far",
            "Name": "name",
            "Guards": "pieces[C1].guard",
            "Open planes": "pieces[C1].open_planes",
            "Driver pins": "driver_pins",
            "Receiver pins": "listener_pins",
            "Source, each": "source",
            "Load, each": "load",
            "Receiver band": "receiver",
        },
        typed={
            "Guards": ("100 um / 2 mm", "100 um / 2 mm"),
            "Open planes": ("L5", "L5"),
            "Source, each": ("43 ohm", "43 ohm"),
            "Load, each": ("61 ohm", "61 ohm"),
            "Receiver band": ("5 GHz", "5 GHz"),
            "Driver pins": ("J0 J1 J2 J3 J4 J5 J6 J7", "J0 J1 J2 J3 J4 J5 J6 J7"),
            "Receiver pins": ("E0 E1 E2 E3 E4 E5 E6 E7", "E0 E1 E2 E3 E4 E5 E6 E7"),
        },
        also={
            "All distances": {"This distance"},
            "This distance": {"All distances"},
            "Guards": {"This distance", "All distances"},
        },
    ),
    Where(
        "coupling",
        "converter-lanes",
        "F1",
        {
            "Length": "pieces[F1].length",
            "Rate": "rate",
            "Edge, 20–80 %": "rise",
            "Near amplitude": "near",
            "Far amplitude": "far",
            "Drill": "pieces[F1].vias.drill",
            "Pad": "pieces[F1].vias.pad",
            "Anti-pad": "pieces[F1].vias.antipad",
            "Via to via": "pieces[F1].vias.pitch",
            "In a pair": "pieces[F1].vias.between",
            "To return vias": "pieces[F1].vias.return_distance",
            "Name": "name",
            "Return vias, each": "pieces[F1].vias.returns",
            "Back-drilled to": "pieces[F1].vias.back_drilled + pieces[F1].vias.rest",
        },
        typed={
            "Back-drilled to": ("0.3 mm", "0.3 mm"),
            "Return vias, each": ("3", "3"),
            "Guards": ("100 um", "100 um"),
        },
        also={
            "All distances": {"This distance"},
            "This distance": {"All distances"},
            "Guards": {"This distance", "All distances"},
        },
    ),
    Where(
        "lines",
        "converter-pairs",
        "",
        {
            "Width": "on[].width",
            "Gap": "on[].gap",
            "Target": "target",
            "Loss at": "loss_at",
        },
    ),
    Where(
        "lines",
        "launch",
        "",
        {
            "Width": "on[].width",
            "Ground gap": "on[].ground_gap",
            "Ground width": "on[].ground_width",
            "Target": "target",
            "Loss at": "loss_at",
        },
    ),
    Where(
        "lines",
        "bead",
        "",
        {
            "Up to": "up_to",
            "Target": "target",
            "Wall diameter": "width",
            "Conductor": "conductor",
        },
    ),
    Where(
        "lines",
        "cavity",
        "",
        {
            "Up to": "up_to",
            "Target": "target",
            "Wall width": "width",
            "Conductor": "conductor",
            "Wall height": "height",
            "Floor": "floor",
            "Copper": "conductor_height",
        },
    ),
    Where(
        "lines",
        "hub-cable",
        "",
        {
            "Length": "length",
            "Data rate": "rate",
            "Impedance": "z0",
            "Delay": "delay",
            "Loss": "loss",
            "Stated at": "at",
            "Copper's share of loss": "copper_share",
            "Source": "source",
        },
        typed={"Loss": ("0.21 dB/100 mm", "0.21 dB/100 mm")},
    ),
    Where(
        "paths",
        "jl0",
        "",
        {
            "Resistance": "driver.resistance",
            "Edge, 0–100 %": "driver.edge",
            "High": "driver.high",
            "Low": "driver.low",
            "Capacitance": "driver.capacitance",
            "Look at": "stimulus.window",
            "Name": "name",
        },
    ),
    Where(
        "paths",
        "spi-clk",
        "",
        {
            "Frequency": "stimulus.frequency",
            "Duty": "stimulus.duty",
            "Jitter": "stimulus.jitter",
            "Look at": "stimulus.window",
            "Name": "name",
        },
        typed={"Jitter": ("30 ps", "30 ps")},
    ),
    Where(
        "paths",
        "clk-adc",
        "Rs",
        {
            "Value": "elements[Rs].value",
            "Tolerance": "elements[Rs].tolerance",
        },
    ),
    Where(
        "paths",
        "clk-adc",
        "V1",
        {
            "Impedance": "elements[V1].z0",
            "Delay": "elements[V1].delay",
            "Pads": "elements[V1].pad",
        },
    ),
    Where(
        "paths",
        "clk-adc",
        "T1",
        {
            "Length": "elements[T1].length",
        },
    ),
    Where(
        "paths",
        "clk-adc",
        "receiver",
        {
            "Capacitance": "receiver.capacitance",
        },
    ),
    Where(
        "paths",
        "clk-adc",
        "driver",
        {
            "Resistance": "driver.resistance",
            "Edge, 0–100 %": "driver.edge",
            "High": "driver.high",
            "Capacitance": "driver.capacitance",
            "Frequency": "stimulus.frequency",
            "Duty": "stimulus.duty",
            "Look at": "stimulus.window",
            "Name": "name",
        },
    ),
    Where(
        "paths",
        "trig",
        "driver",
        {
            "Width": "stimulus.width",
            "Look at": "stimulus.window",
            "Name": "name",
        },
    ),
    Where(
        "paths",
        "trig",
        "V1",
        {
            "Drill": "elements[V1].drill",
            "Pad": "elements[V1].pad",
            "Anti-pad": "elements[V1].antipad",
            "Return vias at": "elements[V1].return_distance",
        },
    ),
    Where(
        "networks",
        "mezzanine",
        "",
        {
            "Reference": "reference",
            "Name": "name",
            "Order": "order",
            "Other ports": "ends",
            "Planes in by": "plane_left + plane_right",
            "Edge, 20–80 %": "rise",
            "Data rate": "rate",
        },
        typed={
            "Order": ("1 3 2 4", "1 3 2 4"),
            "Planes in by": ("12 ps / 8 ps", "12 ps / 8 ps"),
            "Edge, 20–80 %": ("31 ps", "31 ps"),
            "Other ports": ("2 open", "2 open"),
        },
    ),
    Where(
        "eyes",
        "jl0",
        "",
        {
            "Rate": "rate",
            "Mask width": "mask.width",
            "Mask flat": "mask.flat",
            "Mask height": "mask.height",
            "Name": "name",
            "Bits": "bits",
            "Error rate": "error_rate",
        },
        typed={"Error rate": ("1e-9", "1e-9")},
    ),
    Where(
        "eyes",
        "up0",
        "sender",
        {
            "Rate": "rate",
            "Name": "name",
            "Bits": "bits",
            "Error rate": "error_rate",
            "Random, rms": "sender.random",
            "Bounded": "sender.bounded",
            "Sine, amplitude": "sender.sine",
            "Duty cycle": "sender.duty",
            "Sine at": "sender.sine_at",
            "Falling edge": "sender.fall",
            "Level mismatch": "mismatch",
            "High level": "launch.high",
            "Low level": "launch.low",
            "Edge, 20–80 %": "launch.edge",
            "Die and package": "sender.capacitance",
        },
        typed={"Error rate": ("1e-9", "1e-9")},
    ),
    Where(
        "eyes",
        "up0",
        "listener",
        {
            "Noise, rms": "listener.noise",
            "Gains, dB": "listener.gain + listener.gains",
            "Zero": "listener.zero",
            "Poles": "listener.poles[]",
            "Taps": "listener.taps[]",
            "Feedback taps": "listener.decisions",
            "Feedback limit": "listener.limit",
            "Gain control to": "listener.gain_to",
            "Clock follows to": "listener.clock_bandwidth",
            "Clock damping": "listener.clock_damping",
            "Offset": "listener.offset",
            "Sensitivity": "listener.sensitivity",
            "Die and package": "listener.capacitance",
        },
        typed={
            "Error rate": ("1e-9", "1e-9"),
            "Feedback taps": ("5", "5"),
            "Gains, dB": ("0, -2", "0, -2"),
            "Poles": ("7 GHz, 25 GHz", "7 GHz, 25 GHz"),
            "Taps": ("0.8 -0.1 0.07", "0.8 -0.1 0.07"),
        },
    ),
    Where(
        "eyes",
        "up1",
        "channel",
        {
            "Rate": "rate",
            "Name": "name",
            "Bits": "bits",
            "Error rate": "error_rate",
            "Lane": "lane",
        },
        typed={"Error rate": ("1e-9", "1e-9"), "Lane": ("1", "1")},
    ),
    Where(
        "buses",
        "byte1",
        "",
        {
            "Name": "name",
            "Rate": "rate",
            "Bits": "bits",
            "Pattern": "typed",
            "Levelling step": "levelling_step",
        },
        typed={
            "Levelling step": ("7 ps", "7 ps"),
            "Pattern": ("01101", "01101"),
            "To the clock": ("90 ps", "90 ps"),
            "Level": ("620 mV", "620 mV"),
        },
    ),
    Where(
        "stackup",
        "tail",
        "",
        {
            "Over laminate": "stackup.layers[mask-top].over_laminate",
            "Over copper": "stackup.layers[mask-top].over_copper",
            "Beside copper": "stackup.layers[mask-top].beside",
            "Given at": "materials[mask].at",
            "Bend radius": "bend_radius",
            "Target thickness": "stackup.total",
            "Temperature": "stackup.temperature",
            "Width": "stackup.spread.width",
            "Dielectric": "stackup.spread.dielectric",
            "Dk": "stackup.spread.dk",
            "Copper": "stackup.spread.copper",
            "Mask": "stackup.spread.coating",
            "Copper with width": "stackup.spread.copper_with_width",
            "Heights together": "stackup.spread.heights_together",
            "Dk again": "materials[mask].dk",
            "Df": "materials[mask].df",
        },
    ),
    Where(
        "stackup",
        "card",
        "L3",
        {
            "Foil": "stackup.layers[L3].foil + stackup.layers[L3].thickness",
            "Finished": "stackup.layers[L3].thickness",
            "Etch undercut": "stackup.layers[L3].undercut",
            "Copper cover": "stackup.layers[L3].cover",
            "Rz to laminate": "stackup.layers[L3].rz_base",
            "Rz away from it": "stackup.layers[L3].rz_face",
            "Target thickness": "stackup.total",
            "Temperature": "stackup.temperature",
            "Width": "stackup.spread.width",
            "Dielectric": "stackup.spread.dielectric",
            "Dk": "stackup.spread.dk",
            "Copper": "stackup.spread.copper",
            "Mask": "stackup.spread.coating",
            "Copper with width": "stackup.spread.copper_with_width",
            "Heights together": "stackup.spread.heights_together",
        },
        also={"Foil": {"Finished"}},
    ),
    Where(
        "stackup",
        "card",
        "D12",
        {
            "Thickness": "stackup.layers[D12].thickness",
            "Laid, unpressed": "stackup.layers[D12].laid",
            "Dk again": "materials[prepreg].dk + materials[prepreg].points[].dk",
            "Df": "materials[prepreg].df + materials[prepreg].points[].df",
        },
    ),
    Where(
        "stackup",
        "card",
        "via:through",
        {
            "Drill": "stackup.vias[through].drill",
            "Plating": "stackup.vias[through].plating",
        },
    ),
]


@pytest.mark.parametrize("stage", sorted({w.stage for w in PLACES}))
def test_what_is_typed_stands_there_and_nothing_else_moves(window: MainWindow, stage: str) -> None:
    for where in (w for w in PLACES if w.stage == stage):
        turn_to(window, where)
        _try_each(window, where)


def turn_to(window: MainWindow, where: Where) -> None:
    window.selection.go(where.stage)
    window.selection.choose(where.subject, where.stage)
    if where.element and where.stage == "eyes":
        window.stages["eyes"].chain.strip.choose_part(where.element)
    elif where.element:
        window.selection.choose_element(where.element)
    for _ in range(10):
        QTest.qWait(5)


def _try_each(window: MainWindow, where: Where) -> None:
    before, tried = shown(window), {}
    for k, (name, now) in enumerate(before):
        again = " again" if name in [n for n, _ in before[:k]] else ""
        what = other(name, now, where) if name + again in where.moves else None
        if what is None:
            continue
        typed, wanted = what
        project = window.document.project
        type_into(fields(window)[k].edit, typed)
        assert fields(window)[k].problem.text() == "", name
        after = shown(window)
        assert after[k] == (name, wanted)
        moved = {n for (n, a), (_, b) in zip(before, after, strict=True) if a != b} - {name}
        assert moved <= where.also.get(name, set()), name
        new = window.document.project
        trees = (p.model_dump(mode="json") for p in (project, new))
        tried[name + again] = in_words(changes(*trees), where.subject)
        window.undo()
        assert window.document.project == project, name
        assert shown(window) == before, name
    assert tried == where.moves


def choices(window: MainWindow) -> list[tuple[Choices, ChoiceSpec]]:
    stage = window.stages[window.selection.stage]
    return [
        (one, spec)
        for part in (window.inspectors.currentWidget(), stage.surface)
        for one in part.findChildren(Choices)
        if one.isVisibleTo(part)
        for spec in one._specs
    ]


CHOICES: dict[str, dict[str, set[str]]] = {
    "coupling": {
        "Lanes of": {"line_class"}, "Layer": {"pieces[].layer"}, "Drivers": {"driver"},
        "Receivers": {"listener"}, "Corner": {"corner"},
    },
    "paths": {
        "Model file": {"driver.model", "receiver.model"},
        "Model": {"driver.model.model", "receiver.model.model"},
        "Pin": {"driver.model.pin", "receiver.model.pin"},
        "Run it": {"driver.stands_in"},
        "Sends": {"stimulus.kind"}, "Corner": {"corner"}, "Class": {"elements[].line_class"},
        "Layer": {"elements[].layer"}, "Ends in": {"termination.kind"},
        "Look with": {"receiver.stands_in"}, "Who drives": {"driving"},
        "From": {"elements[].from_layer"}, "To": {"elements[].to_layer"},
        "Return vias": {"elements[].returns"}, "Stub": {"elements[].back_drilled"},
    },
    "eyes": {
        "Levels": {"modulation"}, "Pattern": {"prbs", "typed"}, "Code": {"code"},
        "Sampled": {"sampling"}, "Mask": {"mask", "mask.corners"},
        "Taps are": {"sender.setting"}, "Peaking": {"listener.gain"}, "Clock": {"listener.clock"},
        "Over": {"network"}, "Other lanes": {"crosstalk"},
    },
    "buses": {"Worst bits": {"worst"}, "Levels, strobes": {"alike"}},
}  # fmt: skip
"""What a choice changes in the project, whatever else goes with it."""
_ASKS = {"Model file", "Peaking", "Over"}
"""Some of whose choices ask for a file or for a model first, and then change nothing."""


@pytest.mark.parametrize("stage", sorted(CHOICES))
def test_what_is_chosen_stands_there_and_is_what_it_says(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch, stage: str
) -> None:
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *a, **k: ("", ""))
    met = set()
    for where in (w for w in PLACES if w.stage == stage):
        turn_to(window, where)
        for k, (title, now, keys) in enumerate(
            (spec.title, spec.current, [key for key, _ in spec.items])
            for _, spec in choices(window)
        ):
            for key in (x for x in keys if x != now):
                project = window.document.project
                choices(window)[k][0].choose(title, key)
                new = window.document.project
                if new == project:
                    # Refused with words, or asked for something first.
                    said = window.stages[stage].surface.problem.text()
                    assert said or title in _ASKS or key in ("sensor-pairs", "launch"), (title, key)
                    continue
                met.add(title)
                (shown_now,) = {s.current for _, s in choices(window) if s.title == title}
                assert shown_now == key, title
                trees = (p.model_dump(mode="json") for p in (project, new))
                moved = {
                    re.sub(r"\[\w+\]", "[]", way)
                    for way in in_words(changes(*trees), where.subject).split(" + ")
                }
                # A device is one value, or what of it is another one.
                assert any(
                    way == one or way.startswith(f"{one}.")
                    for way in moved
                    for one in CHOICES[stage][title]
                ), (title, key, moved)
                window.undo()
                assert window.document.project == project, title
    assert met == set(CHOICES[stage])
