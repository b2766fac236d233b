"""Pictures for the record, drawn without a display."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.cm import ScalarMappable
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from numpy.typing import NDArray

from onda.project.measures import measure as measure_of
from onda.project.requirements import Requirement
from onda.studies.buses.bus import BusResult
from onda.studies.coupling.group import GroupResult
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.links.eye import EyeResult
from onda.studies.links.inputs import Mask
from onda.studies.links.link import LinkEye
from onda.studies.networks.limits import limit_lines
from onda.studies.networks.network import NetworkResult, level_db
from onda.studies.paths.path import PathResult

__all__ = ["draw_eye", "draw_group", "draw_line", "draw_link", "draw_network", "draw_path"]

_INK, _SECONDARY, _SEA, _FAILS, _PAPER = "#1E2B33", "#56646B", "#0E6B78", "#B8432F", "#FCFAF5"
_DENSITY = LinearSegmentedColormap.from_list("density", [_PAPER, "#0E6B78", "#1E2B33"])


_LEFT, _RIGHT, _BELOW, _ABOVE, _BETWEEN = 0.66, 0.18, 0.5, 0.14, 0.72
"""Inches around and between axes whose words are numbers."""


def _figure(width: float, height: float, *, names: bool = False) -> Figure:
    """A sheet for axes side by side or below each other; with `names` on them, which may be long,
    room is found by measuring every word, twice, for half of the time that a report takes."""
    figure = Figure(figsize=(width, height), dpi=110, facecolor=_PAPER)
    FigureCanvasAgg(figure)
    if names:
        figure.set_layout_engine("constrained")
        return figure
    figure.subplots_adjust(
        left=_LEFT / width,
        right=1.0 - _RIGHT / width,
        bottom=_BELOW / height,
        top=1.0 - _ABOVE / height,
        wspace=2.0 * _BETWEEN / (width - _LEFT - _RIGHT - _BETWEEN),
        hspace=2.0 * _BETWEEN / (height - _BELOW - _ABOVE - _BETWEEN),
    )
    return figure


def _style(axes: Axes) -> None:
    axes.set_facecolor(_PAPER)
    axes.tick_params(colors=_SECONDARY, labelsize=8)
    for spine in axes.spines.values():
        spine.set_color("#DCD5C7")
    axes.xaxis.label.set_color(_SECONDARY)
    axes.yaxis.label.set_color(_SECONDARY)


def _bar(
    figure: Figure, axes: Axes, shown: ScalarMappable, words: str, *, shrink: float = 0.8
) -> None:
    """What the colours beside it mean."""
    bar = figure.colorbar(shown, ax=axes, shrink=shrink)
    bar.set_label(words, color=_SECONDARY, fontsize=8)
    bar.ax.tick_params(colors=_SECONDARY, labelsize=8)


def draw_line(result: ImpedanceResult, file: Path) -> None:
    """Impedance and loss against frequency."""
    figure = _figure(7.2, 2.8)
    left, right = figure.subplots(1, 2)
    ghz = result.frequency / 1e9
    left.semilogx(ghz, result.z_of_f, color=_SEA)
    left.set(xlabel="GHz", ylabel="impedance, Ω")
    for values, color, label in (
        (result.loss_db_per_m, _SEA, "total"),
        (result.dielectric_db_per_m, "#6B8B2F", "dielectric"),
        (result.conductor_db_per_m, "#B8552F", "copper"),
    ):
        right.plot(ghz, 0.1 * values, color=color, label=label)
    right.set(xlabel="GHz", ylabel="loss, dB per 100 mm")
    right.legend(frameon=False, fontsize=8, labelcolor=_INK)
    for axes in (left, right):
        _style(axes)
    figure.savefig(file)


def draw_path(result: PathResult, limit: float | None, file: Path) -> None:
    """Wave map and the waveforms at driver and receiver."""
    figure = _figure(7.2, 5.2)
    upper, lower = figure.subplots(2, 1, height_ratios=[1, 1.2])
    ns = result.time * 1e9
    # The way to the last receiver; tributaries have a map of their own in the window.
    way = np.isin(result.piece, result.last.route)
    shown = upper.pcolormesh(
        result.places[way] * 1e12, ns, result.volts[way].T, cmap="viridis", shading="nearest"
    )
    upper.invert_yaxis()
    upper.set(xlabel="delay from the driver, ps", ylabel="time, ns")
    _bar(figure, upper, shown, "V", shrink=1.0)
    lower.plot(ns, result.pad, color="#B8552F", label="driver pad", lw=1)
    lower.plot(ns, result.load, color=_SEA, label="receiver", lw=1.8)
    if limit is not None:
        lower.axhline(result.high + limit, color=_FAILS, ls="--", lw=1, label="overshoot limit")
    lower.set(xlabel="time, ns", ylabel="V")
    lower.legend(frameon=False, fontsize=8, labelcolor=_INK)
    for axes in (upper, lower):
        _style(axes)
    figure.savefig(file)


def draw_network(result: NetworkResult, limits: Sequence[Requirement], file: Path) -> None:
    """Through and return with their limits where they hold, and the impedance along the line."""
    figure = _figure(7.2, 2.8)
    left, right = figure.subplots(1, 2)
    ghz = result.frequency / 1e9
    for kind, color in (("insertion", _SEA), ("return", "#B8552F")):
        found = result.curve_set(kind)
        for k, values in enumerate(found.values if found is not None else ()):
            label = measure_of(kind).title.lower() if k == 0 else None
            left.plot(ghz, np.maximum(level_db(values), -80.0), color=color, lw=1.2, label=label)
        for requirement in limits:
            if requirement.measure == kind:
                for line in limit_lines(requirement, 0.0, float(result.frequency[-1])):
                    left.plot(line.frequency / 1e9, line.level, color=_FAILS, ls="--", lw=1)
    left.set(xlabel="GHz", ylabel="dB")
    left.legend(frameon=False, fontsize=8, labelcolor=_INK)
    main = "diff" if result.pair else "single"
    for r in result.time.reflections if result.time is not None else ():
        if (r.mode, r.side) == (main, "left"):
            right.plot(r.place * 1e12, r.true, color=_SEA, lw=1.2)
    right.set(xlabel="one-way delay, ps", ylabel="impedance, Ω")
    for axes in (left, right):
        _style(axes)
    figure.savefig(file)


def draw_group(result: GroupResult, file: Path) -> None:
    """Noise of each transmitter at each receiver, and the power sum of the worst receiver."""
    figure = _figure(7.2, 3.2, names=True)
    left, right = figure.subplots(1, 2)
    names = [name if len(result.lanes) < 9 else str(k) for k, name in enumerate(result.lanes, 1)]
    places = np.arange(len(names))
    millivolts = 1e3 * np.array([x.by_lane for x in result.noise])
    shown = left.imshow(millivolts, cmap=_DENSITY, vmin=0.0)
    left.set_xticks(places, names, rotation=45)
    left.set_yticks(places, names)
    left.set(xlabel="transmitter", ylabel="receiver")
    _bar(figure, left, shown, "noise, mV")
    worst = int(np.argmax([x.total for x in result.noise]))
    some = result.frequency > 0.0
    ghz = result.frequency[some] / 1e9
    through = level_db(result.heard[some, worst, worst])
    total = level_db(result.power_sum(worst)[some].astype(complex))
    right.plot(ghz, through, color=_SECONDARY, lw=1.2, label="through")
    right.plot(ghz, total, color=_SEA, lw=1.2, label=f"heard at {result.lanes[worst]}")
    right.set(xlabel="GHz", ylabel="dB", ylim=(max(float(np.median(total)) - 30.0, -120.0), 3.0))
    right.legend(frameon=False, fontsize=8, labelcolor=_INK)
    for axes in (left, right):
        _style(axes)
    figure.savefig(file)


def draw_bus(result: BusResult, file: Path) -> None:
    """The worst margin of every case: signals down, operations and corners across."""
    signals = list(dict.fromkeys(c.signal_name for c in result.cases))
    columns = list(dict.fromkeys((c.operation_name, c.corner) for c in result.cases))
    margins = np.full((len(signals), len(columns)), np.nan)
    for case in result.cases:
        at = signals.index(case.signal_name), columns.index((case.operation_name, case.corner))
        margins[at] = 1e12 * case.worst
    figure = _figure(7.2, max(2.4, 1.2 + 0.22 * len(signals)), names=True)
    axes = figure.subplots()
    most = max(float(np.nanmax(np.abs(margins))) if np.isfinite(margins).any() else 1.0, 1.0)
    shown = axes.imshow(margins, cmap="RdYlGn", vmin=-most, vmax=most, aspect="auto")
    axes.set_yticks(np.arange(len(signals)), signals)
    names = [f"{operation}, {corner}" for operation, corner in columns]
    axes.set_xticks(np.arange(len(columns)), names, rotation=45, ha="right")
    _bar(figure, axes, shown, "worst margin, ps")
    _style(axes)
    figure.savefig(file)


def draw_eye(result: EyeResult, mask: Mask | None, file: Path) -> None:
    """Density over two unit intervals, with the mask in every eye."""
    figure = _figure(7.2, 3.8)
    axes = figure.subplots()
    eye = result.eye
    half = eye.density.shape[0] // 2
    twice = np.concatenate([eye.density[half:], eye.density, eye.density[:half]]).T
    top = eye.v_low + eye.v_step * eye.density.shape[1]
    axes.imshow(
        np.log1p(twice),
        origin="lower",
        aspect="auto",
        cmap=_DENSITY,
        extent=(-1.0, 1.0, eye.v_low * 1e3, top * 1e3),
    )
    if mask is not None:
        x, y = _outline(mask)
        for one in eye.openings:
            axes.plot(x, (y + one.threshold) * 1e3, color=_FAILS, ls="--", lw=1.2)
    axes.set(xlabel="unit intervals", ylabel="mV")
    _style(axes)
    figure.savefig(file)


def _outline(mask: Mask) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A mask as a closed line, UI and V."""
    points = np.array([*mask.corners, mask.corners[0]])
    return points[:, 0], points[:, 1]


def draw_link(result: LinkEye, mask: Mask | None, file: Path) -> None:
    """Density by decades and contours at the error rate, with the mask in every eye."""
    figure = _figure(7.2, 3.8)
    axes = figure.subplots()
    setting, unit = result.eye, result.unit_interval
    ui, mv = result.moments / unit, setting.volts * 1e3
    some = np.flatnonzero(setting.density.max(axis=0) > 1e-9)
    rows = slice(int(some[0]), int(some[-1]) + 1)
    axes.imshow(
        np.log10(np.maximum(setting.density[:, rows].T, 1e-14)),
        origin="lower",
        aspect="auto",
        cmap=_DENSITY,
        extent=(ui[0], ui[-1], mv[rows][0], mv[rows][-1]),
    )
    for eye in setting.eyes:
        upper, lower = (np.where(eye.upper > eye.lower, x, np.nan) for x in (eye.upper, eye.lower))
        for edge in (upper, lower):
            axes.plot(ui, 1e3 * edge, color=_SEA, lw=1.2)
        if mask is not None:
            x, y = _outline(mask)
            axes.plot(x, (y + eye.threshold) * 1e3, color=_FAILS, ls="--", lw=1.2)
    axes.set(xlabel="unit intervals", ylabel="mV", ylim=(mv[rows][0], mv[rows][-1]))
    _style(axes)
    figure.savefig(file)
