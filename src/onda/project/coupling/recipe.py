"""A group from three decisions: lanes of what, how many, over which length."""

from __future__ import annotations

from collections.abc import Iterable

from onda.errors import InputError
from onda.project.base import fresh_id
from onda.project.coupling.group import MOST_LANES, LaneGroup
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.lines.objects import LineClass
from onda.project.model import Design, Project
from onda.project.quantities import quantity
from onda.project.recipe import Answers, Decision, Option, Recipe, named
from onda.project.requirement_edits import require

__all__ = ["GROUP_RECIPES", "lane_choices"]

_USUAL = {True: ("16 Gb/s", "15 ps", "2.0 mV"), False: ("2.4 Gb/s", "80 ps", "20 mV")}
_APART = 2.0
"""Distance between lanes to begin with, in gaps of a pair or widths of a line."""


def lane_choices(design: Design) -> tuple[Option, ...]:
    """What lanes can be made of: ``CLASS@LAYER``, with its name."""
    return tuple(
        (f"{c.id}@{t.layer}", f"{c.name} on {t.layer}")
        for c in design.line_classes
        if c.structure.one_line
        for t in c.on
        if t.facing is None and t.ground_gap is None and t.opening is None
    )


def _options(project: Project, _: Answers) -> Iterable[Option]:
    return lane_choices(project.design)


def _chosen(project: Project, answers: Answers) -> tuple[LineClass, str]:
    name, _, layer = answers["of"].partition("@")
    return project.design.line_class(name), layer


_GROUP = {
    d.key: d
    for d in (
        Decision(
            "of",
            "Lanes of",
            "The line class that every lane is, on the layer that they share.",
            "choice",
            default=lambda p, _: next((key for key, _ in lane_choices(p.design)), ""),
            options=_options,
        ),
        Decision(
            "lanes",
            "How many",
            f"Lanes side by side, 2 to {MOST_LANES}; names may follow, as in 4: JL0 JL1 JL2 JL3.",
            default=lambda _, __: "4",
        ),
        Decision(
            "length",
            "Side by side for",
            "The length over which they run beside each other.",
            "quantity",
            "length",
            default=lambda _, __: "50 mm",
        ),
        Decision("name", "Name", "What the group is called.", default=named("Group", "groups")),
        Decision(
            "noise",
            "Noise, at most",
            "Integrated crosstalk noise that every receiver stands, rms; empty for no limit.",
            "quantity",
            "voltage",
            default=lambda p, a: _usual(p, a)[2],
            optional=True,
        ),
    )
}


def _usual(project: Project, answers: Answers) -> tuple[str, str, str]:
    if not answers.get("of"):
        return _USUAL[True]
    return _USUAL[_chosen(project, answers)[0].structure.differential]


def _no_class(project: Project) -> tuple[str, str] | None:
    if lane_choices(project.design):
        return None
    return "Lanes of a group are of a line class; there is none yet.", "line"


def _lanes(typed: str) -> list[tuple[str, str]]:
    count, _, rest = typed.partition(":")
    if not count.strip().isdecimal() or len(count.strip()) > 3:
        raise InputError(f"{typed[:20]!r} is no number of lanes", remedy="As in 4.")
    n = int(count)
    if not 2 <= n <= MOST_LANES:
        raise InputError(
            f"{n} lanes", remedy=f"2 to {MOST_LANES}: lanes further away hardly disturb."
        )
    names = rest.split()
    if names and len(names) != n:
        raise InputError(f"{len(names)} names for {n} lanes")
    out: list[tuple[str, str]] = []
    for k in range(n):
        name = names[k] if names else f"Lane {k + 1}"
        out.append((fresh_id(name.lower(), {i for i, _ in out}, "lane"), name))
    return out


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    line_class, layer = _chosen(project, answers)
    lanes = _lanes(answers["lanes"])
    trace = line_class.trace_on(layer)
    assert trace is not None
    apart = quantity(_APART * (trace.gap or trace.width).si, "length", "um", 3)
    rate, rise, _ = _usual(project, answers)
    groups = project.design.groups
    identifier = fresh_id(
        answers["name"].lower().replace(" ", "-"), {g.id for g in groups}, "group"
    )
    new = LaneGroup.model_validate(
        {
            "id": identifier,
            "name": answers["name"],
            "line_class": line_class.id,
            "lanes": tuple({"id": i, "name": name} for i, name in lanes),
            "pieces": (
                {
                    "id": "C1",
                    "layer": layer,
                    "length": _GROUP["length"].quantity(answers),
                    "spacings": (apart,) * (len(lanes) - 1),
                },
            ),
            "rate": rate,
            "rise": rise,
        }
    )
    project = with_design(project, groups=(*groups, new))
    if answers["noise"].strip():
        project = require(project, identifier, "lane_noise", f"<= {answers['noise']}")
    return project, Ref("group", identifier)


GROUP_RECIPES = (
    Recipe(
        "group",
        "Group",
        "A group is lanes that run side by side and disturb each other.",
        tuple(_GROUP.values()),
        _make,
        _no_class,
    ),
)
