"""CSV tables whose columns carry their units: ``width [um]``; read strictly, row by row."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from onda.errors import InputError

__all__ = ["Column", "Row", "read_table", "write_table"]

_LONGEST_NAME = 120
_LARGEST = 16 * 1024 * 1024
_HEADER = re.compile(r"\s*([A-Za-z][\w ]*?)\s*(?:\[([^\]]{0,16})\]|\((.{0,16})\))?\s*")
"""A name and its unit in brackets, either kind; a unit may have round ones of its own."""


@dataclass(frozen=True, slots=True)
class Column:
    """A column: `units` maps what may stand in brackets to its SI factor; empty for plain text."""

    name: str
    units: tuple[tuple[str, float], ...] = ()
    needed: bool = True


@dataclass(frozen=True, slots=True)
class Row:
    """One line of a table: texts by column, and numbers in SI where the column has units."""

    line: int
    texts: dict[str, str]
    file: str | None

    def text(self, column: str, default: str | None = None) -> str:
        """The text of a column; raise `InputError` where it is empty and there is no default."""
        value = self.texts.get(column, "")
        if value:
            return value
        if default is None:
            raise self.error(f"{column} is empty", "Fill it in.")
        return default

    def number(self, column: str, default: float | None = None) -> float:
        """The number of a column in SI."""
        value = self.texts.get(column, "")
        if not value and default is not None:
            return default
        try:
            number = float(value.split("|")[0]) * float(value.split("|")[1])
        except (ValueError, IndexError) as error:
            shown = value.split("|")[0][:30]
            raise self.error(f"{column}: {shown!r} is not a number", "Write it like 0.107.") from (
                error
            )
        if not math.isfinite(number):
            raise self.error(f"{column} is not finite", "Write a finite number.")
        return number

    def error(self, what: str, remedy: str) -> InputError:
        """An error at this line."""
        return InputError(what, file=self.file, line=self.line, remedy=remedy)


def read_table(data: bytes, columns: Sequence[Column], *, file: str | None = None) -> list[Row]:
    """Rows of a CSV table with a header line; comma, semicolon or tab between columns.

    Lines that start with # are remarks.

    Raises
    ------
    InputError : not text, a needed column or its unit is missing or unknown, a row is too long
    """
    if len(data) > _LARGEST:
        raise InputError("larger than 16 MiB", file=file, remedy="This does not look like a table.")
    try:
        content = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(
            f"not UTF-8 text (byte {error.start})", file=file, remedy="Save it as UTF-8 CSV."
        ) from error
    lines = content.splitlines()
    first = next((k for k, t in enumerate(lines) if t.strip() and not t.startswith("#")), None)
    if first is None:
        raise InputError("there is no header line", file=file, remedy=_expected(columns))
    separator = max(",;\t", key=lines[first].count)
    try:
        records = list(
            csv.reader(io.StringIO("\n".join(lines[first:])), delimiter=separator, strict=True)
        )
    except csv.Error as error:
        raise InputError(f"not a table: {error}", file=file, line=first + 1) from error
    header = _read_header(records[0], columns, file, first + 1)
    rows = []
    for k, record in enumerate(records[1:], first + 2):
        if not any(cell.strip() for cell in record) or record[0].lstrip().startswith("#"):
            continue
        if len(record) > len(header):
            raise InputError(
                f"{len(record)} cells under {len(header)} columns",
                file=file,
                line=k,
                remedy="Put text that holds a comma in quotes.",
            )
        texts = {}
        for cell, place in zip(record, header, strict=False):
            if place is None or not cell.strip():
                continue
            name, factor = place
            plain = cell.strip()
            texts[name] = plain if factor is None else f"{plain.replace('|', '?')}|{factor!r}"
        rows.append(Row(k, texts, file))
    return rows


def _expected(columns: Sequence[Column]) -> str:
    shown = [c.name + (f" [{c.units[0][0]}]" if c.units else "") for c in columns if c.needed]
    return "Begin with a line like: " + ", ".join(shown)


def _read_header(
    cells: list[str], columns: Sequence[Column], file: str | None, line: int
) -> list[tuple[str, float | None] | None]:
    """Name and SI factor of each column in the file; None for one that is not known."""
    known = {c.name.lower(): c for c in columns}
    out: list[tuple[str, float | None] | None] = []
    for cell in cells:
        # What is longer is no name that is known, whatever it holds.
        match = _HEADER.fullmatch(cell) if len(cell) <= _LONGEST_NAME else None
        named = re.split(r"[\[(]", cell[: 2 * _LONGEST_NAME], maxsplit=1)[0]
        column = known.get((match[1] if match else named).lower().strip())
        if column is None:
            out.append(None)
            continue
        if match is None:
            raise InputError(
                f"the unit of column {column.name} cannot be read",
                file=file,
                line=line,
                remedy="Write it in brackets, as in width [um].",
            )
        if not column.units:
            out.append((column.name, None))
            continue
        unit = (match[2] or match[3] or "").strip().replace("µ", "u").replace("μ", "u")
        factor = dict(column.units).get(unit)
        if factor is None:
            choices = ", ".join(u or "nothing" for u, _ in column.units)
            what = f"column {column.name} has " + (f"unknown unit {unit!r}" if unit else "no unit")
            raise InputError(what, file=file, line=line, remedy=f"Put one in brackets: {choices}.")
        out.append((column.name, factor))
    there = {place[0] for place in out if place}
    missing = [c.name for c in columns if c.needed and c.name not in there]
    if missing:
        raise InputError(
            f"no column {', '.join(missing)}", file=file, line=line, remedy=_expected(columns)
        )
    twice = [p[0] for k, p in enumerate(out) if p and p[0] in {q[0] for q in out[:k] if q}]
    if twice:
        raise InputError(
            f"column {twice[0]} is there twice", file=file, line=line, remedy="Keep one of them."
        )
    return out


def write_table(header: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    """A CSV table as UTF-8; floats to nine digits."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow([f"{v:.9g}" if isinstance(v, float) else v for v in row])
    return buffer.getvalue().encode()
