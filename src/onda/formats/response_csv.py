"""Gain of an equaliser over frequency as CSV, a column for each of its settings.

The first line says ``frequency_hz``, then ``gain_db`` for each setting; behind one of them
``phase_deg`` may give its phase, else it has that of least delay.
"""

from __future__ import annotations

import math
from itertools import pairwise

from onda.engine.links.measured import Response
from onda.errors import InputError, NotPhysical

__all__ = ["read_responses"]

_MOST_BYTES = 20_000_000
_MOST_COLUMNS = 121
_MOST_ROWS = 20_000
_REMEDY = (
    "The first line says frequency_hz,gain_db (a gain_db for each setting, phase_deg behind it "
    "where it is known); each other one holds numbers."
)


def read_responses(data: bytes, name: str) -> tuple[Response, ...]:
    """Responses by setting.

    Raises
    ------
    InputError : it is no such file, with its line
    """
    if len(data) > _MOST_BYTES:
        raise InputError("is too long", file=name)
    heads: list[str] = []
    rows: list[list[float]] = []
    for number, line in enumerate(data.decode("utf-8-sig", "replace").splitlines(), 1):
        plain = line.strip()
        if not plain or plain.startswith("#"):
            continue
        cells = [c.strip().strip('"').lower() for c in plain.split(",", _MOST_COLUMNS)]
        if not heads:
            heads = cells
            _check_heads(heads, name, number)
            continue
        try:
            row = [float(c) for c in cells]
        except ValueError:
            raise InputError(
                f"{plain[:40]!r} holds what is no number", file=name, line=number, remedy=_REMEDY
            ) from None
        if len(row) != len(heads):
            raise InputError(
                f"{len(row)} values, {len(heads)} are in its first line", file=name, line=number
            )
        if not all(map(math.isfinite, row)) or max(map(abs, row[1:])) > 1e6:
            raise InputError("a value out of range", file=name, line=number)
        if row[0] < 0.0 or (rows and row[0] <= rows[-1][0]):
            raise InputError("frequencies do not rise from 0 Hz", file=name, line=number)
        rows.append(row)
        if len(rows) > _MOST_ROWS:
            raise InputError(f"more than {_MOST_ROWS} frequencies", file=name, line=number)
    if not heads:
        raise InputError("is empty", file=name, remedy=_REMEDY)
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(heads)
    out = []
    try:
        for k, head in enumerate(heads):
            if head == "gain_db":
                is_given = k + 1 < len(heads) and heads[k + 1] == "phase_deg"
                phase = tuple(math.radians(x) for x in columns[k + 1]) if is_given else ()
                out.append(Response(columns[0], columns[k], phase))
    except NotPhysical as error:
        raise InputError(str(error), file=name, remedy=_REMEDY) from error
    return tuple(out)


def _check_heads(heads: list[str], name: str, line: int) -> None:
    pairs = pairwise(heads)
    if (
        heads[0] != "frequency_hz"
        or not 2 <= len(heads) <= _MOST_COLUMNS
        or not set(heads[1:]) <= {"gain_db", "phase_deg"}
        or any(b == "phase_deg" and a != "gain_db" for a, b in pairs)
    ):
        raise InputError(
            f"its first line is {','.join(heads)[:60]!r}", file=name, line=line, remedy=_REMEDY
        )
