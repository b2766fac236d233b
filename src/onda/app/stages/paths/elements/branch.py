"""A tributary in the Paths stage: its fields are those of the receiver at its end."""

from __future__ import annotations

from onda.app.stages.paths.elements.shunt import sweep_of_end
from onda.app.stages.paths.look import ElementLook

__all__ = ["LOOK"]

LOOK = ElementLook(
    "Receiver", "at the end of branch {id}", chip=lambda e: str(e.id), sweep=sweep_of_end
)
