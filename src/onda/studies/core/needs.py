"""What every requirement is judged by, remembered as long as what it follows from is the same."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from onda.errors import OndaError
from onda.project.model import Design, Requirement
from onda.studies.core.study import key_of
from onda.studies.lines.impedance import ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.links.inputs import EyeInputs, eye_inputs
from onda.studies.networks.inputs import NetworkInputs, network_inputs
from onda.studies.paths.inputs import PathInputs, path_inputs

__all__ = ["Found", "Need", "NeedBook"]

Inputs = ImpedanceInputs | PathInputs | NetworkInputs | EyeInputs
Need = tuple[str, Inputs]
"""A study, by name, and its inputs."""


@dataclass(frozen=True, slots=True)
class Found:
    """A need with the key of its result, or what stands in its way."""

    need: Need | None
    key: str
    problem: str = ""


class NeedBook:
    """Needs by object; an edit shares what it does not change, so that most of them stay known."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, str, str | None], tuple[tuple[object, ...], Found]] = {}

    def look(self, design: Design, requirement: Requirement) -> Found:
        """The need of a requirement in a design."""
        about = (requirement.stage, requirement.subject, requirement.layer)
        parts = tuple(_follows_from(design, requirement))
        known = self._known.get(about)
        if known is not None and _same(known[0], parts):
            return known[1]
        try:
            need = _need(design, requirement)
            found = Found(need, key_of(*need))
        except OndaError as error:
            found = Found(None, "", str(error))
        # The parts are held, so that none of them can be taken for another one made later.
        self._known[about] = parts, found
        return found

    def all_of(self, design: Design, requirements: Iterable[Requirement]) -> dict[str, Need]:
        """All that has to be run for some requirements, by key; what cannot be is left out."""
        out: dict[str, Need] = {}
        for requirement in requirements:
            found = self.look(design, requirement)
            if found.need is not None:
                out.setdefault(found.key, found.need)
        return out


def _same(old: tuple[object, ...], new: tuple[object, ...]) -> bool:
    return len(old) == len(new) and all(a is b for a, b in zip(old, new, strict=True))


def _follows_from(design: Design, requirement: Requirement) -> Iterable[object]:
    """Parts of a design that the inputs are made from; each is frozen."""
    yield design.stackup
    yield from design.materials
    if requirement.stage == "lines":
        yield design.line_class(requirement.subject)
        return
    yield from design.line_classes
    yield from design.sheet_lines
    yield from design.device_files
    if requirement.stage == "paths":
        yield design.path(requirement.subject)
        return
    yield from design.paths
    yield from design.networks if requirement.stage == "networks" else design.links


def _need(design: Design, requirement: Requirement) -> Need:
    if requirement.stage == "lines":
        line_class = design.line_class(requirement.subject)
        layer = requirement.layer or line_class.on[0].layer
        return "impedance", ImpedanceInputs(line_inputs(design, line_class, layer))
    if requirement.stage == "paths":
        return "path", path_inputs(design, design.path(requirement.subject))
    if requirement.stage == "networks":
        return "network", network_inputs(design, design.network(requirement.subject))
    return "eye", eye_inputs(design, design.link(requirement.subject))
