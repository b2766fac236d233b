"""Draws the result of the path in view in whichever view is looked at."""

from __future__ import annotations

from onda.app.kit.kept import Kept
from onda.app.kit.views import Views
from onda.app.plots.curves import Curve, Limit
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.scale import Probes, route_map
from onda.app.stages.paths.views import BouncesView, MeasuresView, SpectrumView, WavesView
from onda.app.theme import Look
from onda.project.paths.path import Path
from onda.studies.core.margin import Margin, State, worst
from onda.studies.paths.judge import margins_at
from onda.studies.paths.path import PathResult

__all__ = ["Drawing"]


class Drawing:
    """Fills the views below the ribbon."""

    def __init__(self, look: Look, subject: PathInView, probes: Probes, views: Views) -> None:
        self._look, self._subject, self._probes, self._views = look, subject, probes, views

    def show_view(self) -> None:
        """Draw what is looked at."""
        path, result = self._subject.drawn, self._subject.result
        if path is None or result is None:
            return
        shows = {
            "waves": self._waves,
            "current": self._current,
            "spectrum": self._spectrum,
            "bounces": self._bounces,
            "measures": self._measures,
        }
        show = shows.get(self._views.current)
        if show is not None:
            show(path, result)

    @property
    def _kept(self) -> list[Kept[PathResult]]:
        return self._subject.named(self._subject.kept)

    def _waves(self, _: Path, result: PathResult) -> None:
        subject, t = self._subject, self._look.t
        route, watched = subject.route, subject.receiver
        ns = result.time * 1e9
        curves = []
        for probe in self._probes.items:
            at_die = probe.share >= 0.999
            volts = watched.die if at_die else route.volts_at(probe.share * route.delay)
            name = watched.name if at_die and len(result.receivers) > 1 else probe.name
            width = 2.2 if probe.name == "load" else 1.4
            curves.append(Curve(name, ns, volts, t.series[probe.series], width))
        for k, other in enumerate(result.overheard[:2]):
            curves.append(Curve(other.name, ns, other.volts, t.series[4 + k], 1.0))
        for kept in self._kept:
            then = kept.result
            die = then.receiver(subject.watched).die
            curves.append(Curve(kept.called(), then.time * 1e9, die, t.kept, 1.6, kept=kept.number))
        self._views.get("waves", WavesView).show_curves(curves, self._limits())

    def _limits(self) -> list[Limit]:
        watched = self._subject.receiver
        th = watched.thresholds
        out = [
            Limit(level, f"{words} {level:.2f} V")
            for level, words in ((th.v_il, "low below"), (th.v_ih, "high above"))
            if level is not None
        ]
        limit = self._subject.overshoot_limit
        if limit is not None:
            level = max(watched.high, watched.low) + limit
            out.append(Limit(level, f"input limit {level:.2f} V"))
        return out

    def _current(self, _: Path, result: PathResult) -> None:
        t, route = self._look.t, self._subject.route
        ns = result.time * 1e9
        curves = [Curve("driver", ns, result.drive_amps * 1e3, t.ink, 1.8)]
        for probe in self._probes.items:
            amps = route.amps_at(probe.share * route.delay)
            curves.append(Curve(probe.name, ns, amps * 1e3, t.series[probe.series], 1.4))
        curves.append(Curve("power, mW", ns, result.drive_watts * 1e3, t.series[5], 1.2))
        for kept in self._kept:
            ns, amps = kept.result.time * 1e9, kept.result.drive_amps * 1e3
            curves.append(Curve(kept.called("driver"), ns, amps, t.kept, 1.4, kept=kept.number))
        self._views.get("current", WavesView).show_curves(curves, [])

    def _spectrum(self, path: Path, result: PathResult) -> None:
        subject = self._subject
        kept = [(k.result, route_map(k.result, subject.watched)) for k in self._kept[-1:]]
        view = self._views.get("spectrum", SpectrumView)
        view.show_result(result, subject.route, kept, path.limit_points)

    def _bounces(self, _: Path, result: PathResult) -> None:
        receiver = self._subject.receiver
        ids = [r.id for r in result.receivers]
        found = result.bounces[ids.index(receiver.id)] if result.bounces else ()
        self._views.get("bounces", BouncesView).show_bounces(found, result.time, receiver.die)

    def _measures(self, _: Path, result: PathResult) -> None:
        self._views.get("measures", MeasuresView).show_result(result, self._states(result))

    def _states(self, result: PathResult) -> dict[tuple[str, str], State]:
        """How each receiver stands to what is required of each measure, the worst of several."""
        held: dict[tuple[str, str], list[Margin]] = {}
        for receiver, margin in margins_at(result, self._subject.requirements):
            held.setdefault((margin.measure, receiver), []).append(margin)
        return {key: worst(margins) for key, margins in held.items()}
