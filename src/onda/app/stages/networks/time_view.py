"""Impedance along the network, crosstalk laid over the same distance, and a gate."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.chips import Chips
from onda.app.shell.fields import TextField, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.stages.networks.piece_strip import PieceStrip
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.limit_text import read_span
from onda.project.quantities import format_si, plain
from onda.studies.networks.gate import GateResult
from onda.studies.networks.limits import profile_of
from onda.studies.networks.network import NetworkResult, level_db
from onda.studies.networks.time import NetworkTime, Reflection

__all__ = ["TimeView"]

_LEFT = 52
_MODES = (
    ("diff", "Differential"),
    ("common", "Common"),
    ("p leg", "P"),
    ("n leg", "N"),
    ("single", "Single"),
)
_LOWER = (("crosstalk", "Crosstalk"), ("step", "Step"), ("impulse", "Impulse"))
_SIDES = (("left", "From the left"), ("right", "From the right"))


class TimeView(QWidget):
    """Profile, pieces, crosstalk; at the right parts and peaks ranked, and the gate.

    Signals
    -------
    gate_wanted(start, stop) : one-way s; stop below start for none
    """

    gate_wanted = pyqtSignal(float, float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._result: NetworkResult | None = None
        self._kept: list[Kept[NetworkResult]] = []
        self._band: tuple[float | None, float | None] = (None, None)
        self._markers: list[float] = []
        self._gate: tuple[float, float] | None = None
        self._lit = ""
        self.lane = 0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        head = QHBoxLayout()
        self.modes = Chips(_MODES, "Mode")
        self.modes.chosen.connect(lambda _: self._turn())
        self.sides = Chips(_SIDES, "Side")
        self.sides.chosen.connect(lambda _: self._turn())
        self.lanes = Chips([(str(k), f"Lane {k + 1}") for k in range(8)], "Lane")
        self.lanes.chosen.connect(lambda key: self._turn(int(key)))
        for chips in (self.modes, self.sides, self.lanes):
            head.addWidget(chips)
        layout.addLayout(head)
        body = QHBoxLayout()
        body.setSpacing(10)
        body.addLayout(self._plots(), 1)
        body.addLayout(self._beside())
        layout.addLayout(body, 1)
        self.sentence = label("", "", wrap=True)
        layout.addWidget(self.sentence)

    def _plots(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(2)
        look = self._look
        column.addWidget(label("Impedance: peeled strong, plain thin", "heading"))
        self.profile = CurvePlot(
            look, Axis("One-way delay", "ps"), Axis("Impedance", "Ω"), axis_width=_LEFT
        )
        self.profile.pressed.connect(self._mark)
        self.strip = PieceStrip(look, _LEFT)
        self.crosstalk = CurvePlot(
            look, Axis("One-way delay", "ps"), Axis("Voltage", "mV"), axis_width=_LEFT
        )
        self._lower = label("", "heading")
        self.below = Chips(_LOWER, "What is shown below")
        self.below.chosen.connect(lambda _: self.draw())
        column.addWidget(self.profile, 6)
        column.addWidget(self.strip)
        line = QHBoxLayout()
        line.addWidget(self._lower, 1)
        line.addWidget(self.below)
        column.addLayout(line)
        column.addWidget(self.crosstalk, 4)
        self.profile.plot.getViewBox().sigXRangeChanged.connect(lambda *_: self._draw_strip())
        self.crosstalk.plot.setXLink(self.profile.plot)
        return column

    def _beside(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(3)
        look = self._look
        self._ledger_head = label("Parts in the profile", "heading")
        columns = (
            Column("What", 1.0),
            Column("Where", 0.95, True),
            Column("Size", 1.1, True),
            Column("Share", 0.75, True),
        )
        self.ledger = Ledger(look, "Parts and peaks", columns)
        self.ledger.chosen.connect(self._go_to)
        column.addWidget(self._ledger_head)
        column.addWidget(self.ledger, 3)
        self._gate_head = label("", "heading")
        column.addWidget(self._gate_head)
        line = QHBoxLayout()
        self.gate = TextField("", self._gate_typed, width=150)
        self.gate.edit.setPlaceholderText("as in 380 to 460 ps")
        self.gate.edit.setAccessibleName("Gate, one-way times")
        self.ungate = QPushButton("None")
        self.ungate.setToolTip("No gate")
        self.ungate.clicked.connect(self._no_gate)
        line.addWidget(self.gate, 1)
        line.addWidget(self.ungate)
        column.addLayout(line)
        self.gated = CurvePlot(
            look, Axis("Frequency", "GHz"), Axis("Reflection", "dB"), axis_width=34, legend=False
        )
        column.addWidget(self.gated, 3)
        holder = QVBoxLayout()
        holder.addLayout(column)
        for widget in (self.ledger, self.gated):
            widget.setFixedWidth(250)
        return holder

    # ---- showing

    def show_result(
        self,
        result: NetworkResult,
        kept: Sequence[Kept[NetworkResult]],
        band: tuple[float | None, float | None],
    ) -> None:
        """Show a result; `band` are the lowest and highest impedance allowed, ohm."""
        fresh = self._result is None or self._result.name != result.name
        is_same = self._result is result
        self._result, self._kept, self._band = result, list(kept), band
        if fresh:
            self._markers = []
            self.lane = 0
            self._gate = None
            self.gate.show_text("")
        modes = {r.mode for r in result.time.reflections} if result.time else {"single"}
        count = len({r.lane for r in result.time.reflections}) if result.time else 1
        for chips, keys in (
            (self.modes, modes),
            (self.lanes, {str(k) for k in range(max(count, 1))}),
        ):
            chips.blockSignals(True)
            chips.show_only(keys)
            chips.blockSignals(False)
        self.lanes.setVisible(count > 1)
        self.lane = min(self.lane, max(count - 1, 0))
        self.draw()
        if not is_same:
            # What a gate left was of the network as it was.
            self.show_gate(None)
            if self._gate is not None:
                self.gate_wanted.emit(*self._gate)

    @property
    def chosen(self) -> tuple[int, str, str]:
        """Lane, mode and side in view."""
        return self.lane, self.modes.current, self.sides.current

    @property
    def reflection(self) -> Reflection | None:
        """What is in view."""
        return profile_of(self._result, *self.chosen) if self._result is not None else None

    def draw(self) -> None:
        """Draw what is chosen."""
        result, found = self._result, self.reflection
        if result is None or found is None or result.time is None:
            self.profile.show_curves([])
            self.crosstalk.show_curves([])
            self.ledger.set_rows([])
            self.sentence.setText(result.time_problem if result else "")
            return
        t = self._look.t
        curves = [
            Curve("plain", 0.5e12 * found.time, found.plain, t.secondary, 1.2),
            Curve("true", 1e12 * found.place, found.true, t.sea, 2.0),
        ]
        for then in self._kept:
            other = profile_of(then.result, *self.chosen)
            if other is not None:
                place = 1e12 * other.place
                curves.append(
                    Curve(then.called(), place, other.true, t.kept, 1.5, kept=then.number)
                )
        marks = [
            (p.delay * 1e12, float(np.interp(p.delay, found.place, found.true)), t.series[1])
            for p in found.lumps
        ]
        low, high = float(found.place[0]), float(found.place[-1])
        around = np.concatenate([found.true, [found.reference]])
        bottom, top = float(around.min()), float(around.max())
        limits = []
        ends = [x.delay for x in result.time.through if (x.lane, x.mode) == self.chosen[:2]]
        end = ends[0] if ends and math.isfinite(ends[0]) else high
        if found.mode in ("diff", "single"):
            limits = [
                Limit(v, f"{w} {v:.4g} Ω", 0.0, end * 1e12)
                for v, w in zip(self._band, ("at least", "at most"), strict=True)
                if v is not None
            ]
            bottom = min([bottom, *(limit.y for limit in limits)])
            top = max([top, *(limit.y for limit in limits)])
        room = 0.1 * max(top - bottom, 1.0)
        view = (low * 1e12, high * 1e12, bottom - room, top + 1.6 * room)
        self.profile.show_curves(curves, limits, view=view, marks=marks)
        self._draw_markers()
        self._draw_strip()
        self._draw_lower(result.time, found)
        self._fill_ledger(result, found)
        self._tell(result, found)
        if self._gate is None:
            self.show_gate(None)

    def _draw_strip(self) -> None:
        if self._result is None:
            return
        low, high = self.profile.plot.getViewBox().viewRange()[0]
        spans = self._result.spans if self.sides.current == "left" else ()
        at = self._markers[-1] if self._markers else math.nan
        marked = next((s.id for s in spans if s.start <= at <= s.end), "")
        lit = self._lit or marked
        self.strip.show_spans(spans, low * 1e-12, high * 1e-12, lit)
        self.strip.setVisible(bool(spans))

    def light(self, piece: str) -> None:
        """Light up a piece of the chain."""
        self._lit = piece
        self._draw_strip()

    def _draw_lower(self, time: NetworkTime, found: Reflection) -> None:
        t = self._look.t
        main = found.mode in ("diff", "single")
        traces = [c for c in time.crosstalk if c.victim == self.lane] if main else []
        self.below.blockSignals(True)
        self.below.show_only({"step", "impulse", *(["crosstalk"] if traces else [])})
        self.below.blockSignals(False)
        if traces and self.below.current == "crosstalk":
            self._lower.setText(f"Crosstalk on lane {self.lane + 1}, at its place, 1 V pulse")
            curves = []
            for k, c in enumerate(traces):
                ends = (c.place * 1e12, c.volts * 1e3)
                color = t.series[(c.aggressor + (4 if c.end == "far" else 0)) % len(t.series)]
                name = f"{c.end} {c.aggressor + 1}"
                curves.append(Curve(name, *ends, color, 1.0 if c.end == "far" else 1.8, note=k < 4))
            peaks = time.peaks[self.lane] if self.lane < len(time.peaks) else ()
            marks = [(p.place * 1e12, p.volts * 1e3, t.fails) for p in peaks[:3]]
            self.crosstalk.show_x(Axis("One-way delay", "ps"))
            self.crosstalk.show_y(Axis("Voltage", "mV"))
            low, high = self.profile.plot.getViewBox().viewRange()[0]
            levels = np.concatenate([c.y for c in curves])
            room = 0.15 * max(float(np.ptp(levels)), 1e-3)
            view = (low, high, float(levels.min()) - room, float(levels.max()) + room)
            self.crosstalk.show_curves(curves, view=view, marks=marks)
            return
        self.crosstalk.show_x(Axis("Arrival", "ps"))
        through = [c for c in time.through if (c.lane, c.mode) == (self.lane, found.mode)]
        low, high = self.profile.plot.getViewBox().viewRange()[0]
        if self.below.current == "impulse":
            self._lower.setText("Impulse response")
            curves = [
                Curve("through", c.time * 1e12, c.impulse * 1e-9, t.sea, 1.8) for c in through
            ]
            top = max((float(c.y.max()) for c in curves), default=1.0)
            self.crosstalk.show_y(Axis("Impulse response", "1/ns"))
            self.crosstalk.show_curves(curves, view=(low, high, -0.12 * top, 1.1 * top))
            return
        self._lower.setText("Step that comes through, 1 V")
        curves = [Curve("through", c.time * 1e12, c.volts * 1e3, t.sea, 1.8) for c in through]
        self.crosstalk.show_y(Axis("Voltage", "mV"))
        self.crosstalk.show_curves(curves, view=(low, high, -60.0, 1060.0))

    def _fill_ledger(self, result: NetworkResult, found: Reflection) -> None:
        time = result.time
        assert time is not None
        rows = []
        peaks = time.peaks[self.lane] if self.lane < len(time.peaks) else ()
        main = found.mode in ("diff", "single")
        for k, p in enumerate(peaks if main else ()):
            rows.append(
                LedgerRow(
                    f"peak-{k}-{p.place}",
                    (
                        f"{p.end} {int(p.aggressor) + 1}",
                        f"{p.place * 1e12:.0f} ps",
                        f"{p.volts * 1e3:.2f} mV".replace("-", "−"),
                        f"{100 * p.share:.0f} %",
                    ),
                    ((0, self._look.t.fails),) if k == 0 else (),
                    p.share,
                )
            )
        for k, lump in enumerate(found.lumps):
            dimension = "capacitance" if lump.kind == "shunt C" else "inductance"
            rows.append(
                LedgerRow(
                    f"lump-{k}-{lump.delay}",
                    (
                        lump.kind,
                        f"{lump.delay * 1e12:.0f} ps",
                        format_si(lump.value, dimension, digits=2),
                    ),
                )
            )
        self._ledger_head.setText(
            "Crosstalk by place, then parts" if peaks and main else "Parts in the profile"
        )
        self.ledger.set_rows(rows)

    def _tell(self, result: NetworkResult, found: Reflection) -> None:
        time = result.time
        assert time is not None
        words = [f"Edge {plain(time.rise * 1e12)} ps (20 to 80 %)."]
        if len(self._markers) == 2:
            a, b = self._markers
            words.append(
                f"{self._at(result, found, a)}; {self._at(result, found, b)}; "
                f"{abs(b - a) * 1e12:.1f} ps apart, mean {self._mean(found, a, b):.2f} Ω."
            )
        elif self._markers:
            words.append(
                f"{self._at(result, found, self._markers[0])}. Click once more for a second."
            )
        else:
            words.append("Click on the profile to set markers.")
        if found.ends:
            words.append(f"It ends {found.ends}.")
        words += [n[:1].upper() + n[1:] + "." for n in time.notes]
        self.sentence.setText(" ".join(words))

    def _at(self, result: NetworkResult, found: Reflection, place: float) -> str:
        z = float(np.interp(place, found.place, found.true))
        spans = result.spans if self.sides.current == "left" else ()
        span = next((s for s in spans if s.start <= place <= s.end), None)
        return f"{z:.1f} Ω at {place * 1e12:.0f} ps" + (f" in {span.name}" if span else "")

    @staticmethod
    def _mean(found: Reflection, a: float, b: float) -> float:
        inside = (found.place >= min(a, b)) & (found.place <= max(a, b))
        return float(found.true[inside].mean()) if inside.any() else math.nan

    # ---- doing

    def _turn(self, lane: int | None = None) -> None:
        if lane is not None:
            self.lane = lane
        self._markers = []
        self.draw()
        self._no_gate()

    def _mark(self, picoseconds: float) -> None:
        self._markers = [*self._markers[-1:], picoseconds * 1e-12]
        self._draw_markers()
        self._draw_strip()
        found = self.reflection
        if self._result is not None and found is not None:
            self._tell(self._result, found)

    def _draw_markers(self) -> None:
        self.profile.show_verticals([(m * 1e12, "AB"[k]) for k, m in enumerate(self._markers)])

    def _go_to(self, row: str) -> None:
        self._mark(float(row.split("-", 2)[2]) * 1e12)

    def _gate_typed(self, typed: str) -> None:
        if not typed.strip():
            self._no_gate()
            return
        first, last = read_span(typed, "time", "ps")
        if first is None:
            raise InputError(f"{typed[:30]!r} is no gate", remedy="As in 380 to 460 ps.")
        if not last.si > first.si:
            raise InputError("a gate must close after it opens")
        self._gate = first.si, last.si
        self.gate_wanted.emit(*self._gate)

    def _no_gate(self) -> None:
        self._gate = None
        self.gate.show_text("")
        self.gate_wanted.emit(0.0, -1.0)

    def show_gate(self, gate: GateResult | None) -> None:
        """Show the reflection with and without the gate; without one, as it is."""
        t = self._look.t
        result, found = self._result, self.reflection
        if result is None or found is None:
            self.gated.show_curves([])
            return
        curves = []
        if gate is None:
            curves = self._ungated(result, found)
        else:
            ghz = gate.frequency / 1e9
            for name, values, color, width in (
                ("whole", gate.whole, t.secondary, 1.2),
                ("gate", gate.inside, t.series[1], 1.6),
                ("rest", gate.outside, t.sea, 1.6),
            ):
                level = np.maximum(level_db(values), -70.0)
                curves.append(Curve(name, ghz, level, color, width))
        self.gated.show_curves(curves)
        words = " ".join(f'<span style="color:{c.color}">{c.name}</span>' for c in curves)
        self._gate_head.setText(f"Gate on the reflection, dB: {words}")

    def _ungated(self, result: NetworkResult, found: Reflection) -> list[Curve]:
        kind = "return_common" if found.mode == "common" else "return"
        curves = result.curve_set(kind)
        if curves is None or found.mode.endswith("leg"):
            return []
        lanes = len(curves.names) // 2 or 1
        at = found.lane + (lanes if found.side == "right" else 0)
        level = np.maximum(level_db(curves.values[at]), -70.0)
        return [Curve("whole", result.frequency / 1e9, level, self._look.t.sea, 1.6)]
