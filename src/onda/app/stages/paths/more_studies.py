"""Sweeps, replacements and device models of the path in view: asked for when looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING

from onda.app.stages.paths.device_view import DeviceView
from onda.app.stages.paths.ribbon import DRIVER
from onda.app.stages.paths.sweep_view import Sweepable, SweepView
from onda.app.stages.paths.why_view import WhyView
from onda.errors import OndaError
from onda.formats.ibis.buffers import buffer_of, makers_waves
from onda.project.edits import replace_path, set_value
from onda.project.files import device_models
from onda.project.model import Path, SeriesResistor
from onda.project.paths.edits import change_element, set_termination
from onda.project.paths.path import Branch, Cable, ModelUse, ShuntPart, TracePiece
from onda.project.quantities import quantity
from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs, DeviceResult
from onda.studies.paths.corners import corner_variants, search
from onda.studies.paths.inputs import CORNER_COLUMNS, path_inputs
from onda.studies.paths.sweep import (
    PATH_SWEEP,
    SweepInputs,
    SweepResult,
    Variant,
    resistor_range,
    with_value,
)
from onda.studies.paths.why import PATH_WHY, WhyInputs

if TYPE_CHECKING:
    from onda.app.stages.paths.stage import PathsStage

__all__ = ["MoreStudies"]


class MoreStudies:
    """Asks for what the chosen view needs besides the path itself."""

    def __init__(self, stage: PathsStage) -> None:
        self._stage = stage
        self.small: SweepResult | None = None

    def forget(self) -> None:
        """Another path is in view."""
        self.small = None

    def wire_sweep(self, view: SweepView) -> SweepView:
        """Connect the sweep view."""
        view.wanted.connect(self._sweep_wanted)
        view.take_wanted.connect(self._take)
        return view

    def ask(self, path: Path) -> None:
        """Ask for what is looked at."""
        self._ask_small(path)
        key = self._stage.chips.current
        if key == "sweep":
            self._ask_sweep(path)
        elif key == "why":
            self._ask_why(path)
        elif key == "device":
            self._ask_device(path)

    # ---- the small sweep in the inspector

    def _swept(self, path: Path) -> SeriesResistor | None:
        element = path.element(self._stage.context.selection.element)
        return element if isinstance(element, SeriesResistor) else None

    def _ask_small(self, path: Path) -> None:
        resistor, stage = self._swept(path), self._stage
        if resistor is None:
            self.small = None
            stage.form.show_sweep(None, (0, 0), None, "")
            return

        def inputs() -> SweepInputs:
            slice_ = path_inputs(stage.design, path, fine=False)
            # The sweep does not depend on the present value; so it is found in the cache again.
            at_zero = with_value(slice_, resistor.id, 0.0)
            z = stage.result.z_line if stage.result else 67.0
            return SweepInputs((Variant("", at_zero),), resistor.id, resistor_range(round(z, -1)))

        def show(result: SweepResult) -> None:
            self.small = result
            self.draw_small_sweep()

        stage.ask("sweep", PATH_SWEEP, inputs, show, lambda _: None)

    def draw_small_sweep(self) -> None:
        """Overshoot against the chosen resistor."""
        stage, path = self._stage, self._stage.path
        if path is None or stage.result is None or self.small is None:
            return
        resistor = self._swept(path)
        if resistor is not None:
            now = (resistor.value.si, stage.result.measures.overshoot)
            limit = stage.overshoot_limit(path)
            stage.form.show_sweep(self.small, now, limit, resistor.id)

    # ---- the sweep view

    def _sweep_wanted(self) -> None:
        if self._stage.path is not None:
            self._ask_sweep(self._stage.path)

    def _ask_sweep(self, path: Path) -> None:
        view, stage = self._stage.view("sweep"), self._stage
        assert isinstance(view, SweepView)
        view.offer(sweepables(path, stage), stage.context.selection.element)
        first, second = view.chosen, view.chosen_second
        if first is None:
            return
        corners = view.corners.current == "all"

        def inputs() -> SweepInputs:
            if corners:
                variants = corner_variants(stage.design, path)
            else:
                variants = (Variant("as it is", path_inputs(stage.design, path, fine=False)),)
            values = view.values(first, 11 if second else 20)
            more = view.values(second, 9) if second else ()
            return SweepInputs(variants, first.id, values, second.id if second else "", more)

        def show(result: SweepResult) -> None:
            wanted = [
                r
                for r in stage.context.document.project.requirements
                if (r.stage, r.subject) == (stage.id, path.id)
            ]
            view.show_result(result, search(result, wanted))

        view.show_waiting()
        stage.ask("big-sweep", PATH_SWEEP, inputs, show, stage.surface.tell)

    def _take(self, value: float) -> None:
        stage, path = self._stage, self._stage.path
        view = stage.view("sweep")
        assert isinstance(view, SweepView)
        chosen = view.chosen
        if path is None or chosen is None:
            return
        try:
            new = _with(path, chosen, value)
            document = stage.context.document
            document.edit(f"Take {chosen.name}", replace_path(document.project, new))
        except OndaError as error:
            stage.surface.tell(str(error))

    # ---- why, and the device

    def _ask_why(self, path: Path) -> None:
        view, stage = self._stage.view("why"), self._stage
        assert isinstance(view, WhyView)

        def inputs() -> WhyInputs:
            return WhyInputs(path_inputs(stage.design, path, fine=False), stage.watched)

        stage.ask("why", PATH_WHY, inputs, view.show_result, stage.surface.tell)

    def _ask_device(self, path: Path) -> None:
        view, stage = self._stage.view("device"), self._stage
        assert isinstance(view, DeviceView)
        chosen = stage.context.selection.element
        receivers = path.receivers
        end = chosen if chosen in receivers else DRIVER
        use: ModelUse | None = receivers[end].model if end in receivers else path.driver.model
        name = receivers[end].name if end in receivers else path.driver.name
        if use is None:
            view.show_nothing(
                f"{name} is linear. Choose a model file for it at the right, or open one."
            )
            return
        try:
            file = device_models(stage.design.device_file(use.file))
            buffer = buffer_of(file, use.model, CORNER_COLUMNS[path.corner])
        except OndaError as error:
            view.show_nothing(str(error))
            return
        inputs = DeviceInputs(buffer, makers_waves(file, use.model))
        remarks = file.remarks_of(use.model) + file.remarks_of("")

        def show(result: DeviceResult) -> None:
            view.show_model(buffer, result, remarks)

        stage.ask("device", DEVICE_MODEL, lambda: inputs, show, stage.surface.tell)


def sweepables(path: Path, stage: PathsStage) -> list[Sweepable]:
    """What of a path can be swept, with ranges worth looking at."""
    z = stage.result.z_line if stage.result else 60.0
    out: list[Sweepable] = []
    for e in path.all_elements:
        if isinstance(e, SeriesResistor):
            out.append(Sweepable(e.id, e.id, "resistance", 0.0, round(1.5 * z, -1), e.value.si))
        elif isinstance(e, TracePiece | Cable):
            at = e.length.si
            out.append(Sweepable(e.id, f"length of {e.id}", "length", 0.1 * at, 2.0 * at, at))
        elif isinstance(e, Branch | ShuntPart) and e.termination.r is not None:
            r = e.termination.r.si
            out.append(Sweepable(e.id, f"end of {e.id}", "resistance", 0.3 * r, 3.0 * r, r))
    if path.termination.r is not None:
        r = path.termination.r.si
        out.append(Sweepable("receiver", "termination", "resistance", 0.3 * r, 3.0 * r, r))
    if path.driver.model is None or path.driver.stands_in != "device":
        at = path.driver.resistance.si
        out.append(Sweepable("driver", "driver resistance", "resistance", 1.0, 1.5 * z, at))
    # What one came to try stands first.
    out.sort(key=lambda s: s.dimension != "resistance")
    return out


def _with(path: Path, chosen: Sweepable, value: float) -> Path:
    """The path with the swept value set, rounded as one would type it."""
    if chosen.dimension == "length":
        q = quantity(value, "length", "mm", 3)
    else:
        q = quantity(value, "resistance", "ohm", 3)
    element = path.element(chosen.id)
    if isinstance(element, SeriesResistor):
        return change_element(path, set_value(element, value=q))
    if isinstance(element, TracePiece | Cable):
        return change_element(path, set_value(element, length=q))
    if chosen.id == "driver":
        return set_value(path, driver=set_value(path.driver, resistance=q))
    term = element.termination if isinstance(element, Branch | ShuntPart) else path.termination
    changes = {"r": q}
    if term.r is not None and term.r_low is not None:
        changes["r_low"] = quantity(term.r_low.si * q.si / term.r.si, "resistance", "ohm", 3)
    return set_termination(path, chosen.id, set_value(term, **changes))
