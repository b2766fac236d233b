"""The models that every stage works with."""

from __future__ import annotations

from dataclasses import dataclass

from onda.app.document import Document
from onda.app.jobs import JobDesk
from onda.app.selection import Selection
from onda.app.standing import Standing
from onda.app.theme import Look

__all__ = ["Context"]


@dataclass(frozen=True)
class Context:
    """Look, document, selection, desk of runs, and how the board stands."""

    look: Look
    document: Document
    selection: Selection
    desk: JobDesk
    standing: Standing
