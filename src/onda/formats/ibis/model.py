"""What an IBIS file says: components, pins, models, packages, as plain values in SI units."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

__all__ = [
    "CORNERS",
    "Component",
    "Corners",
    "DiffPin",
    "Fixture",
    "IbisFile",
    "IbisModel",
    "IvTable",
    "PackageModel",
    "Pin",
    "Ramp",
    "Remark",
    "Selector",
    "TestData",
    "Waveform",
]

CORNERS = ("typ", "min", "max")


@dataclass(frozen=True, slots=True)
class Corners:
    """A value at typ, min and max; None where the file has NA, which means as typ."""

    typ: float | None = None
    min: float | None = None
    max: float | None = None

    def at(self, corner: str) -> float | None:
        """Value at a corner; that of typ where the corner has none."""
        value: float | None = getattr(self, corner)
        return self.typ if value is None else value


@dataclass(frozen=True, slots=True)
class Remark:
    """Something about the file: an error (what it belongs to cannot be used) or a caution."""

    kind: Literal["error", "caution"]
    line: int
    keyword: str
    text: str
    model: str = ""

    def __str__(self) -> str:
        return f"line {self.line}, {self.keyword}: {self.text}"


@dataclass(slots=True)
class IvTable:
    """Current into the buffer against voltage, rows (V, typ, min, max); None is NA."""

    line: int
    rows: list[tuple[float, float | None, float | None, float | None]] = field(default_factory=list)


@dataclass(slots=True)
class Fixture:
    """What a waveform was taken into."""

    r: float | None = None
    v: Corners = field(default_factory=Corners)
    c: float = 0.0
    inductance: float = 0.0
    r_dut: float = 0.0
    l_dut: float = 0.0
    c_dut: float = 0.0


@dataclass(slots=True)
class Waveform:
    """Volts against time, rows (s, typ, min, max), into a fixture."""

    line: int
    rising: bool
    fixture: Fixture = field(default_factory=Fixture)
    rows: list[tuple[float, float | None, float | None, float | None]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Ramp:
    """20 to 80 % of a swing: dV and dt by corner, rising and falling, into r_load."""

    rise: dict[str, tuple[float, float]]
    fall: dict[str, tuple[float, float]]
    r_load: float = 50.0


@dataclass(frozen=True, slots=True)
class Executable:
    """A line of an [Algorithmic Model]: for which platform, the library and its parameter file,
    and whether it is the one that sends, that listens, or both ("")."""

    platform: str
    library: str
    parameters: str
    side: str = ""


@dataclass(slots=True)
class IbisModel:
    """One [Model]."""

    name: str
    line: int
    type: str = ""
    polarity: str = "Non-Inverting"
    numbers: dict[str, float] = field(default_factory=dict)
    corners: dict[str, Corners] = field(default_factory=dict)
    tables: dict[str, IvTable] = field(default_factory=dict)
    waveforms: list[Waveform] = field(default_factory=list)
    ramp: Ramp | None = None
    spec: dict[str, Corners] = field(default_factory=dict)
    thresholds: dict[str, float] = field(default_factory=dict)
    submodels: list[tuple[str, str]] = field(default_factory=list)
    external: bool = False
    executables: list[Executable] = field(default_factory=list)

    @property
    def drives(self) -> bool:
        """Whether it can be a driver."""
        kind = self.type.lower()
        return kind.startswith(("output", "i/o", "3-state", "open", "io"))

    @property
    def receives(self) -> bool:
        """Whether it can be a receiver."""
        return self.type.lower().startswith(("input", "i/o", "io", "terminator"))


@dataclass(frozen=True, slots=True)
class Pin:
    """A pin: what model is on it, and its own package where stated."""

    name: str
    signal: str
    model: str
    r: float | None = None
    inductance: float | None = None
    c: float | None = None


@dataclass(frozen=True, slots=True)
class DiffPin:
    """Two pins that carry a pair; `v_diff` is the receiver's threshold, `delay` of the inverse."""

    positive: str
    negative: str
    v_diff: float | None = None
    delay: Corners = Corners()


@dataclass(slots=True)
class Component:
    """One [Component]."""

    name: str
    line: int
    manufacturer: str = ""
    package: dict[str, Corners] = field(default_factory=dict)
    pins: dict[str, Pin] = field(default_factory=dict)
    diff_pins: list[DiffPin] = field(default_factory=list)
    package_model: str = ""


@dataclass(slots=True)
class PackageModel:
    """One [Define Package Model]: R, L and C between pins by (row, column) pin names."""

    name: str
    line: int
    pins: list[str] = field(default_factory=list)
    entries: dict[str, dict[tuple[str, str], float]] = field(default_factory=dict)

    def entry(self, kind: str, a: str, b: str) -> float:
        """R, L or C between two pins, 0 where the file has none."""
        values = self.entries.get(kind, {})
        return values.get((a, b), values.get((b, a), 0.0))


@dataclass(frozen=True, slots=True)
class Selector:
    """A [Model Selector]: models to choose from, with what the file says of each."""

    name: str
    models: tuple[tuple[str, str], ...]


@dataclass(slots=True)
class TestData:
    """A [Test Data] waveform at the driver into a [Test Load]."""

    # Not a test of ours, whatever pytest thinks of the name.
    __test__ = False

    name: str
    line: int
    texts: dict[str, str] = field(default_factory=dict)
    near: dict[bool, list[tuple[float, float | None]]] = field(default_factory=dict)


@dataclass(slots=True)
class IbisFile:
    """A whole file, and what there is to say about it."""

    version: str = ""
    name: str = ""
    components: dict[str, Component] = field(default_factory=dict)
    models: dict[str, IbisModel] = field(default_factory=dict)
    selectors: dict[str, Selector] = field(default_factory=dict)
    packages: dict[str, PackageModel] = field(default_factory=dict)
    submodels: dict[str, IbisModel] = field(default_factory=dict)
    test_loads: dict[str, dict[str, float]] = field(default_factory=dict)
    test_data: list[TestData] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)

    def remarks_of(self, model: str, kind: str | None = None) -> list[Remark]:
        """Remarks about a model."""
        return [r for r in self.remarks if r.model == model and kind in (None, r.kind)]

    def choices(self, name: str) -> tuple[tuple[str, str], ...]:
        """Models that a pin's entry can mean: those of a selector, or the one of that name."""
        if name in self.selectors:
            return self.selectors[name].models
        return ((name, ""),) if name in self.models else ()
