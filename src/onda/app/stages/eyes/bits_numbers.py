"""Numbers of an eye bit by bit, as rows and in words."""

from __future__ import annotations

import numpy as np

from onda.app.shell.fields import NumberRows
from onda.project.links.link import Link
from onda.project.quantities import fixed
from onda.studies.links.eye import EyeResult

__all__ = ["bits_notes", "bits_rows", "worst_bits"]

Row = tuple[str, str, str, str]
_SAMPLED = {
    "crossings": "half a bit after the crossings",
    "tallest": "where peak distortion leaves most",
}
_LEVELS = {
    2: ("Zero level", "One level"),
    4: ("Lowest level", "Second level", "Third level", "Highest level"),
}
_EYES = ("Lower", "Middle", "Upper")
_TALLER = 0.02
"""Share of the height by which another phase must be taller to be worth a word."""


def bits_rows(result: EyeResult, then: EyeResult | None) -> list[Row]:
    """Rows of what was measured, beside a kept state."""

    def row(name: str, attribute: str, dimension: str) -> Row:
        before = float(getattr(then.eye, attribute)) if then is not None else None
        return NumberRows.si_row(name, float(getattr(result.eye, attribute)), dimension, before)

    if then is not None and len(then.levels) != len(result.levels):
        # Nothing of two levels stands beside the same of four.
        then = None
    peak = then.peak.height if then is not None else None
    rows = [
        row("Width", "width", "unit interval"),
        row("Height", "height", "voltage"),
        *_levels(result, then),
        row("Crossing", "crossing_share", "ratio"),
        row("Jitter, p-p", "jitter_pp", "unit interval"),
        row("Jitter, rms", "jitter_rms", "unit interval"),
        NumberRows.si_row("Worst case", result.peak.height, "voltage", peak),
        NumberRows.si_row("Path delay", result.delay, "time", then.delay if then else None),
    ]
    if np.isfinite(result.mask_hits):
        before = f"{then.mask_hits:.0f}" if then is not None else ""
        rows.insert(2, ("Mask hits", f"{result.mask_hits:.0f}", "", before))
    return rows


def _levels(result: EyeResult, then: EyeResult | None) -> list[Row]:
    """Means of all levels; of four of them each eye's size too."""
    before = then.eye.means if then is not None else (None,) * len(result.levels)
    names = _LEVELS[len(result.levels)]
    rows = [
        NumberRows.si_row(name, now, "voltage", was)
        for name, now, was in zip(names, result.eye.means, before, strict=True)
    ]
    if len(result.levels) == 2:
        return rows[::-1]
    for k, name in enumerate(_EYES):
        one = result.eye.openings[k]
        was = then.eye.openings[k] if then is not None else None
        rows += [
            NumberRows.si_row(
                f"{name} height", one.height, "voltage", was.height if was is not None else None
            ),
            NumberRows.si_row(
                f"{name} width", one.width, "unit interval", was.width if was is not None else None
            ),
        ]
    return rows


def worst_bits(result: EyeResult) -> str:
    """The pattern that leaves least."""
    last = result.peak.worst_one[-24:]
    shown = "".join(str(int(b)) for b in last)
    if len(result.levels) > 2:
        return f"The least eye is smallest, by peak distortion, within these symbols: {shown}"
    return f"A one is lowest, by peak distortion, when these bits are sent (last 24): {shown}"


def bits_notes(result: EyeResult, link: Link) -> str:
    """Where the mask is from, whether another phase is taller, what is in doubt."""
    source = link.mask.source if link.mask else ""
    notes = [f"Mask: {source}."] if source else []
    away, height = result.eye.least.tallest
    if height - result.eye.height > _TALLER * max(abs(height), 1e-9):
        notes.append(
            f"Sampled {_SAMPLED[link.sampling]}; {fixed(away, 2, sign=True)} UI from there the "
            f"eye is {height * 1e3:.0f} mV tall."
        )
    notes += [f"{doubt[:1].upper()}{doubt[1:]}." for doubt in result.doubts]
    return " ".join(notes)
