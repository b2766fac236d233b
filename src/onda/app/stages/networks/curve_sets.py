"""Which curves a preset shows, in which form, and against what: from results to plain curves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.project.limit_text import read_span
from onda.studies.networks.network import CurveSet, NetworkResult, level_db

__all__ = [
    "BANDS",
    "FORMS",
    "NAMES",
    "PRESETS",
    "UNITS",
    "Shown",
    "band_of",
    "in_form",
    "normalised",
    "picked",
]

FloatArray = NDArray[np.float64]
ComplexArray = NDArray[np.complex128]
PRESETS = (
    ("insertion", "Through"),
    ("return", "Return"),
    ("return_common", "Return, common"),
    ("conversion", "Conversion"),
    ("near_end", "Near end"),
    ("far_end", "Far end"),
    ("power_sum", "Power sum"),
    ("fit", "Loss fit"),
    ("any", "Any entry"),
)
FORMS = (
    ("db", "Level"),
    ("size", "Magnitude"),
    ("phase", "Phase"),
    ("unwrapped", "Phase, unwrapped"),
    ("delay", "Group delay"),
    ("polar", "Polar"),
    ("impedance", "Circles, r and x"),
)
NAMES = {
    "db": "Level",
    "size": "Magnitude",
    "phase": "Phase",
    "unwrapped": "Phase",
    "delay": "Group delay",
}
UNITS = {"db": "dB", "size": "", "phase": "°", "unwrapped": "°", "delay": "ps"}
BANDS = (
    ("all", "All"),
    ("nyquist", "To the Nyquist frequency"),
    ("first", "First harmonic"),
    ("third", "To the third harmonic"),
)


@dataclass(frozen=True)
class Shown:
    """A curve by name with its complex values (f,)."""

    name: str
    values: ComplexArray


def picked(result: NetworkResult, preset: str, typed: str = "") -> list[Shown]:
    """Curves of a preset; "any" takes entries as typed, ``S21 S31`` by the file's ports.

    Raises
    ------
    InputError : an entry that is not there
    """
    if preset == "any":
        return [_entry(result, word) for word in typed.replace(",", " ").split()][:8]
    found: CurveSet | None = result.curve_set(preset)
    if found is None:
        return []
    return [Shown(n or "through", v) for n, v in zip(found.names, found.values, strict=True)]


def _entry(result: NetworkResult, word: str) -> Shown:
    digits = word.upper().removeprefix("S").replace(";", "_").split("_")
    if len(digits) == 1 and len(digits[0]) == 2:
        digits = list(digits[0])
    if len(digits) != 2 or not all(d.isascii() and d.isdecimal() for d in digits):
        raise InputError(f"{word[:20]!r} is no entry", remedy="As in S21, or S12_3 above port 9.")
    places = []
    for d in digits:
        if int(d) not in result.ports:
            raise InputError(f"{word[:20]!r}: there is no port {d}")
        places.append(result.ports.index(int(d)))
    return Shown(word.upper(), result.s[:, places[0], places[1]])


def in_form(frequency: FloatArray, values: ComplexArray, form: str) -> FloatArray:
    """Values (f,) as shown: dB, 1, degrees or ps."""
    if form == "db":
        return level_db(values)
    if form == "size":
        return np.abs(values)
    if form == "phase":
        return np.asarray(np.degrees(np.angle(values)))
    phase = np.unwrap(np.angle(values))
    if form == "unwrapped":
        return np.asarray(np.degrees(phase))
    if len(frequency) < 2:
        return np.zeros(len(frequency))
    return np.asarray(-np.gradient(phase, frequency) / (2.0 * np.pi) * 1e12)


def normalised(
    frequency: FloatArray,
    values: ComplexArray,
    base_frequency: FloatArray,
    base: ComplexArray,
) -> tuple[FloatArray, FloatArray]:
    """Hz and dB of a curve against another, where both have data."""
    both = (frequency >= base_frequency[0]) & (frequency <= base_frequency[-1])
    f = frequency[both]
    return f, level_db(values[both]) - np.interp(f, base_frequency, level_db(base))


def band_of(band: str, result: NetworkResult) -> tuple[float, float]:
    """Lowest and highest frequency shown, Hz; `band` is a key of `BANDS` or typed ``0 to 8 GHz``.

    Raises
    ------
    InputError : typed and no band, or a harmonic without a rate
    """
    low, high = float(result.frequency[0]), float(result.frequency[-1])
    if band == "all":
        return min(low, 0.01 * high), high
    if band in {key for key, _ in BANDS}:
        if result.rate <= 0:
            raise InputError("there is no data rate", remedy="State it at the right.")
        nyquist = 0.5 * result.rate
        found = {"nyquist": (0.0, nyquist), "first": (0.8 * nyquist, 1.2 * nyquist)}.get(
            band, (0.0, 3.0 * nyquist)
        )
        if found[0] >= high:
            raise InputError(f"the data end at {high / 1e9:.4g} GHz, below this band")
        return max(found[0], min(low, found[1] * 0.01)), min(found[1], high)
    first, last = read_span(band, "frequency", "GHz")
    start = first.si if first is not None else 0.0
    if not last.si > start:
        raise InputError(f"{band[:30]!r} is no band", remedy="As in 1 to 8 GHz.")
    return start, last.si
