"""The fabricator's drawing: one page with the build to scale, its tables and its classes."""

from __future__ import annotations

import io
import math
from typing import Any, Literal

from onda.project.build.exchange import build_table
from onda.project.build.stackup import CoatingLayer, CopperLayer, DielectricLayer, Stackup
from onda.project.model import Project
from onda.project.quantities import format_si, pretty
from onda.studies.build.remarks import layer_thickness, via_aspect, zone_figures, zone_rows

__all__ = ["build_drawing"]

_COPPER, _CORE, _PREPREG, _MASK, _INK = "#C98D5F", "#DCCFA8", "#EFE9D6", "#BFD6C6", "#1E2B33"


def build_drawing(
    project: Project,
    kind: Literal["pdf", "svg"],
    reached: dict[tuple[str, str], float] | None = None,
) -> bytes:
    """The page as PDF or SVG; `reached` ohm by (class id, layer)."""
    import matplotlib as mpl
    from matplotlib.figure import Figure

    with mpl.rc_context({"font.family": "DejaVu Sans", "font.size": 7, "svg.hashsalt": "onda"}):
        figure = Figure(figsize=(11.69, 8.27))
        head = f"{project.name} {project.revision}".strip()
        figure.text(0.04, 0.955, f"Build of {head}", fontsize=13, weight="bold", color=_INK)
        figure.text(0.04, 0.93, _summary(project.design.stackup), color="#56646B", fontsize=8)
        _draw_pile(figure, project)
        _draw_classes(figure, project, reached or {})
        _draw_vias(figure, project.design.stackup)
        figure.text(
            0.04,
            0.03,
            "Thicknesses are finished, prepregs as pressed. Heights in the drawing by the root of "
            "thickness. Dk and Df at the stated frequency.",
            color="#56646B",
        )
        out = io.BytesIO()
        # Without dates the same build gives the same file.
        dates: dict[str, Any] = {"CreationDate": None} if kind == "pdf" else {"Date": None}
        figure.savefig(out, format=kind, metadata=dates)
    return out.getvalue()


def _summary(stackup: Stackup) -> str:
    parts = []
    for zone in stackup.all_zones:
        f = zone_figures(stackup, zone)
        copper = sum(isinstance(x, CopperLayer) for x in stackup.zone_layers(zone))
        bend = f", bend radius {pretty(zone.bend_radius)}" if zone.bend_radius else ""
        parts.append(
            f"{zone.name}: {copper} copper layers, {format_si(f.thickness, 'length')}{bend}"
        )
    if stackup.total is not None:
        parts.append(f"target {pretty(stackup.total)} ±{stackup.total_tolerance.si:.0%}")
    return "   ·   ".join(parts)


def _draw_pile(figure: Any, project: Project) -> None:
    design, stackup = project.design, project.design.stackup
    axes = figure.add_axes((0.04, 0.07, 0.44, 0.84))
    axes.set_axis_off()
    weights = [max(layer_thickness(x) ** 0.5, 3.4e-3) for x in stackup.layers]
    total = math.fsum(weights)
    zones = stackup.all_zones
    wide = [0.28] + [0.12] * (len(zones) - 1)
    y = 1.0
    rows: dict[str, tuple[float, float]] = {}
    for layer, weight in zip(stackup.layers, weights, strict=True):
        rows[layer.id] = (1.0 - y, 1.0 - y + weight / total)
        y -= weight / total
    left = 0.05
    for zone, w in zip(zones, wide, strict=True):
        placed = zone_rows(stackup, zone, rows)
        for layer in stackup.zone_layers(zone):
            top, bottom = placed[layer.id]
            _draw_box(axes, left, 1.0 - bottom, w, bottom - top, layer)
        left += w + 0.015
    for layer in stackup.layers:
        y, tall = 1.0 - rows[layer.id][1], rows[layer.id][1] - rows[layer.id][0]
        middle = y + tall / 2
        if isinstance(layer, CopperLayer):
            axes.text(0.04, middle, layer.id, ha="right", va="center", weight="bold")
            words = f"{layer.role}, base {layer.base}, {layer.copper_share:.0%} copper"
            if layer.foil is not None:
                words += f", foil {pretty(layer.foil)}"
                words += f" + {pretty(layer.plating)}" if layer.plating.si > 0 else ""
        else:
            m = design.material(layer.material)
            name = layer.name if isinstance(layer, DielectricLayer) else m.name
            words = f"{name} · Dk {m.dk:.3g}, Df {m.df:.3g} at {pretty(m.at)}"
        value = format_si(layer_thickness(layer), "length")
        axes.text(left + 0.1, middle, value, ha="right", va="center", family="DejaVu Sans Mono")
        axes.text(left + 0.115, middle, words, va="center")
    left = 0.05
    for zone, w in zip(zones, wide, strict=True):
        axes.text(left, 1.008, zone.name, va="bottom", weight="bold")
        left += w + 0.015
    axes.set_xlim(0, 1)
    axes.set_ylim(0, 1.03)


def _draw_box(axes: Any, x: float, y: float, w: float, h: float, layer: Any) -> None:
    from matplotlib.patches import Rectangle

    if isinstance(layer, CopperLayer) and layer.role == "signal":
        axes.add_patch(Rectangle((x, y), w, h, facecolor=_PREPREG, edgecolor="#9A927E", lw=0.4))
        step = w / 7
        for k in range(3):
            axes.add_patch(
                Rectangle((x + (2 * k + 1) * step, y), step, h, facecolor=_COPPER, edgecolor="none")
            )
        return
    color = _COPPER
    if isinstance(layer, CoatingLayer):
        color = _MASK
    elif isinstance(layer, DielectricLayer):
        color = _CORE if layer.build in ("core", "flex") else _PREPREG
    axes.add_patch(Rectangle((x, y), w, h, facecolor=color, edgecolor="#9A927E", lw=0.4))


def _table(figure: Any, place: tuple[float, float, float, float], title: str) -> Any:
    axes = figure.add_axes(place)
    axes.set_axis_off()
    axes.set_title(title, loc="left", fontsize=9, weight="bold", color=_INK)
    return axes


def _fill(axes: Any, header: list[str], rows: list[list[str]], places: list[float]) -> None:
    tall = axes.get_position().height * 8.27
    step = min(1.0 / (len(rows) + 1.5), 0.2 / tall)
    y = 1.0 - step
    for text, x in zip(header, places, strict=True):
        axes.text(x, y, text, weight="bold", va="center")
    axes.plot([0, 1], [y - step / 2] * 2, color="#9A927E", lw=0.5)
    for row in rows:
        y -= step
        for text, x in zip(row, places, strict=True):
            axes.text(x, y, text, va="center")
    axes.set_xlim(0, 1)
    axes.set_ylim(0, 1)


def _draw_classes(figure: Any, project: Project, reached: dict[tuple[str, str], float]) -> None:
    axes = _table(figure, (0.57, 0.36, 0.4, 0.53), "Impedance classes")
    header = ["Class", "Layer", "Target", "Width", "Gap", "Planes", "Computed"]
    rows = []
    for w in build_table(project, reached).wishes:
        tolerance = "" if math.isnan(w.tolerance) else f" ±{w.tolerance:.0%}"
        rows.append(
            [
                w.name,
                w.layer,
                f"{w.ohm:g} Ω{tolerance}",
                format_si(w.width, "length"),
                "" if math.isnan(w.gap) else format_si(w.gap, "length"),
                " ".join(w.reference),
                "" if math.isnan(w.reached) else f"{w.reached:.1f} Ω",
            ]
        )
    _fill(axes, header, rows, [0, 0.24, 0.42, 0.58, 0.68, 0.78, 0.88])


def _draw_vias(figure: Any, stackup: Stackup) -> None:
    axes = _table(figure, (0.57, 0.09, 0.4, 0.2), "Vias")
    rows = []
    for via in stackup.vias:
        aspect, limit = via_aspect(stackup, via)
        back = f"back-drilled to {via.backdrilled_to}" if via.backdrilled_to else ""
        rows.append(
            [
                via.name,
                f"{via.top} – {via.bottom}",
                via.kind,
                pretty(via.drill),
                f"{aspect:.2g} of {limit:g}",
                back,
            ]
        )
    _fill(
        axes,
        ["Span", "Layers", "Kind", "Drill", "Depth", ""],
        rows,
        [0, 0.2, 0.38, 0.52, 0.66, 0.8],
    )
