"""Joins the views of the Paths stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath

from onda.app.kit.context import Context
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.plots.curves import Axis
from onda.app.shell.form import Form
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.paths.device_view import DeviceView
from onda.app.stages.paths.drawing import Drawing
from onda.app.stages.paths.edits import PathActions
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.inspector import PathInspector
from onda.app.stages.paths.limits import MeasureLimits
from onda.app.stages.paths.more_studies import MoreStudies
from onda.app.stages.paths.outline import outline_of
from onda.app.stages.paths.profile import Profile
from onda.app.stages.paths.ribbon import DRIVER, RECEIVER, Ribbon
from onda.app.stages.paths.scale import Probes
from onda.app.stages.paths.sweep_view import SweepView
from onda.app.stages.paths.views import BouncesView, SpectrumView, WavesView
from onda.app.stages.paths.wave_map import WaveMap
from onda.app.stages.paths.why_view import WhyView
from onda.project.kind import Ref
from onda.project.model import Design
from onda.project.paths.elements import SeriesResistor
from onda.project.paths.path import Path
from onda.project.quantities import format_si
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs
from onda.studies.paths.path import PATH, PathResult
from onda.studies.paths.rules import placement_remarks
from onda.studies.paths.sweep import SweepResult

__all__ = ["PathsStage"]

_TALL = ("measures", "sweep", "device", "why")
"""Views that take the room of profile and wave map too."""


class PathsStage(OneResultStage[PathResult]):
    """Paths."""

    margins_title = "this path"
    add_title = "Make a path"
    makes = ("path",)
    subject_type = PathInView
    subject: PathInView

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look, selection = context.look, context.selection
        self.probes = Probes()
        self.add_keep_button()
        self.surface.add_button(
            "As network",
            lambda: self.actions.as_network(),
            tip="Put this path among the networks, pad to pad",
        )
        self.ribbon = Ribbon(look, selection, self.probes)
        self.profile = Profile(look, selection, self.probes)
        self.wave_map = WaveMap(look, self.probes)
        self.form = PathInspector(look, self.editor, self.subject, Form(look, context.document))
        self.inspector = scrolled(self.form)
        self.limits = MeasureLimits(self.editor, self.subject)
        self.views = self._make_views()
        self.chips = self.views.chips
        self.more = MoreStudies(self.editor, self.subject, self.views, self.form)
        self.actions = PathActions(self.editor, self.subject, self.form.shelf)
        self.actions.wire(self.ribbon)
        self.drawing = Drawing(look, self.subject, self.probes, self.views)
        body = self.surface.body
        body.addWidget(self.ribbon)
        # The views have their names where these stay, whatever a view takes of the room below.
        body.addWidget(self.chips)
        body.addWidget(self.profile)
        body.addWidget(self.wave_map, 5)
        body.addWidget(self.views.stack, 6)
        self.surface.veil_over((self.profile, self.wave_map, self.views.stack))
        self.probes.changed.connect(self.drawing.show_view)
        self.form.file_wanted.connect(lambda: self.actions.choose_file(self.surface))
        self.form.use_wanted.connect(self.actions.use_known)
        self.form.arrived.connect(self._refresh_if_active)
        self.views.turned.connect(lambda _: self._turn_view())
        self.views.show_first()
        self._turn_view()

    def _make_views(self) -> Views:
        look, selection = self.context.look, self.context.selection
        volts, amps = Axis("Voltage", "V"), Axis("Current", "mA")
        return Views(
            (
                View("waves", "Waveforms", lambda: WavesView(look, "Waveforms", volts)),
                View("current", "Current", lambda: WavesView(look, "Current", amps)),
                View("spectrum", "Spectrum", lambda: SpectrumView(look, self.probes)),
                View("bounces", "Bounces", lambda: BouncesView(look, selection)),
                View("measures", "Measures", lambda: self.limits.view(look)),
                View("why", "Why", lambda: WhyView(look, selection)),
                View("sweep", "Sweep", lambda: self.more.wire_sweep(SweepView(look))),
                View("device", "Device", lambda: DeviceView(look)),
            ),
            "What is shown below",
        )

    @property
    def sweep(self) -> SweepResult | None:
        """Overshoot against the chosen resistor, where one is chosen."""
        return self.more.small

    @property
    def waves(self) -> WavesView:
        """The waveforms."""
        return self.views.get("waves", WavesView)

    @property
    def path(self) -> Path | None:
        """The path in view, None where there is none."""
        return self.subject.path

    def _turn_view(self) -> None:
        # What a list lit up is not lit any more once another view is shown.
        self.context.selection.hover("")
        tall = self.views.current in _TALL
        self.profile.setVisible(not tall)
        self.wave_map.setVisible(not tall)
        self.drawing.show_view()
        if self.active and self.path is not None:
            self.more.ask(self.path)

    # ---- the path in view

    def rows(self) -> Sequence[Row]:
        out = []
        for p in self.design.paths:
            state = self.context.standing.state_of_object(Ref(self.info.kinds[0], p.id))
            net = "" if p.net == p.name else f"{p.net} · "
            out.append(self.row_of(p, f"{net}{'no limits' if state is None else state.value}"))
        return out

    def refresh(self) -> None:
        path, subject = self.path, self.subject
        if path is None:
            return
        if not subject.element or not self._is_element(path, subject.element):
            first = next((e.id for e in path.elements if isinstance(e, SeriesResistor)), DRIVER)
            # Choosing shows everything once more; once is enough.
            subject.choose_element(first)
            return
        self.surface.show_head(path.name, self._remark(path))
        is_other = subject.turn_to(path.id)
        self.turned_to(path.id, path.name)
        if is_other:
            subject.watched = RECEIVER
            self.more.forget()
        subject.watch(path)
        self._show_chosen()
        subject.ask_quick_first(
            "now",
            PATH,
            lambda fine: path_inputs(self.design, path, fine=fine),
            lambda result: self._arrived(path, result),
            self.show_failure,
        )
        if not self.editor.in_gesture:
            self._ask_kept()
            self.more.ask(path)
        if subject.drawn is path:
            # Only what is looked at changed.
            self.draw()

    def take_file(self, path: FilePath) -> None:
        self.actions.use_file(path)

    def forget_results(self) -> None:
        path = self.path
        if path is not None:
            self.ribbon.show_outline(path, outline_of(path), self._outer)
        self.form.show_nothing()

    @property
    def _outer(self) -> dict[str, bool]:
        """Of each copper layer whether it is an outer one."""
        copper = self.design.stackup.copper
        return {layer.id: layer.id in (copper[0].id, copper[-1].id) for layer in copper}

    def _arrived(self, path: Path, result: PathResult) -> None:
        self.subject.drawn = path
        self.subject.placed = placement_remarks(result.edge, path.all_elements, result)
        self.show_result(result)
        self._show_chosen()
        self.more.arrived(path)

    def _show_chosen(self) -> None:
        chosen = self.subject.element
        remark = self.subject.remarks.get(chosen, "")
        self.form.show_element(chosen, self.subject.kept_items(), remark)

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

    def _ask_kept(self) -> None:
        def inputs(design: Design) -> PathInputs | None:
            then = self.subject.item_in(design)
            return path_inputs(design, then) if then is not None else None

        self.subject.ask_kept(PATH, self.kept, inputs, self.draw)

    def draw(self) -> None:
        # A result is drawn with the path that it belongs to; the next one is on its way.
        subject = self.subject
        path, result = subject.drawn, subject.result
        if path is None or result is None:
            return
        route, watched = subject.route, subject.receiver
        self.ribbon.show_path(
            path, result.spans, self._outer, subject.watched, route.spans, subject.remarks
        )
        kept = self.named_kept
        kept_spans = [
            tuple(k.result.spans[i] for i in k.result.receiver(subject.watched).route) for k in kept
        ]
        self.profile.show_spans(
            tuple(result.spans[k] for k in route.spans),
            kept_spans,
            subject.band,
            result.span_of_delay,
        )
        self.wave_map.show_result(result, route, (watched.low, watched.high))
        self.form.show_result(result, kept, list(self.margins()[1]))
        self.drawing.show_view()
        self.more.draw_small_sweep()
        self.margins_changed.emit()
