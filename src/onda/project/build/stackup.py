"""The board's build: materials, layers, zones, vias, and what its fabricator can make."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from onda.project.base import (
    MANY,
    Frozen,
    Identifier,
    Name,
    Text,
    check_unique,
    default_of,
    find,
)
from onda.project.quantities import Frequency, Length, LengthOrZero, Ratio, Temperature

__all__ = [
    "CoatingLayer",
    "CopperLayer",
    "DielectricLayer",
    "EtchLimit",
    "Fabrication",
    "Material",
    "MaterialPoint",
    "Place",
    "PriceStep",
    "Spread",
    "StackLayer",
    "Stackup",
    "ViaSpan",
    "Zone",
]


class MaterialPoint(Frozen):
    """Dk and Df at one more frequency."""

    at: Frequency
    dk: Annotated[float, Field(ge=1.0, le=1000.0)]
    df: Annotated[float, Field(ge=0.0, lt=0.5)]


class Material(Frozen):
    """A dielectric with Dk and Df as given at one frequency, and at more where a table is known.

    `dk_per_kelvin`, `df_per_kelvin`: relative change per kelvin from 20 degrees.
    `thermal_conductivity`: W/(m K), through the layer.
    """

    id: Identifier
    name: Name
    dk: Annotated[float, Field(ge=1.0, le=1000.0)]
    df: Annotated[float, Field(ge=0.0, lt=0.5)]
    at: Frequency
    points: Annotated[tuple[MaterialPoint, ...], Field(max_length=200)] = ()
    use: Literal["core", "prepreg", "coating", "flex", "adhesive", "other"] = "other"
    glass: Annotated[str, Field(max_length=40)] = ""
    resin: Ratio | None = None
    thermal_conductivity: Annotated[float, Field(gt=0.0, le=1000.0)] | None = None
    dk_per_kelvin: Annotated[float, Field(ge=-0.05, le=0.05)] = 0.0
    df_per_kelvin: Annotated[float, Field(ge=-0.05, le=0.05)] = 0.0
    source: Text = ""

    @model_validator(mode="after")
    def _points_rise(self) -> Material:
        places = [p.at.si for p in self.points]
        if any(b <= a for a, b in pairwise(places)):
            raise ValueError(f"material {self.name}: its table must rise in frequency")
        return self

    @property
    def known(self) -> tuple[tuple[float, float, float], ...]:
        """All points (Hz, Dk, Df), rising; the stated one is left out where the table has it."""
        rows = {p.at.si: (p.at.si, p.dk, p.df) for p in self.points}
        rows.setdefault(self.at.si, (self.at.si, self.dk, self.df))
        return tuple(rows[f] for f in sorted(rows))


class CopperLayer(Frozen):
    """A copper layer.

    `thickness` is the finished one. `foil` is what is ordered, `plating` what is plated on it.
    `undercut` is how far etching draws each side in at the far face; `base` says on which side the
    foil was laid. `cover`: share of the area that copper is left on. `rz_base`, `rz_face`:
    ten-point roughness towards the laminate and away from it.
    """

    kind: Literal["copper"] = "copper"
    id: Identifier
    role: Literal["signal", "plane"]
    thickness: Length
    undercut: LengthOrZero
    base: Literal["below", "above"] = "below"
    foil: Length | None = None
    plating: LengthOrZero = default_of("0 um", "length")
    cover: Ratio | None = None
    rz_base: LengthOrZero = default_of("0 um", "length")
    rz_face: LengthOrZero = default_of("0 um", "length")

    @model_validator(mode="after")
    def _cover_is_a_share(self) -> CopperLayer:
        if self.cover is not None and not 0.0 <= self.cover.si <= 1.0:
            raise ValueError(f"copper cover of {self.id} must lie between 0 and 100 %")
        return self

    @property
    def copper_share(self) -> float:
        """Share of the area under copper; where it is not stated, that of usual layers."""
        if self.cover is not None:
            return self.cover.si
        return 0.85 if self.role == "plane" else 0.3


class DielectricLayer(Frozen):
    """A core, pressed prepreg, adhesive or flexible film; `laid`: thickness before pressing."""

    kind: Literal["dielectric"] = "dielectric"
    id: Identifier
    name: Name
    material: Identifier
    thickness: Length
    build: Literal["core", "prepreg", "adhesive", "flex"] = "prepreg"
    laid: Length | None = None


class CoatingLayer(Frozen):
    """Solder mask or coverlay: thickness over laminate, over copper and beside copper."""

    kind: Literal["coating"] = "coating"
    id: Identifier
    material: Identifier
    over_laminate: Length
    over_copper: Length
    beside: Length


StackLayer = Annotated[CopperLayer | DielectricLayer | CoatingLayer, Field(discriminator="kind")]


class Spread(Frozen):
    """What manufacture may be off by, either way, as the fabricator states it.

    `copper_with_width`: how much thicker copper comes with narrower traces (the correlation of the
    two, sign turned); `heights_together`: how much the dielectrics of one board are off together.
    """

    width: Length = default_of("12 um", "length")
    dielectric: Ratio = default_of("10 %", "ratio")
    dk: Ratio = default_of("3 %", "ratio")
    copper: Length = default_of("5 um", "length")
    coating: Length = default_of("8 um", "length")
    copper_with_width: Ratio = default_of("50 %", "ratio")
    heights_together: Ratio = default_of("30 %", "ratio")

    @model_validator(mode="after")
    def _correlations(self) -> Spread:
        for name in ("copper_with_width", "heights_together"):
            if not -0.95 <= getattr(self, name).si <= 0.95:
                raise ValueError(f"{name.replace('_', ' ')} must lie between -95 and 95 %")
        return self


class EtchLimit(Frozen):
    """Narrowest width and gap that copper up to a finished thickness can be etched to."""

    copper: Length
    width: Length
    gap: Length


class PriceStep(Frozen):
    """What costs `factor` times the usual: any width or gap below these."""

    name: Name
    width: Length
    gap: Length
    factor: Annotated[float, Field(ge=1.0, le=100.0)]


class Fabrication(Frozen):
    """What the fabricator can make."""

    etch: Annotated[tuple[EtchLimit, ...], Field(max_length=20)] = ()
    steps: Annotated[tuple[PriceStep, ...], Field(max_length=20)] = ()
    aspect_through: Annotated[float, Field(gt=0.0, le=50.0)] = 10.0
    aspect_blind: Annotated[float, Field(gt=0.0, le=50.0)] = 1.0
    aspect_micro: Annotated[float, Field(gt=0.0, le=50.0)] = 0.8
    resin_over_copper: LengthOrZero = default_of("12 um", "length")

    def limit_for(self, thickness: float) -> EtchLimit | None:
        """The limit for copper of a finished thickness (m); None where none is stated."""
        fitting = [e for e in self.etch if e.copper.si >= thickness - 1e-9]
        if fitting:
            return min(fitting, key=lambda e: e.copper.si)
        return max(self.etch, key=lambda e: e.copper.si, default=None)


class ViaSpan(Frozen):
    """Vias that join the copper layers from `top` to `bottom`.

    `backdrilled_to`: the layer next to which the drill from the far side stops.
    """

    id: Identifier
    name: Name
    kind: Literal["through", "blind", "buried", "micro"]
    top: Identifier
    bottom: Identifier
    drill: Length
    plating: Length = default_of("25 um", "length")
    backdrilled_to: Identifier | None = None


class Zone(Frozen):
    """A part of the board with its own choice of the layers, top to bottom.

    `signal`: copper that carries traces here, though it is a plane elsewhere.
    """

    id: Identifier
    name: Name
    kind: Literal["rigid", "flex"] = "rigid"
    layers: Annotated[tuple[Identifier, ...], Field(min_length=1, max_length=MANY)]
    signal: tuple[Identifier, ...] = ()
    bend_radius: Length | None = None
    bends: Literal["once", "often"] = "once"


class Place(Frozen):
    """A copper layer as it lies in one zone."""

    zone: str
    layers: tuple[StackLayer, ...]
    index: int

    @property
    def copper(self) -> CopperLayer:
        """The copper layer itself."""
        layer = self.layers[self.index]
        assert isinstance(layer, CopperLayer)
        return layer


class Stackup(Frozen):
    """All layers from top to bottom, the zones that share them, vias, and how they are made.

    Without zones the whole board has all layers. A layer of the first zone goes by its id, one of
    another zone by ``zone.layer``.
    """

    layers: Annotated[tuple[StackLayer, ...], Field(max_length=MANY)]
    spread: Spread = Field(default_factory=Spread)
    zones: Annotated[tuple[Zone, ...], Field(max_length=20)] = ()
    vias: Annotated[tuple[ViaSpan, ...], Field(max_length=100)] = ()
    fabrication: Fabrication = Field(default_factory=Fabrication)
    total: Length | None = None
    total_tolerance: Ratio = default_of("10 %", "ratio")
    roughness: Literal["smooth", "Hammerstad", "Huray"] = "Huray"
    temperature: Temperature = default_of("20 degC", "temperature")

    @model_validator(mode="after")
    def _references(self) -> Stackup:
        ids = {layer.id for layer in self.layers}
        copper = {layer.id for layer in self.copper}
        check_unique("zone", (z.id for z in self.zones))
        check_unique("via span", (v.id for v in self.vias))
        for zone in self.zones:
            check_unique(f"layer of zone {zone.id}", zone.layers)
            for missing in (set(zone.layers) - ids) | (set(zone.signal) - copper):
                raise ValueError(f"zone {zone.id}: there is no layer {missing!r}")
        order = {layer.id: k for k, layer in enumerate(self.layers)}
        for via in self.vias:
            wanted = {via.top, via.bottom} | ({via.backdrilled_to} if via.backdrilled_to else set())
            for missing in wanted - copper:
                raise ValueError(f"via span {via.id}: there is no copper layer {missing!r}")
            if order[via.top] >= order[via.bottom]:
                raise ValueError(f"via span {via.id}: {via.top} does not lie above {via.bottom}")
        return self

    @property
    def copper(self) -> tuple[CopperLayer, ...]:
        """The copper layers, top to bottom."""
        return tuple(layer for layer in self.layers if isinstance(layer, CopperLayer))

    @property
    def all_zones(self) -> tuple[Zone, ...]:
        """The zones; the whole board as one where none is stated."""
        if self.zones or not self.layers:
            return self.zones
        return (Zone(id="board", name="Board", layers=tuple(x.id for x in self.layers)),)

    def layer(self, identifier: str) -> StackLayer:
        """The layer of that id."""
        return find(self.layers, identifier)

    def zone_layers(self, zone: Zone) -> tuple[StackLayer, ...]:
        """The layers of a zone, top to bottom, with the roles that copper has there."""
        wanted = set(zone.layers)
        return tuple(
            layer.model_copy(update={"role": "signal"}) if layer.id in zone.signal else layer
            for layer in self.layers
            if layer.id in wanted
        )

    @property
    def signal_layers(self) -> tuple[str, ...]:
        """Names of the places that carry traces, zone by zone."""
        out = []
        for k, zone in enumerate(self.all_zones):
            for layer in self.zone_layers(zone):
                if isinstance(layer, CopperLayer) and layer.role == "signal":
                    out.append(layer.id if k == 0 else f"{zone.id}.{layer.id}")
        return tuple(out)

    def place(self, name: str) -> Place:
        """The copper layer named ``layer`` or ``zone.layer``; `KeyError` where there is none."""
        for k, zone in enumerate(self.all_zones):
            wanted = name if k == 0 else name.removeprefix(f"{zone.id}.")
            if k and wanted == name:
                continue
            layers = self.zone_layers(zone)
            for index, layer in enumerate(layers):
                if layer.id == wanted and isinstance(layer, CopperLayer):
                    return Place(zone=zone.id, layers=layers, index=index)
        raise KeyError(name)
