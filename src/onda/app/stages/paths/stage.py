"""Joins the views of the Paths stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QStackedWidget, QWidget

from onda.app.plots.curves import Curve, Limit
from onda.app.shell.chips import Chips
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, OneResultStage, scrolled
from onda.app.stages.paths.device_view import DeviceView
from onda.app.stages.paths.edits import PathActions
from onda.app.stages.paths.inspector import PathInspector
from onda.app.stages.paths.more_studies import MoreStudies
from onda.app.stages.paths.profile import Profile
from onda.app.stages.paths.ribbon import DRIVER, RECEIVER, Ribbon
from onda.app.stages.paths.scale import Probes, RouteMap, route_map
from onda.app.stages.paths.sweep_view import SweepView
from onda.app.stages.paths.views import BouncesView, MeasuresView, SpectrumView, WavesView
from onda.app.stages.paths.wave_map import WaveMap
from onda.app.stages.paths.why_view import WhyView
from onda.project.model import Design, Path, SeriesResistor, TracePiece
from onda.project.quantities import format_si
from onda.studies.core.margin import Measured, State, margin_of, measure_path
from onda.studies.paths.inputs import PathInputs, path_inputs
from onda.studies.paths.path import PATH, PathResult, ReceiverResult
from onda.studies.paths.rules import placement_remarks
from onda.studies.paths.sweep import SweepResult

__all__ = ["VIEWS", "PathsStage"]

VIEWS = (
    ("waves", "Waveforms"),
    ("current", "Current"),
    ("spectrum", "Spectrum"),
    ("bounces", "Bounces"),
    ("measures", "Measures"),
    ("why", "Why"),
    ("sweep", "Sweep"),
    ("device", "Device"),
)
_TALL = ("measures", "sweep", "device", "why")
"""Views that take the room of profile and wave map too."""


class PathsStage(OneResultStage[PathResult]):
    """Paths."""

    id = "paths"
    margins_title = "this path"
    add_title = "Add a path like this one"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        look, selection = context.look, context.selection
        self.probes = Probes()
        self.watched = RECEIVER
        self._drawn: Path | None = None
        self._placed: dict[str, str] = {}
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        self.surface.add_button(
            "As network",
            lambda: self.actions.as_network(),
            tip="Put this path among the networks, pad to pad",
        )
        self.ribbon = Ribbon(look, selection, self.probes)
        self.profile = Profile(look, selection, self.probes)
        self.wave_map = WaveMap(look, self.probes)
        self.chips = Chips(VIEWS, "What is shown below")
        self.chips.chosen.connect(lambda _: self._turn_view())
        self.views = QStackedWidget()
        self._made: dict[str, QWidget] = {}
        body = self.surface.body
        body.addWidget(self.ribbon)
        body.addWidget(self.profile)
        body.addWidget(self.wave_map, 5)
        body.addWidget(self.chips)
        body.addWidget(self.views, 6)
        self.form = PathInspector(context)
        self.inspector = scrolled(self.form)
        self.actions = PathActions(self)
        self.more = MoreStudies(self)
        self.probes.changed.connect(self._show_view)
        self.form.file_wanted.connect(self.actions.choose_file)
        self._turn_view()

    @property
    def sweep(self) -> SweepResult | None:
        """Overshoot against the chosen resistor, where one is chosen."""
        return self.more.small

    # ---- views, each made when it is first looked at

    def view(self, key: str) -> QWidget:
        """A view by key."""
        if key not in self._made:
            look, selection = self.context.look, self.context.selection
            made: QWidget
            if key == "waves":
                made = WavesView(look, "Waveforms", "V")
            elif key == "current":
                made = WavesView(look, "Current", "mA")
            elif key == "spectrum":
                made = SpectrumView(look, self.probes)
            elif key == "bounces":
                made = BouncesView(look, selection)
            elif key == "measures":
                made = self.actions.wire_measures(MeasuresView)
            elif key == "why":
                made = WhyView(look, selection)
            elif key == "sweep":
                made = self.more.wire_sweep(SweepView(look))
            else:
                made = DeviceView(look)
            self._made[key] = made
            self.views.addWidget(made)
        return self._made[key]

    @property
    def waves(self) -> WavesView:
        """The waveforms."""
        found = self.view("waves")
        assert isinstance(found, WavesView)
        return found

    def _turn_view(self) -> None:
        key = self.chips.current
        self.views.setCurrentWidget(self.view(key))
        # What a list lit up is not lit any more once another view is shown.
        self.context.selection.hover("")
        tall = key in _TALL
        self.profile.setVisible(not tall)
        self.wave_map.setVisible(not tall)
        self._show_view()
        if self.active and self.path is not None:
            self.more.ask(self.path)

    # ---- the path in view

    @property
    def path(self) -> Path | None:
        """The path in view, None where there is none."""
        subject = self.context.selection.subject_of(self.id)
        return next((p for p in self.design.paths if p.id == subject), None)

    def rows(self) -> Sequence[Row]:
        standing = self.context.standing
        out = []
        for p in self.design.paths:
            margins = standing.of(self.id, p.id)
            bad = [m for m in margins if m.state.value in ("fails", "tight")]
            worst = min(bad, key=lambda m: m.normalised) if bad else None
            state = standing.state_of(self.id, p.id)
            detail = f"{p.net} · {'no limits' if state is None else state.value}"
            if worst is not None:
                detail = f"{worst.title.lower()} {worst.value_text}"
            out.append(Row(p.id, p.name, detail, state))
        return out

    def refresh(self) -> None:
        path = self.path
        if path is None:
            self.surface.title.setText("Paths")
            self.surface.remark.setText("There is no path yet.")
            return
        selection = self.context.selection
        if not selection.element or not self._is_element(path, selection.element):
            first = next((e.id for e in path.elements if isinstance(e, SeriesResistor)), DRIVER)
            # Choosing shows everything once more; once is enough.
            selection.choose_element(first)
            return
        self.surface.title.setText(path.name)
        self.surface.remark.setText(self._remark(path))
        if self._result_of != path.id:
            self.watched = RECEIVER
            self.more.forget()
        if selection.element in path.receivers:
            self.watched = selection.element
        if self.watched not in path.receivers:
            self.watched = RECEIVER
        self.turn_to(path.id)
        self._show_chosen(path)
        self.ask_quick_first(
            "now",
            PATH,
            lambda fine: path_inputs(self.design, path, fine=fine),
            lambda result: self._arrived(path, result),
            self.show_failure,
        )
        if not self.context.document.in_gesture:
            self._ask_kept(path)
            self.more.ask(path)
        if self._drawn is path:
            # Only what is looked at changed.
            self.draw()

    def _arrived(self, path: Path, result: PathResult) -> None:
        self._drawn = path
        self._placed = placement_remarks(path.driver.edge.si, path.all_elements, result)
        self.show_result(result)
        self._show_chosen(path)

    def _show_chosen(self, path: Path) -> None:
        chosen = self.context.selection.element
        remark = self._remarks(path).get(chosen, "")
        self.form.show_element(chosen, self._kept_paths(path), remark)

    def _remarks(self, path: Path) -> dict[str, str]:
        # They were found with the result; for another path they are on their way.
        return self._placed if self._drawn is path and not self.failure else {}

    def _is_element(self, path: Path, element: str) -> bool:
        return element in (DRIVER, RECEIVER) or path.element(element) is not None

    def _remark(self, path: Path) -> str:
        driver, stimulus = path.driver, path.stimulus
        what = {"edge": "one edge", "pulse": "a pulse", "bits": "bits", "pattern": "a pattern"}.get(
            stimulus.kind, ""
        )
        if stimulus.kind == "clock" and stimulus.frequency:
            what = format_si(stimulus.frequency.si, "frequency", digits=5)
        if driver.model is not None and driver.stands_in == "device":
            corner = "" if path.corner == "typ" else f" · {path.corner}"
            return f"{what} · {driver.model.model}{corner}"
        swing = format_si(driver.high.si - driver.low.si, "voltage", digits=2)
        edge = format_si(driver.edge.si, "time", digits=3)
        return f"{what} · {swing} · {edge} edges"

    def _kept_paths(self, path: Path) -> list[Path]:
        return [p for k in self.shown_kept for p in k.design.paths if p.id == path.id]

    def _ask_kept(self, path: Path) -> None:
        def inputs(design: Design) -> PathInputs | None:
            then = next((p for p in design.paths if p.id == path.id), None)
            return path_inputs(design, then) if then is not None else None

        self.ask_kept(PATH, self.kept, inputs, self.draw)

    def read(self, result: PathResult, measure: str) -> Measured:
        return measure_path(result, measure)

    # ---- drawing

    def draw(self) -> None:
        # A result is drawn with the path that it belongs to; the next one is on its way.
        path, result = self._drawn, self.result
        if path is None or result is None:
            return
        copper = self.design.stackup.copper
        outer = {layer.id: layer.id in (copper[0].id, copper[-1].id) for layer in copper}
        route = self.route
        watched = self.receiver
        remarks = self._remarks(path)
        self.ribbon.show_path(path, result.spans, outer, self.watched, route.spans, remarks)
        kept = list(self.kept.values())
        self.profile.show_spans(
            tuple(result.spans[k] for k in route.spans),
            [tuple(k.spans[i] for i in k.receiver(self.watched).route) for k in kept],
            self._band(path),
            result.span_of_delay,
        )
        self.wave_map.show_result(result, route, (watched.low, watched.high))
        self.form.show_result(result, kept, list(self.margins()[1]))
        self._show_view()
        self.more.draw_small_sweep()
        self.margins_changed.emit()

    @property
    def route(self) -> RouteMap:
        """The way to the watched receiver."""
        assert self.result is not None
        return route_map(self.result, self.watched)

    @property
    def receiver(self) -> ReceiverResult:
        """The watched receiver."""
        assert self.result is not None
        return self.result.receiver(self.watched)

    def _band(self, path: Path) -> tuple[float, float] | None:
        """Impedance that the class of the first piece must have."""
        piece = next((e for e in path.all_elements if isinstance(e, TracePiece)), None)
        for r in self.context.document.project.requirements:
            if (
                piece is not None
                and (r.measure, r.subject) == ("impedance", piece.line_class)
                and r.at_least
                and r.at_most
            ):
                return r.at_least.si, r.at_most.si
        return None

    def overshoot_limit(self, path: Path) -> float | None:
        """Overshoot that is allowed, V."""
        for r in self.context.document.project.requirements:
            if (r.stage, r.subject, r.measure) == (self.id, path.id, "overshoot") and r.at_most:
                return r.at_most.si
        return None

    def _show_view(self) -> None:
        path, result = self._drawn, self.result
        if path is None or result is None:
            return
        key = self.chips.current
        view = self.view(key)
        if key == "waves":
            self._show_waves(path, result)
        elif key == "current" and isinstance(view, WavesView):
            self._show_current(view, result)
        elif key == "spectrum" and isinstance(view, SpectrumView):
            kept = [(k, route_map(k, self.watched)) for k in self.kept.values()]
            view.show_result(result, self.route, kept, path.limit_points)
        elif key == "bounces" and isinstance(view, BouncesView):
            ids = [r.id for r in result.receivers]
            found = result.bounces[ids.index(self.receiver.id)] if result.bounces else ()
            view.show_bounces(found, result.time, self.receiver.die)
        elif key == "measures" and isinstance(view, MeasuresView):
            view.show_result(result, self._states(path, result))

    def _states(self, path: Path, result: PathResult) -> dict[tuple[str, str], State]:
        """How each receiver stands to each requirement."""
        out: dict[tuple[str, str], State] = {}
        for r in self.context.document.project.requirements:
            if (r.stage, r.subject) != (self.id, path.id):
                continue
            for receiver in result.receivers:
                if r.receiver in (None, receiver.id):
                    measured = measure_path(result, r.measure, receiver.id)
                    out[r.measure, receiver.id] = margin_of(r, measured).state
        return out

    def _show_waves(self, path: Path, result: PathResult) -> None:
        t, route, watched = self.context.look.t, self.route, self.receiver
        ns = result.time * 1e9
        curves = []
        for probe in self.probes.items:
            at_die = probe.share >= 0.999
            volts = watched.die if at_die else route.volts_at(probe.share * route.delay)
            name = watched.name if at_die and len(result.receivers) > 1 else probe.name
            width = 2.2 if probe.name == "load" else 1.4
            curves.append(Curve(name, ns, volts, t.series[probe.series], width))
        names = {k.id: k.name for k in self.shown_kept}
        for identifier, then in self.kept.items():
            name = f"kept: {names.get(identifier, '')}"
            die = then.receiver(self.watched).die
            curves.append(Curve(name, then.time * 1e9, die, t.kept, 1.6, kept=True))
        self.waves.show_curves(curves, self._limits(path, watched))

    def _limits(self, path: Path, watched: ReceiverResult) -> list[Limit]:
        th = watched.thresholds
        out = [
            Limit(level, f"{words} {level:.2f} V")
            for level, words in ((th.v_il, "low below"), (th.v_ih, "high above"))
            if level is not None
        ]
        limit = self.overshoot_limit(path)
        if limit is not None:
            level = max(watched.high, watched.low) + limit
            out.append(Limit(level, f"input limit {level:.2f} V"))
        return out

    def _show_current(self, view: WavesView, result: PathResult) -> None:
        t, route = self.context.look.t, self.route
        ns = result.time * 1e9
        curves = [Curve("driver", ns, result.drive_amps * 1e3, t.ink, 1.8)]
        for probe in self.probes.items:
            amps = route.amps_at(probe.share * route.delay)
            curves.append(Curve(probe.name, ns, amps * 1e3, t.series[probe.series], 1.4))
        curves.append(Curve("power, mW", ns, result.drive_watts * 1e3, t.series[5], 1.2))
        for then in list(self.kept.values())[:1]:
            kept = then.drive_amps * 1e3
            curves.append(Curve("kept driver", then.time * 1e9, kept, t.kept, 1.4, kept=True))
        view.show_curves(curves, [])
