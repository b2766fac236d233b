"""The Spec elements of IPC-2581: materials, copper, impedance, drills; read into plain values."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from lxml import etree

from onda.formats.build_table import ImpedanceWish
from onda.formats.ipc2581.document import Reader

__all__ = ["Spec", "read_specs"]

_UNITS = {
    "MM": 1e-3, "MILLIMETER": 1e-3, "MICRON": 1e-6, "INCH": 25.4e-3, "MIL": 25.4e-6,
    "OHMS": 1.0, "OHM": 1.0, "HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9, "PERCENT": 0.01,
    "OZ": 34.79e-6,
}  # fmt: skip
_LENGTHS = {"MM", "MILLIMETER", "MICRON", "INCH", "MIL", "OZ"}
_KINDS = {"SINGLE_ENDED": "single", "EDGE_COUPLED": "pair", "BROADSIDE_COUPLED": "broadside"}
_CONDUCTOR = {
    "SURFACE_ROUGHNESS_UPFACING": "rough up",
    "SURFACE_ROUGHNESS_DOWNFACING": "rough down",
    "ETCH_FACTOR": "etch factor",
}
_OWN_LENGTHS = ("foil", "plating", "over copper", "beside", "drill")
"""What has no type of its own stands under OTHER, named by its comment."""


@dataclass(slots=True)
class Spec:
    """What one Spec says: numbers in SI and texts by our own names, impedance wishes."""

    name: str
    numbers: dict[str, float] = field(default_factory=dict)
    texts: dict[str, str] = field(default_factory=dict)
    wishes: list[ImpedanceWish] = field(default_factory=list)


def read_specs(elements: list[etree._Element], reader: Reader) -> dict[str, Spec]:
    """All Specs by name."""
    out: dict[str, Spec] = {}
    for element in elements:
        name = element.get("name", "")
        spec = Spec(name)
        impedance: list[tuple[etree._Element, etree._Element | None]] = []
        for child in element:
            what = etree.QName(child).localname if isinstance(child.tag, str) else ""
            properties = reader.all("Property", child)
            first = properties[0] if properties else None
            kind, comment = child.get("type", ""), (child.get("comment") or "").lower()
            if what == "General":
                _general(spec, kind, comment, first)
            elif what == "Dielectric":
                _dielectric(spec, kind, comment, properties, reader)
            elif what == "Conductor":
                _conductor(spec, kind, comment, first, reader)
            elif what == "Impedance":
                impedance.append((child, first))
            elif what == "Backdrill" and first is not None and kind == "MUST_NOT_CUT_LAYER":
                spec.texts["back to"] = first.get("layerOrGroupRef") or first.get("text") or ""
            elif what == "Technology" and comment in ("drill", "via kind") and first is not None:
                if comment == "drill":
                    spec.numbers["drill"] = _value(first, reader, length=True)
                else:
                    spec.texts["via kind"] = first.get("text", "")
        if impedance:
            wish = _wish(spec, impedance, reader)
            if wish is not None:
                spec.wishes.append(wish)
        out[name] = spec
    return out


def _value(element: etree._Element, reader: Reader, *, length: bool = False) -> float:
    """The value of a Property in SI; lengths without a unit are in those of the file."""
    text = element.get("value", "")
    try:
        value = float(text)
    except ValueError as error:
        raise reader.error(element, f"value {text[:30]!r} is not a number", "Correct it.") from (
            error
        )
    if not math.isfinite(value):
        raise reader.error(element, f"value is {text[:30]}", "Write a finite number.")
    unit = (element.get("unit") or "").upper()
    if not unit:
        return value * reader.unit if length else value
    if unit not in _UNITS or (length and unit not in _LENGTHS):
        raise reader.error(element, f"unit {unit[:20]!r}", "Use MM, MICRON, INCH or MIL.")
    return value * _UNITS[unit]


def _frequency(element: etree._Element, reader: Reader) -> float:
    text = element.get("refValue")
    unit = (element.get("refUnit") or "").upper()
    if text is None or unit not in ("HZ", "KHZ", "MHZ", "GHZ"):
        return math.nan
    try:
        return float(text) * _UNITS[unit]
    except ValueError as error:
        raise reader.error(element, f"refValue {text[:30]!r}", "Write a number.") from error


def _general(spec: Spec, kind: str, comment: str, first: etree._Element | None) -> None:
    if first is None:
        return
    if kind == "MATERIAL":
        spec.texts["material"] = first.get("text", "")
    elif comment == "class":
        spec.texts["class"] = first.get("text", "")


def _dielectric(
    spec: Spec, kind: str, comment: str, properties: list[etree._Element], reader: Reader
) -> None:
    if not properties:
        return
    first = properties[0]
    if kind == "DIELECTRIC_CONSTANT":
        dk = _value(first, reader)
        if not 1.0 <= dk <= 1000.0:
            raise reader.error(first, f"Dk {dk:g}", "It must be 1 or above.")
        spec.numbers["Dk"] = dk
        at = _frequency(first, reader)
        if at > 0:
            spec.numbers["frequency"] = at
    elif kind == "LOSS_TANGENT":
        df = _value(first, reader)
        if not 0.0 <= df < 0.5:
            raise reader.error(first, f"Df {df:g}", "It must lie between 0 and 0.5.")
        spec.numbers["Df"] = df
    elif kind == "OTHER" and comment in _OWN_LENGTHS:
        spec.numbers[comment] = _value(first, reader, length=True)


def _conductor(
    spec: Spec, kind: str, comment: str, first: etree._Element | None, reader: Reader
) -> None:
    if first is None:
        return
    if kind in _CONDUCTOR:
        spec.numbers[_CONDUCTOR[kind]] = _value(first, reader, length=kind != "ETCH_FACTOR")
    elif kind == "OTHER" and comment in _OWN_LENGTHS:
        spec.numbers[comment] = _value(first, reader, length=True)
    elif kind == "OTHER" and comment == "cover":
        spec.numbers["cover"] = _value(first, reader)
    elif kind == "OTHER" and comment == "base":
        spec.texts["base"] = first.get("text", "")


def _wish(
    spec: Spec,
    parts: list[tuple[etree._Element, etree._Element | None]],
    reader: Reader,
) -> ImpedanceWish | None:
    numbers: dict[str, float] = {}
    reference: list[str] = []
    kind, tolerance = "single", math.nan
    for element, first in parts:
        transmission = element.get("transmission", "")
        kind = _KINDS.get(transmission, kind)
        if first is None:
            continue
        what = element.get("type", "")
        if what == "REF_PLANE_LAYER_ID":
            reference += [
                p.get("layerOrGroupRef") or p.get("text") or ""
                for p in reader.all("Property", element)
            ]
        elif what == "IMPEDANCE":
            numbers[what] = _value(first, reader)
            plus = first.get("tolPlus")
            if plus is not None:
                try:
                    tolerance = float(plus)
                except ValueError as error:
                    raise reader.error(first, f"tolPlus {plus[:20]!r}", "Write a number.") from (
                        error
                    )
                percent = (first.get("tolPercent") or "").lower() == "true"
                tolerance = tolerance / 100 if percent else tolerance / (numbers[what] or 1.0)
        elif what in ("LINEWIDTH", "SPACING", "COPLANAR_GROUND_SPACING"):
            numbers[what] = _value(first, reader, length=True)
    if "IMPEDANCE" not in numbers:
        return None
    return ImpedanceWish(
        name=spec.texts.get("class", spec.name),
        layer="",
        kind=kind,
        ohm=numbers["IMPEDANCE"],
        tolerance=tolerance,
        width=numbers.get("LINEWIDTH", math.nan),
        gap=numbers.get("SPACING", math.nan),
        ground_gap=numbers.get("COPLANAR_GROUND_SPACING", math.nan),
        reference=tuple(r for r in reference if r),
    )
