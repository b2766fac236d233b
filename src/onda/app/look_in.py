"""The same view as in the window, without one: a picture or a table of it in a file."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QApplication, QWidget

from onda.app.main import application
from onda.app.plots.curves import CurvePlot
from onda.app.plots.sharing import Share, titled
from onda.app.shell.window import MainWindow
from onda.errors import InputError
from onda.project.model import Project

__all__ = ["save_view", "views_of"]

_WIDTH, _HEIGHT = 1280, 800


def views_of(window: MainWindow, stage: str) -> dict[str, str]:
    """Views that a stage offers, by key."""
    views = getattr(window.stages[stage], "views", None) or getattr(
        getattr(window.stages[stage], "page", None), "views", None
    )
    return dict(views.titles) if views is not None else {}


def save_view(
    project: Project,
    file: Path,
    stage: str,
    *,
    thing: str = "",
    view: str = "",
    plot: str = "",
    night: bool = False,
) -> str:
    """Save what the window would show, as its title says; return that.

    Parameters
    ----------
    file : ends in .png, .svg or .csv; a table needs a plot
    thing : id or name of the object, the first one where none is named
    view : key of the view that is turned to; plot : words in the name of one plot of it

    Raises
    ------
    InputError : something of that is not there
    """
    app = application()
    window = MainWindow(project)
    try:
        window.look.set_night(night)
        window.resize(_WIDTH, _HEIGHT)
        window.show()
        _go(window, stage, thing, view)
        if not window.settle():
            raise InputError("the view was not computed in time", remedy="Try it in the window.")
        app.processEvents()
        problem = window.stages[stage].surface.problem
        if problem.text() and not problem.is_note:
            raise InputError(problem.text())
        share = _share(window, stage, plot, table=file.suffix.lower() == ".csv")
        share.save(file)
        return share.title()
    finally:
        window.document.stack.setClean()
        window.close()
        QApplication.processEvents()


def _go(window: MainWindow, stage: str, thing: str, view: str) -> None:
    ready = [s.id for s in window.infos if s.ready]
    if stage not in ready:
        raise InputError(f"there is no stage {stage!r}", remedy=f"One of {', '.join(ready)}.")
    window.selection.go(stage)
    if thing:
        rows = window.stages[stage].rows()
        found = next((r.id for r in rows if thing in (r.id, r.title)), None)
        if found is None:
            ids = ", ".join(r.id for r in rows) or "none"
            raise InputError(f"{stage} has no {thing!r}", remedy=f"It has: {ids}.")
        window.selection.choose(found)
    if view:
        known = views_of(window, stage)
        if view not in known:
            raise InputError(
                f"{stage} has no view {view!r}", remedy=f"It has: {', '.join(known) or 'one only'}."
            )
        shown = window.stages[stage]
        views = getattr(shown, "views", None) or shown.page.views  # type: ignore[attr-defined]
        views.choose(view)


def _share(window: MainWindow, stage: str, plot: str, *, table: bool) -> Share:
    surface = window.stages[stage].surface
    if not (plot or table):
        return Share(surface, window.look, lambda: titled(surface, _view_words(window, stage)))
    shown = [p for p in surface.findChildren(CurvePlot) if _is_seen(p, surface)]
    named = [p for p in shown if plot.lower() in p.accessibleName().lower()]
    if not named:
        names = "; ".join(p.accessibleName() for p in shown) or "none"
        raise InputError(f"no plot {plot!r} is in this view", remedy=f"There is: {names}.")
    # Of several the largest is the one that is meant.
    return max(named, key=lambda p: p.width() * p.height()).share


def _is_seen(widget: QWidget, within: QWidget) -> bool:
    return widget.isVisibleTo(within)


def _view_words(window: MainWindow, stage: str) -> str:
    views = getattr(window.stages[stage], "views", None)
    title = window.stages[stage].info.title
    return views.titles[views.current] if views is not None else title
