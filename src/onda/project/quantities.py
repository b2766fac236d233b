"""Quantities as people type them: `4.2mil`, `0.107 mm`, `1.5oz`, `350ps`; as typed and as SI."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import Annotated, Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, PydanticCustomError, core_schema

from onda.errors import InputError
from onda.project.shown_units import ShownUnits, units_in_use
from onda.project.units import factor_of

__all__ = [
    "DIMENSIONS",
    "Capacitance",
    "DataRate",
    "Frequency",
    "Inductance",
    "Length",
    "Quantity",
    "Ratio",
    "Resistance",
    "Time",
    "UnitInterval",
    "Voltage",
    "as_shown",
    "fixed",
    "format_si",
    "parse_quantity",
    "plain",
    "pretty",
    "quantity",
    "read_quantity",
    "split_si",
    "unit_factor",
    "unit_for",
]


@dataclass(frozen=True, slots=True)
class DimensionInfo:
    """What a quantity measures.

    `si` unit of the stored value; `shown` the unit in which it is shown first; `units` examples for
    messages; `most` the largest size that can mean anything on a board.
    """

    name: str
    si: str
    shown: str
    units: str
    most: float


DIMENSIONS: dict[str, DimensionInfo] = {
    d.name: d
    for d in (
        DimensionInfo("length", "m", "um", "um, mm, mil, oz (copper)", 10.0),
        DimensionInfo("time", "s", "ns", "ps, ns", 1.0),
        DimensionInfo("frequency", "Hz", "MHz", "kHz, MHz, GHz", 1e13),
        DimensionInfo("resistance", "ohm", "ohm", "mohm, ohm, kohm", 1e9),
        DimensionInfo("capacitance", "F", "pF", "fF, pF, nF", 1.0),
        DimensionInfo("voltage", "V", "V", "mV, V", 1e4),
        DimensionInfo("inductance", "H", "nH", "pH, nH, uH", 1.0),
        DimensionInfo("voltage time", "Vs", "nVs", "pVs, nVs", 1.0),
        DimensionInfo("slew", "V/s", "V/ns", "V/ns", 1e15),
        DimensionInfo("data rate", "b/s", "Gb/s", "Mb/s, Gb/s, GBd", 1e13),
        DimensionInfo("ratio", "1", "%", "%", 1e4),
        DimensionInfo("unit interval", "UI", "UI", "UI", 1e4),
        DimensionInfo("loss", "dB", "dB", "dB", 1e4),
        DimensionInfo("temperature", "degC", "degC", "degC", 1e3),
        DimensionInfo("delay per length", "s/m", "ps/mm", "ps/mm, ns/m, ps/in", 1.0),
        DimensionInfo("loss per length", "dB/m", "dB/m", "dB/m, dB/100 mm, dB/in", 1e6),
        DimensionInfo("resistance per length", "ohm/m", "ohm/m", "ohm/m, mohm/mm", 1e9),
        DimensionInfo("inductance per length", "H/m", "nH/m", "nH/m, nH/mm, uH/m", 1.0),
        DimensionInfo("capacitance per length", "F/m", "pF/m", "pF/m, fF/mm", 1.0),
        DimensionInfo("conductance per length", "S/m", "mS/m", "uS/m, mS/m, S/m", 1e6),
    )
}

_LONGEST = 100
_LARGEST_SI = 1e300
_TEXT = re.compile(
    r"\s*([+-]?(?:\d{1,40}\.?\d{0,40}|\.\d{1,40})(?:[eE][+-]?\d{1,3})?)"
    r"\s*([A-Za-zµμΩ\u2126%/°]{0,12}(?:/100 ?mm)?)\s*"
)


def unit_factor(unit: str, dimension: str) -> float:
    """SI value of one `unit` of a dimension; raise `InputError` where there is no such unit."""
    factor = factor_of(unit, dimension)
    if factor is None:
        raise InputError(
            f"unknown unit {unit!r} for a {dimension}",
            remedy=f"Use {DIMENSIONS[dimension].units}.",
        )
    return factor


@dataclass(frozen=True, slots=True)
class Quantity:
    """A value as typed and as SI; the dimension is that of the field that holds it."""

    text: str
    si: float

    def __str__(self) -> str:
        return self.text

    @property
    def unit(self) -> str:
        """The unit as typed."""
        match = _TEXT.fullmatch(self.text)
        return match.group(2) if match else ""


@lru_cache(maxsize=4096)
def parse_quantity(text: str, dimension: str, default_unit: str | None = None) -> Quantity:
    """Read a quantity such as ``4.2 mil``.

    Parameters
    ----------
    dimension : a key of `DIMENSIONS`
    default_unit : taken where the text carries no unit; without it a unit is required

    Raises
    ------
    InputError : not a number, unit missing or unknown, or not finite

    Examples
    --------
    >>> parse_quantity("4 mil", "length").si
    0.0001016
    """
    info = DIMENSIONS[dimension]
    match = _TEXT.fullmatch(text) if len(text) <= _LONGEST else None
    if match is None:
        raise InputError(
            f"{text[:40]!r} is not a {dimension}",
            remedy=f"Write a number and a unit: {info.units}.",
        )
    number, unit = match.groups()
    if not unit:
        if default_unit is None:
            raise InputError(
                f"{text.strip()!r} has no unit",
                remedy=f"Add one of {info.units}, as in '{number} {info.shown}'.",
            )
        unit = default_unit
        text = f"{number} {unit}"
    value = float(number) * unit_factor(unit, dimension)
    if not abs(value) <= info.most:
        most = f"{info.most / unit_factor(info.shown, dimension):g} {info.shown}"
        raise InputError(f"{text[:40]!r} is too large", remedy=f"At most {most} makes sense here.")
    return Quantity(" ".join(text.split()), value)


def pretty(value: Quantity) -> str:
    """The text of a quantity with the signs that print has for its unit.

    Examples
    --------
    >>> pretty(parse_quantity("15 ohm", "resistance"))
    '15 Ω'
    """
    shown = re.sub(r"ohms?(?=$|/)", "Ω", re.sub(r"\bu(?=[msFVHS])", "µ", value.text))
    return shown.replace("degC", "°C")


def as_shown(value: Quantity, dimension: str) -> str:
    """A quantity as it is shown: as it was typed, in the units that the user chose."""
    typed = pretty(value)
    chosen = units_in_use()
    if dimension not in chosen.scales or _is_of(value.unit, chosen, dimension):
        return typed
    unit = split_si(value.si, dimension)[1]
    return f"{value.si / unit_factor(unit, dimension):.4g} {unit}"


def _is_of(unit: str, chosen: ShownUnits, dimension: str) -> bool:
    """Whether a unit is of the kind that was chosen; copper weight is neither."""
    plain = unit.replace("µ", "u").replace("μ", "u").replace(" ", "")
    if dimension == "loss per length":
        return plain == chosen.loss_unit.replace(" ", "")
    inch = plain in ("mil", "mils", "in", "inch", "ps/in")
    return plain == "oz" or inch == (chosen.lengths == "mil")


def unit_for(dimension: str, like: float) -> str:
    """The unit in which a value of a size is shown, as it is typed."""
    return split_si(like, dimension)[1].replace("µ", "u").replace("Ω", "ohm")


def fixed(value: float, decimals: int, *, sign: bool = False) -> str:
    """A number with so many decimals, never minus nothing.

    Examples
    --------
    >>> fixed(-0.0004, 2), fixed(-1.5, 1), fixed(1.5, 1, sign=True)
    ('0.00', '−1.5', '+1.5')
    """
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        return f"{0:.{decimals}f}"
    return (f"{value:+.{decimals}f}" if sign else text).replace("-", "−")


def plain(value: float, digits: int = 3) -> str:
    """A number with so many digits that count, never with an exponent.

    Examples
    --------
    >>> plain(1000.0), plain(12345.0), plain(4.7), plain(2e-5)
    ('1000', '12300', '4.7', '0.00002')
    """
    return format(Decimal(f"{value:.{digits}g}"), "f")


def quantity(si: float, dimension: str, unit: str | None = None, digits: int = 4) -> Quantity:
    """Make a quantity from an SI value, typed out in `unit` (default: as shown) to `digits`.

    The stored SI value is that of the rounded text, so both always agree.
    """
    unit = unit or DIMENSIONS[dimension].shown
    shown = si / unit_factor(unit, dimension)
    return parse_quantity(f"{shown:.{digits}g} {unit}", dimension)


@dataclass(frozen=True, slots=True)
class _Dimension:
    """Marks a pydantic field as a quantity of one dimension."""

    name: str
    positive: bool = False
    signed: bool = False

    def __get_pydantic_core_schema__(
        self, source: type[Any], handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.no_info_plain_validator_function(
            self._validate,
            serialization=core_schema.plain_serializer_function_ser_schema(_serialise),
        )

    def _validate(self, value: object) -> Quantity:
        result = read_quantity(value, self.name)
        if (result.si < 0 and not self.signed) or (self.positive and result.si == 0):
            allowed = "above 0" if self.positive else "0 or above"
            raise PydanticCustomError(
                "quantity",
                "must be {allowed}, got {text}",
                {"allowed": allowed, "text": result.text},
            )
        return result


def read_quantity(value: object, dimension: str) -> Quantity:
    """Read a quantity from text or its stored form, for pydantic validators."""
    try:
        return _read(value, dimension)
    except InputError as error:
        raise PydanticCustomError("quantity", "{message}", {"message": str(error)}) from error


def _read(value: object, dimension: str) -> Quantity:
    if isinstance(value, Quantity):
        return value
    if isinstance(value, str):
        return parse_quantity(value, dimension)
    if isinstance(value, dict) and isinstance(value.get("text"), str):
        parsed = parse_quantity(value["text"], dimension)
        si = value.get("si", parsed.si)
        if not isinstance(si, (int, float)) or isinstance(si, bool):
            raise InputError("the SI value must be a number")
        if abs(si) > _LARGEST_SI or not math.isclose(si, parsed.si, rel_tol=1e-9, abs_tol=1e-30):
            raise InputError(f"{value['text']!r} and its SI value disagree")
        return parsed
    raise InputError(
        "not a quantity", remedy=f"Write it as text, as in '1 {DIMENSIONS[dimension].shown}'."
    )


def _serialise(value: Quantity) -> dict[str, Any]:
    return {"text": value.text, "si": value.si}


Length = Annotated[Quantity, _Dimension("length", positive=True)]
LengthOrZero = Annotated[Quantity, _Dimension("length")]
Time = Annotated[Quantity, _Dimension("time", positive=True)]
Frequency = Annotated[Quantity, _Dimension("frequency", positive=True)]
Resistance = Annotated[Quantity, _Dimension("resistance", positive=True)]
ResistanceOrZero = Annotated[Quantity, _Dimension("resistance")]
Capacitance = Annotated[Quantity, _Dimension("capacitance")]
Voltage = Annotated[Quantity, _Dimension("voltage", signed=True)]
Inductance = Annotated[Quantity, _Dimension("inductance")]
DataRate = Annotated[Quantity, _Dimension("data rate", positive=True)]
Loss = Annotated[Quantity, _Dimension("loss", signed=True)]
Ratio = Annotated[Quantity, _Dimension("ratio", signed=True)]
UnitInterval = Annotated[Quantity, _Dimension("unit interval")]
SignedLength = Annotated[Quantity, _Dimension("length", signed=True)]
Temperature = Annotated[Quantity, _Dimension("temperature", signed=True)]
DelayPerLength = Annotated[Quantity, _Dimension("delay per length", positive=True)]
LossPerLength = Annotated[Quantity, _Dimension("loss per length")]
ResistancePerLength = Annotated[Quantity, _Dimension("resistance per length")]
InductancePerLength = Annotated[Quantity, _Dimension("inductance per length", positive=True)]
CapacitancePerLength = Annotated[Quantity, _Dimension("capacitance per length", positive=True)]
ConductancePerLength = Annotated[Quantity, _Dimension("conductance per length")]
"""Field types of the model; each reads text or its stored form."""

_SCALES: dict[str, tuple[tuple[float, str], ...]] = {
    "time": ((1e-9, "ns"), (0.0, "ps")),
    "frequency": ((1e9, "GHz"), (1e6, "MHz"), (0.0, "kHz")),
    "resistance": ((1e3, "kΩ"), (0.0, "Ω")),
    "capacitance": ((1e-9, "nF"), (0.0, "pF")),
    "voltage": ((0.1, "V"), (0.0, "mV")),
    "inductance": ((1e-6, "µH"), (0.0, "nH")),
    "voltage time": ((1e-10, "nVs"), (0.0, "pVs")),
    "slew": ((0.0, "V/ns"),),
    "data rate": ((1e9, "Gb/s"), (0.0, "Mb/s")),
    "ratio": ((0.0, "%"),),
    "unit interval": ((0.0, "UI"),),
    "loss": ((0.0, "dB"),),
    "temperature": ((0.0, "°C"),),
    "resistance per length": ((0.0, "Ω/m"),),
    "inductance per length": ((0.0, "nH/m"),),
    "capacitance per length": ((0.0, "pF/m"),),
    "conductance per length": ((0.0, "mS/m"),),
}


def format_si(si: float, dimension: str, *, like: float | None = None, digits: int = 3) -> str:
    """Show an SI value in the unit that suits its size, or the size of `like`.

    Examples
    --------
    >>> format_si(1.08e-4, "length")
    '108 µm'
    """
    number, unit = split_si(si, dimension, like=like, digits=digits)
    return f"{number} {unit}"


def split_si(
    si: float, dimension: str, *, like: float | None = None, digits: int = 3
) -> tuple[str, str]:
    """Number and unit of `format_si` apart, for screens that set them in different ink."""
    if not math.isfinite(si):
        return "–", ""
    size = abs(si if like is None or not math.isfinite(like) else like)
    scales = units_in_use().scales.get(dimension) or _SCALES[dimension]
    unit = next(u for least, u in scales if size >= least * (1 - 1e-12))
    value = si / unit_factor(unit, dimension)
    if value == 0 or abs(value) < 10.0 ** (-digits):
        return "0", unit
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    return f"{value:.{decimals}f}".replace("-", "−"), unit
