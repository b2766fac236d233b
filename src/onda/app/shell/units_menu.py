"""The menu of units in which lengths and losses are shown."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QMenu

from onda.app.theme import Look
from onda.project.shown_units import ShownUnits, units_in_use

__all__ = ["add_units_menu"]


def add_units_menu(menu: QMenu, look: Look) -> None:
    """Add the choice of units to a menu; what is in use is ticked."""
    units = menu.addMenu("Units")
    if units is None:
        return
    now = units_in_use()
    choices: list[tuple[str, ShownUnits]] = [
        ("Millimetres and micrometres", replace(now, lengths="metric")),
        ("Inches and mil", replace(now, lengths="mil")),
        ("Loss per 100 mm", replace(now, losses="100 mm")),
        ("Loss per inch", replace(now, losses="inch")),
        ("Loss per metre", replace(now, losses="m")),
    ]
    for k, (title, choice) in enumerate(choices):
        if k == 2:
            units.addSeparator()
        action = units.addAction(title)
        if action is not None:
            action.setCheckable(True)
            action.setChecked(choice == now)
            action.triggered.connect(lambda _, choice=choice: look.set_units(choice))
