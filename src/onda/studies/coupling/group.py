"""What lanes of a group do to each other: who disturbs whom, in frequency and in time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.coupling.crosstalk import Lane, Noise, NoiseTerms, crosstalk, near_ends, noise_of
from onda.engine.coupling.group import GroupPiece, piece_network, vias_network
from onda.engine.coupling.pulses import Arrival, arrivals, edge_responses, peaks_of
from onda.engine.coupling.vias import ViaRow
from onda.engine.networks.algebra import cascade
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.parameters import renormalise
from onda.engine.networks.time_domain import Edge
from onda.engine.section.multiline import Coupling, coupling_between
from onda.errors import NotPhysical
from onda.studies.core.held import held
from onda.studies.core.study import Control, Study
from onda.studies.coupling.inputs import GroupInputs, PieceInputs
from onda.studies.coupling.solved_group import delay_of, group_line, lane_matrices, lane_target

__all__ = ["GROUP", "GroupResult", "Neighbours", "network_of_group"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_POINTS, _MOST_POINTS = 1000, 8000
_RINGS = 8.0
"""Times the whole delay that a response is looked at: what echoes between unmatched ends."""
_LOW = 50e6
"""Hz, where the band of integrated noise begins, as in IEEE 802.3."""
_STRAIGHT = 1.0 / 0.6
"""From 0 to 100 percent of a straight edge over its 20 to 80 percent time."""


@dataclass(frozen=True, slots=True)
class Neighbours:
    """Two lanes beside each other in a piece, by the weak-coupling coefficients."""

    piece: str
    first: int
    second: int
    coupling: Coupling


@dataclass(frozen=True, slots=True, eq=False)
class GroupResult:
    """A group's crosstalk; n lanes, victim first in every matrix.

    Attributes
    ----------
    frequency : (f,) Hz from 0; heard : (f, n, n) what each receiver hears of each transmitter, on
        the diagonal what comes through
    near : (n, n), whether a disturber sits at the receiver's end
    time : (t,) s, 0 at the middle of the edge; volts : (t, n, n) for a transmitter whose edge
        comes to 1 V at its own receiver, but for its loss
    peaks : (n, n) V, largest excursion for its transmitter's whole swing
    allowed : (n,) V rms at each lane's loss, NaN for no limit or a loss beyond the curve
    doubts : what every figure must say
    common : (f, n, n) what each receiver hears as common mode of each transmitter, on the diagonal
        of its own; None of single lines
    """

    name: str
    lanes: tuple[str, ...]
    ids: tuple[str, ...]
    rightward: tuple[bool, ...]
    pair: bool
    rate: float
    frequency: FloatArray
    heard: ComplexArray
    near: NDArray[np.bool_]
    noise: tuple[Noise, ...]
    time: FloatArray
    volts: FloatArray
    peaks: FloatArray
    arrivals: tuple[Arrival, ...]
    allowed: FloatArray
    neighbours: tuple[Neighbours, ...]
    delay: float
    doubts: tuple[str, ...] = ()
    common: ComplexArray | None = None

    def lane(self, identifier: str) -> int:
        """Number of a lane from 0; raise `NotPhysical` where there is none."""
        if identifier not in self.ids:
            raise NotPhysical("lane", identifier, f"one of {', '.join(self.ids)}")
        return self.ids.index(identifier)

    def power_sum(self, victim: int, near: bool | None = None) -> FloatArray:
        """(f,) root of the sum of squares over disturbers: near ones, far ones, or all."""
        some = self.near[victim] if near else ~self.near[victim]
        if near is None:
            some = np.ones(len(self.ids), dtype=bool)
        some = some & (np.arange(len(self.ids)) != victim)
        return np.asarray(np.sqrt((np.abs(self.heard[:, victim, some]) ** 2).sum(axis=1)))

    def peak_sum(self, victim: int, near: bool | None = None) -> float:
        """Volts of all disturbers (or near, or far ones) in the worst alignment."""
        sizes = np.abs(self.peaks[victim])
        if near is None:
            return float(sizes.sum())
        return float(sizes[self.near[victim] == near].sum())


@held(2**28)
def _network_of_piece(
    inputs: PieceInputs, lanes: int, fine: bool, z: float, grid: tuple[float, float, int]
) -> ComplexArray:
    """S of a piece; what is not touched while another one is dragged stays known."""
    frequency = np.linspace(*grid)
    if inputs.section is not None:
        line = group_line(inputs.section, inputs.lane, fine)
        piece = GroupPiece(line, inputs.length, inputs.guards, inputs.pitch)
        return piece_network(frequency, piece, np.full(piece.signals, z))
    own = GroupPiece(group_line(inputs.lane, inputs.lane, fine), inputs.length)
    s = piece_network(frequency, own, np.full(own.signals, z))
    k = own.signals
    out = np.zeros((len(s), 2, lanes, k, 2, lanes, k), dtype=complex)
    for lane in range(lanes):
        out[:, :, lane, :, :, lane, :] = s.reshape(len(s), 2, k, 2, k)
    return out.reshape(len(s), 2 * lanes * k, 2 * lanes * k)


@held(2**26)
def _network_of_vias(row: ViaRow, z: float, grid: tuple[float, float, int]) -> ComplexArray:
    return vias_network(np.linspace(*grid), row, np.full(row.lanes * row.barrels, z))


def network_of_group(
    inputs: GroupInputs, grid: tuple[float, float, int], control: Control | None = None
) -> tuple[ComplexArray, float]:
    """S (f, 2k, 2k) between all conductors, left ends first, and their reference, ohm.

    Parameters
    ----------
    grid : first and last frequency, Hz, and how many in even steps

    Raises
    ------
    NotPhysical : a section that cannot be solved
    """
    z = lane_target(inputs.pieces[0])
    made = []
    for k, piece in enumerate(inputs.pieces):
        if piece.vias is not None:
            made.append(_network_of_vias(piece.vias, z, grid))
        made.append(_network_of_piece(piece, len(inputs.lanes), inputs.fine, z, grid))
        if control is not None:
            control.progress(0.1 + 0.6 * (k + 1) / len(inputs.pieces))
    return (made[0] if len(made) == 1 else cascade(*made)), z


def _run(inputs: GroupInputs, control: Control) -> GroupResult:
    control.progress(0.05)
    delay = sum(delay_of(piece) for piece in inputs.pieces)
    edge = Edge(inputs.rise)
    top = max(0.8 * inputs.rate, inputs.receiver, edge.needs)
    points = int(np.clip(np.ceil(top * _RINGS * delay), _POINTS, _MOST_POINTS))
    frequency = np.linspace(0.0, top, points + 1)
    s, z = network_of_group(inputs, (0.0, top, points + 1), control)
    k = s.shape[-1] // 2
    s = _at_ends(inputs, s, z)
    control.progress(0.75)
    lanes, heard, common = _lanes(inputs, s, k)
    n = len(lanes)
    near = near_ends(lanes)
    terms = NoiseTerms(
        inputs.rate, inputs.receiver, inputs.near, inputs.far, inputs.rise, inputs.rise,
        max(_LOW, float(frequency[1])), 0.75 * inputs.rate,
    )  # fmt: skip
    noise = noise_of(frequency, heard, lanes, terms)
    control.progress(0.8)
    time, volts = edge_responses(frequency, heard, edge)
    swing = 2.0 * np.where(near, inputs.near, inputs.far)
    same = ~near & ~np.eye(n, dtype=bool)
    return GroupResult(
        inputs.name,
        tuple(x.name for x in inputs.lanes),
        tuple(x.id for x in inputs.lanes),
        tuple(x.rightward for x in inputs.lanes),
        inputs.pair,
        inputs.rate,
        frequency,
        heard,
        near,
        noise,
        time,
        volts,
        peaks_of(volts) * swing,
        arrivals(time, volts, same),
        _allowed(inputs, noise),
        _neighbours(inputs),
        delay,
        _doubts(inputs, noise),
        common,
    )


def _at_ends(inputs: GroupInputs, s: ComplexArray, z: float) -> ComplexArray:
    """Seen between sources and loads as they are; what is not stated is matched."""
    source, load = inputs.source or z, inputs.load or z
    if source == z == load:
        return s
    per_lane = 2 if inputs.pair else 1
    left = [source if x.rightward else load for x in inputs.lanes for _ in range(per_lane)]
    right = [load if x.rightward else source for x in inputs.lanes for _ in range(per_lane)]
    ends = np.array([*left, *right])
    turned = renormalise(s, np.full(len(ends), z), ends)
    # Waves on unlike references carry power, not volts: a load hears its own root over that of the
    # source. The swing is that which comes to rest at a load.
    at_rest = (source + load) / (2.0 * load)
    return np.asarray(turned * at_rest * np.sqrt(ends[:, None] / ends[None, :]))


def _lanes(
    inputs: GroupInputs, s: ComplexArray, k: int
) -> tuple[tuple[Lane, ...], ComplexArray, ComplexArray | None]:
    """Lanes by their ports, what is heard, and what of it as common mode."""
    n = len(inputs.lanes)
    lanes = tuple(Lane(i, n + i, x.rightward) for i, x in enumerate(inputs.lanes))
    if not inputs.pair:
        return lanes, crosstalk(s, lanes), None
    pairs = tuple((side + 2 * i, side + 2 * i + 1) for side in (0, k) for i in range(n))
    mixed = mixed_mode(s, pairs)
    modes = 2 * n
    heard = crosstalk(mixed[:, :modes, :modes], lanes)
    return lanes, heard, crosstalk(mixed[:, modes:, :modes], lanes)


def _allowed(inputs: GroupInputs, noise: tuple[Noise, ...]) -> FloatArray:
    if not inputs.allowed:
        return np.full(len(noise), np.nan)
    loss = np.array([p.loss for p in inputs.allowed])
    volts = np.array([p.noise for p in inputs.allowed])
    at = np.array([x.loss_db for x in noise])
    return np.asarray(np.interp(at, loss, volts, left=np.nan, right=np.nan), dtype=np.float64)


def _neighbours(inputs: GroupInputs) -> tuple[Neighbours, ...]:
    out = []
    for piece in inputs.pieces:
        if piece.section is None:
            continue
        line = group_line(piece.section, piece.lane, inputs.fine)
        signals = tuple(i for i in range(line.size) if i not in piece.guards)
        c, inductance = lane_matrices(line, signals, inputs.pair)
        for i in range(len(inputs.lanes) - 1):
            found = coupling_between(
                c, inductance, i, i + 1, length=piece.length, rise_time=_STRAIGHT * inputs.rise
            )
            out.append(Neighbours(piece.id, i, i + 1, found))
    return tuple(out)


def _doubt_of_vias(piece: str, row: ViaRow) -> str:
    if not row.one.has_return:
        return f"vias of {piece} have no return via: their loops are taken to close 5 mm away"
    return f"vias of {piece} couple by their currents; waves between the planes are no part of it"


def _doubts(inputs: GroupInputs, noise: tuple[Noise, ...]) -> tuple[str, ...]:
    out = []
    if not inputs.fine:
        out.append("quick sections, while something moves")
    for piece in inputs.pieces:
        if piece.vias is not None:
            out.append(_doubt_of_vias(piece.id, piece.vias))
        if piece.jumps:
            out.append(f"{piece.id} goes from {' to '.join(piece.jumps)} without vias")
        if piece.open_planes:
            out.append(
                f"{' and '.join(piece.open_planes)} is open along {piece.id}; the way of currents "
                "round the ends of the opening is not part of it"
            )
    if any(piece.guards and piece.pitch == 0.0 for piece in inputs.pieces):
        out.append("guards are tied at the ends of their piece only")
    if inputs.allowed:
        low, high = inputs.allowed[0].loss, inputs.allowed[-1].loss
        beyond = [
            x.name
            for x, one in zip(inputs.lanes, noise, strict=True)
            if not low <= one.loss_db <= high
        ]
        if beyond:
            out.append(
                f"the allowed noise is given from {low:.3g} to {high:.3g} dB, the loss of "
                f"{', '.join(beyond)} lies beyond"
            )
    return tuple(out)


GROUP: Study[GroupInputs, GroupResult] = Study("group", _run, GroupResult, title="Crosstalk")
