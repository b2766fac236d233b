"""Do in the window what a newcomer would do, and take pictures: for the headless demo."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QApplication

from onda.app.main import application
from onda.app.shell.window import MainWindow
from onda.errors import OndaError
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.elements import SeriesResistor
from onda.project.quantities import quantity

__all__ = ["grab", "set_resistor", "take_tour"]


def grab(window: MainWindow, file: Path) -> None:
    """Save a picture of a window as it is."""
    QApplication.processEvents()
    if not window.grab().save(str(file)):
        raise OndaError(f"{file}: the picture could not be saved")


def set_resistor(window: MainWindow, path: str, ohm: float) -> None:
    """Set the series resistor of a path, as its trim does."""
    project = window.document.project
    old = project.design.path(path)
    elements = tuple(
        set_value(e, value=quantity(ohm, "resistance")) if isinstance(e, SeriesResistor) else e
        for e in old.elements
    )
    paths = tuple(
        set_value(p, elements=elements) if p.id == path else p for p in project.design.paths
    )
    design = set_value(project.design, paths=paths)
    window.document.edit("Change Rs", set_value(project, design=design))


def take_tour(project: Project, folder: Path) -> list[str]:
    """Walk through the stages; return the names of the pictures."""
    app = application()  # Qt needs it to stay alive as long as the window
    window = MainWindow(project)
    window.show()
    pictures: list[str] = []

    def shoot(name: str) -> None:
        window.settle()
        grab(window, folder / name)
        pictures.append(name)

    window.selection.go("paths")
    shoot("window-1-clock-fails.png")
    window.keep()
    set_resistor(window, "clk-adc", 46.0)
    shoot("window-2-clock-trimmed.png")
    window.selection.go("lines")
    shoot("window-3-lines.png")
    window.selection.go("eyes")
    shoot("window-4-eye.png")
    window.selection.go("stackup")
    shoot("window-5-stackup.png")
    window.selection.go("networks")
    shoot("window-6-networks.png")
    window.document.stack.setClean()
    window.close()
    app.processEvents()
    return pictures
