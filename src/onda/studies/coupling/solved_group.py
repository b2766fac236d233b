"""A piece of a group as coupled lines: its section solved, its copper and dielectrics as matrices.

The field solution gives L, C and the resistance of thin skin as matrices. How resistance rises from
rest to there is taken from one lane's line alone, solved with filaments: the ladder of its current
crowding, scaled by the matrix, so that both ends are exact and the way between is the lane's own.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.lines import Ladder
from onda.engine.roughness import Hammerstad, Huray
from onda.engine.section import solve_section
from onda.engine.section.copper import rough_ladder
from onda.engine.section.resistance import resistance
from onda.errors import InputError
from onda.studies.coupling.inputs import PieceInputs
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import rough_faces, section_at_frequency, solve_line

__all__ = ["coupled_lanes", "delay_of", "group_line", "lane_matrices", "lane_target"]

FloatArray = NDArray[np.float64]


@lru_cache(maxsize=64)
def group_line(section: LineInputs, lane: LineInputs, fine: bool) -> GroupLine:
    """All conductors of a section as coupled lines; `lane` is one of its lanes by itself."""
    drawn, dielectrics, er = section_at_frequency(section)
    result = solve_section(drawn, per_piece=5 if fine else 4, quick=not fine)
    losses = resistance(drawn, result, section.resistivity)
    inductance = 0.5 * (result.l_ext + result.l_ext.T)
    shares = [0.5 * (share + share.T) for share in result.c_share]
    air = 0.5 * (result.c + result.c.T) - np.sum(shares, axis=0)
    parts = [
        GroupCapacitance(share, er[name], dielectrics[name])
        for name, share in zip(result.materials, shares, strict=True)
    ]
    # One lane's copper is known while lanes are dragged, so that quick sections have it too.
    one = solve_line(lane)
    # By the same surface currents, so that what they leave out at corners cancels.
    share = losses.k_skin / solve_line(lane, False).smooth.k_skin
    crowding = tuple((ladder, share) for ladder in one.smooth.ladders)
    rough = _roughness(section, losses.k_by_surface)
    return GroupLine(
        inductance,
        (*parts, GroupCapacitance(air)),
        np.diag(losses.r_dc),
        np.zeros_like(inductance),
        (*crowding, *rough),
    )


def _roughness(
    section: LineInputs, by_surface: dict[str, FloatArray]
) -> tuple[tuple[Ladder, FloatArray], ...]:
    rough = section.rough
    if rough.model == "smooth":
        return ()
    make = Hammerstad.from_rz if rough.model == "Hammerstad" else Huray.from_rz
    return tuple(
        (rough_ladder(1.0, make(rz), section.resistivity), by_surface[name])
        for name, rz in rough_faces(rough).items()
        if rz > 0.0 and name in by_surface and np.any(by_surface[name])
    )


def coupled_lanes(piece: PieceInputs, fine: bool) -> GroupLine:
    """The lanes of a coupled piece as lines in time, pairs by their differential modes.

    Raises
    ------
    InputError : it has guards, which are tied and thus no lines
    """
    if piece.guards:
        raise InputError(
            f"piece {piece.id} has guards, which are followed over frequency only",
            remedy="Take its guards away to look at waves.",
        )
    assert piece.section is not None
    line = group_line(piece.section, piece.lane, fine)
    return line.of_pairs if piece.lane.differential else line


def lane_target(piece: PieceInputs) -> float:
    """Impedance of a conductor of a lane that is alone, ohm: what matches its ends."""
    one = solve_line(piece.lane)
    return 0.5 * one.z if piece.lane.differential else one.z


def delay_of(piece: PieceInputs) -> float:
    """Of one lane along a piece and through its vias, s."""
    along = solve_line(piece.lane).signal_mode.delay * piece.length
    return along + (piece.vias.delay if piece.vias is not None else 0.0)


def lane_matrices(
    line: GroupLine, signals: tuple[int, ...], pair: bool
) -> tuple[FloatArray, FloatArray]:
    """C and L (lanes, lanes) that lanes see of each other; of pairs of their differential modes.

    With v = A v_d and i = B i_d, A = (1/2, -1/2) and B = (1, -1) for each pair: C_d = A^T C A and
    L_d = B^T L B. Lines that are no signals lie at 0 V: their rows leave C and close L.
    """
    c = line.at_reference
    keep = np.ix_(signals, signals)
    c_kept = c[keep]
    l_kept = np.linalg.inv(np.linalg.inv(line.l_ext)[keep])
    if not pair:
        return c_kept, l_kept
    count = len(signals) // 2
    turn = np.kron(np.eye(count), np.array([[1.0], [-1.0]]))
    return np.asarray(0.25 * turn.T @ c_kept @ turn), np.asarray(turn.T @ l_kept @ turn)
