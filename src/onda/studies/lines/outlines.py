"""Study `outlines`: read the outlines of a drawn section from a file."""

from __future__ import annotations

from dataclasses import dataclass

from onda.formats.outlines_csv import OutlineRow, outlines_from_csv
from onda.studies.core.reading import ReadInputs, take
from onda.studies.core.study import Control, Study

__all__ = ["OUTLINES", "Outlines"]


@dataclass(frozen=True, slots=True)
class Outlines:
    """What is drawn in the file."""

    rows: tuple[OutlineRow, ...]


def _run(inputs: ReadInputs, _: Control) -> Outlines:
    content = take(inputs)
    return Outlines(tuple(outlines_from_csv(content.read(), file=content.name)))


OUTLINES: Study[ReadInputs, Outlines] = Study(
    "outlines", _run, Outlines, keep_on_disk=False, title="Outlines"
)
