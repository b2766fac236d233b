"""The fields of a trace: what it is routed with on its layer, and what its class wants."""

from __future__ import annotations

from onda.app.shell.form import FieldSpec
from onda.app.stages.lines.class_edits import ClassEdits
from onda.app.stages.lines.in_view import LineInView
from onda.project.lines.objects import TraceOnLayer
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["trace_fields"]

_LENGTHS: tuple[tuple[str, str, tuple[float, float, float]], ...] = (
    ("Width", "width", (60e-6, 320e-6, 1e-6)),
    ("Gap", "gap", (60e-6, 500e-6, 1e-6)),
    ("Ground gap", "ground_gap", (60e-6, 1e-3, 1e-6)),
    ("Ground width", "ground_width", (1e-4, 3e-3, 1e-5)),
    ("Shift", "shift", (-300e-6, 300e-6, 1e-6)),
    ("Plane opening", "opening", (5e-5, 3e-3, 1e-5)),
    ("Opening shift", "opening_shift", (-1e-3, 1e-3, 1e-5)),
)


def trace_fields(subject: LineInView, edits: ClassEdits, trace: TraceOnLayer) -> list[FieldSpec]:
    """Fields of the trace in view."""

    def kept(key: str) -> list[float]:
        found = (c.trace_on(trace.layer) for c in subject.kept_items())
        values = (getattr(o, key) for o in found if o is not None)
        return [v.si for v in values if v is not None]

    def value(key: str) -> Quantity | None:
        present = subject.trace
        return getattr(present, key) if present is not None else None

    def put(key: str, q: Quantity) -> None:
        if key == "ground_gap" and trace.ground_width is None:
            # Grounds come with a usual width; a gap of nothing takes them away.
            edits.set_trace(ground_gap=q, ground_width=parse_quantity("600 um", "length"))
        elif key in ("ground_gap", "opening") and q.si == 0:
            edits.set_trace(
                **({"ground_gap": None, "ground_width": None} if key == "ground_gap" else
                   {"opening": None, "opening_shift": None})
            )  # fmt: skip
        else:
            edits.set_trace(**{key: q})

    hidden = set()
    if trace.gap is None:
        hidden.add("gap")
    if trace.ground_gap is None:
        hidden.add("ground_width")
    if trace.facing is None:
        hidden.add("shift")
    if trace.opening is None:
        hidden.add("opening_shift")
    specs = [
        FieldSpec(
            title,
            "length",
            lambda key=key: value(key),  # type: ignore[misc]
            lambda q, key=key: put(key, q),  # type: ignore[misc]
            trim if value(key) is not None else None,
            remark="0 takes it away" if key in ("ground_gap", "opening") else "",
            kept=lambda key=key: kept(key),  # type: ignore[misc]
        )
        for title, key, trim in _LENGTHS
        if key not in hidden
    ]
    specs.append(
        FieldSpec(
            "Target",
            "resistance",
            lambda: subject.line_class.target if subject.line_class else None,
            edits.set_target,
        )
    )
    specs.append(
        FieldSpec(
            "Loss at",
            "frequency",
            lambda: subject.line_class.loss_at if subject.line_class else None,
            lambda q: edits.set_class("Change frequency", loss_at=q),
        )
    )
    return specs
