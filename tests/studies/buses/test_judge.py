"""What a bus's margin follows from beyond the bus itself."""

from __future__ import annotations

from onda.project.base import set_value
from onda.project.coupling.edits import set_spacing
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.paths.elements.lane import LanePiece
from onda.project.quantities import parse_quantity
from onda.studies.core.judge import Book


def test_a_bus_whose_net_runs_in_a_group_follows_the_group(project: Project) -> None:
    """A byte along a lane of another group: to move its lanes is to move the margin."""
    path = project.design.path("mem-dq")
    lane = LanePiece(id="G", group="memory-byte", lane="dq0")
    inside = set_value(path, elements=(lane, *path.elements))
    board = replace_object(project, inside)
    requirement = next(r for r in board.requirements if r.kind == "bus")
    book = Book()
    before = book.look(board.design, requirement)
    assert before.need is not None
    group = board.design.group("memory-byte")
    moved = set_spacing(group, group.pieces[0].id, parse_quantity("700 um", "length"))
    other = replace_object(board, moved)
    assert book.look(other.design, requirement).key != before.key
