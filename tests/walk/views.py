"""Every view of every object of every stage, with a kept state, by day, at 1280 x 800."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QApplication

from onda.app.main import application
from onda.app.shell.chips import Chips
from onda.app.shell.window import MainWindow
from onda.app.tour import set_resistor
from onda.demo import fulmar_project
from tests.shown import shown

STAGES = ("stackup", "lines", "paths", "networks", "eyes", "coupling")


def walk_views(pictures: Path | None = None) -> dict[str, list[str]]:
    """Lines that each view shows, by stage, object and view."""
    app = application()
    window = MainWindow(fulmar_project())
    window.resize(1280, 800)
    window.show()
    window.keep()
    set_resistor(window, "clk-adc", 36.0)
    out: dict[str, list[str]] = {}

    def note(key: str) -> None:
        assert window.settle(120_000), key
        QApplication.processEvents()
        out[f"view: {key}"] = shown(window)
        if pictures is not None:
            pictures.mkdir(parents=True, exist_ok=True)
            window.grab().save(str(pictures / (key.replace(" / ", "_") + ".png")))

    for stage in STAGES:
        window.selection.go(stage)
        if stage == "coupling":
            note(stage)
            continue
        assert window.settle(120_000)
        for row in window.listing.objects.rows:
            window.selection.choose(row.id, stage)
            assert window.settle(120_000)
            note(f"{stage} / {row.id}")
            for chips in _chips(window):
                first = chips.current
                for key in [k for k, b in chips._buttons.items() if b.isVisibleTo(chips)]:
                    chips.choose(key)
                    note(f"{stage} / {row.id} / {key}")
                chips.choose(first)
        assert window.settle(120_000)
    window.document.stack.setClean()
    window.close()
    app.processEvents()
    return out


def _chips(window: MainWindow) -> list[Chips]:
    return [c for c in window.surfaces.currentWidget().findChildren(Chips) if c.isVisibleTo(window)]
