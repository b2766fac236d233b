"""Sweeps, replacements and device models of the path in view: asked for when looked at."""

from __future__ import annotations

from onda.app.kit.editor import Editor
from onda.app.kit.views import Views
from onda.app.stages.paths.device_view import DeviceView
from onda.app.stages.paths.elements import look_of
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.inspector import PathInspector
from onda.app.stages.paths.look import Sweepable
from onda.app.stages.paths.ribbon import DRIVER
from onda.app.stages.paths.sweep_view import SweepView
from onda.app.stages.paths.why_view import WhyView
from onda.project.base import set_value
from onda.project.paths.edits import change_element, set_termination
from onda.project.paths.elements import termination_of
from onda.project.paths.ends import ModelUse
from onda.project.paths.path import Path
from onda.project.quantities import Quantity, quantity
from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs, DeviceResult
from onda.studies.devices.use import CORNER_COLUMNS, device_use
from onda.studies.paths.corners import Found, corner_variants, refined, search
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.judge import worst_of_path
from onda.studies.paths.sweep import (
    PATH_SWEEP,
    SweepInputs,
    SweepResult,
    Variant,
    resistor_range,
    with_value,
)
from onda.studies.paths.why import PATH_WHY, WhyInputs

__all__ = ["MoreStudies"]


class MoreStudies:
    """Asks for what the chosen view needs besides the path itself."""

    def __init__(
        self, editor: Editor, subject: PathInView, views: Views, form: PathInspector
    ) -> None:
        self._editor, self._subject, self._views, self._form = editor, subject, views, form
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
        asks = {"sweep": self._ask_sweep, "why": self._ask_why, "device": self._ask_device}
        ask = asks.get(self._views.current)
        if ask is not None:
            ask(path)

    def arrived(self, path: Path) -> None:
        """The path's own result is there: what fails most may be something else now."""
        if self._views.current == "why":
            self._ask_why(path)

    # ---- the small sweep in the inspector

    def _ask_small(self, path: Path) -> None:
        subject, resistor = self._subject, self._subject.resistor
        if resistor is None:
            self.small = None
            self._form.show_sweep(None, (0, 0), None, "")
            return

        def inputs() -> SweepInputs:
            slice_ = path_inputs(subject.design, path, fine=False)
            # The sweep does not depend on the present value; so it is found in the cache again.
            at_zero = with_value(slice_, resistor.id, 0.0)
            values = resistor_range(round(subject.z_line or 67.0, -1))
            return SweepInputs((Variant("", at_zero),), resistor.id, values)

        def show(result: SweepResult) -> None:
            self.small = result
            self.draw_small_sweep()

        subject.ask("sweep", PATH_SWEEP, inputs, show, lambda _: None)

    def draw_small_sweep(self) -> None:
        """Overshoot against the chosen resistor."""
        subject = self._subject
        resistor, result = subject.resistor, subject.result
        if resistor is None or result is None or self.small is None:
            return
        now = (resistor.value.si, result.measures.overshoot)
        self._form.show_sweep(self.small, now, subject.overshoot_limit, resistor.id)

    # ---- the sweep view

    def _sweep_wanted(self) -> None:
        if self._subject.path is not None:
            self._ask_sweep(self._subject.path)

    def _ask_sweep(self, path: Path) -> None:
        view, subject = self._views.get("sweep", SweepView), self._subject
        view.offer(sweepables(path, subject.z_line or 60.0), subject.element)
        first, second = view.chosen, view.chosen_second
        if first is None:
            return
        corners = view.corners.current == "all"

        def inputs(better: tuple[float, ...] = ()) -> SweepInputs:
            if corners:
                variants = corner_variants(subject.design, path)
            else:
                as_is = path_inputs(subject.design, path, fine=False)
                variants = (Variant("as it is", as_is),)
            values = better or view.values(first, 11 if second else 20)
            more = view.values(second, 9) if second else ()
            return SweepInputs(variants, first.id, values, second.id if second else "", more)

        def held(result: SweepResult) -> Found | None:
            found = search(result, subject.requirements)
            view.show_result(result, found)
            return found

        def finer(result: SweepResult) -> None:
            held(result)

        def show(result: SweepResult) -> None:
            found = held(result)
            if found is None or second is not None:
                return
            # Once more around the best; what was run already is known.
            better = refined(result.values.tolist(), found.best[0])
            subject.ask("big-sweep", PATH_SWEEP, lambda: inputs(better), finer, self._editor.tell)

        view.show_waiting()
        subject.ask("big-sweep", PATH_SWEEP, inputs, show, self._editor.tell)

    def _take(self, value: float) -> None:
        path, chosen = self._subject.path, self._views.get("sweep", SweepView).chosen
        if path is not None and chosen is not None:
            self._editor.attempt_put(f"Take {chosen.name}", lambda: _with(path, chosen, value))

    # ---- why, and the device

    def _ask_why(self, path: Path) -> None:
        view, subject = self._views.get("why", WhyView), self._subject

        # What fails most is what one asks about, unless a receiver was chosen.
        where, what = subject.watched, "overshoot"
        if subject.result is not None:
            own = [
                r
                for r in subject.requirements
                if subject.element not in path.receivers or r.receiver in (None, subject.element)
            ]
            worst = worst_of_path(subject.result, own)
            if worst is not None:
                where, what = worst
        if subject.element in path.receivers:
            where = subject.element

        def inputs() -> WhyInputs:
            return WhyInputs(path_inputs(subject.design, path, fine=False), where, what)

        subject.ask("why", PATH_WHY, inputs, view.show_result, self._editor.tell)

    def _ask_device(self, path: Path) -> None:
        view, subject = self._views.get("device", DeviceView), self._subject
        receivers = path.receivers
        end = subject.element if subject.element in receivers else DRIVER
        use: ModelUse | None = receivers[end].model if end in receivers else path.driver.model
        name = receivers[end].name if end in receivers else path.driver.name
        if use is None:
            view.show_nothing(
                f"{name} is linear. Choose a model file for it at the right, or open one."
            )
            return

        def inputs() -> DeviceInputs:
            made = device_use(subject.design, use, CORNER_COLUMNS[path.corner])
            assert made is not None
            return DeviceInputs(made)

        def show(result: DeviceResult) -> None:
            view.show_model(result)

        subject.ask("device", DEVICE_MODEL, inputs, show, view.show_nothing)


def sweepables(path: Path, z: float) -> list[Sweepable]:
    """What of a path can be swept, with ranges worth looking at for a line of `z` ohm."""
    found = (look_of(e).sweep(e, z) for e in path.all_elements)
    out = [s for s in found if s is not None]
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
    q = quantity(value, chosen.dimension, "mm" if chosen.dimension == "length" else "ohm", 3)
    element = path.element(chosen.id)
    if chosen.id == "driver":
        return set_value(path, driver=set_value(path.driver, resistance=q))
    if element is not None and element.main:
        return change_element(path, element.with_main(q))
    return _with_termination(path, chosen.id, q)


def _with_termination(path: Path, where: str, q: Quantity) -> Path:
    term = termination_of(path.element(where)) or path.termination
    changes = {"r": q}
    if term.r is not None and term.r_low is not None:
        changes["r_low"] = quantity(term.r_low.si * q.si / term.r.si, "resistance", "ohm", 3)
    return set_termination(path, where, set_value(term, **changes))
