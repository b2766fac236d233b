"""What the report shows of each kind of object: a note beside its name, and a picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from onda.project.buses.bus import Bus
from onda.project.coupling.group import LaneGroup
from onda.project.lines.objects import LineClass
from onda.project.links.link import Link
from onda.project.model import Project
from onda.project.networks.network import Network
from onda.project.paths.path import Path as NetPath
from onda.project.requirements import Requirement
from onda.report.figures import (
    draw_bus,
    draw_eye,
    draw_group,
    draw_line,
    draw_link,
    draw_network,
    draw_path,
)
from onda.studies.buses.bus import BUS
from onda.studies.buses.plan import bus_plan
from onda.studies.core.runner import StudyRunner
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import group_inputs
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs, link_inputs, mask_inputs, pattern_inputs
from onda.studies.links.link import LINK
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH

__all__ = ["SHEETS", "Drawing", "Sheet"]


@dataclass(frozen=True, slots=True)
class Drawing:
    """What a picture is made from, and where it goes."""

    project: Project
    requirements: tuple[Requirement, ...]
    runner: StudyRunner
    file: Path


@dataclass(frozen=True, slots=True)
class Sheet:
    """A kind in the report; `always` False leaves out objects that nothing is asked of."""

    note: Callable[[Any], str]
    draw: Callable[[Any, Drawing], None]
    always: bool = True


def _line(line_class: LineClass, d: Drawing) -> None:
    first = line_class.on[0].layer
    inputs = ImpedanceInputs(line_inputs(d.project.design, line_class, first))
    draw_line(d.runner.result(IMPEDANCE, inputs), d.file)


def _path(path: NetPath, d: Drawing) -> None:
    limits = [r.at_most.si for r in d.requirements if r.measure == "overshoot" and r.at_most]
    result = d.runner.result(PATH, path_inputs(d.project.design, path))
    draw_path(result, min(limits, default=None), d.file)


def _group(group: LaneGroup, d: Drawing) -> None:
    draw_group(d.runner.result(GROUP, group_inputs(d.project.design, group)), d.file)


def _group_note(group: LaneGroup) -> str:
    return f"{len(group.lanes)} lanes, {1e3 * group.length:.4g} mm, {group.rate.text}"


def _network(network: Network, d: Drawing) -> None:
    result = d.runner.result(NETWORK, network_inputs(d.project.design, network))
    draw_network(result, d.requirements, d.file)


def _network_note(network: Network) -> str:
    return network.source.kind + (f", {network.rate.text}" if network.rate else "")


def _link(link: Link, d: Drawing) -> None:
    shape = mask_inputs(link)
    if link.modulation == "nrz":
        draw_eye(d.runner.result(EYE, eye_inputs(d.project.design, link)), shape, d.file)
    else:
        draw_link(d.runner.result(LINK, link_inputs(d.project.design, link)), shape, d.file)


def _link_note(link: Link) -> str:
    if link.modulation == "nrz":
        return f"{link.rate.text}, {pattern_inputs(link).name}, {link.bits} bits"
    return f"{link.rate.text}, four levels, at an error rate of {link.error_rate:g}"


def _bus(bus: Bus, d: Drawing) -> None:
    draw_bus(d.runner.result(BUS, bus_plan(d.project.design, bus)), d.file)


def _bus_note(bus: Bus) -> str:
    return f"{bus.rate.text}, {len(bus.data)} signals, {bus.cases} cases of {bus.bits} bits"


SHEETS: dict[str, Sheet] = {
    "line": Sheet(lambda c: f"target {c.target.text}, shown on {c.on[0].layer}", _line),
    "path": Sheet(lambda p: str(p.net), _path),
    "group": Sheet(_group_note, _group),
    # A part of a chain that nothing is asked of is no evidence by itself.
    "network": Sheet(_network_note, _network, always=False),
    "link": Sheet(_link_note, _link),
    "bus": Sheet(_bus_note, _bus),
}
"""By kind, in the order of the report."""
