"""A bus from a few decisions: nets over one path, a controller and devices at its ends."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from onda.errors import InputError
from onda.project.base import fresh_id
from onda.project.buses.bus import Bus
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.recipe import Answers, Decision, Option, Recipe, named
from onda.project.requirement_edits import require

__all__ = ["BUS_RECIPES"]

_MOST = 80


def _paths(project: Project, _: Answers) -> Iterable[Option]:
    return tuple((p.id, p.name) for p in project.design.paths)


def _first(project: Project, _: Answers) -> str:
    return project.design.paths[0].id if project.design.paths else ""


_BUS = {
    d.key: d
    for d in (
        Decision("name", "Name", "What the bus is called.", default=named("Bus", "buses")),
        Decision(
            "data", "Data over", "The path that every data signal runs over.", "choice",
            default=_first, options=_paths,
        ),
        Decision(
            "strobe", "Strobe over", "The path of the strobe.", "choice", default=_first,
            options=_paths,
        ),
        Decision(
            "names", "Signals", "Names of the data signals, with blanks between them.",
            default=lambda _, __: "DQ0 DQ1 DQ2 DQ3",
        ),
        Decision(
            "rate", "Rate", "Bits a second on each signal.", "quantity", "data rate",
            default=lambda _, __: "1.6 Gb/s",
        ),
    )
}  # fmt: skip


def _no_path(project: Project) -> tuple[str, str] | None:
    return None if project.design.paths else ("Signals of a bus run over paths.", "path")


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    buses = _all(project)
    identifier = fresh_id(answers["name"].lower().replace(" ", "-"), {b.id for b in buses}, "bus")
    names = answers["names"].replace(",", " ").split()
    if not names or len(names) > _MOST or len(set(names)) < len(names):
        raise InputError(
            f"{len(names)} signals", remedy=f"From 1 to {_MOST} names, each another one."
        )
    path = project.design.path(answers["data"])
    ends = list(path.receivers)
    taken: set[str] = {"DQS"}
    signals: list[dict[str, Any]] = [{"id": "DQS", "name": "Strobe", "path": answers["strobe"]}]
    for name in names:
        own = fresh_id(name, taken, "signal")
        taken.add(own)
        signals.append({"id": own, "name": name, "path": answers["data"], "strobe": "DQS"})
    devices: list[dict[str, Any]] = [
        {"id": "controller", "name": path.driver.name, "end": "driver", "sheet": {}}
    ]
    devices += [
        {"id": f"device-{k}", "name": path.receivers[end].name, "end": end, "sheet": {}}
        for k, end in enumerate(ends, 1)
    ]
    new = Bus.model_validate(
        {
            "id": identifier,
            "name": answers["name"],
            "signals": tuple(signals),
            "devices": tuple(devices),
            "operations": tuple(
                {
                    "id": f"write-{k}", "name": f"Write {path.receivers[end].name}",
                    "drives": "controller", "listens": f"device-{k}",
                }
                for k, end in enumerate(ends, 1)
            ),
            "rate": _BUS["rate"].quantity(answers),
        }
    )  # fmt: skip
    project = with_design(project, buses=(*buses, new))
    for measure in ("bus_setup", "bus_hold"):
        project = require(project, identifier, measure, ">= 0 ps")
    return project, Ref("bus", identifier)


def _all(project: Project) -> tuple[Bus, ...]:
    found: tuple[Bus, ...] = project.design.buses
    return found


BUS_RECIPES = (
    Recipe(
        "bus",
        "Bus",
        "A bus takes data by a strobe: set-up and hold of every signal, operation and corner.",
        tuple(_BUS.values()),
        _make,
        _no_path,
    ),
)
