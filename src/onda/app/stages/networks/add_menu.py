"""The menu of what a network can be made of."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QMenu

from onda.errors import OndaError
from onda.project.networks.network import FileSource

if TYPE_CHECKING:
    from onda.app.stages.networks.stage import NetworksStage

__all__ = ["add_menu"]


def add_menu(
    stage: NetworksStage, open_file: Callable[[], None], copy: Callable[[], None]
) -> QMenu:
    """Make the menu for what is in view."""
    menu = QMenu(stage.surface)
    design, network, edits = stage.design, stage.network, stage.edits

    def entry(to: QMenu, words: str, act: Callable[[], None]) -> None:
        def run() -> None:
            try:
                act()
            except OndaError as error:
                stage.surface.tell(str(error))

        action = to.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _: run())

    entry(menu, "A file of S-parameters…", open_file)
    lines = menu.addMenu("A piece of line")
    for c in design.line_classes:
        if lines is not None and c.kind != "group":
            entry(lines, c.name, partial(edits.from_line, c.id))
    paths = menu.addMenu("A path")
    for p in design.paths:
        if paths is not None:
            entry(paths, p.name, partial(edits.from_path, p.id))
    if network is not None:
        entry(menu, f"A chain that begins with {network.name}", edits.chain_of_this)
        if isinstance(network.source, FileSource):
            entry(menu, f"Both halves of {network.name}", edits.halves_of_this)
        entry(menu, f"A copy of {network.name}", copy)
    return menu
