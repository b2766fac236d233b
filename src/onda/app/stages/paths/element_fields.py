"""What can be typed and chosen for each kind of element of a path."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.app.shell.form import FieldSpec
from onda.app.stages.paths.choices import ChoiceSpec
from onda.project.edits import set_value
from onda.project.model import Design
from onda.project.paths.edits import change_element, offered_termination, set_termination
from onda.project.paths.path import (
    Branch,
    Cable,
    DrilledVia,
    LumpedPart,
    NetworkPiece,
    Path,
    PathElement,
    SeriesResistor,
    ShuntPart,
    Termination,
    TracePiece,
    Via,
)
from onda.project.quantities import Quantity

__all__ = ["TERMINATIONS", "Put", "choices_of", "fields_of", "termination_fields", "title_of"]

Put = Callable[[str, Path], None]
"""Make a changed path the present one, under a label."""
TERMINATIONS = {
    "none": "none",
    "parallel": "parallel to rail",
    "split": "split, two resistors",
    "ac": "R and C to 0 V",
    "diode": "diodes to rails",
}
_Rows = tuple[tuple[str, str, str, tuple[float, float, float] | None], ...]
_FIELDS: dict[str, _Rows] = {
    "resistor": (
        ("Value", "resistance", "value", (0.0, 100.0, 0.5)),
        ("Tolerance", "ratio", "tolerance", None),
    ),
    "trace": (("Length", "length", "length", None),),
    "cable": (("Length", "length", "length", (0.01, 3.0, 0.005)),),
    "via": (
        ("Impedance", "resistance", "z0", (20.0, 150.0, 1.0)),
        ("Delay", "time", "delay", (1e-12, 60e-12, 5e-13)),
        ("Pads", "capacitance", "pad", (0.0, 1e-12, 1e-14)),
    ),
    "drilled": (
        ("Drill", "length", "drill", (1e-4, 5e-4, 1e-5)),
        ("Pad", "length", "pad", (2e-4, 1e-3, 1e-5)),
        ("Anti-pad", "length", "antipad", (3e-4, 1.6e-3, 1e-5)),
        ("Return vias at", "length", "return_distance", (4e-4, 5e-3, 5e-5)),
        ("Rest of stub", "length", "rest", (0.0, 6e-4, 1e-5)),
    ),
    "lumped": (
        ("Inductance", "inductance", "inductance", (0.0, 10e-9, 5e-11)),
        ("Resistance", "resistance", "r", (0.0, 50.0, 0.1)),
        ("Capacitance", "capacitance", "c", (0.0, 5e-12, 2e-14)),
        ("Beside it", "resistance", "r_parallel", (1.0, 1000.0, 5.0)),
        ("In series", "capacitance", "c_series", None),
    ),
}
_TITLES = {
    "resistor": ("Series resistor", "in the line of {net}"),
    "lumped": ("{role}", "parts in the line of {net}"),
    "trace": ("Trace", "a length of a line class on a layer"),
    "cable": ("Cable", "a length of a line from a data sheet"),
    "via": ("Via", "a short line with a pad at each end"),
    "drilled": ("Drilled via", "barrel, pads and stub from its geometry"),
    "network": ("Network", "a two-port from a file"),
    "shunt": ("Termination", "at this place of the line"),
    "branch": ("Receiver", "at the end of branch {id}"),
}


def title_of(path: Path, element: PathElement) -> tuple[str, str]:
    """Title and remark of an element."""
    title, where = _TITLES[element.kind]
    role = getattr(element, "role", "").capitalize()
    title = title.format(role=role)
    if isinstance(element, Branch):
        return f"{title} {element.receiver.name}", where.format(id=element.id)
    return f"{title} {element.id}", where.format(net=path.net)


def fields_of(
    path: Callable[[], Path], element: PathElement, put: Put, kept: list[Path]
) -> list[FieldSpec]:
    """Fields of an element; a branch and a termination have those of their ends instead."""
    identifier = element.id

    def spec(
        title: str, dimension: str, key: str, trim: tuple[float, float, float] | None
    ) -> FieldSpec:
        def get() -> Quantity | None:
            return getattr(path().element(identifier), key, None)

        def change(q: Quantity) -> None:
            now = path().element(identifier)
            assert now is not None
            put(f"Change {identifier}", change_element(path(), set_value(now, **{key: q})))

        def kept_values() -> list[float]:
            found = (getattr(p.element(identifier), key, None) for p in kept)
            return [q.si for q in found if q is not None]

        return FieldSpec(title, dimension, get, change, trim, kept=kept_values)

    if isinstance(element, ShuntPart):
        return termination_fields(path, identifier, put)
    out = []
    for title, dimension, key, trim in _FIELDS.get(element.kind, ()):
        present: Quantity | None = getattr(element, key, None)
        if present is None:
            continue
        if isinstance(element, SeriesResistor) and key == "value":
            trim = (0.0, max(100.0, 1.5 * present.si), 0.5)
        if isinstance(element, TracePiece):
            trim = (max(present.si * 0.1, 5e-4), max(present.si * 2.0, 0.02), 1e-4)
        if isinstance(element, DrilledVia) and key == "rest" and not element.back_drilled:
            continue
        out.append(spec(title, dimension, key, trim))
    return out


def termination_fields(path: Callable[[], Path], where: str, put: Put) -> list[FieldSpec]:
    """Fields of the termination of the ribbon, of a branch or along the line."""

    def present() -> Termination:
        element = path().element(where)
        if isinstance(element, Branch | ShuntPart):
            return element.termination
        return path().termination

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


def termination_choice(path: Path, where: str, put: Put, z: float) -> ChoiceSpec:
    """Choice of a termination, with the values that the line asks for."""
    element = path.element(where)
    now = element.termination if isinstance(element, Branch | ShuntPart) else path.termination
    kinds = {k: v for k, v in TERMINATIONS.items() if not (path.lane == "pair" and k == "diode")}
    if isinstance(element, ShuntPart):
        kinds.pop("none")

    def choose(kind: str) -> None:
        new = offered_termination(path, kind, z)
        put(f"Termination: {TERMINATIONS[kind]}", set_termination(path, where, new))

    return ChoiceSpec("Ends in", tuple(kinds.items()), now.kind, choose)


def choices_of(
    path: Path, element: PathElement, design: Design, put: Put, z: float
) -> list[ChoiceSpec]:
    """Lists to choose from for an element."""

    def change(**values: Any) -> None:
        put(f"Change {element.id}", change_element(path, set_value(element, **values)))

    match element:
        case TracePiece():
            return _trace_choices(path, element, design, change)
        case Cable():
            lines = tuple((line.id, line.name) for line in design.sheet_lines)
            return [ChoiceSpec("Line", lines, element.line, lambda k: change(line=k))]
        case DrilledVia():
            copper = tuple((c.id, c.id) for c in design.stackup.copper)
            return [
                ChoiceSpec("From", copper, element.from_layer, lambda k: change(from_layer=k)),
                ChoiceSpec("To", copper, element.to_layer, lambda k: change(to_layer=k)),
                ChoiceSpec(
                    "Return vias",
                    tuple((str(n), str(n)) for n in range(5)),
                    str(element.returns),
                    lambda k: change(returns=int(k)),
                ),
                ChoiceSpec(
                    "Stub",
                    (("no", "left as it is"), ("yes", "back-drilled")),
                    "yes" if element.back_drilled else "no",
                    lambda k: change(back_drilled=k == "yes"),
                ),
            ]
        case ShuntPart():
            return [termination_choice(path, element.id, put, z)]
        case NetworkPiece():
            return [
                ChoiceSpec(
                    "Ports",
                    (("no", "1 towards driver"), ("yes", "2 towards driver")),
                    "yes" if element.turned else "no",
                    lambda k: change(turned=k == "yes"),
                )
            ]
        case Via() | LumpedPart() | SeriesResistor() | Branch():
            return []


def _trace_choices(
    path: Path, element: TracePiece, design: Design, change: Callable[..., None]
) -> list[ChoiceSpec]:
    classes = tuple((c.id, c.name) for c in design.line_classes if c.kind == path.lane)
    layers = tuple((o.layer, o.layer) for o in design.line_class(element.line_class).on)

    def choose_class(key: str) -> None:
        line_class = design.line_class(key)
        layer = element.layer
        if line_class.trace_on(layer) is None:
            layer = line_class.on[0].layer
        change(line_class=key, layer=layer)

    return [
        ChoiceSpec("Class", classes, element.line_class, choose_class),
        ChoiceSpec("Layer", layers, element.layer, lambda k: change(layer=k)),
    ]
