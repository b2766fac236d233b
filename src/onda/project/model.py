"""The tree that one project file holds. Frozen: an edit makes a new one (`edits`)."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, StringConstraints, ValidationError, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, Text, check_unique, find, tupled
from onda.project.build.stackup import Material, Stackup
from onda.project.buses.bus import Bus
from onda.project.coupling.group import LaneGroup
from onda.project.file_reference import DeviceFile, FileReference
from onda.project.kinds import KINDS, check_design, kinds_by_field
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection
from onda.project.links.link import Link
from onda.project.networks.network import Network
from onda.project.paths.path import Path
from onda.project.requirements import Requirement

__all__ = ["SCHEMA_VERSION", "Design", "KeptState", "Project"]

SCHEMA_VERSION = 13


class Design(Frozen):
    """Everything that results follow from; a kept state is one of these.

    It has a list for each kind of object. A kind in the table without a field of its own here is
    kept under the field that the table names.
    """

    model_config = ConfigDict(extra="allow")

    materials: Annotated[tuple[Material, ...], Field(max_length=MANY)]
    stackup: Stackup
    line_classes: Annotated[tuple[LineClass, ...], Field(max_length=MANY)]
    shielded: Annotated[tuple[ShieldedSection, ...], Field(max_length=MANY)] = ()
    sheet_lines: Annotated[tuple[SheetLine, ...], Field(max_length=MANY)] = ()
    device_files: Annotated[tuple[DeviceFile, ...], Field(max_length=MANY)] = ()
    paths: Annotated[tuple[Path, ...], Field(max_length=MANY)]
    links: Annotated[tuple[Link, ...], Field(max_length=MANY)]
    networks: Annotated[tuple[Network, ...], Field(max_length=MANY)] = ()
    groups: Annotated[tuple[LaneGroup, ...], Field(max_length=MANY)] = ()
    buses: Annotated[tuple[Bus, ...], Field(max_length=MANY)] = ()

    @model_validator(mode="before")
    @classmethod
    def _lists_of_later_kinds(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        known = kinds_by_field()
        # What was JSON is plain Python from here on, where a list is no tuple.
        out: dict[str, Any] = tupled(data)
        for field in out.keys() - cls.model_fields.keys():
            kind = known.get(field)
            if kind is None:
                raise ValidationError.from_exception_data(
                    "Design", [{"type": "extra_forbidden", "loc": (field,), "input": None}]
                )
            items = out[field]
            if not isinstance(items, tuple):
                raise ValueError(f"{field}: a list of objects is wanted")
            out[field] = tuple(kind.model.model_validate(item) for item in items)
        return out

    @model_validator(mode="after")
    def _references(self) -> Design:
        check_design(self)
        return self

    def network(self, identifier: str) -> Network:
        """The network of that id."""
        return find(self.networks, identifier)

    def group(self, identifier: str) -> LaneGroup:
        """The group of that id."""
        return find(self.groups, identifier)

    def bus(self, identifier: str) -> Bus:
        """The bus of that id."""
        return find(self.buses, identifier)

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

    schema_version: Literal[13] = 13
    name: Name
    revision: Annotated[str, StringConstraints(max_length=40)] = ""
    design: Design
    requirements: Annotated[tuple[Requirement, ...], Field(max_length=20_000)] = ()
    kept: Annotated[tuple[KeptState, ...], Field(max_length=100)] = ()
    files: Annotated[tuple[FileReference, ...], Field(max_length=MANY)] = ()

    @model_validator(mode="after")
    def _references(self) -> Project:
        check_unique("requirement", (r.id for r in self.requirements))
        check_unique("kept state", (k.id for k in self.kept))
        known: dict[str, set[str]] = {}
        for requirement in self.requirements:
            kind = KINDS[requirement.kind]
            if kind.key not in known:
                known[kind.key] = {item.id for item in kind.items(self.design)}
            if requirement.subject not in known[kind.key]:
                raise ValueError(
                    f"requirement {requirement.id}: there is no {kind.title} "
                    f"{requirement.subject!r}"
                )
        return self
