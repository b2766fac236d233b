"""Edits of a path: elements anywhere in its tree, branches, whole topologies in one step."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.errors import InputError
from onda.project.edits import set_value
from onda.project.model import Design, SheetLine
from onda.project.paths.path import (
    Branch,
    Cable,
    DrilledVia,
    Driver,
    LumpedPart,
    ModelUse,
    NetworkPiece,
    Path,
    PathElement,
    Receiver,
    SeriesResistor,
    ShuntPart,
    Termination,
    TracePiece,
    Via,
)
from onda.project.quantities import parse_quantity, quantity

__all__ = [
    "INSERTABLE",
    "TOPOLOGIES",
    "change_element",
    "copy_element",
    "insert_element",
    "make_topology",
    "move_element",
    "offered_termination",
    "remove_element",
    "set_model",
    "set_receiver",
    "set_termination",
    "straight_run",
]

Elements = tuple[PathElement, ...]
INSERTABLE: dict[str, str] = {
    "trace": "trace",
    "via": "via",
    "drilled": "drilled via",
    "resistor": "resistor",
    "ferrite": "ferrite",
    "inductor": "inductor",
    "capacitor": "series capacitor",
    "connector": "connector",
    "package": "package",
    "cable": "cable",
    "network": "network file",
    "shunt": "termination here",
    "load": "load here",
    "branch": "branch",
}
"""What can be inserted, and what it is called."""
TOPOLOGIES = {
    "chain": "daisy chain",
    "star": "star",
    "tee": "T, halves to two groups",
    "fly-by": "fly-by with stubs",
}
_LETTERS = {"trace": "T", "via": "V", "drilled": "V", "resistor": "R", "ferrite": "FB",
            "inductor": "L", "capacitor": "C", "connector": "J", "package": "P", "cable": "W",
            "shunt": "Z", "load": "B", "branch": "B", "network": "N"}  # fmt: skip


def _mapped(elements: Elements, change: Callable[[PathElement], Elements]) -> Elements:
    """Every element replaced by what `change` makes of it, branches from the inside."""
    out: list[PathElement] = []
    for element in elements:
        if isinstance(element, Branch):
            element = set_value(element, elements=_mapped(element.elements, change))
        out += change(element)
    return tuple(out)


def change_element(path: Path, new: PathElement) -> Path:
    """Put a changed element in the place of the one with its id."""

    def change(element: PathElement) -> Elements:
        if element.id != new.id:
            return (element,)
        return (new,)

    return set_value(path, elements=_mapped(path.elements, change))


def remove_element(path: Path, identifier: str) -> Path:
    """Take an element out, a branch with all that is on it.

    Raises
    ------
    InputError : no line would be left, or the branch drives
    """
    return set_value(
        path, elements=_mapped(path.elements, lambda e: () if e.id == identifier else (e,))
    )


def _fresh(path: Path, letter: str, used: set[str] | None = None) -> str:
    ids = {e.id for e in path.all_elements} | (used or set())
    return next(f"{letter}{n}" for n in range(1, 10_000) if f"{letter}{n}" not in ids)


def _place(path: Path, after: str, new: PathElement) -> Path:
    """Insert behind an element; at the start of a branch behind its id, else at the start."""
    if path.element(after) is None:
        return set_value(path, elements=(new, *path.elements))
    return set_value(
        path, elements=_mapped(path.elements, lambda e: (e, new) if e.id == after else (e,))
    )


def insert_element(path: Path, after: str, kind: str, design: Design) -> tuple[Path, str]:
    """Insert an element behind another one (at the start where `after` is none of them).

    Parameters
    ----------
    kind : a key of `INSERTABLE`; values are those of the nearest of its kind, or usual ones

    Returns
    -------
    The path and the id of the new element.
    """
    name = _fresh(path, _LETTERS[kind])
    new = _made(path, name, kind, design)
    return _place(path, after, new), name


def _made(path: Path, name: str, kind: str, design: Design) -> PathElement:
    like = next((e for e in path.all_elements if e.kind == kind), None)
    if like is not None and not isinstance(like, Branch):
        return set_value(like, id=name)
    if kind == "via":
        return Via(
            id=name,
            z0=parse_quantity("80 ohm", "resistance"),
            delay=parse_quantity("9 ps", "time"),
            pad=parse_quantity("100 fF", "capacitance"),
        )
    if kind == "drilled":
        copper = [c.id for c in design.stackup.copper if c.role == "signal"]
        return DrilledVia(id=name, from_layer=copper[0], to_layer=copper[-1])
    if kind == "resistor":
        return SeriesResistor(id=name, value=parse_quantity("22 ohm", "resistance"))
    if kind in ("ferrite", "inductor", "capacitor", "connector", "package"):
        return _lumped(name, kind)
    if kind == "cable":
        line: SheetLine | None = next(iter(design.sheet_lines), None)
        if line is None:
            raise InputError(
                "there is no line from a data sheet yet", remedy="Make one in Lines first."
            )
        return Cable(id=name, line=line.id, length=parse_quantity("300 mm", "length"))
    if kind == "network":
        file = next((f for f in design.device_files if f.path.lower().endswith(".s2p")), None)
        if file is None:
            raise InputError(
                "there is no two-port file in the project yet",
                remedy="Open one at the driver or a receiver first: Open device file.",
            )
        return NetworkPiece(id=name, file=file.id)
    if kind == "shunt":
        return ShuntPart(id=name, termination=offered_termination(path, "parallel", 50.0))
    if kind in ("branch", "load"):
        stub = (_some_trace(path, design, f"{name}.T1", "10 mm"),) if kind == "branch" else ()
        receiver = set_value(path.receiver, name=f"{path.receiver.name} {name}")
        return Branch(id=name, elements=stub, receiver=receiver)
    return _some_trace(path, design, name, "10 mm")


def _lumped(name: str, role: str) -> LumpedPart:
    values: dict[str, dict[str, Any]] = {
        "ferrite": {
            "r": parse_quantity("0.2 ohm", "resistance"),
            "inductance": parse_quantity("300 nH", "inductance"),
            "r_parallel": parse_quantity("120 ohm", "resistance"),
        },
        "inductor": {"inductance": parse_quantity("2 nH", "inductance")},
        "capacitor": {"c_series": parse_quantity("100 nF", "capacitance")},
        "package": {
            "r": parse_quantity("80 mohm", "resistance"),
            "inductance": parse_quantity("1.2 nH", "inductance"),
            "c": parse_quantity("0.35 pF", "capacitance"),
        },
        "connector": {
            "r": parse_quantity("20 mohm", "resistance"),
            "inductance": parse_quantity("0.8 nH", "inductance"),
            "c": parse_quantity("0.3 pF", "capacitance"),
        },
    }
    return LumpedPart(id=name, role=role, **values[role])  # type: ignore[arg-type]


def _some_trace(path: Path, design: Design, name: str, length: str) -> TracePiece:
    """A piece like the first one of the path, or of the first class that fits its lane."""
    size = parse_quantity(length, "length")
    like = next((e for e in path.all_elements if isinstance(e, TracePiece)), None)
    if like is not None:
        return set_value(like, id=name, length=size)
    line_class = next((c for c in design.line_classes if c.kind == path.lane), None)
    if line_class is None:
        raise InputError(
            f"there is no line class for a {path.lane} path", remedy="Make one in Lines first."
        )
    return TracePiece(id=name, line_class=line_class.id, layer=line_class.on[0].layer, length=size)


def copy_element(path: Path, identifier: str) -> tuple[Path, str]:
    """Put a copy of an element behind it, a branch with copies of all that is on it."""
    element = path.element(identifier)
    if element is None:
        raise InputError(f"there is no element {identifier!r}")
    used: set[str] = set()

    def renamed(e: PathElement) -> PathElement:
        letter = e.id.rstrip("0123456789") or "E"
        name = _fresh(path, letter, used)
        used.add(name)
        if isinstance(e, Branch):
            return set_value(e, id=name, elements=tuple(renamed(x) for x in e.elements))
        return set_value(e, id=name)

    new = renamed(element)
    return _place(path, identifier, new), new.id


def move_element(path: Path, identifier: str, step: int) -> Path:
    """Move an element along its ribbon or branch by a number of places."""

    def moved(elements: Elements) -> Elements:
        ids = [e.id for e in elements]
        if identifier not in ids:
            return tuple(
                set_value(e, elements=moved(e.elements)) if isinstance(e, Branch) else e
                for e in elements
            )
        at = ids.index(identifier)
        to = min(max(at + step, 0), len(ids) - 1)
        rest = [e for e in elements if e.id != identifier]
        rest.insert(to, elements[at])
        return tuple(rest)

    return set_value(path, elements=moved(path.elements))


def set_receiver(path: Path, identifier: str, new: Receiver) -> Path:
    """Change the receiver of a branch, or the one at the end of the ribbon."""
    element = path.element(identifier)
    if isinstance(element, Branch):
        return change_element(path, set_value(element, receiver=new))
    return set_value(path, receiver=new)


def set_termination(path: Path, identifier: str, new: Termination) -> Path:
    """Change the termination of a branch, of a part along the line, or of the ribbon."""
    element = path.element(identifier)
    if isinstance(element, Branch | ShuntPart):
        return change_element(path, set_value(element, termination=new))
    return set_value(path, termination=new)


def set_model(path: Path, end: str, use: ModelUse | None) -> Path:
    """Give the driver (end "driver") or a receiver a device model, or none."""
    if end == "driver":
        driver: Driver = set_value(path.driver, model=use)
        return set_value(path, driver=driver)
    return set_receiver(path, end, set_value(path.receivers[end], model=use))


def offered_termination(path: Path, kind: str, z: float) -> Termination:
    """A termination with the values that a line of `z` ohm asks for."""
    rail = path.termination.rail or (
        quantity(0.0, "voltage") if path.lane == "pair" else path.driver.high
    )
    ohm = round(z)
    values: dict[str, dict[str, Any]] = {
        "none": {},
        "parallel": {"r": quantity(ohm, "resistance"), "rail": rail},
        "split": {
            "r": quantity(2 * ohm, "resistance"),
            "r_low": quantity(2 * ohm, "resistance"),
            "rail": rail,
        },
        "ac": {"r": quantity(ohm, "resistance"), "c": quantity(100e-12, "capacitance")},
        "diode": {"rail": rail},
    }
    if kind not in values:
        raise InputError(f"there is no termination {kind!r}")
    return Termination(kind=kind, **values[kind])  # type: ignore[arg-type]


def make_topology(path: Path, kind: str, loads: int, design: Design) -> Path:
    """Lay the path out anew for a number of loads; the driver and what stands before the first
    piece of line stay, the trace is shared out.

    Raises
    ------
    InputError : fewer than two or more than 32 loads, or an unknown kind
    """
    if kind not in TOPOLOGIES:
        raise InputError(
            f"there is no topology {kind!r}", remedy=f"One of {', '.join(TOPOLOGIES)}."
        )
    if not 2 <= loads <= 32:
        raise InputError(f"{loads} loads cannot be laid out", remedy="Choose 2 to 32.")
    ahead = []
    for element in path.elements:
        if not isinstance(element, SeriesResistor | LumpedPart):
            break
        ahead.append(element)
    traces = [e for e in path.all_elements if isinstance(e, TracePiece)]
    total = sum(e.length.si for e in traces) or 0.05
    piece = _some_trace(path, design, "T", "1 mm")
    names = iter(range(1, 10_000))

    def run(share: float) -> TracePiece:
        length = quantity(max(total * share, 1e-4), "length", "mm", 3)
        return set_value(piece, id=f"T{next(names)}", length=length)

    old = list(path.receivers.values())

    def load(k: int) -> Receiver:
        base = old[k] if k < len(old) - 1 else path.receiver
        return base if k < len(old) - 1 else set_value(base, name=f"{path.receiver.name} {k + 1}")

    def branch(k: int, *elements: PathElement) -> Branch:
        return Branch(id=f"B{k + 1}", elements=elements, receiver=load(k))

    last = loads - 1
    share = 1.0 / loads
    line: list[PathElement] = []
    if kind in ("chain", "fly-by"):
        for k in range(last):
            line.append(run(share))
            line.append(branch(k, *((run(0.04),) if kind == "fly-by" else ())))
        line.append(run(share))
    elif kind == "star":
        line.append(run(0.02))
        line += [branch(k, run(1.0 / 2)) for k in range(last)]
        line.append(run(1.0 / 2))
    else:
        half = loads // 2
        line.append(run(0.5))
        inner: list[PathElement] = [run(0.25)]
        for k in range(half - 1):
            inner += [branch(k), run(0.08)]
        line.append(branch(half - 1, *inner))
        line.append(run(0.25))
        for k in range(half, last):
            line += [branch(k), run(0.08)]
    return set_value(path, elements=(*ahead, *line), driving="")


def straight_run(path: Path) -> Path:
    """The same net without vias and layer changes: every trace on the layer of the first one."""
    first = next((e for e in path.all_elements if isinstance(e, TracePiece)), None)
    if first is None:
        raise InputError("there is no trace to run straight")

    def change(element: PathElement) -> Elements:
        if isinstance(element, Via | DrilledVia):
            return ()
        if isinstance(element, TracePiece):
            return (set_value(element, layer=first.layer, line_class=first.line_class),)
        return (element,)

    return set_value(path, elements=_mapped(path.elements, change))
