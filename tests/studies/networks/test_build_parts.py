"""Networks put together from ones that are made up: order, ends, planes, chains."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from onda.errors import InputError
from onda.formats.touchstone.reader import TouchstoneFile
from onda.project.model import Project
from onda.studies.networks import build
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import (
    ChainItem,
    FileItem,
    LineItem,
    NetworkInputs,
    PieceItem,
    network_inputs,
)

NS = 1e-9
F = np.arange(1.0, 41.0) * 25e6


@pytest.fixture
def plain(project: Project) -> NetworkInputs:
    """A network of single lines as it is in its file, on 50 ohm."""
    network = project.design.network("mezzanine")
    made = network_inputs(project.design, network)
    return replace(
        made, name="N", pair=False, order=(), ends=(), planes=(0.0, 0.0), remedies=(),
        reference=50.0,
    )  # fmt: skip


Files = dict[str, TouchstoneFile]


@pytest.fixture
def files(monkeypatch: pytest.MonkeyPatch) -> Files:
    """What is in the files that networks name."""
    found: Files = {}
    monkeypatch.setattr(build, "file_network", lambda content: found[content])
    build.build_network.clear()
    return found


def file_of(s: np.ndarray, reference: float = 50.0, f: np.ndarray = F) -> Any:
    from types import SimpleNamespace

    z = np.full(s.shape[-1], reference)
    return SimpleNamespace(frequency=f, data=s, reference=z)


def named(plain: NetworkInputs, name: str, **changes: Any) -> NetworkInputs:
    item: Any = FileItem(name)  # type: ignore[arg-type]
    return replace(plain, name=name, source=item, **changes)


def delays(*lanes: float, f: np.ndarray = F) -> np.ndarray:
    """Matched lanes that do not see each other."""
    n = len(lanes)
    s = np.zeros((len(f), 2 * n, 2 * n), dtype=complex)
    for k, took in enumerate(lanes):
        s[:, k, n + k] = s[:, n + k, k] = np.exp(-2j * np.pi * f * took)
    return s


def random_s(n: int, f: np.ndarray = F) -> np.ndarray:
    """The same at all frequencies, symmetric, well below 1."""
    rng = np.random.default_rng(n)
    one = 0.2 / n * rng.normal(size=(n, n)) + 0.2j / n * rng.normal(size=(n, n))
    return np.broadcast_to(one + one.T, (len(f), n, n)).copy()


def through(s: np.ndarray, to: int, of: int) -> float:
    """Delay of an entry, from the turn between two frequencies, s."""
    turn = np.angle(s[1, to, of] / s[0, to, of])
    return float(-turn / (2.0 * np.pi * (F[1] - F[0])))


# -- order, ends, planes, reference ------------------------------------------------------


def test_ports_come_in_the_order_that_is_said(plain: NetworkInputs, files: Files) -> None:
    s = random_s(4)
    files["A"] = file_of(s)
    made = build_network(named(plain, "A", order=(2, 0, 3, 1)))
    order = [2, 0, 3, 1]
    assert made.ports == (3, 1, 4, 2)
    assert made.s == pytest.approx(s[:, order][:, :, order])
    assert made.raw == pytest.approx(s)
    assert (made.reference, made.change, made.notes) == (50.0, 0.0, ())
    as_is = build_network(named(plain, "A"))
    assert as_is.ports == (1, 2, 3, 4)
    assert as_is.s == pytest.approx(s)
    some = build_network(named(plain, "A", order=(1, 3)))
    assert some.ports == (2, 4)
    assert some.s == pytest.approx(s[:, [1, 3]][:, :, [1, 3]])


@pytest.mark.parametrize(("ohm", "rho"), [(-1.0, 1.0), (0.0, -1.0), (50.0, 0.0), (150.0, 0.5)])
def test_ports_that_are_ended_reflect(
    plain: NetworkInputs, files: Files, ohm: float, rho: float
) -> None:
    s = random_s(3)
    files["B"] = file_of(s)
    made = build_network(named(plain, "B", ends=((1, ohm),)))
    assert made.ports == (1, 3)
    left = [0, 2]
    back = s[:, left, 1][:, :, None] * s[:, 1, left][:, None, :]
    wanted = s[:, left][:, :, left] + back * (rho / (1.0 - rho * s[:, 1, 1]))[:, None, None]
    assert made.s == pytest.approx(wanted)
    # In an order of their own.
    turned = build_network(named(plain, "B", ends=((1, ohm),), order=(2, 0)))
    assert turned.ports == (3, 1)
    assert turned.s == pytest.approx(wanted[:, ::-1, ::-1])


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"order": (0, 4)}, "A has 4 ports, there is no port 5"),
        ({"ends": ((7, 50.0),)}, "there is no port 8"),
        ({"ends": tuple((k, 50.0) for k in range(4))}, "has no port left"),
        ({"pair": True, "order": (0, 1)}, "has 2 ports, which do not make pairs on both sides"),
    ],
)
def test_orders_that_cannot_be(
    plain: NetworkInputs, files: Files, changes: dict[str, Any], words: str
) -> None:
    files["A"] = file_of(random_s(4))
    with pytest.raises(InputError, match=words):
        build_network(named(plain, "A", **changes))


@pytest.mark.parametrize("planes", [(0.2 * NS, 0.0), (0.0, 0.3 * NS), (0.2 * NS, 0.3 * NS)])
def test_planes_move_into_the_network(
    plain: NetworkInputs, files: Files, planes: tuple[float, float]
) -> None:
    files["D"] = file_of(delays(1.0 * NS, 1.5 * NS))
    made = build_network(named(plain, "D", planes=planes))
    for k, took in enumerate((1.0, 1.5)):
        assert through(made.s, 2 + k, k) == pytest.approx(took * NS - sum(planes))
    # A reflection is seen later by the way out and back.
    mirror = np.zeros((len(F), 2, 2), dtype=complex)
    mirror[:, 0, 0] = mirror[:, 1, 1] = 0.5
    files["M"] = file_of(mirror)
    both = build_network(named(plain, "M", planes=planes)).s
    assert through(both, 0, 0) == pytest.approx(-2.0 * planes[0], abs=1e-15)
    assert through(both, 1, 1) == pytest.approx(-2.0 * planes[1], abs=1e-15)


def test_another_reference_is_another_view_of_the_same(plain: NetworkInputs, files: Files) -> None:
    """A load of 75 ohm in a file on 100 ohm, seen from 50."""
    s = np.full((len(F), 1, 1), (75.0 - 100.0) / (75.0 + 100.0), dtype=complex)
    files["L"] = file_of(s, 100.0)
    made = build_network(named(plain, "L"))
    assert made.s[:, 0, 0] == pytest.approx(np.full(len(F), 25.0 / 125.0 + 0j))
    assert made.raw[:, 0, 0] == pytest.approx(made.s[:, 0, 0])


def test_remedies_are_told_with_what_they_moved(plain: NetworkInputs, files: Files) -> None:
    s = delays(1.0 * NS)
    s[:, 0, 1] *= 1.04
    files["R"] = file_of(s)
    made = build_network(named(plain, "R", remedies=("reciprocal",)))
    assert made.s[:, 0, 1] == pytest.approx(made.s[:, 1, 0])
    assert made.s[:, 0, 1] == pytest.approx(1.02 * delays(1.0 * NS)[:, 0, 1])
    assert made.change == pytest.approx(0.02)
    assert made.notes == ("made reciprocal: no entry moved by more than 0.02",)
    assert made.raw == pytest.approx(s)


def test_of_several_remedies_the_one_that_moved_most_counts(
    plain: NetworkInputs, files: Files
) -> None:
    s = 0.5 * delays(1.0 * NS)
    s[:, 0, 1] *= 1.04
    files["R"] = file_of(s)
    made = build_network(named(plain, "R", remedies=("reciprocal", "passive")))
    assert made.change == pytest.approx(0.01)
    assert [n.partition(":")[0] for n in made.notes] == ["made reciprocal", "made passive"]
    assert made.notes[1].endswith("by more than 0")


# -- chains -----------------------------------------------------------------------------


def piece(inputs: NetworkInputs, **changes: Any) -> PieceItem:
    made = PieceItem(inputs.name.lower(), inputs.name, inputs, False, False, ())
    return replace(made, **changes)


def chained(plain: NetworkInputs, *pieces: PieceItem) -> Any:
    return build_network(replace(plain, name="chain", source=ChainItem(pieces)))


def test_delays_add_up_and_pieces_lie_one_behind_the_other(
    plain: NetworkInputs, files: Files
) -> None:
    files["A"], files["B"] = (
        file_of(delays(1.0 * NS, 2.0 * NS)),
        file_of(delays(3.0 * NS, 5.0 * NS)),
    )
    a, b = named(plain, "A"), named(plain, "B")
    made = chained(plain, piece(a), piece(b))
    assert [through(made.s, 2 + k, k) for k in (0, 1)] == pytest.approx([4.0 * NS, 7.0 * NS])
    first, second = made.spans
    assert (first.id, first.name, first.removed, first.ports) == ("a", "A", False, (1, 2, 3, 4))
    assert (first.start, first.end) == pytest.approx((0.0, 1.0 * NS))
    assert (second.start, second.end) == pytest.approx((1.0 * NS, 4.0 * NS))
    # Crossed: the first lane goes on in the second one.
    crossed = chained(plain, piece(a, wires=(1, 0)), piece(b))
    assert through(crossed.s, 3, 0) == pytest.approx(6.0 * NS)
    assert through(crossed.s, 2, 1) == pytest.approx(5.0 * NS)
    assert np.abs(crossed.s[:, 2, 0]).max() < 1e-12
    # Three wires in a round: each lane goes where its wire says, and not where one comes from.
    files["C"] = file_of(delays(1.0 * NS, 2.0 * NS, 3.0 * NS))
    files["D"] = file_of(delays(4.0 * NS, 6.0 * NS, 8.0 * NS))
    c, d = named(plain, "C", pair=False), named(plain, "D", pair=False)
    round_ = chained(plain, piece(c, wires=(1, 2, 0)), piece(d))
    for lane, (to, took) in enumerate(((1, 7.0), (2, 10.0), (0, 7.0))):
        assert through(round_.s, 3 + to, lane) == pytest.approx(took * NS)
    # What is taken away runs backwards.
    without = chained(plain, piece(a), piece(b), piece(b, id="c", removed=True))
    assert [through(without.s, 2 + k, k) for k in (0, 1)] == pytest.approx([1.0 * NS, 2.0 * NS])
    assert (without.spans[2].start, without.spans[2].end) == pytest.approx((4.0 * NS, 1.0 * NS))
    assert without.spans[2].removed


def test_a_chain_is_what_waves_between_its_pieces_make_of_it(
    plain: NetworkInputs, files: Files
) -> None:
    """Two by two ports, by the sum of all echoes between them; the second one turned as well."""
    one, two = random_s(4), random_s(4)[:, ::-1, ::-1].copy()
    files["A"], files["B"] = file_of(one), file_of(two)
    a, b = named(plain, "A"), named(plain, "B")
    left, right = slice(0, 2), slice(2, 4)
    for turned in (False, True):
        other = two if not turned else np.roll(np.roll(two, 2, axis=1), 2, axis=2)
        inner = np.linalg.inv(np.eye(2) - one[:, right, right] @ other[:, left, left])
        ahead = other[:, right, left] @ inner @ one[:, right, left]
        back = one[:, left, left] + (
            one[:, left, right] @ other[:, left, left] @ inner @ one[:, right, left]
        )
        made = chained(plain, piece(a), piece(b, turned=turned))
        assert made.s[:, right, left] == pytest.approx(ahead)
        assert made.s[:, left, left] == pytest.approx(back)
        assert made.spans[1].ports == ((3, 4, 1, 2) if turned else (1, 2, 3, 4))


def test_the_band_is_what_all_have_on_the_finest_grid(plain: NetworkInputs, files: Files) -> None:
    fine = np.arange(2.0, 61.0) * 10e6
    files["A"] = file_of(delays(1.0 * NS))
    files["B"] = file_of(delays(2.0 * NS, f=fine), f=fine)
    made = chained(plain, piece(named(plain, "A")), piece(named(plain, "B")))
    assert made.frequency == pytest.approx(fine[(fine >= 25e6) & (fine <= 600e6)])
    assert made.notes == ("up to 0.6 GHz, where a piece ends",)
    at = slice(0, None)
    assert np.abs(made.s[at, 1, 0]) == pytest.approx(np.ones(len(made.frequency)), abs=1e-3)
    alike = chained(plain, piece(named(plain, "A")), piece(named(plain, "A"), id="z"))
    assert alike.notes == ()
    assert alike.frequency == pytest.approx(F)
    far = F + 10e9
    files["C"] = file_of(delays(2.0 * NS, f=far), f=far)
    with pytest.raises(InputError, match="no frequencies in common"):
        chained(plain, piece(named(plain, "A")), piece(named(plain, "C")))


@pytest.mark.parametrize(
    ("ports", "wires", "words"),
    [
        ((4, 2), (), "B has 2 ports, A has 4"),
        ((3, 3), (), "A has 3 ports; a chain needs as many left as right"),
        ((4, 4), (0,), "A: 1 wires for 2 ports on its right"),
    ],
)
def test_pieces_that_do_not_fit(
    plain: NetworkInputs, files: Files, ports: tuple[int, int], wires: tuple[int, ...], words: str
) -> None:
    files["A"], files["B"] = (file_of(random_s(n)) for n in ports)
    with pytest.raises(InputError, match=words):
        chained(plain, piece(named(plain, "A"), wires=wires), piece(named(plain, "B")))


def test_computed_pieces_take_the_grid_of_what_was_read(
    project: Project, plain: NetworkInputs, files: Files
) -> None:
    line: Any = LineItem("line", 0.1)  # type: ignore[arg-type]
    assert build._is_computed(replace(plain, source=line))
    assert not build._is_computed(named(plain, "A"))
    both = (piece(replace(plain, source=line)), piece(named(plain, "A")))
    assert not build._is_computed(replace(plain, source=ChainItem(both)))
    assert build._is_computed(replace(plain, source=ChainItem(both[:1])))
