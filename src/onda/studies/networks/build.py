"""A network from its slice: read, put in order, renormalised, mended, joined."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits import ShuntBranch
from onda.engine.circuits.linear import node_responses
from onda.engine.coupled_lines import pair_line
from onda.engine.coupling.group import GroupPiece, piece_network
from onda.engine.networks import remedies
from onda.engine.networks.algebra import s_to_t, t_to_s
from onda.engine.networks.connect import extend_ports, sub_network, terminate
from onda.engine.networks.fixture import Unlike, corrected_halves, unlike_fixtures
from onda.engine.networks.mixed_mode import single_ended
from onda.engine.networks.parameters import hybrid_to_s, renormalise, y_to_s, z_to_s
from onda.engine.networks.sampling import interpolated, phase_delay
from onda.engine.networks.split import Halves, split_through
from onda.errors import InputError, NotPhysical
from onda.formats.network_files import read_network
from onda.formats.touchstone.modes import plain_ports
from onda.formats.touchstone.reader import TouchstoneFile
from onda.project.files import Content
from onda.studies.core.held import held
from onda.studies.coupling.group import network_of_group
from onda.studies.coupling.solved_group import group_line
from onda.studies.lines.solved_line import solve_line
from onda.studies.networks.inputs import (
    ChainItem,
    FileItem,
    GroupItem,
    HalfItem,
    LineItem,
    NetworkInputs,
    PathItem,
    PieceItem,
)
from onda.studies.paths.build import build_path

__all__ = ["OWN_GRID", "BuiltNetwork", "PieceSpan", "build_network", "file_network"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_UNLIKE = 0.02
"""Share of impedance by which a fixture may differ from its half without a word."""
OWN_GRID: FloatArray = np.arange(1.0, 2001.0) * 2e7
"""Hz, where networks of our own making are computed: 20 MHz to 40 GHz."""


@dataclass(frozen=True, slots=True)
class PieceSpan:
    """A piece of a chain on the delay scale, s; `removed` ones run backwards.

    `ports` are the numbers of its ports in its file, left ones as they lie in the chain first.
    """

    id: str
    name: str
    start: float
    end: float
    removed: bool
    ports: tuple[int, ...]


@dataclass(frozen=True, slots=True, eq=False)
class BuiltNetwork:
    """A network, left ports first, then right ones in the same order, all on one reference.

    Attributes
    ----------
    frequency : (f,) Hz; s : (f, n, n); reference : ohm
    ports : number of each port in the file, from 1
    raw : (r, n, n) in the file's own order, before remedies, at raw_frequency (r,) Hz
    change : how much remedies moved, largest entry
    spans : of the pieces of a chain
    doubts : what every figure taken from it must say
    """

    frequency: FloatArray
    s: ComplexArray
    reference: float
    ports: tuple[int, ...]
    raw_frequency: FloatArray
    raw: ComplexArray
    change: float
    notes: tuple[str, ...]
    spans: tuple[PieceSpan, ...] = ()
    doubts: tuple[str, ...] = ()


@held(2**29)
def file_network(content: Content) -> TouchstoneFile:
    """A file as S-parameters between plain ports.

    Raises
    ------
    InputError : it cannot be had, read or understood
    """
    short = content.name.rsplit("/", 1)[-1]
    file = read_network(content.read(), short)
    s = file.data
    try:
        if file.parameter == "Z":
            s = z_to_s(s, file.reference)
        elif file.parameter == "Y":
            s = y_to_s(s, file.reference)
        elif file.parameter in ("H", "G"):
            s = hybrid_to_s(s, file.parameter, file.reference)
    except (NotPhysical, np.linalg.LinAlgError) as error:
        raise InputError(f"cannot be turned into S-parameters ({error})", file=short) from error
    if file.mixed_mode:
        s = plain_ports(s, file.mixed_mode, file.reference, short)
    return replace(file, data=s, parameter="S", mixed_mode="")


@held(2**29)
def build_network(inputs: NetworkInputs) -> BuiltNetwork:
    """Make a network.

    Raises
    ------
    InputError : a file that cannot be read, ports that do not fit
    NotPhysical : something that cannot be joined or taken away
    """
    notes: tuple[str, ...] = ()
    spans: tuple[PieceSpan, ...] = ()
    doubts: tuple[str, ...] = ()
    match inputs.source:
        case FileItem() as item:
            file = file_network(item.content)
            frequency, s, reference = file.frequency, file.data, file.reference
        case HalfItem() as item:
            halves, notes = _halves(item.whole, item.like)
            above = halves.frequency > 0
            frequency = halves.frequency[above]
            s = (halves.left if item.side == "left" else halves.right)[above]
            reference = np.full(s.shape[-1], item.whole.reference)
        case ChainItem() as chain:
            frequency, s, spans, notes, doubts = _chain(chain.pieces, inputs.reference)
            reference = np.full(s.shape[-1], inputs.reference)
        case other:
            frequency, reference = OWN_GRID, np.full(1, 50.0)
            s = _computed(other, frequency)
    if (reference != inputs.reference).any():
        s = renormalise(s, reference, inputs.reference)
    raw_frequency, raw = frequency, s
    ports, s = _arranged(inputs, s)
    if any(inputs.planes):
        s = _shifted(frequency, s, inputs.planes, inputs.reference)
    frequency, s, change, more = _mended(inputs.remedies, frequency, s)
    return BuiltNetwork(
        frequency,
        s,
        inputs.reference,
        tuple(p + 1 for p in ports),
        raw_frequency,
        raw,
        change,
        (*notes, *more),
        spans,
        doubts,
    )


@held(2**27)
def _halves(whole: NetworkInputs, like: NetworkInputs | None) -> tuple[Halves, tuple[str, ...]]:
    """Both halves of a 2x through, and what is to be said of them."""
    two = build_network(whole)
    more: tuple[str, ...] = ()
    if like is None:
        halves = split_through(two.frequency, two.s)
    else:
        around = build_network(replace(like, reference=whole.reference))
        halves, unlike = corrected_halves(two.frequency, two.s, around.frequency, around.s)
        more = (
            f"impedance of the fixtures in {like.name}: left {unlike.left:+.1%}, right "
            f"{unlike.right:+.1%} of the 2x through's",
        )
    cut = f"what comes back where it is cut is {halves.error:.2g} of an edge"
    return halves, (cut, *more, *halves.notes)


@held(2**20)
def _unlike(whole: NetworkInputs, like: NetworkInputs) -> Unlike:
    two, around = build_network(whole), build_network(replace(like, reference=whole.reference))
    return unlike_fixtures(two.frequency, two.s, around.frequency, around.s)


def _unlike_fixtures(pieces: tuple[PieceItem, ...]) -> tuple[str, ...]:
    """What is to be said where halves are taken away that are not like what they are taken from."""
    out = []
    for one, other in pairwise(pieces):
        for half, piece in ((one, other), (other, one)):
            item = half.network.source
            if not (half.removed and isinstance(item, HalfItem)) or piece.removed or item.like:
                continue
            try:
                found = _unlike(item.whole, piece.network)
            except NotPhysical as error:
                out.append(f"{half.name} cannot be compared with {piece.name} ({error})")
                continue
            off = found.left if half is one else found.right
            if abs(off) > _UNLIKE:
                out.append(
                    f"the fixture in {piece.name} is {off:+.1%} off the impedance of {half.name}: "
                    f"about {found.reflection:.2g} of |S11| is the fixtures'; let the halves follow"
                    f" {piece.name}"
                )
    return tuple(out)


def _arranged(inputs: NetworkInputs, s: ComplexArray) -> tuple[tuple[int, ...], ComplexArray]:
    """Numbers of the ports that are left, from 0, in their order, and S between them."""
    n = s.shape[-1]
    ended = dict(inputs.ends)
    missing = [p + 1 for p in (*ended, *inputs.order) if p >= n]
    if missing:
        raise InputError(
            f"{inputs.name} has {n} ports, there is no port {missing[0]}",
            remedy="Choose an order again.",
        )
    left = [p for p in range(n) if p not in ended]
    if ended:
        loads = {p: complex(np.inf if z < 0 else z) for p, z in ended.items()}
        s = terminate(s, inputs.reference, loads)
    order = inputs.order or tuple(left)
    if not order:
        raise InputError(f"{inputs.name} has no port left")
    if inputs.pair and len(order) % 4:
        raise InputError(
            f"{inputs.name} has {len(order)} ports, which do not make pairs on both sides",
            remedy="Read it as single lines.",
        )
    if order != tuple(left):
        s = sub_network(s, [left.index(p) for p in order])
    return order, s


def _shifted(
    frequency: FloatArray, s: ComplexArray, planes: tuple[float, float], reference: float
) -> ComplexArray:
    n = s.shape[-1]
    half = (n + 1) // 2
    delays = np.array([planes[0]] * half + [planes[1]] * (n - half))
    return extend_ports(frequency, s, delays, reference=reference)


def _mended(
    wanted: tuple[str, ...], frequency: FloatArray, s: ComplexArray
) -> tuple[FloatArray, ComplexArray, float, tuple[str, ...]]:
    acts = {
        "passive": remedies.passive,
        "reciprocal": remedies.reciprocal,
        "causal": remedies.causal,
    }
    change, notes = 0.0, []
    for name in wanted:
        mended = acts[name](frequency, s)
        frequency, s = mended.frequency, mended.s
        change = max(change, mended.change)
        notes.append(f"made {name}: no entry moved by more than {mended.change:.2g}")
        notes += mended.notes
    return frequency, s, change, tuple(notes)


def _computed(item: LineItem | PathItem | GroupItem, frequency: FloatArray) -> ComplexArray:
    """S on 50 ohm of what comes from other stages."""
    if isinstance(item, GroupItem):
        s, z = network_of_group(item.group, (frequency[0], frequency[-1], len(frequency)))
        return renormalise(s, [z] * s.shape[-1], 50.0)
    if isinstance(item, PathItem):
        return _path(item, frequency)
    solved = solve_line(item.line)
    line = solved.line
    if solved.pair is None:
        return line.s_parameters(frequency, item.length, 50.0)
    if solved.pair.converts:
        # Lines that are not alike: odd and even mode do not travel by themselves.
        piece = GroupPiece(group_line(item.line, item.line, True), item.length)
        return piece_network(frequency, piece, np.full(2, 50.0))
    even = solve_line(item.line, True, True).line
    pair = pair_line(line.scaled(0.5), even.scaled(0.5))
    return pair.s_parameters(frequency, item.length, 50.0)


def _path(item: PathItem, frequency: FloatArray) -> ComplexArray:
    if not item.path.pair:
        return _two_port(item, frequency, 50.0)
    # Everything but traces is taken as two legs that do not see each other.
    modes = [
        _two_port(PathItem(replace(item.path, even=even)), frequency, 100.0)
        for even in (False, True)
    ]
    mixed = np.zeros((len(frequency), 4, 4), dtype=complex)
    mixed[:, :2, :2], mixed[:, 2:, 2:] = modes
    return single_ended(mixed, ((0, 1), (2, 3)))


def _two_port(item: PathItem, frequency: FloatArray, z: float) -> ComplexArray:
    built = build_path(replace(item.path, driver_resistance=z))
    net = built.net
    net = replace(net, shunts=(*net.shunts, ShuntBranch(built.load, r=z, source=True, drive=1)))
    volts = node_responses(net, np.asarray(2j * np.pi * frequency), 2)
    ends = [0, built.load]
    # Behind z a source of 1 V sends half a volt: b / a = 2 v - 1 at its own port, 2 v elsewhere.
    return np.asarray(2.0 * volts[:, ends, :] - np.eye(2))


def _chain(
    pieces: tuple[PieceItem, ...], reference: float
) -> tuple[FloatArray, ComplexArray, tuple[PieceSpan, ...], tuple[str, ...], tuple[str, ...]]:
    built = [build_network(replace(p.network, reference=reference)) for p in pieces]
    n = built[0].s.shape[-1]
    for piece, network in zip(pieces, built, strict=True):
        ports = network.s.shape[-1]
        if ports % 2:
            raise InputError(f"{piece.name} has {ports} ports; a chain needs as many left as right")
        if ports != n:
            raise InputError(
                f"{piece.name} has {ports} ports, {pieces[0].name} has {n}",
                remedy="Pieces of one chain need the same number of ports.",
            )
    frequency, notes = _common_grid(pieces, built)
    total: ComplexArray | None = None
    spans, delay = [], 0.0
    for piece, network in zip(pieces, built, strict=True):
        s = _on(network, frequency)
        half = n // 2
        if piece.turned:
            s = np.roll(np.roll(s, half, axis=1), half, axis=2)
        took = phase_delay(frequency, s[:, half, 0])
        took = -took if piece.removed else took
        ports = network.ports[half:] + network.ports[:half] if piece.turned else network.ports
        spans.append(PieceSpan(piece.id, piece.name, delay, delay + took, piece.removed, ports))
        delay += took
        t = s_to_t(s)
        if piece.removed:
            t = np.asarray(np.linalg.inv(t))
        if piece is not pieces[-1]:
            t = t @ _crossing(piece, half)
        total = t if total is None else total @ t
    assert total is not None
    doubts = tuple(doubt for network in built for doubt in network.doubts)
    doubts += _unlike_fixtures(pieces)
    return frequency, t_to_s(total), tuple(spans), notes, tuple(dict.fromkeys(doubts))


def _crossing(piece: PieceItem, half: int) -> ComplexArray:
    """Transfer matrix of the wires from a piece to the next."""
    wires = piece.wires or tuple(range(half))
    if len(wires) != half:
        raise InputError(
            f"{piece.name}: {len(wires)} wires for {half} ports on its right",
            remedy="Join its ports again.",
        )
    swap = np.zeros((half, half), dtype=complex)
    for right, left in enumerate(wires):
        swap[right, left] = 1.0
    none = np.zeros_like(swap)
    return np.block([[swap, none], [none, swap]])


def _common_grid(
    pieces: tuple[PieceItem, ...], built: list[BuiltNetwork]
) -> tuple[FloatArray, tuple[str, ...]]:
    """The finest grid of a measured piece over the band that all pieces have."""
    low = max(float(b.frequency[0]) for b in built)
    high = min(float(b.frequency[-1]) for b in built)
    if not high > low:
        raise InputError("the pieces have no frequencies in common")
    read = [b for p, b in zip(pieces, built, strict=True) if not _is_computed(p.network)] or built
    grid = max((_inside(b.frequency, low, high) for b in read), key=len)
    if len(grid) < 2:
        raise InputError(f"fewer than two points between {low:.4g} and {high:.4g} Hz")
    cut = [p.name for p, b in zip(pieces, built, strict=True) if b.frequency[-1] > 1.001 * high]
    notes = (f"up to {high / 1e9:.4g} GHz, where a piece ends",) if cut else ()
    return grid, notes


def _inside(frequency: FloatArray, low: float, high: float) -> FloatArray:
    slack = 1e-9 * high
    return frequency[(frequency >= low - slack) & (frequency <= high + slack)]


def _is_computed(inputs: NetworkInputs) -> bool:
    if isinstance(inputs.source, ChainItem):
        return all(_is_computed(p.network) for p in inputs.source.pieces)
    return isinstance(inputs.source, LineItem | PathItem | GroupItem)


def _on(network: BuiltNetwork, frequency: FloatArray) -> ComplexArray:
    known = network.frequency
    if len(known) == len(frequency) and np.allclose(known, frequency, rtol=1e-12):
        return network.s
    return interpolated(known, network.s, np.clip(frequency, known[0], known[-1]))
