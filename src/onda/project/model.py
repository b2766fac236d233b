"""The tree that one project file holds. Frozen: an edit is `model_copy(update=...)`."""

from __future__ import annotations

import re
from pathlib import PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, field_validator, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, Text, check_unique, find
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    Material,
    Spread,
    StackLayer,
    Stackup,
)
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection, TraceOnLayer
from onda.project.networks.network import (
    FileSource,
    LineSource,
    Network,
    PathSource,
    needs_of,
)
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
    Stimulus,
    Termination,
    TracePiece,
    Via,
)
from onda.project.quantities import DataRate, UnitInterval, Voltage
from onda.project.requirements import (
    CURVE_MEASURES,
    MEASURE_DIMENSIONS,
    NETWORK_MEASURES,
    Measure,
    Requirement,
)

__all__ = [
    "CURVE_MEASURES",
    "MEASURE_DIMENSIONS",
    "NETWORK_MEASURES",
    "SCHEMA_VERSION",
    "Branch",
    "Cable",
    "CoatingLayer",
    "CopperLayer",
    "Design",
    "DeviceFile",
    "DielectricLayer",
    "DrilledVia",
    "Driver",
    "EyeMask",
    "FileReference",
    "KeptState",
    "LineClass",
    "Link",
    "LumpedPart",
    "Material",
    "Measure",
    "ModelUse",
    "Network",
    "NetworkPiece",
    "Path",
    "PathElement",
    "Project",
    "Receiver",
    "Requirement",
    "SeriesResistor",
    "SheetLine",
    "ShieldedSection",
    "ShuntPart",
    "Spread",
    "StackLayer",
    "Stackup",
    "Stimulus",
    "Termination",
    "TraceOnLayer",
    "TracePiece",
    "Via",
]

SCHEMA_VERSION = 4


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


class DeviceFile(FileReference):
    """A file of device models or of a network, by which paths name it."""

    id: Identifier


class Design(Frozen):
    """Everything that results follow from; a kept state is one of these."""

    materials: Annotated[tuple[Material, ...], Field(max_length=MANY)]
    stackup: Stackup
    line_classes: Annotated[tuple[LineClass, ...], Field(max_length=MANY)]
    shielded: Annotated[tuple[ShieldedSection, ...], Field(max_length=MANY)] = ()
    sheet_lines: Annotated[tuple[SheetLine, ...], Field(max_length=MANY)] = ()
    device_files: Annotated[tuple[DeviceFile, ...], Field(max_length=MANY)] = ()
    paths: Annotated[tuple[Path, ...], Field(max_length=MANY)]
    links: Annotated[tuple[Link, ...], Field(max_length=MANY)]
    networks: Annotated[tuple[Network, ...], Field(max_length=MANY)] = ()

    @model_validator(mode="after")
    def _references(self) -> Design:
        listed: tuple[tuple[str, tuple[Any, ...]], ...] = (
            ("material", self.materials),
            ("layer", self.stackup.layers),
            ("line", (*self.line_classes, *self.shielded, *self.sheet_lines)),
            ("device file", self.device_files),
            ("path", self.paths),
            ("link", self.links),
            ("network", self.networks),
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
        self._check_networks()
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
        for path in self.paths:
            for element in path.all_elements:
                self._check_element(path, element)
            for use in path.models:
                if use.file not in {f.id for f in self.device_files}:
                    raise ValueError(f"path {path.id}: there is no device file {use.file!r}")
        lanes = {p.id for p in self.paths}
        for link in self.links:
            if link.path not in lanes:
                raise ValueError(f"link {link.id}: there is no path {link.path!r}")

    def _check_element(self, path: Path, element: PathElement) -> None:
        where = f"path {path.id}, piece {element.id}"
        if isinstance(element, TracePiece):
            line_class = next((c for c in self.line_classes if c.id == element.line_class), None)
            if line_class is None or line_class.trace_on(element.layer) is None:
                raise ValueError(
                    f"{where}: class {element.line_class!r} is not routed on {element.layer!r}"
                )
            if line_class.kind != path.lane:
                raise ValueError(
                    f"{where}: a {path.lane} path needs a {path.lane} class, {line_class.id} is a "
                    f"{line_class.kind}"
                )
        elif isinstance(element, Cable):
            if element.line not in {line.id for line in self.sheet_lines}:
                raise ValueError(f"{where}: there is no line from a data sheet {element.line!r}")
        elif isinstance(element, DrilledVia):
            for layer in (element.from_layer, element.to_layer):
                if layer not in {c.id for c in self.stackup.copper}:
                    raise ValueError(f"{where}: there is no copper layer {layer!r}")
        elif isinstance(element, NetworkPiece) and element.file not in {
            f.id for f in self.device_files
        }:
            raise ValueError(f"{where}: there is no file {element.file!r}")

    def _check_networks(self) -> None:
        made: set[str] = set()
        known = {n.id: n for n in self.networks}
        for network in self.networks:
            source, where = network.source, f"network {network.id}"
            if isinstance(source, FileSource) and source.file not in {
                f.id for f in self.device_files
            }:
                raise ValueError(f"{where}: there is no file {source.file!r}")
            if isinstance(source, PathSource) and source.path not in {p.id for p in self.paths}:
                raise ValueError(f"{where}: there is no path {source.path!r}")
            if isinstance(source, LineSource):
                line_class = next((c for c in self.line_classes if c.id == source.line_class), None)
                if line_class is None or line_class.trace_on(source.layer) is None:
                    raise ValueError(
                        f"{where}: class {source.line_class!r} is not routed on {source.layer!r}"
                    )
                if line_class.kind == "group":
                    raise ValueError(f"{where}: {source.line_class!r} is a group, not one line")
            for needed in needs_of(network):
                if needed not in known:
                    raise ValueError(f"{where}: there is no network {needed!r}")
            self._check_loop(network, known, made)

    def _check_loop(self, network: Network, known: dict[str, Network], made: set[str]) -> None:
        """Nothing may be made of itself."""

        def walk(at: str, above: tuple[str, ...]) -> None:
            if at in above:
                raise ValueError(f"network {at} is made of itself")
            if at not in made and at in known:
                for needed in needs_of(known[at]):
                    walk(needed, (*above, at))
                made.add(at)

        walk(network.id, ())

    def network(self, identifier: str) -> Network:
        """The network of that id."""
        return find(self.networks, identifier)

    def line_class(self, identifier: str) -> LineClass:
        """The line class of that id."""
        return find(self.line_classes, identifier)

    def path(self, identifier: str) -> Path:
        """The path of that id."""
        return find(self.paths, identifier)

    def device_file(self, identifier: str) -> DeviceFile:
        """The device file of that id."""
        return find(self.device_files, identifier)

    def link(self, identifier: str) -> Link:
        """The link of that id."""
        return find(self.links, identifier)

    def material(self, identifier: str) -> Material:
        """The material of that id."""
        return find(self.materials, identifier)


class KeptState(Frozen):
    """A design as it was, to compare with."""

    id: Identifier
    name: Name
    note: Text = ""
    shown: bool = True
    design: Design


class Project(Frozen):
    """One board."""

    schema_version: Literal[4] = 4
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
            "networks": {n.id for n in self.design.networks},
            "eyes": {link.id for link in self.design.links},
        }
        for requirement in self.requirements:
            if requirement.subject not in known[requirement.stage]:
                raise ValueError(
                    f"requirement {requirement.id}: there is no {requirement.subject!r} in "
                    f"{requirement.stage}"
                )
        return self
