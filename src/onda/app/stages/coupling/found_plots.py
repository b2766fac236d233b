"""What plots show that is worked out only when it is looked at: waves, bits, eyes, searches."""

from __future__ import annotations

import numpy as np

from onda.app.plots.curves import Axis, Curve
from onda.app.stages.coupling.plots import Seen, Shown
from onda.app.theme import Tokens
from onda.project.quantities import format_si
from onda.project.shown_units import units_in_use
from onda.studies.coupling.bits import GroupBits
from onda.studies.coupling.eye import EyeSide, GroupEye
from onda.studies.coupling.search import GroupSearch
from onda.studies.coupling.split import GroupSplit
from onda.studies.coupling.waves import GroupWaves

__all__ = [
    "bit_words",
    "chance_words",
    "chanced",
    "eye_words",
    "eyed",
    "folded",
    "search_words",
    "searched",
    "wave_words",
    "waved",
]


def eyed(seen: Seen) -> Shown:
    """Contours at the error rate in mV over UI: with crosstalk, and without."""
    eye: GroupEye | None = seen.more.get("eye")
    out, t = Shown(), seen.t
    if eye is None:
        out.empty = seen.why_not or "Computing the eye of the lane…"
        return out
    ui = eye.moments / eye.unit_interval
    for name, side, color in (
        ("alone", eye.alone, t.secondary),
        ("with crosstalk", eye.crowded, t.sea),
    ):
        open_at = side.upper > side.lower
        x = np.concatenate([ui[open_at], ui[open_at][::-1], ui[open_at][:1]])
        y = np.concatenate(
            [side.upper[open_at], side.lower[open_at][::-1], side.upper[open_at][:1]]
        )
        out.curves.append(Curve(name, x, 1e3 * y, color, 1.8))
    reach = 1.3e3 * max(float(eye.alone.upper.max()), 1e-6)
    out.view = (float(ui[0]), float(ui[-1]), -reach, reach)
    return out


def chanced(seen: Seen) -> Shown:
    """How likely how much is heard: log10 of the chance over mV."""
    eye: GroupEye | None = seen.more.get("eye")
    out, t = Shown(), seen.t
    if eye is None:
        out.empty = seen.why_not or "Computing what the lane hears at random…"
        return out
    sides = (("near end", eye.heard_near, t.series[1]), ("far end", eye.heard_far, t.series[2]))
    heard = [one for one in sides if one[1].most > 0.0]
    if len(heard) != 1:
        heard.append(("all", eye.heard, t.sea))
    for name, one, color in heard:
        width = 2.2 if one is heard[-1][1] else 1.3
        if one.most > 0.0:
            out.curves.append(Curve(name, 1e3 * one.size, one.log10, color, width, note=True))
    if not out.curves:
        out.empty = f"{eye.lane} hears nothing of its neighbours."
        return out
    total, rate = eye.heard, float(np.log10(eye.error_rate))
    low = rate - 4.0
    for name, volts in (("effective", total.effective), ("worst alignment", total.most)):
        name = f"{name}, {format_si(volts, 'voltage')}"
        x = np.array([1e3 * volts, 1e3 * volts])
        ends = np.array([low, 0.0])
        out.curves.append(Curve(name, x, ends, t.secondary, 1.0, limit=True, note=True))
    out.marks.append((1e3 * total.rare, rate, t.sea))
    out.view = (0.0, 1.08e3 * total.most, low, 0.5)
    return out


_CASES = {
    "quiet": ("neighbours quiet", 0),
    "along": ("all along", 1),
    "against": ("all against", 2),
    "listens": ("at rest, others switch", 4),
}


def waved(seen: Seen) -> Shown:
    """Voltage at the receiver's die in V over ns, with its device, in each of the cases."""
    waves: GroupWaves | None = seen.more.get("waves")
    out, t = Shown(), seen.t
    if waves is None:
        out.empty = seen.why_not or "Computing the waves of all lanes together…"
        return out
    for case, (name, color) in _CASES.items():
        volts = waves.wave(case).volts
        out.curves.append(Curve(name, waves.time * 1e9, volts, t.series[color], 1.6))
    ends = np.array([0.0, 1e9 * waves.time[-1]])
    level = np.array([waves.level, waves.level])
    out.curves.append(Curve("arrived", ends, level, t.secondary, 1.0, limit=True))
    return out


def searched(seen: Seen) -> Shown:
    """The worst margin over what was searched: a spacing or a length side by side."""
    search: GroupSearch | GroupSplit | None = seen.more.get("search")
    out, t = Shown(), seen.t
    if isinstance(search, GroupSplit):
        return _split(search, t)
    if search is None:
        out.empty = (
            "Search for the distance, the length side by side, or the split of the present room "
            "into widths and distances, that holds every limit."
        )
        return out
    units, is_spacing = units_in_use(), search.what == "spacing"
    size, unit = units.small_length if is_spacing else units.long_length
    out.x = Axis("Distance" if is_spacing else "Side by side", unit)
    usable = np.isfinite(search.margins)
    x, y = search.tried[usable] / size, 100.0 * search.margins[usable]
    if not len(x):
        out.empty = search.words
        return out
    out.curves.append(Curve("worst margin", x, y, t.sea, 1.8, note=True))
    zero = np.array([0.0, 0.0])
    out.curves.append(Curve("holds above", x[[0, -1]], zero, t.fails, 1.4, limit=True, note=True))
    # What is far out of reach must not flatten what is near the limit.
    reach = float(np.clip(np.abs(y[np.isfinite(y)]).max(), 20.0, 120.0))
    out.view = (0.0, float(x[-1]), -reach, min(reach, 110.0))
    if np.isfinite(search.found):
        near = search.found / size
        out.view = (0.0, min(float(x[-1]), 4.0 * near), *out.view[2:])
        out.marks.append((near, float(np.interp(near, x, y)), t.sea))
    return out


def folded(seen: Seen) -> Shown:
    """Every bit at the receiver's die, one over the other, in V over UI, and what stays open."""
    bits: GroupBits | None = seen.more.get("bits")
    out, t = Shown(), seen.t
    if bits is None:
        out.empty = seen.why_not or "Computing 127 bits on all lanes together…"
        return out
    ui = bits.phases / bits.unit_interval - 0.5
    for name, ones, color in (("ones", bits.ones, t.series[1]), ("zeros", ~bits.ones, t.series[2])):
        some = bits.traces[ones]
        # One curve for all of them, broken between bits.
        gap = np.full((len(some), 1), np.nan)
        x = np.tile([*ui, np.nan], len(some))
        y = np.concatenate([some, gap], axis=1).ravel()
        out.curves.append(Curve(name, x, y, color, 0.8, many=True))
    apart = bits.upper > bits.lower
    x = ui[apart]
    out.curves.append(Curve("lowest one", x, bits.upper[apart], t.sea, 2.0, legend=False))
    out.curves.append(Curve("highest zero", x, bits.lower[apart], t.sea, 2.0, legend=False))
    level = np.array([bits.level, bits.level])
    out.curves.append(Curve("level", ui[[0, -1]], level, t.secondary, 1.0, limit=True))
    return out


def bit_words(seen: Seen) -> str:
    """How far the bits stay apart."""
    bits: GroupBits | None = seen.more.get("bits")
    if bits is None:
        return ""
    if bits.height <= 0.0:
        return f"Ones and zeros of {bits.lane} do not stay apart while all lanes send."
    wide = bits.width / bits.unit_interval
    level = f"{bits.level:.3g}".replace("-", "\u2212")
    return (
        f"127 bits on all lanes, with devices: at {bits.lane} ones and zeros stay "
        f"{format_si(bits.height, 'voltage')} apart, {wide:.2f} UI at {level} V."
    )


def _split(found: GroupSplit, t: Tokens) -> Shown:
    """The worst margin over the width of a line, in the same total width."""
    size, unit = units_in_use().small_length
    out = Shown(x=Axis("Width of a line", unit))
    usable = [s for s in found.splits if np.isfinite(s.margin)]
    if not usable:
        out.empty = found.words
        return out
    x = np.array([s.width / size for s in usable])
    y = np.array([100.0 * s.margin for s in usable])
    out.curves.append(Curve("worst margin", x, y, t.sea, 1.8, note=True))
    for one, color in ((found.now, t.secondary), (found.best, t.sea)):
        if np.isfinite(one.margin):
            out.marks.append((one.width / size, 100.0 * one.margin, color))
    ends = np.array([0.95 * x.min(), 1.05 * x.max()])
    out.curves.append(Curve("holds above", ends, np.zeros(2), t.fails, 1.4, limit=True, note=True))
    return out


def wave_words(seen: Seen) -> str:
    """When the edge arrives with devices, and what the lane hears at rest."""
    waves: GroupWaves | None = seen.more.get("waves")
    if waves is None:
        return ""
    quiet = waves.wave("quiet").arrives

    def moved(case: str) -> str:
        late = waves.wave(case).arrives - quiet
        return f"{format_si(abs(late), 'time')} {'late' if late > 0.0 else 'early'}"

    return (
        f"With devices {waves.lane} arrives after {format_si(quiet, 'time')}, {moved('along')} "
        f"when its neighbours switch along, {moved('against')} when against; at rest it hears "
        f"{format_si(waves.wave('listens').peak, 'voltage')}."
    )


def eye_words(seen: Seen) -> str:
    """What neighbours cost the eye."""
    eye: GroupEye | None = seen.more.get("eye")
    if eye is None:
        return ""
    rate = f"1e{round(np.log10(eye.error_rate))}".replace("-", "−")
    if eye.crowded.height <= 0.0:
        return f"At an error rate of {rate} the eye of {eye.lane} is closed by its neighbours."

    def size(side: EyeSide) -> str:
        wide = side.width / eye.unit_interval
        return f"{format_si(side.height, 'voltage')} by {wide:.2f} UI"

    return (
        f"At an error rate of {rate} the eye of {eye.lane} is {size(eye.crowded)}; without its "
        f"neighbours {size(eye.alone)}."
    )


def chance_words(seen: Seen) -> str:
    """What is heard at random: on average, at the error rate, at worst."""
    eye: GroupEye | None = seen.more.get("eye")
    if eye is None:
        return ""
    heard = eye.heard
    rate = f"1e{-round(np.log10(eye.error_rate))}"
    rms, rare, most = (format_si(v, "voltage") for v in (heard.effective, heard.rare, heard.most))
    return (
        f"While all send at random, {eye.lane} hears {rms} rms; {rare} once in {rate} bits, and "
        f"{most} only if every bit and phase meets."
    )


def search_words(seen: Seen) -> str:
    """What the search found."""
    search: GroupSearch | GroupSplit | None = seen.more.get("search")
    return search.words if search is not None else ""
