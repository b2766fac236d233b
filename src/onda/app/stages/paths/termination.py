"""Fields and list of a termination: of the ribbon, of a branch, or along the line."""

from __future__ import annotations

from collections.abc import Callable

from onda.app.shell.choices import ChoiceSpec
from onda.app.shell.form import FieldSpec
from onda.app.stages.paths.look import Put
from onda.project.base import set_value
from onda.project.paths.edits import set_termination
from onda.project.paths.elements import termination_of
from onda.project.paths.ends import Termination, offered_termination
from onda.project.paths.path import Path
from onda.project.quantities import Quantity

__all__ = ["TERMINATIONS", "termination_choice", "termination_fields"]

TERMINATIONS = {
    "none": "none",
    "parallel": "parallel to rail",
    "split": "split, two resistors",
    "ac": "R and C to 0 V",
    "diode": "diodes to rails",
}


def termination_fields(path: Callable[[], Path], where: str, put: Put) -> list[FieldSpec]:
    """Fields of the termination of the ribbon, of a branch or along the line."""

    def present() -> Termination:
        return termination_of(path().element(where)) or path().termination

    names: dict[str, tuple[tuple[str, str, str], ...]] = {
        "none": (),
        "parallel": (("Resistor", "resistance", "r"), ("Rail", "voltage", "rail")),
        "split": (
            ("To rail", "resistance", "r"),
            ("To 0 V", "resistance", "r_low"),
            ("Rail", "voltage", "rail"),
        ),
        "ac": (("Resistor", "resistance", "r"), ("Capacitor", "capacitance", "c")),
        "diode": (("Rail", "voltage", "rail"),),
    }

    def spec(title: str, dimension: str, key: str) -> FieldSpec:
        def change(q: Quantity) -> None:
            new = set_value(present(), **{key: q})
            put("Change termination", set_termination(path(), where, new))

        trim = (5.0, 400.0, 1.0) if dimension == "resistance" else None
        return FieldSpec(title, dimension, lambda: getattr(present(), key), change, trim)

    return [spec(*entry) for entry in names[present().kind]]


def termination_choice(
    path: Path, where: str, put: Put, z: float, *, may_be_none: bool = True
) -> ChoiceSpec:
    """Choice of a termination, with the values that the line asks for."""
    now = termination_of(path.element(where)) or path.termination
    kinds = {k: v for k, v in TERMINATIONS.items() if not (path.lane == "pair" and k == "diode")}
    if not may_be_none:
        kinds.pop("none")

    def choose(kind: str) -> None:
        new = offered_termination(kind, z, path.rail)
        put(f"Termination: {TERMINATIONS[kind]}", set_termination(path, where, new))

    return ChoiceSpec("Ends in", tuple(kinds.items()), now.kind, choose)
