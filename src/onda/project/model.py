"""The tree that one project file holds. Frozen: an edit is `model_copy(update=...)`."""

from __future__ import annotations

import re
from pathlib import PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, field_validator, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, Text, check_unique, find
from onda.project.build import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    Material,
    Spread,
    StackLayer,
    Stackup,
)
from onda.project.line_objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.quantities import (
    Capacitance,
    DataRate,
    Frequency,
    Length,
    Quantity,
    Resistance,
    ResistanceOrZero,
    Time,
    UnitInterval,
    Voltage,
    read_quantity,
)

__all__ = [
    "MEASURE_DIMENSIONS",
    "SCHEMA_VERSION",
    "CoatingLayer",
    "CopperLayer",
    "Design",
    "DielectricLayer",
    "Driver",
    "EyeMask",
    "FileReference",
    "KeptState",
    "LineClass",
    "Link",
    "Material",
    "Path",
    "PathElement",
    "Project",
    "Receiver",
    "Requirement",
    "SeriesResistor",
    "SheetLine",
    "ShieldedSection",
    "Spread",
    "StackLayer",
    "Stackup",
    "Stimulus",
    "Termination",
    "TraceOnLayer",
    "TracePiece",
    "Via",
]

SCHEMA_VERSION = 2


class Driver(Frozen):
    """A linear driver; for a pair, resistance and levels are differential."""

    name: Name
    resistance: Resistance
    low: Voltage
    high: Voltage
    edge: Time
    capacitance: Capacitance


class SeriesResistor(Frozen):
    """A resistor in the line."""

    kind: Literal["resistor"] = "resistor"
    id: Identifier
    value: ResistanceOrZero


class TracePiece(Frozen):
    """A length of a line class on a layer."""

    kind: Literal["trace"] = "trace"
    id: Identifier
    line_class: Identifier
    layer: Identifier
    length: Length


class Via(Frozen):
    """A short line with a pad capacitance, half of it at each end."""

    kind: Literal["via"] = "via"
    id: Identifier
    z0: Resistance
    delay: Time
    pad: Capacitance


PathElement = Annotated[SeriesResistor | TracePiece | Via, Field(discriminator="kind")]


class Termination(Frozen):
    """What ends the line at the receiver.

    none; parallel: `r` to the rail; split: `r` to the rail and `r_low` to 0 V; ac: `r` and `c` in
    series to 0 V; for a pair, parallel is across the pair.
    """

    kind: Literal["none", "parallel", "split", "ac"] = "none"
    r: Resistance | None = None
    r_low: Resistance | None = None
    c: Capacitance | None = None
    rail: Voltage | None = None

    @model_validator(mode="after")
    def _complete(self) -> Termination:
        needed = {
            "none": (),
            "parallel": ("r", "rail"),
            "split": ("r", "r_low", "rail"),
            "ac": ("r", "c"),
        }[self.kind]
        missing = [name for name in needed if getattr(self, name) is None]
        if missing:
            raise ValueError(f"a {self.kind} termination needs {', '.join(missing)}")
        if self.kind == "ac" and self.c is not None and self.c.si == 0:
            raise ValueError("an ac termination needs a capacitance above 0")
        return self


class Receiver(Frozen):
    """An input: capacitance, and a resistance where it has one (across the pair for a pair)."""

    name: Name
    capacitance: Capacitance
    resistance: Resistance | None = None


class Stimulus(Frozen):
    """What the driver sends; `window` is how long is looked at."""

    kind: Literal["edge", "clock"]
    window: Time
    frequency: Frequency | None = None

    @model_validator(mode="after")
    def _clock_has_frequency(self) -> Stimulus:
        if self.kind == "clock" and self.frequency is None:
            raise ValueError("a clock needs a frequency")
        return self


class Path(Frozen):
    """A net from driver to receiver."""

    id: Identifier
    name: Name
    net: Name
    lane: Literal["single", "pair"]
    driver: Driver
    elements: Annotated[tuple[PathElement, ...], Field(min_length=1, max_length=MANY)]
    termination: Termination
    receiver: Receiver
    stimulus: Stimulus

    @model_validator(mode="after")
    def _complete(self) -> Path:
        check_unique("element", (e.id for e in self.elements))
        if not any(isinstance(e, TracePiece | Via) for e in self.elements):
            raise ValueError("a path needs at least one piece of line")
        return self


class EyeMask(Frozen):
    """Forbidden hexagon: widths in unit intervals, height in volts (both whole, not half)."""

    width: UnitInterval
    flat: UnitInterval
    height: Voltage
    source: Text = ""

    @model_validator(mode="after")
    def _hexagon(self) -> EyeMask:
        if not 0 <= self.flat.si <= self.width.si <= 1:
            raise ValueError("a mask must have flat <= width <= 1 UI")
        return self


class Link(Frozen):
    """Serial data over a path."""

    id: Identifier
    name: Name
    path: Identifier
    rate: DataRate
    prbs: Literal[7, 9, 11, 13, 15, 17, 20, 23, 29, 31]
    bits: Annotated[int, Field(ge=200, le=20_000_000)]
    mask: EyeMask | None = None


class Design(Frozen):
    """Everything that results follow from; a kept state is one of these."""

    materials: Annotated[tuple[Material, ...], Field(max_length=MANY)]
    stackup: Stackup
    line_classes: Annotated[tuple[LineClass, ...], Field(max_length=MANY)]
    shielded: Annotated[tuple[ShieldedSection, ...], Field(max_length=MANY)] = ()
    sheet_lines: Annotated[tuple[SheetLine, ...], Field(max_length=MANY)] = ()
    paths: Annotated[tuple[Path, ...], Field(max_length=MANY)]
    links: Annotated[tuple[Link, ...], Field(max_length=MANY)]

    @model_validator(mode="after")
    def _references(self) -> Design:
        listed: tuple[tuple[str, tuple[Any, ...]], ...] = (
            ("material", self.materials),
            ("layer", self.stackup.layers),
            ("line", (*self.line_classes, *self.shielded, *self.sheet_lines)),
            ("path", self.paths),
            ("link", self.links),
        )
        for label, items in listed:
            check_unique(label, (item.id for item in items))
        materials = {m.id for m in self.materials}
        for layer in self.stackup.layers:
            if not isinstance(layer, CopperLayer) and layer.material not in materials:
                raise ValueError(f"layer {layer.id}: there is no material {layer.material!r}")
        for section in self.shielded:
            used = {section.material} | {b.material for b in section.bodies if b.material}
            for missing in used - materials:
                raise ValueError(f"section {section.id}: there is no material {missing!r}")
        self._check_classes()
        self._check_paths()
        return self

    def _check_classes(self) -> None:
        signal = set(self.stackup.signal_layers)
        for line_class in self.line_classes:
            for trace in line_class.on:
                if trace.layer not in signal:
                    raise ValueError(
                        f"line class {line_class.id}: {trace.layer!r} is no signal layer"
                    )
                if trace.facing is not None and trace.facing not in signal - {trace.layer}:
                    raise ValueError(
                        f"line class {line_class.id} on {trace.layer}: it cannot face "
                        f"{trace.facing!r}"
                    )

    def _check_paths(self) -> None:
        classes = {c.id: c for c in self.line_classes}
        for path in self.paths:
            for element in path.elements:
                if not isinstance(element, TracePiece):
                    continue
                line_class = classes.get(element.line_class)
                if line_class is None or line_class.trace_on(element.layer) is None:
                    raise ValueError(
                        f"path {path.id}, piece {element.id}: class {element.line_class!r} "
                        f"is not routed on {element.layer!r}"
                    )
                if line_class.kind != path.lane:
                    raise ValueError(
                        f"path {path.id}, piece {element.id}: a {path.lane} path needs a "
                        f"{path.lane} class, {line_class.id} is a {line_class.kind}"
                    )
        lanes = {p.id for p in self.paths}
        for link in self.links:
            if link.path not in lanes:
                raise ValueError(f"link {link.id}: there is no path {link.path!r}")

    def line_class(self, identifier: str) -> LineClass:
        """The line class of that id."""
        return find(self.line_classes, identifier)

    def path(self, identifier: str) -> Path:
        """The path of that id."""
        return find(self.paths, identifier)

    def link(self, identifier: str) -> Link:
        """The link of that id."""
        return find(self.links, identifier)

    def material(self, identifier: str) -> Material:
        """The material of that id."""
        return find(self.materials, identifier)


Measure = Literal[
    "impedance",
    "loss",
    "overshoot",
    "undershoot",
    "settling",
    "edge_time",
    "delay",
    "eye_width",
    "eye_height",
    "jitter_pp",
    "mask_growth",
    "worst_height",
]
MEASURE_DIMENSIONS: dict[str, str] = {
    "impedance": "resistance",
    "loss": "loss",
    "overshoot": "voltage",
    "undershoot": "voltage",
    "settling": "time",
    "edge_time": "time",
    "delay": "time",
    "eye_width": "unit interval",
    "eye_height": "voltage",
    "jitter_pp": "unit interval",
    "mask_growth": "ratio",
    "worst_height": "voltage",
}


class Requirement(Frozen):
    """A limit on one measured quantity of one object, with where it comes from."""

    id: Identifier
    stage: Literal["lines", "paths", "eyes"]
    subject: Identifier
    layer: Identifier | None = None
    measure: Measure
    at_least: Quantity | None = None
    at_most: Quantity | None = None
    source: Text = ""

    @model_validator(mode="before")
    @classmethod
    def _read_limits(cls, data: Any) -> Any:
        """Limits are quantities of whatever the measure is a measure of."""
        if not isinstance(data, dict) or data.get("measure") not in MEASURE_DIMENSIONS:
            return data
        dimension = MEASURE_DIMENSIONS[data["measure"]]
        read = {
            name: read_quantity(data[name], dimension)
            for name in ("at_least", "at_most")
            if data.get(name) is not None
        }
        return data | read

    @model_validator(mode="after")
    def _some_limit(self) -> Requirement:
        if self.at_least is None and self.at_most is None:
            raise ValueError(f"requirement {self.id} has no limit")
        if self.at_least and self.at_most and self.at_least.si >= self.at_most.si:
            raise ValueError(f"requirement {self.id}: its limits leave no room")
        return self


class KeptState(Frozen):
    """A design as it was, to compare with."""

    id: Identifier
    name: Name
    note: Text = ""
    shown: bool = True
    design: Design


class FileReference(Frozen):
    """A file beside the project, by relative path and SHA-256."""

    path: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    sha256: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]

    @field_validator("path")
    @classmethod
    def _stays_inside(cls, value: str) -> str:
        pure = PurePosixPath(value)
        if (
            pure.is_absolute()
            or ".." in pure.parts
            or "\\" in value
            or re.search(r"[\x00:]", value)
        ):
            raise ValueError(
                f"{value!r} leaves the project's folder; move the file beside the project"
            )
        return value


class Project(Frozen):
    """One board."""

    schema_version: Literal[2] = 2
    name: Name
    revision: Annotated[str, StringConstraints(max_length=40)] = ""
    design: Design
    requirements: Annotated[tuple[Requirement, ...], Field(max_length=5000)] = ()
    kept: Annotated[tuple[KeptState, ...], Field(max_length=100)] = ()
    files: Annotated[tuple[FileReference, ...], Field(max_length=MANY)] = ()

    @model_validator(mode="after")
    def _references(self) -> Project:
        check_unique("requirement", (r.id for r in self.requirements))
        check_unique("kept state", (k.id for k in self.kept))
        known = {
            "lines": {c.id for c in self.design.line_classes},
            "paths": {p.id for p in self.design.paths},
            "eyes": {link.id for link in self.design.links},
        }
        for requirement in self.requirements:
            if requirement.subject not in known[requirement.stage]:
                raise ValueError(
                    f"requirement {requirement.id}: there is no {requirement.subject!r} in "
                    f"{requirement.stage}"
                )
        return self
