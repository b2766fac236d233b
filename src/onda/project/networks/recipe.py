"""A network from a few decisions: of a line class, or of a path."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Ref
from onda.project.model import Design, Project
from onda.project.networks.edits import add_network
from onda.project.networks.network import LineSource, PathSource
from onda.project.recipe import Answers, Decision, Option, Recipe

__all__ = ["NETWORK_RECIPES"]


def _sources(design: Design) -> tuple[Option, ...]:
    return (
        *((f"line:{c.id}", c.name) for c in design.line_classes if c.structure.one_line),
        *((f"path:{p.id}", f"{p.name}, path") for p in design.paths),
    )


def _options(project: Project, _: Answers) -> Iterable[Option]:
    return _sources(project.design)


def _name(project: Project, answers: Answers) -> str:
    return dict(_sources(project.design)).get(answers["of"], "")


_NETWORK = {
    d.key: d
    for d in (
        Decision(
            "of",
            "Made of",
            "A piece of a line class, or a path from pad to pad.",
            "choice",
            default=lambda p, _: next((key for key, _ in _sources(p.design)), ""),
            options=_options,
        ),
        Decision("name", "Name", "What the network is called.", default=_name),
        Decision(
            "length",
            "Length",
            "Of the piece of line.",
            "quantity",
            "length",
            default=lambda _, __: "100 mm",
            asked=lambda a: a["of"].startswith("line:"),
        ),
    )
}


def _nothing(project: Project) -> tuple[str, str] | None:
    if _sources(project.design):
        return None
    return (
        "A network comes from a file of S-parameters, or is made of a line class or a path; there "
        "is none of these yet.",
        "line",
    )


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    kind, _, of = answers["of"].partition(":")
    name = answers["name"]
    if kind == "path":
        lane = project.design.path(of).lane
        return add_network(project, name, PathSource(path=of), lane=lane)
    line_class = project.design.line_class(of)
    source = LineSource(
        line_class=of, layer=line_class.on[0].layer, length=_NETWORK["length"].quantity(answers)
    )
    lane = "pair" if line_class.kind == "pair" else "single"
    return add_network(project, name, source, lane=lane)


NETWORK_RECIPES = (
    Recipe(
        "network",
        "Network",
        "A network is a set of S-parameters: from a file, or of a line or a path of this board.",
        tuple(_NETWORK.values()),
        _make,
        _nothing,
    ),
)
