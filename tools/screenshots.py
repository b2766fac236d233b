"""Make the pictures of docs/screenshots from the demo."""

from __future__ import annotations

from pathlib import Path

from onda.app.main import STAGES_BUILT, application
from onda.app.shell.window import MainWindow
from onda.app.tour import grab, set_resistor
from onda.demo import fulmar_project

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def main() -> None:
    app = application()
    FOLDER.mkdir(parents=True, exist_ok=True)
    window = MainWindow(fulmar_project(), None, STAGES_BUILT)
    window.show()

    def shoot(name: str, stage: str) -> None:
        window.selection.go(stage)
        window.settle()
        grab(window, FOLDER / f"{name}.png")

    shoot("paths-clock-fails", "paths")
    window.keep()
    set_resistor(window, "clk-adc", 36.0)
    shoot("paths", "paths")
    shoot("lines", "lines")
    shoot("stackup", "stackup")
    kept = window.document.project.kept[0]
    window.listing.kept.chosen.emit(kept.id)
    shoot("eyes", "eyes")
    window.listing.kept.chosen.emit(kept.id)
    window.look.set_night(True)
    shoot("paths-night", "paths")
    window.close()
    app.processEvents()


if __name__ == "__main__":
    main()
