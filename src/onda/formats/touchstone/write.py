"""Write Touchstone files, version 1 or 2."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError

__all__ = ["FORMS", "write_touchstone"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_UNITS = {"Hz": 1.0, "kHz": 1e3, "MHz": 1e6, "GHz": 1e9}
FORMS = ("RI", "MA", "DB")


def write_touchstone(
    frequency: FloatArray,
    s: ComplexArray,
    reference: FloatArray,
    *,
    version: int = 1,
    form: str = "RI",
    unit: str = "GHz",
    comments: Sequence[str] = (),
    noise: FloatArray | None = None,
    digits: int = 12,
) -> bytes:
    """Text of a file of S-parameters.

    Parameters
    ----------
    frequency : (f,) Hz; s : (f, n, n); reference : (n,) ohm
    version : 1 (one reference for all ports) or 2
    comments : one line each; noise : (k, 5) rows, frequency in Hz first, two-ports only
    digits : significant digits of every number

    Raises
    ------
    InputError : what the version cannot hold
    """
    n = s.shape[-1]
    reference = np.broadcast_to(np.asarray(reference, dtype=float), (n,))
    if form not in FORMS or unit not in _UNITS or version not in (1, 2):
        raise InputError(f"version {version}, {form}, {unit}: no such dialect")
    if version == 1 and len(set(reference.tolist())) > 1:
        raise InputError("version 1 has one reference for all ports", remedy="Write version 2.")
    has_noise = noise is not None and len(noise) > 0
    if has_noise and n != 2:
        raise InputError(f"noise data go with two ports, not {n}")
    lines = [f"! {line}" for text in comments for line in (text.splitlines() or [""])]
    head = f"# {unit} S {form} R {float(reference[0]):.12g}"
    if version == 1:
        lines.append(head)
    else:
        lines += ["[Version] 2.0", head, f"[Number of Ports] {n}"]
        lines += ["[Two-Port Data Order] 21_12"] if n == 2 else []
        lines.append(f"[Number of Frequencies] {len(frequency)}")
        if has_noise and noise is not None:
            lines.append(f"[Number of Noise Frequencies] {len(noise)}")
        lines.append("[Reference] " + " ".join(f"{r:.12g}" for r in reference))
        lines.append("[Network Data]")
    lines += _points(frequency / _UNITS[unit], s, form, digits)
    if has_noise and noise is not None:
        lines += ["[Noise Data]"] if version == 2 else []
        for row in noise:
            shown = [row[0] / _UNITS[unit], *row[1:]]
            lines.append(" ".join(f"{v:.{digits}g}" for v in shown))
    lines += ["[End]"] if version == 2 else []
    return ("\n".join(lines) + "\n").encode()


def _points(frequency: FloatArray, s: ComplexArray, form: str, digits: int) -> list[str]:
    n = s.shape[-1]
    entries = s.transpose(0, 2, 1) if n == 2 else s
    pairs = np.empty((*entries.shape, 2))
    if form == "RI":
        pairs[..., 0], pairs[..., 1] = entries.real, entries.imag
    else:
        size = np.abs(entries)
        if form == "DB":
            # A silent entry has no level; -400 dB is below any noise.
            size = 20.0 * np.log10(np.maximum(size, 1e-20))
        pairs[..., 0], pairs[..., 1] = size, np.degrees(np.angle(entries))
    # Four entries a line at most, each row of the matrix on lines of its own; two ports on one.
    breaks = [4] * (n // 4) + ([n % 4] if n % 4 else []) if n > 2 else [n]
    one = " ".join([f"%.{digits}g"] * 2)
    row = "\n".join(" ".join([one] * count) for count in breaks)
    whole = " ".join([row] * n) if n <= 2 else "\n".join([row] * n)
    template = f"%.15g {whole}"
    flat = pairs.reshape(len(frequency), -1)
    return [
        template % (f, *values) for f, values in zip(frequency.tolist(), flat.tolist(), strict=True)
    ]
