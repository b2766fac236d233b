"""The menu of what a network can be made of."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from onda.app.kit.editor import Editor
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.networks.in_view import NetworkInView
from onda.project.networks.network import FileSource

__all__ = ["add_menu"]


def add_menu(
    parent: QWidget,
    editor: Editor,
    subject: NetworkInView,
    edits: NetworkEdits,
    open_file: Callable[[], None],
    copy: Callable[[], None],
) -> QMenu:
    """Make the menu for what is in view."""
    menu = QMenu(parent)
    design, network = subject.design, subject.network

    def entry(to: QMenu, words: str, act: Callable[[], None]) -> None:
        action = to.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _: editor.run(act))

    entry(menu, "A file of S-parameters…", open_file)
    lines = menu.addMenu("A piece of line")
    for c in design.line_classes:
        if lines is not None and c.structure.one_line:
            entry(lines, c.name, partial(edits.from_line, c.id))
    paths = menu.addMenu("A path")
    for p in design.paths:
        if paths is not None:
            entry(paths, p.name, partial(edits.from_path, p.id))
    groups = menu.addMenu("A group of lanes") if design.groups else None
    for g in design.groups:
        if groups is not None:
            entry(groups, g.name, partial(edits.from_group, g.id))
    if network is not None:
        entry(menu, f"A chain that begins with {network.name}", edits.chain_of_this)
        if isinstance(network.source, FileSource):
            entry(menu, f"Both halves of {network.name}", edits.halves_of_this)
        of_files = [n for n in design.networks if n.source.kind == "file" and n.id != network.id]
        if network.source.kind == "file" and of_files:
            fixtures = menu.addMenu(f"{network.name} without fixtures, by a 2x through")
            for n in of_files:
                if fixtures is not None:
                    entry(fixtures, n.name, partial(edits.without_fixtures, n.id))
        entry(menu, f"A copy of {network.name}", copy)
    return menu
