"""IPC-2581 (revisions B and C): stackup, materials, impedance wishes and via spans.

Reading takes what a stackup is made of. Writing onto an existing file changes those parts only:
every element and attribute that is not understood stays where it is.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from lxml import etree

from onda.formats.build_table import BuildLayer, BuildTable, ImpedanceWish, SpanRow, ZoneRow
from onda.formats.ipc2581.document import Reader, parse_xml
from onda.formats.ipc2581.specs import Spec, read_specs

__all__ = ["Ipc2581", "read_ipc2581"]

LAYER_KINDS = {
    "SIGNAL": "signal",
    "CONDUCTOR": "signal",
    "MIXED": "signal",
    "CONDFILM": "signal",
    "CONDFOIL": "signal",
    "PLANE": "plane",
    "DIELCORE": "core",
    "DIELBASE": "flex",
    "DIELPREG": "prepreg",
    "DIELADHV": "adhesive",
    "SOLDERMASK": "coating",
    "COVERLAY": "coating",
    "COATINGNONCOND": "coating",
}
_SPAN_KINDS = {"DRILL", "ROUT", "BACKDRILL"}


@dataclass(frozen=True, slots=True)
class Ipc2581:
    """What a file says of the build; `left` names the layers that are not part of it."""

    revision: str
    build: BuildTable
    left: tuple[str, ...]


def read_ipc2581(data: bytes, *, file: str | None = None) -> Ipc2581:
    """Read the stackup of an IPC-2581 file.

    Raises
    ------
    InputError : with line and remedy, where the file is broken, hostile, without units or stackup,
        refers to layers that are not there, or holds stackups that contradict each other
    """
    reader = Reader(parse_xml(data, file), file)
    specs = read_specs(reader.all("Spec", reader.header), reader)
    defined = {e.get("name", ""): e for e in reader.all("Layer") if e.get("name")}
    stackups = reader.all("Stackup")
    if not stackups:
        raise reader.error(reader.root, "no Stackup", "Export the file with its stackup.")
    found: dict[str, BuildLayer] = {}
    zones: list[ZoneRow] = []
    left: list[str] = []
    order: list[str] = []
    wishes: dict[str, ImpedanceWish] = {}
    for zone_name, element in _zones(stackups, reader):
        names = []
        entries = sorted(reader.all("StackupLayer", element), key=lambda e: _sequence(e, reader))
        for entry in entries:
            name = entry.get("layerOrGroupRef", "")
            if name not in defined:
                raise reader.error(
                    entry, f"StackupLayer refers to {name!r}, which is no Layer", "Add the Layer."
                )
            if name in names:
                raise reader.error(entry, f"layer {name!r} is there twice", "Keep one of them.")
            mine = [
                specs[r.get("id", "")] for r in reader.all("SpecRef", entry)
                if r.get("id", "") in specs
            ]  # fmt: skip
            layer = _layer(reader, entry, defined[name], mine)
            if layer is None:
                left.append(name)
                continue
            before = found.get(name)
            if before is not None and abs(before.thickness - layer.thickness) > 1e-9:
                raise reader.error(
                    entry,
                    f"layer {name!r} is {layer.thickness * 1e6:.4g} um here and "
                    f"{before.thickness * 1e6:.4g} um in another stackup",
                    "Make the stackups agree.",
                )
            found.setdefault(name, layer)
            names.append(name)
            for spec in mine:
                for wish in spec.wishes:
                    place = f"{zone_name}.{name}" if zones else name
                    wishes.setdefault(f"{wish.name}/{place}", replace(wish, layer=place))
        order = _merged(order, names, reader, element)
        if names:
            kind = "flex" if _is_flexible(element) else "rigid"
            zones.append(ZoneRow(zone_name, kind, tuple(names)))
    if not order:
        raise reader.error(stackups[0], "a stackup without layers", "Export it with its layers.")
    first = stackups[0]
    build = BuildTable(
        name=first.get("name", "board"),
        layers=tuple(found[n] for n in order),
        spans=_spans(reader, defined, specs, set(order)),
        wishes=tuple(wishes.values()),
        zones=tuple(zones) if len(zones) > 1 else (),
        total=reader.length(first, "overallThickness", math.nan),
    )
    return Ipc2581(reader.revision or "?", build, tuple(dict.fromkeys(left)))


def _is_flexible(element: etree._Element) -> bool:
    """Whether a zone's comment says so, as revisions B and C have no field."""
    return "flex" in (element.get("comment") or "").lower()


def _zones(stackups: list[etree._Element], reader: Reader) -> list[tuple[str, etree._Element]]:
    """Zones are stackups of their own, or groups that share layers; else groups are one pile."""
    if len(stackups) > 1:
        return [(s.get("name", f"zone {k + 1}"), s) for k, s in enumerate(stackups)]
    groups = reader.all("StackupGroup", stackups[0])
    members = [
        {e.get("layerOrGroupRef", "") for e in reader.all("StackupLayer", g)} for g in groups
    ]
    shared = any(members[i] & members[j] for i in range(len(groups)) for j in range(i))
    if shared:
        return [(g.get("name", f"zone {k + 1}"), g) for k, g in enumerate(groups)]
    return [(stackups[0].get("name", "board"), stackups[0])]


def _sequence(entry: etree._Element, reader: Reader) -> float:
    text = entry.get("sequence", "0")
    try:
        return float(text)
    except ValueError as error:
        raise reader.error(
            entry, f"sequence {text[:20]!r} is not a number", "Number the layers from 1."
        ) from error


def _merged(
    order: list[str], names: list[str], reader: Reader, element: etree._Element
) -> list[str]:
    """One order that holds that of every zone."""
    out = list(order)
    at = 0
    for k, name in enumerate(names):
        if name in out:
            place = out.index(name)
            if place < at:
                raise reader.error(
                    element, f"layer {name!r} lies elsewhere in another stackup", "Make them agree."
                )
            at = place + 1
        else:
            following = [out.index(n) for n in names[k + 1 :] if n in out]
            place = min([p for p in following if p >= at], default=len(out) if not out else at)
            if not following:
                place = at if at else len(out)
            out.insert(place, name)
            at = place + 1
    return out


def _layer(
    reader: Reader, entry: etree._Element, defined: etree._Element, specs: list[Spec]
) -> BuildLayer | None:
    function = defined.get("layerFunction", "")
    kind = LAYER_KINDS.get(function)
    if kind is None:
        return None
    name = entry.get("layerOrGroupRef", "")
    thickness = reader.length(entry, "thickness", math.nan)
    if math.isnan(thickness) or thickness == 0.0:
        raise reader.error(entry, f"layer {name!r} has no thickness", "Give it one.")
    tolerance = reader.length(entry, "tolPlus", math.nan)
    values: dict[str, float] = {}
    texts: dict[str, str] = {}
    for spec in specs:
        values |= spec.numbers
        texts |= spec.texts

    def number(key: str) -> float:
        return values.get(key, math.nan)

    etch = number("etch factor")
    down, up = number("rough down"), number("rough up")
    base_above = texts.get("base") == "above"
    return BuildLayer(
        name=name,
        kind=kind,
        thickness=thickness,
        material=texts.get("material", ""),
        dk=number("Dk"),
        df=number("Df"),
        frequency=number("frequency"),
        tolerance=tolerance / thickness if not math.isnan(tolerance) else math.nan,
        foil=number("foil"),
        plating=number("plating"),
        undercut=thickness / etch if etch > 0 else math.nan,
        base_above=base_above,
        cover=number("cover"),
        rz_base=up if base_above else down,
        rz_face=down if base_above else up,
        over_copper=number("over copper"),
        beside=number("beside"),
        remark=defined.get("comment") or entry.get("comment") or "",
    )


def _spans(
    reader: Reader,
    defined: dict[str, etree._Element],
    specs: dict[str, Spec],
    layers: set[str],
) -> tuple[SpanRow, ...]:
    out = []
    for name, element in defined.items():
        if element.get("layerFunction") not in _SPAN_KINDS:
            continue
        span = next(iter(reader.all("Span", element)), None)
        if span is None:
            continue
        top, bottom = span.get("fromLayer", ""), span.get("toLayer", "")
        for end in (top, bottom):
            if end not in layers:
                raise reader.error(
                    span, f"span of {name!r} ends on {end!r}, which is not in the stackup",
                    "Correct the span.",
                )  # fmt: skip
        mine = [specs[r.get("id", "")] for r in reader.all("SpecRef", element)
                if r.get("id", "") in specs]  # fmt: skip
        numbers = {k: v for s in mine for k, v in s.numbers.items()}
        texts = {k: v for s in mine for k, v in s.texts.items()}
        out.append(
            SpanRow(
                name=name,
                kind=texts.get("via kind", ""),
                top=top,
                bottom=bottom,
                drill=numbers.get("drill", math.nan),
                back_to=texts.get("back to", ""),
            )
        )
    return tuple(out)
