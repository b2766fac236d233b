"""Voltage and current along a path, from what is known at the ends of its pieces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import TransientSolution
from onda.engine.lines import Line
from onda.studies.paths.build import BuiltPath
from onda.studies.paths.run import PathRun

__all__ = ["ends_of_pieces", "pieces_on_the_way", "wave_map"]

FloatArray = NDArray[np.float64]


def wave_map(
    run: PathRun, solution: TransientSolution, wanted: int, shown: FloatArray
) -> tuple[FloatArray, NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]:
    """Voltage and current at places evenly spaced in delay, at least three on every piece."""
    built = run.built
    total = sum(s.end - s.start for s in built.spans) or 1e-12
    places, pieces, volts, amps = [], [], [], []
    few = _resampled(solution, shown)
    known: dict[Line, tuple[NDArray[np.complex128], NDArray[np.complex128]]] = {}
    for span_index, number, own in pieces_on_the_way(built):
        span = built.spans[span_index]
        count = max(3, round(wanted * (span.end - span.start) / total))
        share = np.linspace(0.0, 1.0, count)
        if own is None:
            v, i = few.both_along(number, share * built.net.lines[number].length, known)
        else:
            both = few.coupled_along(number, share * built.net.coupled[number].length)
            v, i = both[0][own], both[1][own]
        volts.append(v.astype(np.float32))
        amps.append(i.astype(np.float32))
        places.append(span.start + share * (span.end - span.start))
        pieces.append(np.full(count, span_index))
    return (
        np.concatenate(places),
        np.concatenate(pieces),
        np.concatenate(volts),
        np.concatenate(amps),
    )


def pieces_on_the_way(built: BuiltPath) -> list[tuple[int, int, int | None]]:
    """Span and number of every piece on the way, in order; of a coupled one also which line."""
    plain = [(k, n, None) for n, k in enumerate(built.piece_span) if k >= 0]
    coupled = [(k, n, own) for n, (k, own) in enumerate(built.coupled_span)]
    return sorted([*plain, *coupled], key=lambda piece: piece[0])


def _resampled(solution: TransientSolution, time: FloatArray) -> TransientSolution:
    """The solution at fewer times, where it has more than are shown."""
    if len(time) == len(solution.time):
        return solution
    volts = np.stack(
        [
            np.interp(time, solution.time, solution.volts[:, k])
            for k in range(solution.volts.shape[1])
        ],
        axis=1,
    )
    return replace(solution, time=time, volts=volts)


def ends_of_pieces(run: PathRun) -> tuple[FloatArray, NDArray[np.int64], list[int]]:
    """Places, spans and nodes of both ends of every piece."""
    places, pieces, nodes = [], [], []
    net = run.built.net
    for index, number, own in pieces_on_the_way(run.built):
        span = run.built.spans[index]
        places += [span.start, span.end]
        pieces += [index, index]
        if own is None:
            nodes += [net.lines[number].node_a, net.lines[number].node_b]
        else:
            many = net.coupled[number]
            nodes += [many.nodes_a[own], many.nodes_b[own]]
    return np.array(places), np.array(pieces), nodes
