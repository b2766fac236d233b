"""Coupled pieces one after another as one network.

A piece of n lines is its admittance between both ends (Paul, Analysis of Multiconductor
Transmission Lines (2008), section 7.2), a row of pieces the product of their transfer matrices.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.coupling.vias import ViaRow
from onda.engine.group_lines import GroupLine
from onda.engine.networks.algebra import cascade, s_to_t, t_to_s
from onda.errors import NotPhysical

__all__ = ["GroupPiece", "group_network", "piece_network", "tied_guards", "vias_network"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_NEXT_TO_DC = 1e3
"""Hz at which lines are looked at in the place of 0 Hz, where they have no waves; lower ones would
leave nothing of a short piece but rounding."""


@dataclass(frozen=True, slots=True, eq=False)
class GroupPiece:
    """`length` metres of coupled lines.

    `guards` are lines that are tied to 0 V, at both ends of the piece and every `pitch` metres
    between; with a pitch of 0 nowhere between.
    """

    line: GroupLine
    length: float
    guards: tuple[int, ...] = ()
    pitch: float = 0.0

    @property
    def signals(self) -> int:
        """Lines that go on beyond the piece."""
        return self.line.size - len(self.guards)


def piece_network(frequency: FloatArray, piece: GroupPiece, reference: FloatArray) -> ComplexArray:
    """S (f, 2k, 2k) of a piece between its k signals: all left ends, then all right ones.

    Parameters
    ----------
    frequency : (f,) Hz, 0 for next to rest
    reference : (k,) ohm, of either end of each signal

    Raises
    ------
    NotPhysical : no length, or a reference that is none
    """
    _check(piece, reference)
    s = _waves_at(frequency)
    if piece.guards:
        return tied_guards(s, piece, reference)
    return _scattering(*piece.line.admittance(s, piece.length), reference)


def _check(piece: GroupPiece, reference: FloatArray) -> None:
    if not (math.isfinite(piece.length) and piece.length > 0.0):
        raise NotPhysical("length", piece.length, "above 0 m")
    _check_reference(reference, piece.signals)


def _check_reference(reference: FloatArray, count: int) -> None:
    if len(reference) != count or not (np.asarray(reference) > 0.0).all():
        raise NotPhysical("references", tuple(reference), f"{count} values above 0 ohm")


def vias_network(frequency: FloatArray, row: ViaRow, reference: FloatArray) -> ComplexArray:
    """S (f, 2n, 2n) of vias side by side, as `piece_network` has it.

    Raises
    ------
    NotPhysical : vias nearer than two drills, or a reference that is none
    """
    _check_reference(reference, row.lanes * row.barrels)
    return _of_admittance(row.network(_waves_at(frequency)), reference)


def _waves_at(frequency: FloatArray) -> ComplexArray:
    return np.asarray(2j * np.pi * np.maximum(frequency, _NEXT_TO_DC))


def _scattering(own: ComplexArray, mutual: ComplexArray, reference: FloatArray) -> ComplexArray:
    y = np.concatenate(
        [np.concatenate([own, -mutual], -1), np.concatenate([-mutual, own], -1)], axis=-2
    )
    return _of_admittance(y, reference)


def _of_admittance(y: ComplexArray, reference: FloatArray) -> ComplexArray:
    root = np.sqrt(np.concatenate([reference, reference]))
    y = root[:, None] * y * root
    # What rounding makes of a symmetric matrix would show as non-reciprocity.
    y = 0.5 * (y + y.transpose(0, 2, 1))
    unit = np.eye(len(root))
    return np.asarray(np.linalg.solve(unit + y, unit - y))


def tied_guards(s: ComplexArray, piece: GroupPiece, reference: FloatArray) -> ComplexArray:
    """S of a piece whose guards are lines of their own between the places where they are tied."""
    bays = max(round(piece.length / piece.pitch), 1) if piece.pitch > 0.0 else 1
    own, mutual = piece.line.admittance(s, piece.length / bays)
    kept = np.array([k for k in range(piece.line.size) if k not in piece.guards])
    # Tied at both ends: their voltages there are 0, so their rows and columns are left out.
    between = [block[:, kept][:, :, kept] for block in (own, mutual)]
    one = s_to_t(_scattering(between[0], between[1], reference))
    return t_to_s(np.linalg.matrix_power(one, bays))


def group_network(
    frequency: FloatArray, pieces: Sequence[GroupPiece], reference: FloatArray
) -> ComplexArray:
    """S (f, 2k, 2k) of pieces in a row on `reference` (k,) ohm; left ends first, then right ones.

    Raises
    ------
    NotPhysical : no piece, or pieces of different numbers of signals
    """
    if not pieces:
        raise NotPhysical("group", "no piece", "one or more")
    first = pieces[0].signals
    for piece in pieces:
        if piece.signals != first:
            raise NotPhysical("group", f"{piece.signals} signals", f"{first} as in its first piece")
    if len(pieces) == 1:
        return piece_network(frequency, pieces[0], reference)
    return cascade(*(piece_network(frequency, piece, reference) for piece in pieces))
