"""A bus from a few decisions: nets over one path, a controller and devices at its ends."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from onda.errors import InputError
from onda.project.base import fresh_id
from onda.project.buses.bus import Bus
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.paths.path import Path
from onda.project.recipe import Answers, Decision, Option, Recipe, named
from onda.project.requirement_edits import require

__all__ = ["BUS_RECIPES"]

_MOST = 80


def _paths(project: Project, _: Answers) -> Iterable[Option]:
    return tuple((p.id, p.name) for p in project.design.paths)


def _first(project: Project, _: Answers) -> str:
    return project.design.paths[0].id if project.design.paths else ""


def _has_address(answers: Answers) -> bool:
    return bool(_names(answers.get("address", "")))


def _all_ways(_: Project, __: Answers) -> Iterable[Option]:
    return (("writes", "Writes"), ("both", "Writes and reads"))


def _ways(project: Project, answers: Answers) -> str:
    """Reads too where every other end has a device that could drive."""
    path = next((p for p in project.design.paths if p.id == answers.get("data")), None)
    ready = path is not None and all(r.model is not None for r in path.receivers.values())
    return "both" if ready else "writes"


def _names(typed: str) -> list[str]:
    return typed.replace(",", " ").split()


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
            "ways", "Operations", "Writes to every device, or reads from each as well.", "choice",
            default=_ways, options=_all_ways,
        ),
        Decision(
            "address", "Address signals",
            "Names of what a clock takes, with blanks between them; nothing for none.",
            optional=True,
        ),
        Decision(
            "address_path", "Address over", "The path that every address signal runs over.",
            "choice", default=_first, options=_paths, asked=_has_address,
        ),
        Decision(
            "clock", "Clock over", "The path of the clock.", "choice", default=_first,
            options=_paths, asked=_has_address,
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
    data, address = _names(answers["names"]), _names(answers["address"])
    _refuse_names(data, address)
    devices = list(_devices(project.design.path(answers["data"]), address=bool(address)))
    ways = ["write", *(["read"] if answers["ways"] == "both" else [])]
    ways += ["address"] if address else []
    new = Bus.model_validate(
        {
            "id": identifier,
            "name": answers["name"],
            "signals": tuple(_signals(answers, data, address)),
            "devices": tuple(devices),
            "operations": tuple(o for way in ways for o in _operations(way, devices)),
            "rate": _BUS["rate"].quantity(answers),
        }
    )
    project = with_design(project, buses=(*buses, new))
    for measure in ("bus_setup", "bus_hold"):
        project = require(project, identifier, measure, ">= 0 ps")
    return project, Ref("bus", identifier)


def _refuse_names(data: Sequence[str], address: Sequence[str]) -> None:
    every = [*data, *address]
    if not data or len(every) > _MOST or len(set(every)) < len(every):
        raise InputError(
            f"{len(every)} signals", remedy=f"From 1 to {_MOST} names, each another one."
        )


def _signals(
    answers: Answers, data: Sequence[str], address: Sequence[str]
) -> Iterable[dict[str, Any]]:
    """The strobe with what it takes, and the clock."""
    yield {"id": "DQS", "name": "Strobe", "path": answers["strobe"]}
    taken = {"DQS"}
    if address:
        yield {"id": "CK", "name": "Clock", "path": answers["clock"], "takes": "rising"}
        taken.add("CK")
    for names, path, strobe in ((data, "data", "DQS"), (address, "address_path", "CK")):
        for name in names:
            own = fresh_id(name, taken, "signal")
            taken.add(own)
            yield {"id": own, "name": name, "path": answers[path], "strobe": strobe}


def _devices(path: Path, *, address: bool) -> Iterable[dict[str, Any]]:
    """One at every end of a path, the driver first."""
    yield {"id": "controller", "name": path.driver.name, "end": "driver", "sheet": {}}
    for k, (end, receiver) in enumerate(path.receivers.items(), 1):
        yield {
            "id": f"device-{k}", "name": receiver.name, "end": end, "sheet": {},
            "address_sheet": {} if address else None,
        }  # fmt: skip


def _operations(way: str, devices: Sequence[Mapping[str, Any]]) -> Iterable[dict[str, Any]]:
    """To every device, or from each."""
    controller, *others = devices
    for k, device in enumerate(others, 1):
        ends = (controller["id"], device["id"])
        drives, listens = ends if way != "read" else ends[::-1]
        yield {
            "id": f"{way}-{k}", "name": f"{way.capitalize()} {device['name']}",
            "drives": drives, "listens": listens,
            "over": "address" if way == "address" else "data",
        }  # fmt: skip


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
