"""Writes a stackup as IPC-2581, new or onto a file that is there already."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from datetime import date
from typing import Any

from lxml import etree

from onda.errors import InputError
from onda.formats.build_table import BuildLayer, BuildTable, ImpedanceWish, SpanRow
from onda.formats.ipc2581.document import UNITS, local, parse_xml
from onda.formats.ipc2581.reader import LAYER_KINDS

__all__ = ["write_ipc2581"]

_SPACE = "http://webstds.ipc.org/2581"
_FUNCTIONS = {
    "signal": "SIGNAL",
    "plane": "PLANE",
    "core": "DIELCORE",
    "prepreg": "DIELPREG",
    "adhesive": "DIELADHV",
    "flex": "DIELBASE",
    "coating": "SOLDERMASK",
}
_TRANSMISSION = {
    "single": "SINGLE_ENDED",
    "pair": "EDGE_COUPLED",
    "broadside": "BROADSIDE_COUPLED",
}


def write_ipc2581(
    build: BuildTable, *, revision: str = "C", base: bytes | None = None, file: str | None = None
) -> bytes:
    """An IPC-2581 file with a build.

    Parameters
    ----------
    revision : "B" or "C", of a new file; an existing one keeps its own
    base : a file to write onto; all that is not part of the stackup stays

    Raises
    ------
    InputError : `base` is no IPC-2581, or the revision is another one
    """
    if revision not in ("B", "C"):
        raise InputError(f"revision {revision!r}", remedy="Revisions B and C are written.")
    root = _new(build, revision) if base is None else parse_xml(base, file)
    _Writer(root, build, file).write()
    etree.indent(root, space=" ")
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _new(build: BuildTable, revision: str) -> etree._Element:
    spaces: Any = {None: _SPACE}
    root = etree.Element(f"{{{_SPACE}}}IPC-2581", nsmap=spaces)
    root.set("revision", revision)

    def add(parent: etree._Element, tag: str, /, **attributes: str) -> etree._Element:
        return etree.SubElement(parent, f"{{{_SPACE}}}{tag}", attributes)

    content = add(root, "Content", roleRef="Owner")
    add(content, "FunctionMode", mode="STACKUP")
    add(content, "StepRef", name="board")
    for layer in build.layers:
        add(content, "LayerRef", name=layer.name)
    header = add(root, "LogisticHeader")
    add(header, "Role", id="Owner", roleFunction="SENDER")
    add(header, "Enterprise", id="sender", code="NONE")
    add(header, "Person", name="sender", enterpriseRef="sender", roleRef="Owner")
    today = date.today().isoformat() + "T00:00:00"
    history = add(
        root, "HistoryRecord", number="1", origination=today, software="Onda", lastChange=today
    )
    add(history, "FileRevision", fileRevisionId="1", comment="stackup")
    ecad = add(root, "Ecad", name=build.name)
    add(ecad, "CadHeader", units="MICRON")
    data = add(ecad, "CadData")
    add(data, "Step", name="board")
    return root


class _Writer:
    def __init__(self, root: etree._Element, build: BuildTable, file: str | None) -> None:
        self.root, self.build, self.file = root, build, file
        self.space = etree.QName(root).namespace
        header = self._first("CadHeader")
        data = self._first("CadData")
        if header is None or data is None or header.get("units") not in UNITS:
            raise InputError(
                "no Ecad with units to write into",
                file=file,
                remedy="Write to a new file instead.",
            )
        self.header, self.data = header, data
        self.unit = UNITS[header.get("units", "")]

    def _all(self, name: str, under: etree._Element | None = None) -> list[etree._Element]:
        return [e for e in (self.root if under is None else under).iter() if local(e) == name]

    def _first(self, name: str) -> etree._Element | None:
        return next(iter(self._all(name)), None)

    def _make(self, element: str, /, **attributes: str) -> etree._Element:
        tag = f"{{{self.space}}}{element}" if self.space else element
        return etree.Element(tag, attributes)

    def _length(self, value: float) -> str:
        return f"{value / self.unit:.9g}"

    def write(self) -> None:
        """Bring specs, layers, spans and stackups in line with the build."""
        by_layer: dict[str, list[str]] = {}
        for layer in self.build.layers:
            by_layer[layer.name] = [self._put_spec(*self._layer_spec(layer))]
        wished: dict[str, list[str]] = {}
        for wish in self.build.wishes:
            wished.setdefault(wish.layer, []).append(self._put_spec(*self._wish_spec(wish)))
        for layer in self.build.layers:
            self._put_layer(layer)
        for span in self.build.spans:
            self._put_span(span, self._put_spec(*self._span_spec(span)))
        self._put_stackups(by_layer, wished)

    # -- specs ------------------------------------------------------------------------------------

    def _put_spec(self, name: str, children: list[etree._Element]) -> str:
        """Put a Spec's known parts in; what else it holds stays."""
        spec = next((s for s in self._all("Spec", self.header) if s.get("name") == name), None)
        if spec is None:
            spec = self._make("Spec", name=name)
            self.header.append(spec)
        for child in children:
            key = (local(child), child.get("type"), child.get("comment"))
            for old in list(spec):
                if (local(old), old.get("type"), old.get("comment")) == key:
                    spec.remove(old)
            spec.append(child)
        return name

    def _part(
        self, name: str, kind: str, properties: Iterable[dict[str, str]], **more: str
    ) -> etree._Element:
        part = self._make(name, type=kind, **more)
        for attributes in properties:
            part.append(self._make("Property", **attributes))
        return part

    def _own(self, name: str, comment: str, value: float) -> list[etree._Element]:
        """A length without a type of its own."""
        if math.isnan(value):
            return []
        return [
            self._part(
                name, "OTHER", [{"value": f"{value * 1e6:.9g}", "unit": "MICRON"}], comment=comment
            )
        ]

    def _layer_spec(self, layer: BuildLayer) -> tuple[str, list[etree._Element]]:
        parts = []
        if layer.material:
            parts.append(self._part("General", "MATERIAL", [{"text": layer.material}]))
        if layer.kind in ("signal", "plane"):
            up, down = (
                (layer.rz_base, layer.rz_face)
                if layer.base_above
                else (layer.rz_face, layer.rz_base)
            )
            for kind, value in (
                ("SURFACE_ROUGHNESS_UPFACING", up),
                ("SURFACE_ROUGHNESS_DOWNFACING", down),
            ):
                if not math.isnan(value):
                    found = {"value": f"{value * 1e6:.9g}", "unit": "MICRON"}
                    parts.append(self._part("Conductor", kind, [found]))
            if layer.undercut > 0:
                factor = f"{layer.thickness / layer.undercut:.9g}"
                parts.append(self._part("Conductor", "ETCH_FACTOR", [{"value": factor}]))
            side = "above" if layer.base_above else "below"
            parts.append(self._part("Conductor", "OTHER", [{"text": side}], comment="base"))
            if not math.isnan(layer.cover):
                cover = [{"value": f"{layer.cover:.9g}"}]
                parts.append(self._part("Conductor", "OTHER", cover, comment="cover"))
            parts += self._own("Conductor", "foil", layer.foil)
            parts += self._own("Conductor", "plating", layer.plating)
        else:
            at = (
                {}
                if math.isnan(layer.frequency)
                else {"refValue": f"{layer.frequency / 1e9:.9g}", "refUnit": "GHZ"}
            )
            for kind, value in (("DIELECTRIC_CONSTANT", layer.dk), ("LOSS_TANGENT", layer.df)):
                if not math.isnan(value):
                    parts.append(self._part("Dielectric", kind, [{"value": f"{value:.9g}", **at}]))
            parts += self._own("Dielectric", "over copper", layer.over_copper)
            parts += self._own("Dielectric", "beside", layer.beside)
        return f"layer {layer.name}", parts

    def _wish_spec(self, wish: ImpedanceWish) -> tuple[str, list[etree._Element]]:
        transmission = _TRANSMISSION.get(wish.kind, "SINGLE_ENDED")
        tolerance = (
            {}
            if math.isnan(wish.tolerance)
            else {
                "tolPlus": f"{wish.tolerance * 100:.9g}",
                "tolMinus": f"{wish.tolerance * 100:.9g}",
                "tolPercent": "true",
            }
        )

        def impedance(kind: str, properties: list[dict[str, str]]) -> etree._Element:
            return self._part("Impedance", kind, properties, transmission=transmission)

        parts = [
            self._part("General", "OTHER", [{"text": wish.name}], comment="class"),
            impedance("IMPEDANCE", [{"value": f"{wish.ohm:.9g}", "unit": "OHMS", **tolerance}]),
        ]
        for kind, value in (
            ("LINEWIDTH", wish.width),
            ("SPACING", wish.gap),
            ("COPLANAR_GROUND_SPACING", wish.ground_gap),
        ):
            if not math.isnan(value):
                parts.append(impedance(kind, [{"value": f"{value * 1e6:.9g}", "unit": "MICRON"}]))
        if wish.reference:
            planes = [{"layerOrGroupRef": name} for name in wish.reference]
            parts.append(impedance("REF_PLANE_LAYER_ID", planes))
        return f"impedance {wish.name} {wish.layer}", parts

    def _span_spec(self, span: SpanRow) -> tuple[str, list[etree._Element]]:
        parts = []
        if not math.isnan(span.drill):
            found = [{"value": f"{span.drill * 1e6:.9g}", "unit": "MICRON"}]
            parts.append(self._part("Technology", "OTHER", found, comment="drill"))
        if span.kind:
            parts.append(
                self._part("Technology", "OTHER", [{"text": span.kind}], comment="via kind")
            )
        if span.back_to:
            parts.append(
                self._part("Backdrill", "MUST_NOT_CUT_LAYER", [{"layerOrGroupRef": span.back_to}])
            )
        return f"vias {span.name}", parts

    # -- layers and stackups ----------------------------------------------------------------------

    def _named_layer(self, name: str) -> etree._Element | None:
        return next((e for e in self._all("Layer", self.data) if e.get("name") == name), None)

    def _add_layer(self, element: etree._Element) -> None:
        """Layers stand before all else in CadData."""
        layers = [k for k, e in enumerate(self.data) if local(e) == "Layer"]
        self.data.insert(layers[-1] + 1 if layers else 0, element)

    def _put_layer(self, layer: BuildLayer) -> None:
        element = self._named_layer(layer.name)
        names = [v.name for v in self.build.layers if v.kind in ("signal", "plane")]
        if element is None:
            side = "INTERNAL"
            if layer.name in names[:1]:
                side = "TOP"
            elif layer.name in names[-1:]:
                side = "BOTTOM"
            elif layer.kind not in ("signal", "plane"):
                side = "NONE"
            element = self._make("Layer", name=layer.name, side=side, polarity="POSITIVE")
            self._add_layer(element)
        known = element.get("layerFunction", "")
        if _FUNCTIONS[layer.kind] != known and not _same_kind(known, layer.kind):
            element.set("layerFunction", _FUNCTIONS[layer.kind])
        if layer.remark:
            element.set("comment", layer.remark)

    def _put_span(self, span: SpanRow, spec: str) -> None:
        element = self._named_layer(span.name)
        if element is None:
            element = self._make(
                "Layer", name=span.name, layerFunction="DRILL", side="ALL", polarity="POSITIVE"
            )
            self._add_layer(element)
        self._refer(element, [spec])
        inner = next((e for e in element if local(e) == "Span"), None)
        if inner is None:
            inner = self._make("Span")
            element.append(inner)
        inner.set("fromLayer", span.top)
        inner.set("toLayer", span.bottom)

    def _refer(self, element: etree._Element, specs: list[str]) -> None:
        there = {e.get("id") for e in element if local(e) == "SpecRef"}
        for name in specs:
            if name not in there:
                element.insert(0, self._make("SpecRef", id=name))

    def _put_stackups(self, by_layer: dict[str, list[str]], wished: dict[str, list[str]]) -> None:
        present = self._all("Stackup", self.data)
        zones = self.build.zones
        wanted = [(z.name, z.layers, z.kind) for z in zones] or [
            (self.build.name, tuple(v.name for v in self.build.layers), "rigid")
        ]
        for k, (name, layers, kind) in enumerate(wanted):
            element = next((s for s in present if s.get("name") == name), None)
            if element is None and k < len(present) and len(wanted) == len(present):
                element = present[k]
            if element is None:
                element = self._make("Stackup", name=name, whereMeasured="METAL")
                after = [i for i, e in enumerate(self.data) if local(e) in ("Layer", "Stackup")]
                self.data.insert(after[-1] + 1 if after else 0, element)
            if kind == "flex":
                element.set("comment", "flex")
            # Layers of the first zone go by their own names, those of others by zone.layer.
            refer = {
                layer: by_layer[layer] + wished.get(f"{name}.{layer}" if k else layer, [])
                for layer in layers
            }
            self._fill(element, layers, refer)

    def _fill(
        self, stackup: etree._Element, names: tuple[str, ...], by_layer: dict[str, list[str]]
    ) -> None:
        layers = {v.name: v for v in self.build.layers}
        total = math.fsum(layers[n].thickness for n in names)
        stackup.set("overallThickness", self._length(total))
        for tolerance in ("tolPlus", "tolMinus"):
            if stackup.get(tolerance) is None:
                stackup.set(tolerance, "0")
        old = {e.get("layerOrGroupRef", ""): e for e in self._all("StackupLayer", stackup)}
        kept = {
            name: entry
            for name, entry in old.items()
            if name not in layers and not self._is_build(name)
        }
        groups = self._all("StackupGroup", stackup)
        if not groups:
            groups = [self._make("StackupGroup", name=stackup.get("name", "board"))]
            stackup.append(groups[0])
        holder = {name: entry.getparent() for name, entry in old.items()}
        for name, entry in old.items():
            parent = entry.getparent()
            if name not in kept and parent is not None:
                parent.remove(entry)
        for k, name in enumerate(names):
            layer = layers[name]
            entry = old[name] if name in old else self._make("StackupLayer", layerOrGroupRef=name)
            group = holder.get(name)
            (groups[0] if group is None else group).append(entry)
            entry.set("thickness", self._length(layer.thickness))
            spread = layer.tolerance * layer.thickness
            if not math.isnan(spread):
                for tolerance in ("tolPlus", "tolMinus"):
                    entry.set(tolerance, self._length(spread))
            entry.set("sequence", str(k + 1))
            self._refer(entry, by_layer.get(name, []))
        for k, entry in enumerate(kept.values()):
            # What is no part of the build keeps its place in the file, behind the build in number.
            entry.set("sequence", str(len(names) + 1 + k))
        for group in groups:
            inside = [layers[e.get("layerOrGroupRef", "")].thickness
                      for e in self._all("StackupLayer", group)
                      if e.get("layerOrGroupRef", "") in layers]  # fmt: skip
            group.set("thickness", self._length(math.fsum(inside)))
            for tolerance in ("tolPlus", "tolMinus"):
                if group.get(tolerance) is None:
                    group.set(tolerance, "0")

    def _is_build(self, name: str) -> bool:
        element = self._named_layer(name)
        return element is not None and _kind_of(element.get("layerFunction", "")) is not None


def _kind_of(function: str) -> str | None:
    return LAYER_KINDS.get(function)


def _same_kind(function: str, kind: str) -> bool:
    """Whether a file's own word for a layer says the same (CONDUCTOR for SIGNAL)."""
    return re.fullmatch(r"[A-Z_]+", function) is not None and _kind_of(function) == kind
