"""Edits of a path: elements anywhere in its tree, branches, whole topologies in one step."""

from __future__ import annotations

from collections.abc import Callable

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kinds import objects_in
from onda.project.model import Design
from onda.project.paths.elements import (
    OFFERS,
    Branch,
    DrilledVia,
    Element,
    LumpedPart,
    SeriesResistor,
    ShuntPart,
    TracePiece,
    Via,
)
from onda.project.paths.elements.trace import some_trace
from onda.project.paths.ends import Driver, ModelUse, Receiver, Termination
from onda.project.paths.path import Path
from onda.project.quantities import quantity

__all__ = [
    "TOPOLOGIES",
    "change_element",
    "copy_element",
    "insert_element",
    "make_topology",
    "move_element",
    "remove_element",
    "set_model",
    "set_receiver",
    "set_termination",
    "straight_run",
]

Elements = tuple[Element, ...]
TOPOLOGIES = {
    "chain": "daisy chain",
    "star": "star",
    "tee": "T, halves to two groups",
    "fly-by": "fly-by with stubs",
}


def _mapped(elements: Elements, change: Callable[[Element], Elements]) -> Elements:
    """Every element replaced by what `change` makes of it, branches from the inside."""
    out: list[Element] = []
    for element in elements:
        if isinstance(element, Branch):
            element = set_value(element, elements=_mapped(element.elements, change))
        out += change(element)
    return tuple(out)


def change_element(path: Path, new: Element) -> Path:
    """Put a changed element in the place of the one with its id."""

    def change(element: Element) -> Elements:
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


def _place(path: Path, after: str, new: Element) -> Path:
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
    kind : a key of `OFFERS`; values are those of the nearest of its kind, or usual ones

    Returns
    -------
    The path and the id of the new element.
    """
    offer = OFFERS[kind]
    name = _fresh(path, offer.letter)
    like = next((e for e in path.all_elements if offer.like and e.kind == offer.like), None)
    if like is not None:
        return _place(path, after, set_value(like, id=name)), name
    return _place(path, after, offer.make(name, path, objects_in(design))), name


def copy_element(path: Path, identifier: str) -> tuple[Path, str]:
    """Put a copy of an element behind it, a branch with copies of all that is on it."""
    element = path.element(identifier)
    if element is None:
        raise InputError(f"there is no element {identifier!r}")
    used: set[str] = set()

    def renamed(e: Element) -> Element:
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
    piece = some_trace(path, objects_in(design), "T", "1 mm")
    names = iter(range(1, 10_000))

    def run(share: float) -> TracePiece:
        length = quantity(max(total * share, 1e-4), "length", "mm", 3)
        return set_value(piece, id=f"T{next(names)}", length=length)

    old = list(path.receivers.values())

    def load(k: int) -> Receiver:
        base = old[k] if k < len(old) - 1 else path.receiver
        return base if k < len(old) - 1 else set_value(base, name=f"{path.receiver.name} {k + 1}")

    def branch(k: int, *elements: Element) -> Branch:
        return Branch(id=f"B{k + 1}", elements=elements, receiver=load(k))

    last = loads - 1
    share = 1.0 / loads
    line: list[Element] = []
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
        inner: list[Element] = [run(0.25)]
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

    def change(element: Element) -> Elements:
        if isinstance(element, Via | DrilledVia):
            return ()
        if isinstance(element, TracePiece):
            return (set_value(element, layer=first.layer, line_class=first.line_class),)
        return (element,)

    return set_value(path, elements=_mapped(path.elements, change))
