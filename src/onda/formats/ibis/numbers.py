"""Numbers and characters of IBIS files."""

from __future__ import annotations

import math
import re

__all__ = ["NOT_A_NUMBER", "decode", "number", "ratio"]

NOT_A_NUMBER = math.nan
"""What `number` returns for text that is none; compare with `is`."""

_SCALE = {
    "T": 1e12, "G": 1e9, "M": 1e6, "k": 1e3, "K": 1e3, "m": 1e-3, "u": 1e-6, "n": 1e-9,
    "p": 1e-12, "f": 1e-15, "a": 1e-18,
}  # fmt: skip
_NUMBER = re.compile(r"([+-]?(?:\d++(?:\.\d*+)?|\.\d++)(?:[eE][+-]?\d++)?)([A-Za-z/µ°Ω]*+)")
"""Nothing that is taken is given back: many digits before a stray letter would take minutes."""


def number(word: str) -> float | None:
    """A number with an optional scale letter and unit, None for NA, `NOT_A_NUMBER` for neither.

    Examples
    --------
    >>> number("1.5pF"), number("NA"), number("-20mA")
    (1.5e-12, None, -0.02)
    """
    found = _NUMBER.fullmatch(word)
    if found is None:
        return None if word.upper() in ("NA", "N/A") else NOT_A_NUMBER
    value = float(found[1])
    unit = found[2]
    if unit:
        # A lone unit such as V or A is no scale; "m" is always milli.
        value *= _SCALE.get(unit[0], 1.0)
    return value if math.isfinite(value) else NOT_A_NUMBER


def ratio(word: str) -> tuple[float, float] | None:
    """``1.2/0.35n`` as volts and seconds, both above 0; None where it is not that."""
    parts = word.split("/")
    if len(parts) != 2:
        return None
    dv, dt = number(parts[0]), number(parts[1])
    if dv is None or dt is None or dv is NOT_A_NUMBER or dt is NOT_A_NUMBER:
        return None
    return (abs(dv), dt) if dv != 0.0 and dt > 0.0 else None


def decode(data: bytes) -> tuple[str, str]:
    """Text, and a remark where the characters are not plain."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", errors="replace"), "UTF-16 text; the standard asks for ASCII"
    try:
        return data.decode("ascii"), ""
    except UnicodeDecodeError:
        pass
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1"), "characters beyond ASCII, read as Latin-1"
    # A mark at the start alone is no matter.
    return text, "" if text.isascii() else "characters beyond ASCII, read as UTF-8"
