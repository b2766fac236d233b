"""What is typed into the fields of a link, read."""

from __future__ import annotations

import re

from onda.errors import InputError
from onda.project.links.equalisers import de_emphasis
from onda.project.links.link import Corner
from onda.project.quantities import Quantity, parse_quantity, pretty

__all__ = [
    "corners_words",
    "main_of",
    "read_corners",
    "read_list",
    "read_taps",
    "read_whole",
    "taps_words",
]


def read_taps(typed: str) -> tuple[float, ...]:
    """Taps, none for none; ``-3.5 dB`` for the two of a de-emphasis."""
    plain = typed.strip().lower().replace("\u2212", "-")
    if plain in ("", "none"):
        return ()
    if plain.endswith("db"):
        level = parse_quantity(f"{plain.removesuffix('db')} dB", "loss")
        return tuple(round(t, 4) for t in de_emphasis(level.si))
    try:
        return tuple(float(word) for word in plain.replace(",", " ").split())
    except ValueError:
        raise InputError(
            f"{typed[:30]!r} is no list of taps",
            remedy="As in -0.05 0.8 -0.15, or -3.5 dB of de-emphasis; none for none.",
        ) from None


def taps_words(taps: tuple[float, ...]) -> str:
    """Taps as they are typed."""
    return " ".join(f"{t:g}" for t in taps) or "none"


def main_of(taps: tuple[float, ...]) -> int:
    """Which of them is the main one: the largest."""
    return max(range(len(taps)), key=lambda k: abs(taps[k])) if taps else 0


def read_list(typed: str, dimension: str, unit: str) -> tuple[Quantity, ...]:
    """Quantities with commas between them, none for none."""
    plain = typed.strip().lower()
    if plain in ("", "none"):
        return ()
    return tuple(
        parse_quantity(part if any(c.isalpha() for c in part) else f"{part} {unit}", dimension)
        for part in (p.strip() for p in typed.split(","))
        if part
    )


def read_whole(typed: str, what: str, remedy: str) -> int:
    """A whole number from 0 on."""
    plain = typed.strip().replace(" ", "").replace("_", "").replace("\u202f", "")
    if not plain.isdecimal():
        raise InputError(f"{typed[:20]!r} is no {what}", remedy=remedy)
    return int(plain)


def read_corners(typed: str) -> tuple[Corner, ...]:
    """Corners of a mask, UI and V each, with commas between them."""
    out = []
    for part in typed.split(","):
        words = re.sub(r"(?i)\s*ui\b", "", part.replace("\u2212", "-"), count=1)
        try:
            at, volts = words.split(maxsplit=1)
            away = float(at)
        except ValueError:
            raise InputError(
                f"{part.strip()[:30]!r} is no corner",
                remedy="As in -0.25 0 mV, 0 80 mV, 0.25 0 mV, 0 -80 mV: unit intervals and volts.",
            ) from None
        given = any(c.isalpha() for c in volts)
        out.append(
            Corner(at=away, volts=parse_quantity(volts if given else f"{volts} mV", "voltage"))
        )
    return tuple(out)


def corners_words(corners: tuple[Corner, ...]) -> str:
    """Corners as they are typed."""
    return ", ".join(f"{c.at:g} {pretty(c.volts)}" for c in corners)
