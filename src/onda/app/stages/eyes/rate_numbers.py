"""Numbers of a link at its error rate, as rows and in words."""

from __future__ import annotations

import math
from collections.abc import Sequence

from onda.app.kit.kept import Kept, column_words
from onda.app.shell.fields import NumberRows
from onda.project.quantities import format_si
from onda.studies.links.link import LinkEye

__all__ = ["rate_remark", "rate_rows", "worst_words"]

Row = tuple[str, str, str, str]


def rate_remark(result: LinkEye, named: Sequence[Kept[LinkEye]]) -> str:
    """What the numbers go by."""
    words = f"at {result.error_rate:g}".replace("-", "\u2212")
    return column_words(named[-1], words) if named else words


def rate_rows(result: LinkEye, then: LinkEye | None) -> list[Row]:
    """Rows of what was measured, beside a kept state."""

    def row(name: str, read: object, dimension: str) -> Row | None:
        assert callable(read)
        value = float(read(result))
        before = float(read(then)) if then is not None else None
        if not math.isfinite(value):
            return None
        if before is not None and not math.isfinite(before):
            before = None
        return NumberRows.si_row(name, value, dimension, before)

    rows = [
        row("Height", lambda r: r.eye.height, "voltage"),
        row("Width", lambda r: r.eye.width / r.unit_interval, "unit interval"),
        row("Mask grows by", lambda r: r.mask_growth, "ratio"),
        row("Worst case", lambda r: r.worst, "voltage"),
        row("Main cursor", lambda r: r.merit.main, "voltage"),
        row("Signal over all", lambda r: r.merit.db, "loss"),
        row("Interference", lambda r: r.merit.interference, "voltage"),
        row("Crosstalk", lambda r: r.merit.crosstalk, "voltage"),
        row("Jitter as noise", lambda r: r.merit.jitter, "voltage"),
        row("Noise", lambda r: r.merit.noise, "voltage"),
        row("Random jitter", lambda r: r.jitter.random / r.unit_interval, "unit interval"),
        row("Two places", lambda r: r.jitter.deterministic / r.unit_interval, "unit interval"),
        row("Total jitter", lambda r: r.jitter.total / r.unit_interval, "unit interval"),
        row("Gain at 0 Hz", lambda r: 20.0 * math.log10(r.chain.gain), "loss"),
        row("Delay", lambda r: r.delay, "time"),
    ]
    if result.taps:
        now, was = result.errors_run_on, then.errors_run_on if then is not None else None
        shown = [f"{x:.2f}" if math.isfinite(x) else "no end" for x in (now, was) if x is not None]
        rows.append(("Errors of one", shown[0], "", shown[1] if len(shown) > 1 else ""))
    return [r for r in rows if r is not None]


def worst_words(result: LinkEye) -> str:
    """Settings that were found, and the pattern that leaves least."""
    words = []
    if result.chain.taps != (1.0,):
        taps = " ".join(f"{t + 0.0:.3g}" for t in result.chain.taps)
        words.append(f"Transmit taps {taps}.".replace("-", "\u2212"))
    if result.taps:
        taps = ", ".join(format_si(t, "voltage", digits=2) for t in result.taps[:6])
        words.append(f"Feedback {taps}.")
    if len(result.levels) == 2:
        bits = "".join("1" if s > 0 else "0" for s in result.worst_symbols[-24:])
        words.append(f"A one is lowest, by peak distortion, within these bits: {bits}")
    return " ".join(words)
