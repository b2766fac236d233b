"""An IPC-2581 text as a tree that knows where things are: safe to parse, errors with their line."""

from __future__ import annotations

import math
from typing import Any

from lxml import etree

from onda.errors import InputError

__all__ = ["UNITS", "Reader", "local", "parse_xml"]

_LARGEST = 64 * 1024 * 1024
UNITS = {"MILLIMETER": 1e-3, "MICRON": 1e-6, "INCH": 25.4e-3}


def local(element: etree._Element) -> str:
    """Name of an element without its namespace."""
    return etree.QName(element).localname if isinstance(element.tag, str) else ""


def parse_xml(data: bytes, file: str | None) -> etree._Element:
    """Root of an IPC-2581 text; no entities, no network, no document type.

    Raises
    ------
    InputError : not XML, hostile, or not IPC-2581
    """
    if len(data) > _LARGEST:
        raise InputError("larger than 64 MiB", file=file, remedy="Send the stackup part only.")
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False
    )
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        line: Any = error.lineno
        column: Any = error.offset
        raise InputError(
            f"not XML: {error.msg}",
            file=file,
            line=line if isinstance(line, int) else None,
            column=column if isinstance(column, int) else None,
            remedy="The file is broken or cut off there; export it again.",
        ) from error
    except ValueError as error:
        raise InputError(f"not XML: {error}", file=file) from error
    if root is None:
        raise InputError("empty", file=file, remedy="Export the file again.")
    if root.getroottree().docinfo.internalDTD is not None:
        raise InputError(
            "a document type with definitions of its own, as hostile files have",
            file=file,
            remedy="Remove the DOCTYPE; entities are not read.",
        )
    if local(root) != "IPC-2581":
        raise InputError(
            f"its root is {local(root) or 'no element'}", file=file, remedy="IPC-2581 is needed."
        )
    return root


class Reader:
    """One file being read; `find` and `error` know where things are."""

    def __init__(self, root: etree._Element, file: str | None) -> None:
        self.root, self.file = root, file
        self.revision = root.get("revision", "")
        if self.revision and self.revision[0] not in "BC":
            raise self.error(root, f"revision {self.revision!r}", "Revisions B and C are read.")
        header = next(iter(self.all("CadHeader")), None)
        if header is None:
            raise self.error(root, "no CadHeader", "The stackup stands in Ecad; export that part.")
        unit = header.get("units")
        if unit not in UNITS:
            what = "has no units" if unit is None else f"has unknown units {unit!r}"
            raise self.error(header, f"CadHeader {what}", f"Use one of {', '.join(UNITS)}.")
        self.header, self.unit = header, UNITS[unit]

    def error(self, element: etree._Element, what: str, remedy: str) -> InputError:
        """An error at an element."""
        line: Any = element.sourceline
        return InputError(what, file=self.file, line=line, remedy=remedy)

    def all(self, name: str, under: etree._Element | None = None) -> list[etree._Element]:
        """All elements of a name below another, in order."""
        return [e for e in (self.root if under is None else under).iter() if local(e) == name]

    def length(self, element: etree._Element, attribute: str, default: float) -> float:
        """A length in metres."""
        text = element.get(attribute)
        if text is None:
            return default
        try:
            value = float(text) * self.unit
        except ValueError as error:
            raise self.error(
                element, f"{attribute} {text[:30]!r} is not a number", "Correct it."
            ) from error
        if not (math.isfinite(value) and 0.0 <= value < 0.1):
            raise self.error(element, f"{attribute} is {text[:30]}", "Check it and the units.")
        return value
