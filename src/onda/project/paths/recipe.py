"""A path from a few decisions: a driver, a piece of line, a receiver."""

from __future__ import annotations

from collections.abc import Iterable

from onda.errors import InputError
from onda.project.base import fresh_id, set_value
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.lines.objects import LineClass
from onda.project.model import Project
from onda.project.paths.elements import TracePiece
from onda.project.paths.ends import Driver, Receiver, Termination
from onda.project.paths.path import Path, Stimulus
from onda.project.quantities import Quantity, parse_quantity, quantity
from onda.project.recipe import Answers, Decision, Option, Recipe, named
from onda.project.requirement_edits import require

__all__ = ["PATH_RECIPES"]

_SLOW = 7e-9
"""Delay of a trace per length, s/m, for a first guess of how long to look."""


def _classes(project: Project, _: Answers) -> Iterable[Option]:
    return ((c.id, c.name) for c in project.design.line_classes if c.structure.one_line)


def _class_of(project: Project, answers: Answers) -> LineClass:
    return project.design.line_class(answers["line_class"])


def _layers(project: Project, answers: Answers) -> Iterable[Option]:
    if not answers.get("line_class"):
        return ()
    return ((t.layer, t.layer) for t in _class_of(project, answers).on)


def _first(options: Iterable[Option]) -> str:
    return next((key for key, _ in options), "")


def _is_pair(project: Project, answers: Answers) -> bool:
    return bool(answers.get("line_class")) and _class_of(project, answers).kind == "pair"


_PATH = {
    d.key: d
    for d in (
        Decision(
            "name",
            "Name",
            "What the net is called, as in ADC clock.",
            default=named("Net", "paths"),
        ),
        Decision(
            "line_class",
            "Line class",
            "What it is routed with; a pair makes a differential path.",
            "choice",
            default=lambda p, a: _first(_classes(p, a)),
            options=_classes,
        ),
        Decision(
            "layer",
            "On layer",
            "Where the trace runs; more pieces and vias are put in later.",
            "choice",
            default=lambda p, a: _first(_layers(p, a)),
            options=_layers,
        ),
        Decision(
            "length",
            "Length",
            "From driver to receiver.",
            "quantity",
            "length",
            default=lambda _, __: "60 mm",
        ),
        Decision(
            "swing",
            "Swing",
            "Voltage of the driver between its two levels, unloaded; of a pair differentially.",
            "quantity",
            "voltage",
            default=lambda p, a: "800 mV" if _is_pair(p, a) else "1.8 V",
        ),
        Decision(
            "edge",
            "Edge",
            "Rise time of the driver, 0 to 100 %. A device file gives it better, later.",
            "quantity",
            "time",
            default=lambda p, a: "30 ps" if _is_pair(p, a) else "500 ps",
        ),
        Decision(
            "resistance",
            "Driver resistance",
            "Its own resistance: 15 to 40 ohm for a usual output, 100 ohm for a differential one.",
            "quantity",
            "resistance",
            default=lambda p, a: "100 ohm" if _is_pair(p, a) else "25 ohm",
        ),
        Decision(
            "sends",
            "Sends",
            "One edge shows reflections best; a clock and bits show what they add up to.",
            "choice",
            default=lambda _, __: "edge",
            options=lambda _, __: (
                ("edge", "one edge"),
                ("clock", "a clock"),
                ("pattern", "pseudo-random bits"),
            ),
        ),
        Decision(
            "frequency",
            "Frequency",
            "Of the clock.",
            "quantity",
            "frequency",
            default=lambda _, __: "100 MHz",
            asked=lambda a: a["sends"] == "clock",
        ),
        Decision(
            "rate",
            "Data rate",
            "Bits a second.",
            "quantity",
            "data rate",
            default=lambda _, __: "1 Gb/s",
            asked=lambda a: a["sends"] == "pattern",
        ),
        Decision(
            "overshoot",
            "Overshoot, at most",
            "What the receiver's input stands beyond its levels; leave it empty for no limit.",
            "quantity",
            "voltage",
            default=lambda _, __: "0.3 V",
            optional=True,
        ),
    )
}


def _no_class(project: Project) -> tuple[str, str] | None:
    if _first(_classes(project, {})):
        return None
    return "A path runs on line classes; there is none yet.", "line"


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    line_class = _class_of(project, answers)
    pair = line_class.kind == "pair"
    length, swing, edge = (_PATH[k].quantity(answers) for k in ("length", "swing", "edge"))
    if not swing.si > 0:
        raise InputError(f"Swing: {swing.text!r} must be above 0")
    identifier = fresh_id(
        answers["name"].lower().replace(" ", "-"), {p.id for p in project.design.paths}, "path"
    )
    half = quantity(0.5 * swing.si, "voltage", swing.unit, 9)
    low = _negative(half) if pair else parse_quantity("0 V", "voltage")
    termination = Termination()
    if pair:
        zero = parse_quantity("0 V", "voltage")
        termination = Termination(kind="parallel", r=line_class.target, rail=zero)
    path = Path(
        id=identifier,
        name=answers["name"],
        net=answers["name"],
        lane="pair" if pair else "single",
        driver=Driver(
            name="Driver",
            resistance=_PATH["resistance"].quantity(answers),
            low=low,
            high=half if pair else swing,
            edge=edge,
            capacitance=parse_quantity("200 fF" if pair else "2 pF", "capacitance"),
        ),
        elements=(
            TracePiece(id="T1", line_class=line_class.id, layer=answers["layer"], length=length),
        ),
        termination=termination,
        receiver=Receiver(
            name="Receiver",
            capacitance=parse_quantity("200 fF" if pair else "3 pF", "capacitance"),
        ),
        stimulus=_stimulus(answers, length.si, edge.si),
    )
    added = with_design(project, paths=(*project.design.paths, path))
    if answers["overshoot"].strip():
        added = require(added, identifier, "overshoot", answers["overshoot"])
    return added, Ref("path", identifier)


def _negative(value: Quantity) -> Quantity:
    """The negative of a quantity, typed alike."""
    return quantity(-value.si, "voltage", value.unit, 9)


def _stimulus(answers: Answers, length: float, edge: float) -> Stimulus:
    kind = answers["sends"]
    window = 8.0 * _SLOW * length + 4.0 * edge
    values: dict[str, object] = {}
    if kind == "clock":
        values["frequency"] = frequency = _PATH["frequency"].quantity(answers)
        window = max(window, 2.5 / frequency.si)
    elif kind == "pattern":
        values["rate"] = rate = _PATH["rate"].quantity(answers)
        window = max(window, 24.0 / rate.si)
    shown = quantity(min(window, 1.0), "time", "ns", 2)
    return set_value(Stimulus(kind="edge", window=shown), kind=kind, **values)


PATH_RECIPES = (
    Recipe(
        "path",
        "Path",
        "A path is a net from its driver to its receivers. It begins as one piece of line; vias, "
        "resistors, branches and device files are put in afterwards.",
        tuple(_PATH.values()),
        _make,
        _no_class,
    ),
)
