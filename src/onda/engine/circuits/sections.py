"""Pieces of coupled lines that are short against an edge, each as one section.

Its resistance is that of rest and its inductance that of an edge: over so short a piece the way
from one to the other is of no account.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from onda.engine.circuits.net import CapacitorMatrix, CoupledInductors, CoupledPiece, Net
from onda.engine.circuits.short_piece import difference_share
from onda.engine.group_lines import GroupLine

__all__ = ["with_sections"]


def with_sections(net: Net, step: float, knee: float) -> Net:
    """The net with inductors and capacitors for each `short` piece of coupled lines.

    Parameters
    ----------
    step : s, of the time that is stepped in; knee : Hz, carries an edge
    """
    kept: list[CoupledPiece] = []
    inductors, capacitors = list(net.inductors), list(net.capacitors)
    s = np.array([2j * np.pi * knee])
    omega = float(s[0].imag)
    for piece in net.coupled:
        line = piece.line
        if not isinstance(line, GroupLine) or not piece.short:
            kept.append(piece)
            continue
        series = line.series_impedance(s)[0] * piece.length
        shunt = line.shunt_admittance(s)[0] * piece.length
        pairs = tuple(zip(piece.nodes_a, piece.nodes_b, strict=True))
        rest = np.diag(line.r_dc) * piece.length
        inductors.append(CoupledInductors(pairs, series.imag / omega, rest))
        # Of the mean of both ends, and of what their difference sees (`difference_share`).
        share = difference_share(line.fastest * piece.length / step)
        ends = 0.25 * np.array([[1.0 + share, 1.0 - share], [1.0 - share, 1.0 + share]])
        both = np.kron(ends, shunt.imag / omega)
        capacitors.append(CapacitorMatrix((*piece.nodes_a, *piece.nodes_b), both))
    if len(kept) == len(net.coupled):
        return net
    return replace(
        net, coupled=tuple(kept), inductors=tuple(inductors), capacitors=tuple(capacitors)
    )
