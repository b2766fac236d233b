"""Networks as studies: what Fulmar's are made of comes out again, and is held against limits."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.networks.algebra import cascade
from onda.engine.networks.mixed_mode import mixed_mode
from onda.errors import InputError
from onda.formats.touchstone.write import write_touchstone
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.files import Content, keep
from onda.project.model import Design
from onda.project.networks.edits import (
    add_network,
    change_piece,
    network_into_path,
    read_ends,
    swap_wires,
)
from onda.project.networks.network import ChainPiece, ChainSource, PathSource
from onda.project.requirements import Requirement
from onda.studies.core.keys import key_of
from onda.studies.core.margin import State, margin_of
from onda.studies.core.reading import ReadInputs, read_inputs
from onda.studies.core.study import Control
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.solved_line import solve_line
from onda.studies.networks.build import BuiltNetwork, build_network
from onda.studies.networks.file import NETWORK_READ
from onda.studies.networks.gate import NETWORK_GATE, GateInputs
from onda.studies.networks.inputs import FileItem, LineItem, NetworkInputs, network_inputs
from onda.studies.networks.judge import measure_network
from onda.studies.networks.limits import limit_lines, worst_of_curve
from onda.studies.networks.model import NETWORK_MODEL
from onda.studies.networks.network import NETWORK, NetworkResult, level_db
from onda.studies.networks.piece import piece_content
from onda.studies.networks.time import in_time
from onda.studies.networks.write import network_bytes
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH


def built(project, identifier: str) -> BuiltNetwork:
    design = project.design
    return build_network(network_inputs(design, design.network(identifier)))


def result(project, identifier: str) -> NetworkResult:
    design = project.design
    return NETWORK.run(network_inputs(design, design.network(identifier)), Control())


def of_data(s: np.ndarray, f: np.ndarray, **changes: object) -> NetworkInputs:
    text = write_touchstone(f, s, np.array([50.0]))
    item = FileItem(Content(f"x.s{s.shape[-1]}p", keep(text)))
    plain = NetworkInputs("x", item, False, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0)
    return replace(plain, **changes)  # type: ignore[arg-type]


# ---- making


def test_a_chain_is_its_pieces_in_a_row(project) -> None:
    chain = built(project, "up0-channel")
    parts = [built(project, n) for n in ("up0-trace", "mezzanine", "hub-card")]
    f = parts[1].frequency
    at = np.isin(np.round(parts[0].frequency / 1e6), np.round(f / 1e6))
    both = np.isin(np.round(f / 1e6), np.round(parts[0].frequency[at] / 1e6))
    want = cascade(parts[0].s[at], parts[1].s[both], parts[2].s[both])
    assert np.abs(chain.s[both] - want).max() < 1e-6
    assert [s.name for s in chain.spans][1] == "Mezzanine connector"
    assert chain.spans[0].end == pytest.approx(337e-12, rel=0.03)
    assert all(a.end == b.start for a, b in zip(chain.spans, chain.spans[1:], strict=False))


def test_what_is_taken_away_gives_the_part_between(project) -> None:
    found, truth = built(project, "connector-alone"), built(project, "mezzanine")
    low = (truth.frequency > 1e8) & (truth.frequency < 15e9)
    assert np.abs(found.s - truth.s)[low].max() < 0.03
    assert [s.removed for s in found.spans] == [True, False, True]
    assert found.spans[-1].end == pytest.approx(70e-12, abs=5e-12)


def test_crossed_wires_change_the_legs_and_are_noticed(project) -> None:
    network = swap_wires(project.design.network("up0-channel"), "connector", 2, 0, 1)
    straight = result(project, "up0-channel")
    crossed = result(replace_object(project, network), "up0-channel")
    assert straight.better_order == ()
    assert crossed.better_order == (1, 2, 4, 3)
    # The pair still works as a pair, turned over.
    assert level_db(crossed.curve_set("insertion").values[0])[100] == pytest.approx(
        level_db(straight.curve_set("insertion").values[0])[100], abs=0.3
    )
    assert np.abs(crossed.s[100, 2, 0]) < 0.1


def test_a_turned_piece_is_seen_from_its_other_side(project) -> None:
    network = change_piece(project.design.network("up0-channel"), "connector", turned=True)
    alone = set_value(network, source=ChainSource(pieces=(network.source.pieces[1],)))
    found = built(replace_object(project, alone), "up0-channel")
    truth = built(project, "mezzanine").s
    assert found.s == pytest.approx(truth[:, [2, 3, 0, 1]][:, :, [2, 3, 0, 1]], abs=1e-12)
    assert found.spans[0].ports == (3, 4, 1, 2)


def test_a_line_has_the_impedances_of_its_class(project) -> None:
    found = result(project, "up0-trace")
    assert found.time is not None
    diff = next(r for r in found.time.reflections if (r.mode, r.side) == ("diff", "left"))
    inside = (diff.place > 5e-11) & (diff.place < 1e-10)
    assert diff.true[inside].mean() == pytest.approx(98.2, abs=2.0)
    assert found.quality.passivity == 100.0
    assert found.quality.causality > 95.0


@pytest.mark.parametrize("wider", [1.0, 1.6])
def test_a_pair_of_unlike_lines_converts(project, wider) -> None:
    """Against the product of many short pieces of its L and C, each a step of V and I."""
    design = project.design
    line = line_inputs(design, design.line_class("converter-pairs"), "L1")
    width = line.trace.width
    unlike = replace(line, trace=replace(line.trace, widths=(width, wider * width)))
    item = LineItem(unlike, 0.05)
    network = build_network(NetworkInputs("p", item, True, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0))
    mixed = mixed_mode(network.s, ((0, 1), (2, 3)))
    at = 400
    f = network.frequency[at]
    result = solve_line(unlike).result
    inductance, c, steps = result.l_ext, result.c, 4000
    z, y = 2j * np.pi * f * inductance * 0.05 / steps, 2j * np.pi * f * c * 0.05 / steps
    none, one = np.zeros((2, 2)), np.eye(2)
    series, shunt = np.block([[one, z], [none, one]]), np.block([[one, none], [y, one]])
    chain = np.linalg.matrix_power(series @ shunt, steps)
    a, b, cc, d = chain[:2, :2], chain[:2, 2:], chain[2:, :2], chain[2:, 2:]
    inverse = np.linalg.inv(b)
    admittance = np.block([[d @ inverse, cc - d @ inverse @ a], [-inverse, inverse @ a]]) * 50.0
    exact = np.linalg.solve(np.eye(4) + admittance, np.eye(4) - admittance)
    lossless = mixed_mode(exact[None], ((0, 1), (2, 3)))[0]
    # What comes through as common mode; loss takes about as much of it as of the signal.
    found, expected = abs(mixed[at, 3, 0]), abs(lossless[3, 0])
    if wider == 1.0:
        assert found < 1e-9
        assert expected < 1e-9
    else:
        assert expected > 0.01
        assert found / abs(mixed[at, 1, 0]) == pytest.approx(
            expected / abs(lossless[1, 0]), rel=0.06
        )


def test_a_path_becomes_a_network_and_back(project) -> None:
    """A path of known pieces: its network put into a fresh path gives the same waveform."""
    design = project.design
    single = design.path("clk-ref")
    project, new = add_network(project, "clk", PathSource(path=single.id), lane="single")
    found = result(project, new.id)
    assert len(found.ports) == 2
    assert found.quality.passivity == 100.0
    assert found.quality.reciprocity == 100.0
    # At DC the series resistor is all there is.
    dc = found.s[0]
    assert abs(dc[1, 0]) == pytest.approx(100.0 / (100.0 + 43.0), abs=0.03)


def test_a_network_as_a_piece_of_a_path_does_what_it_does(project) -> None:
    mezzanine = result(project, "mezzanine")
    data = piece_content(mezzanine.frequency, mezzanine.s, mezzanine.reference, True)
    longer = network_into_path(project, project.design.network("mezzanine"), "jl0", data)
    before = PATH.run(path_inputs(project.design, project.design.path("jl0")), Control())
    after = PATH.run(path_inputs(longer.design, longer.design.path("jl0")), Control())
    assert after.delay - before.delay == pytest.approx(69e-12, abs=4e-12)
    with pytest.raises(InputError, match="one lane"):
        piece_content(mezzanine.frequency, mezzanine.s, 50.0, False)


def test_order_ends_and_planes(project) -> None:
    f = np.arange(1, 200) * 1e8
    turn = np.exp(-2j * np.pi * f * 2e-10)
    s = np.zeros((len(f), 4, 4), complex)
    for a, b in ((0, 1), (2, 3)):
        s[:, a, b] = s[:, b, a] = turn
    assert build_network(of_data(s, f, order=(0, 2, 1, 3))).s[:, 2, 0] == pytest.approx(turn)
    one = build_network(of_data(s, f, order=(0, 1)))
    assert one.ports == (1, 2)
    open_end = build_network(of_data(s, f, order=(0,), ends=((1, -1.0),)))
    assert open_end.s[:, 0, 0] == pytest.approx(turn**2)
    moved = build_network(of_data(s, f, order=(0, 1), planes=(5e-11, 1e-10)))
    assert moved.s[:, 1, 0] == pytest.approx(np.exp(-2j * np.pi * f * 5e-11))
    with pytest.raises(InputError, match="no port 9"):
        build_network(of_data(s, f, order=(0, 8)))
    with pytest.raises(InputError, match="make pairs"):
        build_network(of_data(s, f, order=(0, 1), pair=True))


@pytest.mark.parametrize("parameter", ["Z", "Y", "H", "G"])
def test_files_of_other_parameters_are_turned_into_s(parameter: str) -> None:
    """A series resistor of 50 ohm between 75 and a shunt of 100 at its end, by any matrix."""
    z = np.array([[150.0, 100.0], [100.0, 100.0]])
    det = np.linalg.det(z)
    matrix = {
        "Z": z / 50.0,
        "Y": np.linalg.inv(z) * 50.0,
        "H": np.array(
            [[det / z[1, 1] / 50, z[0, 1] / z[1, 1]], [-z[1, 0] / z[1, 1], 50 / z[1, 1]]]
        ),
    }
    matrix["G"] = np.linalg.inv(matrix["H"])
    m = matrix[parameter]
    rows = " ".join(f"{v:.12g} 0" for v in (m[0, 0], m[1, 0], m[0, 1], m[1, 1]))
    text = f"# GHz {parameter} RI R 50\n1 {rows}\n2 {rows}\n".encode()
    item = FileItem(Content("x.s2p", keep(text)))
    inputs = NetworkInputs("x", item, False, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0)
    eye = np.eye(2)
    want = np.linalg.solve((z + 50 * eye).T, (z - 50 * eye).T).T
    assert build_network(inputs).s[0] == pytest.approx(want, abs=1e-9)


def test_pieces_that_do_not_fit_are_told(project) -> None:
    pieces = tuple(ChainPiece(id=n, network=n) for n in ("mezzanine", "board-uplinks"))
    network = set_value(project.design.network("up0-channel"), source=ChainSource(pieces=pieces))
    with pytest.raises(InputError, match="has 8 ports, Mezzanine connector has 4"):
        built(replace_object(project, network), "up0-channel")
    wired = set_value(pieces[0], wires=(2, 1, 0))
    network = set_value(
        network, source=ChainSource(pieces=(wired, set_value(pieces[0], id="again")))
    )
    with pytest.raises(InputError, match="3 wires for 2 ports"):
        built(replace_object(project, network), "up0-channel")


# ---- judging


def test_the_measured_hub_card_is_not_passive_until_it_is_mended(project) -> None:
    network = project.design.network("hub-card")
    bad = result(project, "hub-card")
    assert bad.quality.passivity < 99.9
    mended = result(replace_object(project, set_value(network, remedies=("passive",))), "hub-card")
    assert mended.mended.passivity == 100.0
    assert mended.quality.passivity == bad.quality.passivity
    assert 0.01 < mended.change < 0.05
    assert any("made passive" in n for n in mended.notes)


def test_the_swapped_cable_is_found_and_put_right(project) -> None:
    network = project.design.network("sensor-cable")
    bad = result(project, "sensor-cable")
    assert bad.better_order == (1, 3, 2, 4)
    good = result(
        replace_object(project, set_value(network, order=bad.better_order)), "sensor-cable"
    )
    assert good.better_order == ()
    requirement = next(r for r in project.requirements if r.id == "insertion-sensor-cable")
    assert margin_of(requirement, measure_network(bad, requirement)).state is State.FAILS
    assert margin_of(requirement, measure_network(good, requirement)).state is State.HOLDS


def test_crosstalk_enters_at_the_opening(project) -> None:
    found, whole = result(project, "board-uplinks"), result(project, "board-uplinks-whole")
    assert found.time is not None
    assert whole.time is not None
    worst = found.time.peaks[0][0]
    assert worst.place == pytest.approx(230e-12, abs=20e-12)
    assert abs(worst.volts) > 10 * abs(whole.time.peaks[0][0].volts)
    assert found.lanes[0].icn > 5 * whole.lanes[0].icn
    near, far = found.lanes[0].sigma_near, found.lanes[0].sigma_far
    assert found.lanes[0].icn == pytest.approx(math.hypot(near, far))


def test_step_and_impulse_tell_the_same(project) -> None:
    through = next(t for t in result(project, "mezzanine").time.through if t.mode == "diff")
    dt = through.time[1] - through.time[0]
    assert through.impulse.sum() * dt == pytest.approx(through.volts[-1], abs=2e-3)
    # The middle of the edge is the top of the impulse.
    assert through.time[through.impulse.argmax()] == pytest.approx(through.delay, abs=3e-12)


def test_legs_by_themselves_are_read_on_the_plain_reference(project) -> None:
    found = result(project, "mezzanine").time
    legs = {r.mode: r for r in found.reflections if r.side == "left" and r.mode.endswith("leg")}
    assert set(legs) == {"p leg", "n leg"}
    # A leg with the other one resting sees the mean of odd and even: 50 ohm of 43 and 58.
    for leg in legs.values():
        assert leg.reference == 50.0
        assert leg.true.min() > 41.0


def test_power_sum_of_one_aggressor_is_that_aggressor(project) -> None:
    found = result(project, "board-uplinks")
    near, total = found.curve_set("near_end"), found.curve_set("power_sum")
    assert near.names == ("1 from 2", "2 from 1")
    assert np.abs(total.values[0]) == pytest.approx(np.abs(near.values[0]))


def test_curves_are_the_mixed_mode_entries(project) -> None:
    found = result(project, "mezzanine")
    mixed = mixed_mode(found.s, ((0, 1), (2, 3)))
    assert found.curve_set("insertion").values[0] == pytest.approx(mixed[:, 1, 0])
    assert found.curve_set("return").values[1] == pytest.approx(mixed[:, 1, 1])
    assert found.curve_set("return_common").values[0] == pytest.approx(mixed[:, 2, 2])
    assert found.curve_set("conversion").values[0] == pytest.approx(mixed[:, 3, 0])
    assert found.curve_set("near_end") is None


def test_skew_of_the_connector_is_the_pad_that_was_put_on(project) -> None:
    """25 fF more on one leg of a pair of about 46 ohm a side: R C of half of it, 0.6 ps."""
    found = result(project, "mezzanine")
    assert found.time is not None
    assert found.time.skews[0].figure == pytest.approx(25e-15 * 23.0, rel=0.25)


def limit(**more: object) -> Requirement:
    return Requirement.model_validate(
        {"id": "x", "kind": "network", "subject": "mezzanine", **more}
    )


def test_limits_hold_only_in_their_range(project) -> None:
    found = result(project, "mezzanine")
    ranges = [{"start": "2 GHz", "stop": "4 GHz", "at_most": "-17 + f"}]
    requirement = limit(measure="return", ranges=ranges)
    worst = worst_of_curve(requirement, found)
    assert worst is not None
    assert 2e9 <= worst.frequency <= 4e9
    inside = (found.frequency >= 2e9) & (found.frequency <= 4e9)
    level = level_db(found.curve_set("return").values[:, inside]).max(axis=0)
    room = -17 + found.frequency[inside] / 1e9 - level
    assert worst.margin == pytest.approx(room.min())
    lines = limit_lines(requirement, 0.0, 3e9)
    assert (lines[0].frequency[0], lines[0].frequency[-1]) == (2e9, 3e9)
    beyond = limit(measure="return", ranges=[{"start": "50 GHz", "stop": "60 GHz", "at_most": "0"}])
    measured = measure_network(found, beyond)
    assert math.isnan(measured.value)
    assert margin_of(beyond, measured).state is State.FAILS


def test_what_cannot_be_measured_says_why(project) -> None:
    found = replace(result(project, "mezzanine"), lanes=())
    for measure, words in (("icn", "data rate"), ("lane_skew", "two lanes")):
        measured = measure_network(found, limit(measure=measure, at_most="1 ps" if "skew" in measure
                                                else "1 mV"))  # fmt: skip
        assert math.isnan(measured.value)
        assert words in measured.how


# ---- more


def test_a_gate_keeps_and_leaves(project) -> None:
    inputs = network_inputs(project.design, project.design.network("board-uplinks"))
    found = NETWORK_GATE.run(GateInputs(inputs, 0, "diff", "left", 1.9e-10, 2.9e-10), Control())
    assert found.inside + found.outside == pytest.approx(found.whole)
    low = (found.frequency > 1e9) & (found.frequency < 10e9)
    # Without the opening the board reflects as the whole one does.
    whole = result(project, "board-uplinks-whole").curve_set("return").values[0]
    there = np.abs(found.outside[low]).mean()
    assert there < 0.5 * np.abs(found.whole[low]).mean()
    assert there == pytest.approx(np.abs(whole[: len(found.frequency)][low]).mean(), rel=0.5)


def test_the_model_in_time_is_passive_and_close(project) -> None:
    inputs = network_inputs(project.design, project.design.network("mezzanine"))
    model = NETWORK_MODEL.run(inputs, Control())
    assert model.error < 5e-3
    assert model.gain <= 1.001
    assert model.gain_above <= 1.02


def test_files_are_read_in_the_background(tmp_path) -> None:
    f = np.array([1e9, 2e9, 3e9])
    path = tmp_path / "x y ü.s4p"
    path.write_bytes(write_touchstone(f, np.zeros((3, 4, 4), complex), np.array([50.0])))
    found = NETWORK_READ.run(read_inputs(path), Control())
    assert (found.ports, found.points, found.order) == (4, 3, ())
    with pytest.raises(InputError, match="cannot be read"):
        read_inputs(tmp_path / "nobody.s2p")
    with pytest.raises(InputError, match="cannot be read"):
        NETWORK_READ.run(ReadInputs(str(tmp_path / "nobody.s2p"), 1, 1), Control())
    huge = tmp_path / "huge.s4p"
    with huge.open("wb") as stream:
        stream.truncate(3_000_000_000)
    with pytest.raises(InputError, match=r"3.00 GB; reading it would take about 7.5 GB"):
        read_inputs(huge)


def test_written_networks_are_read_back(project) -> None:
    found = result(project, "mezzanine")
    for suffix in (".s4p", ".ts", ".h5"):
        data = network_bytes(found, suffix)
        inputs = NetworkInputs(
            "x",
            FileItem(Content(f"x{suffix}", keep(data))),
            False,
            (),
            (),
            (0.0, 0.0),
            (),
            50.0,
            0.0,
            0.0,
        )
        assert build_network(inputs).s == pytest.approx(found.s, abs=1e-10)
    with pytest.raises(InputError, match="End the name"):
        network_bytes(found, ".s2p")


def test_one_point_has_no_view_in_time_but_all_else() -> None:
    f = np.array([1e9])
    s = np.array([[[0.1, 0.8], [0.8, 0.1]]], complex)
    found = NETWORK.run(of_data(s, f), Control())
    assert found.time is None
    assert "no view in time" in found.time_problem
    assert level_db(found.curve_set("insertion").values[0])[0] == pytest.approx(20 * np.log10(0.8))


def test_a_pair_without_a_way_through_has_notes_and_no_skew() -> None:
    f = np.arange(1, 100) * 1e8
    found = NETWORK.run(of_data(np.zeros((99, 4, 4), complex), f, pair=True), Control())
    assert found.time is not None
    assert found.time.skews == ()
    assert any("no skew of lane 1" in n for n in found.time.notes)
    assert math.isnan(measure_network(found, limit(measure="pair_skew", at_most="1 ps")).value)


def test_a_one_port_is_shown_as_it_is() -> None:
    f = np.arange(1, 300) * 5e7
    s = np.exp(-2j * np.pi * f * 1e-9)[:, None, None] * 0.999
    found = NETWORK.run(of_data(s, f), Control())
    assert found.curve_set("insertion") is None
    assert found.time is not None
    assert found.time.reflections[0].ends == "open"


def test_slices_know_what_a_network_depends_on(project) -> None:
    """A change in a piece of a chain changes the chain; a change elsewhere does not."""

    def key(design: Design) -> str:
        return key_of("network", network_inputs(design, design.network("up0-channel")))

    before = key(project.design)
    hub = set_value(project.design.network("hub-card"), remedies=("passive",))
    assert key(replace_object(project, hub).design) != before
    cable = set_value(project.design.network("sensor-cable"), ends=read_ends("1 open"))
    assert key(replace_object(project, cable).design) == before
    seen = set_value(project.design.network("hub-card"), rate=None)
    assert key(replace_object(project, seen).design) == before


def test_ends_of_other_ports_become_what_they_reflect(project) -> None:
    """Ohm, by the port from 0; below nothing for an open one."""
    cable = set_value(
        project.design.network("sensor-cable"), ends=read_ends("1 open, 2 75 ohm, 3 short")
    )
    assert network_inputs(project.design, cable).ends == ((0, -1.0), (1, 75.0), (2, 0.0))


def test_an_edge_that_the_data_do_not_carry_is_slowed_and_told() -> None:
    """Data to 10 GHz are taken to twice that; an edge of 1 ps needs far more."""
    f = np.linspace(1e7, 10e9, 400)
    through = np.exp(-2j * np.pi * f * 1e-9)
    s = np.zeros((400, 2, 2), complex)
    s[:, 0, 1] = s[:, 1, 0] = through
    network = build_network(of_data(s, f))
    asked, slowed = in_time(network, False, 60e-12, 0.0), in_time(network, False, 1e-12, 0.0)
    assert not any("edge slowed" in n for n in asked.notes)
    assert asked.rise == pytest.approx(60e-12)
    assert slowed.rise > 5e-12
    told = next(n for n in slowed.notes if "edge slowed" in n)
    assert told == f"edge slowed to {slowed.rise * 1e12:.3g} ps: the data end at 10 GHz"


def test_a_file_by_modes_becomes_its_ports() -> None:
    """Its modes made by hand: differences and sums over root 2, of pairs 1, 2 and 3, 4."""
    f = np.array([1e9, 2e9])
    rng = np.random.default_rng(7)
    s = rng.normal(size=(2, 4, 4)) * 0.1 + 1j * rng.normal(size=(2, 4, 4)) * 0.1
    turn = np.array([[1, -1, 0, 0], [0, 0, 1, -1], [1, 1, 0, 0], [0, 0, 1, 1]]) / math.sqrt(2.0)
    by_modes = turn @ s @ turn.T
    rows = []
    for at, one in zip(f, by_modes, strict=True):
        lines = [" ".join(f"{x.real:.12g} {x.imag:.12g}" for x in row) for row in one]
        rows.append(f"{at / 1e9:g} " + "\n".join(lines))
    text = (
        "[Version] 2.0\n# GHz S RI R 50\n[Number of Ports] 4\n[Number of Frequencies] 2\n"
        "[Reference] 50 50 50 50\n[Mixed-Mode Order] D1,2 D3,4 C1,2 C3,4\n[Matrix Format] Full\n"
        "[Network Data]\n" + "\n".join(rows) + "\n[End]\n"
    )
    item = FileItem(Content("modes.ts", keep(text.encode())))
    plain = NetworkInputs("x", item, False, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0)
    assert build_network(plain).s == pytest.approx(s, abs=1e-9)


def test_in_time_as_much_is_shown_as_there_is_to_see(project) -> None:
    """Reflections until twice the way there and back and ten edges, both doubled; what comes
    through for three times the way."""
    inputs = network_inputs(project.design, project.design.network("mezzanine"))
    found = NETWORK.run(inputs, Control()).time
    assert found is not None
    ways = {t.mode: float(t.time[-1]) / 3.0 for t in found.through}
    for one in found.through:
        # The way is that of the phase, which comes near the delay of an edge.
        assert ways[one.mode] == pytest.approx(one.delay, rel=0.3)
        assert one.time[-1] == pytest.approx(3.0 * ways[one.mode])
        assert len(one.volts) == len(one.impulse) == len(one.time)
    for one in found.reflections:
        end = 2.0 * ways[one.mode] + 10.0 * found.rise
        step = float(one.time[1] - one.time[0])
        shown, needed = one.time[-1] - one.time[0], end - one.time[0]
        assert shown == pytest.approx(2.0 * needed, rel=0.01, abs=6.0 * step)
