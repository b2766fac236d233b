"""Make the pictures of docs/screenshots from the demo."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from onda.app.main import application
from onda.app.shell.window import MainWindow
from onda.app.tour import grab, set_resistor
from onda.demo import fulmar_project
from onda.project.begin import empty_project

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def begin() -> None:
    """A board of its own, on the page to begin on."""
    app = application()
    window = MainWindow(empty_project("New board"))
    window.show()
    window.show_start()
    window.start_page.name.setText("Tow board")
    app.processEvents()
    grab(window, FOLDER / "begin.png")
    window.document.stack.setClean()
    window.close()


def main() -> None:
    app = application()
    FOLDER.mkdir(parents=True, exist_ok=True)
    window = MainWindow(fulmar_project())
    window.show()

    def shoot(name: str, stage: str) -> None:
        window.selection.go(stage)
        window.settle()
        grab(window, FOLDER / f"{name}.png")

    shoot("paths-clock-fails", "paths")
    window.keep()
    set_resistor(window, "clk-adc", 36.0)
    shoot("paths", "paths")
    paths = window.stages["paths"]

    def shoot_path(name: str, path: str, view: str, element: str) -> None:
        window.selection.choose(path, "paths")
        window.selection.choose_element(element)
        window.settle()
        paths.chips.choose(view)
        window.settle(60_000)
        shoot(name, "paths")

    shoot_path("paths-branches", "trig", "waves", "B")
    shoot_path("paths-sweep", "clk-chain", "sweep", "Rs")
    shoot_path("paths-why", "clk-two", "why", "driver")
    shoot_path("device", "clk-two", "device", "driver")
    paths.chips.choose("waves")
    window.selection.choose("clk-adc", "paths")
    shoot("lines", "lines")
    lines = window.stages["lines"]
    lines.page.views.choose("spread")
    shoot("lines-tolerance", "lines")
    lines.page.views.choose("impedance")
    window.selection.choose("cavity", "lines")
    window.settle(60_000)
    lines.shield.modes.setCurrentIndex(1)
    lines.shield.modes.activated.emit(1)
    shoot("modes", "lines")
    window.selection.choose("converter-pairs", "lines")
    shoot("stackup", "stackup")
    window.selection.choose_element("D12")
    window.stages["stackup"].show_materials()
    window.stages["stackup"].materials.filter.setText("low-loss 1078")
    shoot("materials", "stackup")
    window.stages["stackup"].show_materials()
    kept = window.document.project.kept[0]
    window.listing.kept.chosen.emit(kept.id)
    shoot("eyes", "eyes")
    window.listing.kept.chosen.emit(kept.id)
    window.selection.choose("up0", "eyes")
    window.stages["eyes"].views.choose("rate")
    window.settle(120_000)
    shoot("eyes-rate", "eyes")
    networks = window.stages["networks"]

    def shoot_network(name: str, network: str, view: str) -> None:
        window.selection.go("networks")
        window.selection.choose(network, "networks")
        window.settle(60_000)
        networks.chips.choose(view)
        window.settle(60_000)
        shoot(name, "networks")

    shoot_network("networks-quality", "hub-card", "quality")
    shoot_network("networks-along", "board-uplinks", "time")
    shoot_network("networks", "up0-channel", "curves")
    window.selection.choose("converter-lanes", "coupling")
    shoot("coupling", "coupling")
    window.selection.choose("byte0", "buses")
    shoot("buses", "buses")
    window.close()
    app.processEvents()


if __name__ == "__main__":
    # Nothing of this machine's own work is in the pictures.
    with tempfile.TemporaryDirectory() as home:
        for name in ("STATE", "CONFIG", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(home) / name.lower())
        begin()
        main()
