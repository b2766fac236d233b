"""Views of a link that are worked out only where they are looked at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from onda.app.kit.subject import Subject
from onda.app.kit.views import View, Views
from onda.app.stages.eyes.corners_view import CornersView
from onda.app.stages.eyes.costs_view import CostsView
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.map_view import MapView
from onda.app.stages.eyes.margin_view import MarginView
from onda.app.stages.eyes.sweep_view import SweepView
from onda.app.theme import Look
from onda.project.links.link import Link
from onda.studies.links.corners import LINK_CORNERS, corner_inputs
from onda.studies.links.costs import LINK_COSTS
from onda.studies.links.inputs import LinkInputs, link_inputs, mask_inputs
from onda.studies.links.link import LINK
from onda.studies.links.margin import OPERATING_MARGIN, link_terms, margin_inputs
from onda.studies.links.merit_map import LINK_MAP, MapInputs
from onda.studies.links.sweep import LINK_SWEEP, SWEEPS, sweep_inputs

__all__ = ["MoreViews"]

_SLOT, _EYE_SLOT = "more", "more-eye"


class MoreViews:
    """Makes these views and asks for what they show; `turned()` where one wants something else."""

    def __init__(
        self, look: Look, hand: LinkHand, subject: Subject, turned: Callable[[], None]
    ) -> None:
        self._subject, self._link = subject, lambda: subject.item
        self._asks: dict[str, Callable[[Link], None]] = {
            "costs": self._ask_costs,
            "map": self._ask_map,
            "margin": self._ask_margin,
            "sweep": self._ask_sweep,
            "corners": self._ask_corners,
        }
        self.views = (
            View("costs", "What costs", lambda: CostsView(look)),
            View("sweep", "Sweep", lambda: SweepView(look, turned, self._ask_swept_eye)),
            View("corners", "Corners", lambda: CornersView(look)),
            View("map", "Map of settings", lambda: MapView(look, hand.take_setting, turned)),
            View("margin", "Operating margin", lambda: MarginView(look, hand.set_sheet)),
        )
        self._stack: Views | None = None

    def join(self, stack: Views) -> None:
        """Where these views are among others."""
        self._stack = stack

    @property
    def _views(self) -> Views:
        assert self._stack is not None
        return self._stack

    def ask(self, link: Link) -> bool:
        """Ask for what the view that is looked at shows; whether it is one of these."""
        ask = self._asks.get(self._views.current)
        if ask is not None:
            ask(link)
        return ask is not None

    def _inputs(self, link: Link) -> LinkInputs:
        return link_inputs(self._subject.design, link)

    def _ask_costs(self, link: Link) -> None:
        view = self._views.get("costs", CostsView)
        view.show_costs(None, "")
        self._subject.ask(
            _SLOT,
            LINK_COSTS,
            lambda: self._inputs(link),
            lambda found: view.show_costs(found, ""),
            lambda why: view.show_costs(None, why),
        )

    def _ask_map(self, link: Link) -> None:
        view = self._views.get("map", MapView)
        view.show_map(None, "")
        self._subject.ask(
            _SLOT,
            LINK_MAP,
            lambda: MapInputs(self._inputs(link), *view.pair),
            lambda found: view.show_map(found, ""),
            lambda why: view.show_map(None, why),
        )

    def _ask_margin(self, link: Link) -> None:
        view = self._views.get("margin", MarginView)
        changed = frozenset(e.id for e in link.sheet)
        view.show_margin(None, None, "")
        self._subject.ask(
            _SLOT,
            OPERATING_MARGIN,
            lambda: margin_inputs(self._subject.design, link),
            lambda found: view.show_margin(found, link_terms(link), "", changed),
            lambda why: view.show_margin(None, None, why),
        )

    def _ask_sweep(self, link: Link) -> None:
        view = self._views.get("sweep", SweepView)
        view.show_sweep(None, "")
        over, anew = view.over.current, view.anew
        self._subject.ask(
            _SLOT,
            LINK_SWEEP,
            lambda: sweep_inputs(self._subject.design, link, over, anew=anew),
            lambda found: view.show_sweep(found, ""),
            lambda why: view.show_sweep(None, why),
        )

    def _ask_swept_eye(self, value: float) -> None:
        link: Link | None = self._link()
        if link is None:
            return
        view = self._views.get("sweep", SweepView)

        def inputs() -> LinkInputs:
            here = replace(self._inputs(link), compare=False)
            there = SWEEPS[view.over.current].put(here, value)
            return there if view.anew else replace(there, settings_of=here)

        self._subject.ask(
            _EYE_SLOT,
            LINK,
            inputs,
            lambda found: view.show_eye(found, mask_inputs(link)),
            lambda why: view.sentence.setText(why),
        )

    def _ask_corners(self, link: Link) -> None:
        view = self._views.get("corners", CornersView)
        view.show_corners(None, "")
        self._subject.ask(
            _SLOT,
            LINK_CORNERS,
            lambda: corner_inputs(self._subject.design, link),
            lambda found: view.show_corners(found, ""),
            lambda why: view.show_corners(None, why),
        )
