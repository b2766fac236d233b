"""A line class, a closed section or a data-sheet line from a few decisions."""

from __future__ import annotations

from collections.abc import Iterable

from onda.engine.constants import C0_M_PER_S
from onda.errors import InputError
from onda.project.base import fresh_id, set_value
from onda.project.build.stackup import CopperLayer, DielectricLayer, Stackup
from onda.project.edits import objects_of, with_design
from onda.project.kind import Ref
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.lines.structures import STRUCTURES, Structure
from onda.project.model import Project
from onda.project.quantities import Quantity, parse_quantity, quantity
from onda.project.recipe import Answers, Decision, Option, Recipe, named, several
from onda.project.requirements import Requirement

__all__ = ["LINE_RECIPES"]

_LINES = ("line", "shielded", "sheet_line")


def _structure(answers: Answers) -> tuple[Structure, int]:
    word, _, count = answers["structure"].partition(" ")
    made = STRUCTURES[word]
    return made, int(count) if count else max(made.counts[0], 2)


def _structures(_: Project, __: Answers) -> Iterable[Option]:
    for made in STRUCTURES.values():
        for n in made.counts:
            yield made.spelled(n), made.offered.format(n=n)


def _is_several(answers: Answers) -> bool:
    return _structure(answers)[0].several


def _target(_: Project, answers: Answers) -> str:
    return "100 ohm" if _structure(answers)[0].differential else "50 ohm"


def _layers(project: Project, _: Answers) -> Iterable[Option]:
    return ((name, name) for name in project.design.stackup.signal_layers)


def _all_layers(project: Project, _: Answers) -> str:
    """Those of the first zone: the others are seldom meant."""
    names = project.design.stackup.signal_layers
    return ", ".join([n for n in names if "." not in n] or names)


_CLASS = {
    d.key: d
    for d in (
        Decision(
            "name",
            "Name",
            "What the class is called, as in Memory data.",
            default=named("Class", "line_classes"),
        ),
        Decision(
            "structure",
            "Structure",
            "A single line, a pair that is driven against each other, or a group of equal lines.",
            "choice",
            default=lambda _, __: "single",
            options=_structures,
        ),
        Decision(
            "target",
            "Impedance",
            "What the drivers expect: 50 ohm single and 100 ohm differential are usual.",
            "quantity",
            "resistance",
            default=_target,
        ),
        Decision(
            "tolerance",
            "Within",
            "What the impedance may be off by; ±10 % is usual. It becomes a limit on every layer.",
            "quantity",
            "ratio",
            default=lambda _, __: "10 %",
        ),
        Decision(
            "gap",
            "Gap",
            "Between neighbouring edges. A narrow gap couples more and loses more.",
            "quantity",
            "length",
            default=lambda _, __: "150 um",
            asked=_is_several,
        ),
        Decision(
            "layers",
            "On layers",
            "Where it is routed; the width is found for each.",
            "choices",
            default=_all_layers,
            options=_layers,
        ),
        Decision(
            "loss_at",
            "Loss at",
            "The frequency at which its loss matters: half the bit rate, as a rule.",
            "quantity",
            "frequency",
            default=lambda _, __: "1 GHz",
        ),
    )
}


def _no_layer(project: Project) -> tuple[str, str] | None:
    if project.design.stackup.signal_layers:
        return None
    return "A line lies on a layer that carries traces; the board has none yet.", "layer"


def _identifier(project: Project, name: str) -> str:
    taken = {x.id for x in objects_of(project, _LINES)}
    return fresh_id(name.lower().replace(" ", "-"), taken, "line")


def _make_class(project: Project, answers: Answers) -> tuple[Project, Ref]:
    made, count = _structure(answers)
    target = _CLASS["target"].quantity(answers)
    gap = _CLASS["gap"].quantity(answers) if made.several else None
    layers = several(answers["layers"])
    stackup = project.design.stackup
    on = tuple(
        TraceOnLayer(layer=name, width=_start_width(stackup, name), gap=gap) for name in layers
    )
    new = LineClass.model_validate(
        {
            "id": _identifier(project, answers["name"]),
            "name": answers["name"],
            "kind": made.key,
            "target": target,
            "loss_at": _CLASS["loss_at"].quantity(answers),
            "on": on,
            "count": count,
        }
    )
    added = with_design(project, line_classes=(*project.design.line_classes, new))
    limits = _limits(new, _CLASS["tolerance"].quantity(answers))
    return set_value(added, requirements=(*project.requirements, *limits)), Ref("line", new.id)


def _limits(new: LineClass, tolerance: Quantity) -> Iterable[Requirement]:
    share = tolerance.si
    if not 0.0 < share < 1.0:
        raise InputError(f"Within: {tolerance.text!r}", remedy="Something like 10 %.")
    low, high = (
        quantity(new.target.si * f, "resistance", "ohm") for f in (1.0 - share, 1.0 + share)
    )
    for trace in new.on:
        yield Requirement(
            id=f"z-{new.id}-{trace.layer}"[:64],
            kind="line",
            subject=new.id,
            layer=trace.layer,
            measure="impedance",
            at_least=low,
            at_most=high,
            source=f"target {new.target.text} within {tolerance.text}",
        )


def _start_width(stackup: Stackup, layer: str) -> Quantity:
    """A width to start the search from: near that of 50 ohm, and one that can be etched."""
    place = stackup.place(layer)
    heights = [h for step in (-1, 1) if (h := _height(place.layers, place.index, step)) is not None]
    limit = stackup.fabrication.limit_for(place.copper.thickness.si)
    least = max(limit.width.si if limit else 75e-6, 2.5 * place.copper.undercut.si)
    wanted = (1.8 if len(heights) < 2 else 0.9) * min(heights, default=150e-6)
    return quantity(max(min(wanted, 3e-3), least), "length", "um")


def _height(layers: tuple[object, ...], index: int, step: int) -> float | None:
    """Dielectric between a layer and the next plane, m; None where there is no plane."""
    total, k = 0.0, index + step
    while 0 <= k < len(layers):
        item = layers[k]
        if isinstance(item, CopperLayer):
            if item.role == "plane":
                return total
        elif isinstance(item, DielectricLayer):
            total += item.thickness.si
        k += step
    return None


_SECTION = {
    d.key: d
    for d in (
        Decision(
            "name",
            "Name",
            "What the section is called, as in Edge launch.",
            default=named("Section", "shielded"),
        ),
        Decision(
            "shape",
            "Shape",
            "A round conductor in a round wall, or a trace in a box.",
            "choice",
            default=lambda _, __: "round",
            options=lambda _, __: (("round", "round, coaxial"), ("box", "trace in a box")),
        ),
        Decision(
            "material",
            "Filled with",
            "The material between conductor and wall; in a box the one that the trace lies on.",
            "choice",
            default=lambda p, __: p.design.materials[0].id,
            options=lambda p, __: ((m.id, m.name) for m in p.design.materials),
        ),
        Decision(
            "up_to",
            "Used up to",
            "Highest frequency of interest; no second mode may travel below it.",
            "quantity",
            "frequency",
            default=lambda _, __: "20 GHz",
        ),
        Decision(
            "target",
            "Impedance",
            "What the section should have, 50 ohm as a rule.",
            "quantity",
            "resistance",
            default=lambda _, __: "50 ohm",
        ),
    )
}


def _no_material(project: Project) -> tuple[str, str] | None:
    if project.design.materials:
        return None
    return "A section is filled with a material; the project has none yet.", "material"


def _make_section(project: Project, answers: Answers) -> tuple[Project, Ref]:
    round_one = answers["shape"] == "round"
    size = {
        "width": "1.3 mm" if round_one else "4 mm",
        "height": "1.3 mm" if round_one else "2 mm",
        "conductor": "0.4 mm",
        "conductor_height": "0.4 mm" if round_one else "35 um",
        "floor": "0 mm" if round_one else "200 um",
    }
    new = ShieldedSection.model_validate(
        {
            "id": _identifier(project, answers["name"]),
            "name": answers["name"],
            "shape": answers["shape"],
            "material": answers["material"],
            "up_to": _SECTION["up_to"].quantity(answers),
            "target": _SECTION["target"].quantity(answers),
        }
        | {key: parse_quantity(text, "length") for key, text in size.items()}
    )
    return with_design(project, shielded=(*project.design.shielded, new)), Ref("shielded", new.id)


_SHEET = {
    d.key: d
    for d in (
        Decision(
            "name",
            "Name",
            "What the line is called, as in Sensor cable.",
            default=named("Cable", "sheet_lines"),
        ),
        Decision(
            "z0",
            "Impedance",
            "As its data sheet states it.",
            "quantity",
            "resistance",
            default=lambda _, __: "50 ohm",
        ),
        Decision(
            "delay",
            "Delay",
            "Per length: 4.8 ps/mm for a usual cable.",
            "quantity",
            "delay per length",
            default=lambda _, __: "4.8 ps/mm",
        ),
        Decision(
            "loss",
            "Loss",
            "Per length, at the frequency below.",
            "quantity",
            "loss per length",
            default=lambda _, __: "1 dB/m",
        ),
        Decision(
            "at",
            "At",
            "The frequency at which the sheet states the loss.",
            "quantity",
            "frequency",
            default=lambda _, __: "1 GHz",
        ),
        Decision(
            "length",
            "Length",
            "How long it is.",
            "quantity",
            "length",
            default=lambda _, __: "300 mm",
        ),
    )
}


def _make_sheet(project: Project, answers: Answers) -> tuple[Project, Ref]:
    z0, delay = (_SHEET[key].quantity(answers) for key in ("z0", "delay"))
    if delay.si < 1.0 / C0_M_PER_S:
        raise InputError(
            f"Delay: {delay.text} is faster than light",
            remedy=f"At least {1e9 / C0_M_PER_S:.2f} ps/mm.",
        )
    new = SheetLine(
        id=_identifier(project, answers["name"]),
        name=answers["name"],
        entry="figures",
        length=_SHEET["length"].quantity(answers),
        r=parse_quantity("0 ohm/m", "resistance per length"),
        l=quantity(z0.si * delay.si, "inductance per length", "nH/m"),
        g=parse_quantity("0 S/m", "conductance per length"),
        c=quantity(delay.si / z0.si, "capacitance per length", "pF/m"),
        z0=z0,
        delay=delay,
        loss=_SHEET["loss"].quantity(answers),
        at=_SHEET["at"].quantity(answers),
        copper_share=0.8,
    )
    sheets = (*project.design.sheet_lines, new)
    return with_design(project, sheet_lines=sheets), Ref("sheet_line", new.id)


LINE_RECIPES = (
    Recipe(
        "line",
        "Line class",
        "A line class is what traces of one impedance have in common. Its width is found for every "
        "layer that you choose.",
        tuple(_CLASS.values()),
        _make_class,
        _no_layer,
    ),
    Recipe(
        "shielded",
        "Closed section",
        "A section closed by a wall, such as a launch or a connector: which modes travel in it.",
        tuple(_SECTION.values()),
        _make_section,
        _no_material,
    ),
    Recipe(
        "sheet_line",
        "Line from a data sheet",
        "A cable or a line of which only a data sheet is known.",
        tuple(_SHEET.values()),
        _make_sheet,
    ),
)
