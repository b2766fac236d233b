"""Groups in time: linear ends against the network's transform, devices by what must hold."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.coupling import edits
from onda.project.coupling.group import Guard, LaneGroup, LaneVias
from onda.project.edits import replace_object
from onda.project.files import Content, keep
from onda.project.paths.ends import ModelUse
from onda.project.quantities import parse_quantity
from onda.studies.core.study import Control
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import group_inputs
from onda.studies.coupling.waves import GROUP_WAVES, GroupWaves, waves_inputs


def of(project, group: LaneGroup, lane: str) -> GroupWaves:
    return GROUP_WAVES.run(waves_inputs(project.design, group, lane, fine=False), Control())


def linear(group: LaneGroup) -> LaneGroup:
    return set_value(group, driver=None, listener=None)


@pytest.fixture
def byte(project) -> LaneGroup:
    return project.design.group("memory-byte")


def test_linear_ends_agree_with_the_transform_of_the_network(project, byte) -> None:
    group = set_value(linear(byte), lanes=byte.lanes)
    for lane in range(4):
        group = edits.remove_lane(group, f"dq{7 - lane}")
    group = edits.turn_lane(group, "dq3")
    result = GROUP.run(group_inputs(project.design, group, fine=False), Control())
    found = of(project, group, "dq1")
    one = result.arrivals[1]
    for case, expected in (("quiet", one.quiet), ("along", one.along), ("against", one.against)):
        assert found.wave(case).arrives == pytest.approx(expected, rel=3e-3)
    assert found.spread == pytest.approx(one.spread, rel=0.02)
    # At rest it hears all three at once, DQ3 at its own end.
    swing = 2.0 * group.far.si
    volts = np.sum([result.volts[:, 1, a] for a in (0, 2, 3)], axis=0) * swing
    assert found.wave("listens").peak == pytest.approx(volts[np.argmax(np.abs(volts))], rel=0.02)
    assert found.high - found.low == pytest.approx(swing, rel=0.01)
    assert found.level == pytest.approx(0.5 * (found.low + found.high))


def test_lanes_far_apart_do_not_move_each_other(project, byte) -> None:
    pieces = tuple(set_value(p, coupled=False) for p in byte.pieces)
    found = of(project, set_value(byte, pieces=pieces), "dq3")
    assert found.spread < 1e-15
    assert abs(found.wave("listens").peak) < 1e-6


def test_devices_move_the_middle_line_most_and_slow_ones_arrive_later(project, byte) -> None:
    middle, outer = of(project, byte, "dq3"), of(project, byte, "dq0")
    assert middle.spread > outer.spread > 10e-12
    quiet = middle.wave("quiet").arrives
    # On the surface neighbours that switch along hold an edge back.
    assert middle.wave("against").arrives < quiet < middle.wave("along").arrives
    corners = {
        corner: of(project, set_value(byte, corner=corner), "dq3").wave("quiet").arrives
        for corner in ("slow", "fast")
    }
    assert corners["fast"] < quiet < corners["slow"]
    # The level is between the rails that the terminated receiver leaves.
    assert middle.low < middle.level < middle.high < 1.2
    assert middle.wave("listens").peak < 0.0


def test_what_packages_have_in_common_counts_where_pins_are_named(project, byte) -> None:
    """Two lanes apart on the board, in one package: along, each is a lane by itself whose package
    has L + M and C - Cm; against, one with L - M and C + Cm."""
    two = byte
    for lane in range(2, 8):
        two = edits.remove_lane(two, f"dq{lane}")
    two = set_value(two, pieces=tuple(set_value(p, coupled=False) for p in two.pieces))
    apart = of(project, two, "dq0")
    assert apart.spread < 1e-15
    pins = ("E3", "E4")
    pinned = set_value(two, driver_pins=pins, listener_pins=pins)
    found = of(project, pinned, "dq0")
    assert abs(found.wave("listens").peak) > 5e-3
    inputs = waves_inputs(project.design, pinned, "dq0", fine=False)
    assert inputs.driver is not None
    text = inputs.driver.content.read().decode()
    for case, coil, capacitance in (("along", 0.69, 0.17), ("against", 0.41, 0.23)):
        alone = re.sub(r"^0.55nH 0.14nH.*$", f"{coil}nH 0 0", text, flags=re.M)
        alone = re.sub(r"^0.2pF -0.03pF.*$", f"{capacitance}pF 0 0", alone, flags=re.M)
        assert alone != text
        content = Content("memory.ibs", keep(alone.encode()))
        changed = replace(
            inputs,
            driver=replace(inputs.driver, content=content),
            listener=replace(inputs.listener, content=content),
        )
        one = GROUP_WAVES.run(changed, Control())
        assert one.spread < 1e-15
        assert found.wave(case).volts == pytest.approx(one.wave("quiet").volts, abs=1e-5)
    assert found.wave("along").arrives - found.wave("against").arrives > 3e-12


def test_pins_that_cannot_be(project, byte) -> None:
    some = tuple(f"E{k}" for k in range(8))
    for values, words in (
        ({"driver_pins": some[:7]}, "7 driver pins for 8 lanes"),
        ({"listener_pins": (*some[:7], "E0")}, "each needs one of its own"),
        ({"driver_pins": some, "driver": None}, "driver pins need a driver model"),
    ):
        with pytest.raises(InputError, match=words):
            set_value(byte, **values)
    wrong = set_value(byte, driver_pins=(*some[:7], "Z9"))
    with pytest.raises(InputError, match="no pin 'Z9'"):
        of(project, wrong, "dq0")
    pinned = set_value(byte, driver_pins=some, listener_pins=some)
    assert edits.remove_lane(pinned, "dq2").driver_pins == (*some[:2], *some[3:])
    assert edits.add_lane(pinned).listener_pins == ()


def test_every_input_changes_the_key(project, byte) -> None:
    from onda.studies.core.keys import key_of

    def key(group: LaneGroup, lane: str = "dq3") -> str:
        return key_of("group_waves", waves_inputs(project.design, group, lane))

    keys = {
        key(byte),
        key(byte, "dq2"),
        key(set_value(byte, corner="fast")),
        key(set_value(byte, driver=ModelUse(file="memory-ibs", model="dq_48"))),
        key(set_value(byte, listener=None)),
        key(edits.turn_lane(byte, "dq0")),
        key(set_value(byte, driver_pins=tuple(f"E{k}" for k in range(8)))),
        key(set_value(byte, listener_pins=tuple(f"E{k}" for k in range(8)))),
    }
    assert len(keys) == 8


def test_what_cannot_be_followed_in_time_says_why(project, byte) -> None:
    design = project.design
    with pytest.raises(InputError, match="single lines"):
        of(project, design.group("converter-lanes"), "jl0")
    guarded = edits.set_guard(byte, "C1", Guard(width=parse_quantity("50 um", "length")))
    with pytest.raises(InputError, match="followed over frequency only"):
        of(project, guarded, "dq0")
    with pytest.raises(InputError, match="does not drive"):
        of(
            project,
            set_value(byte, driver=ModelUse(file="memory-ibs", model="dq_odt60")),
            "dq0",
        )
    with pytest.raises(InputError, match="no lane 'x'"):
        of(project, byte, "x")


def test_pairs_take_no_models(project) -> None:
    lanes = project.design.group("converter-lanes")
    use = ModelUse(file="memory-ibs", model="dq_34")
    with pytest.raises(InputError, match="lanes of single lines"):
        replace_object(project, set_value(lanes, driver=use))
    lost = set_value(
        project.design.group("memory-byte"), driver=ModelUse(file="nowhere", model="x")
    )
    with pytest.raises(InputError, match="nowhere"):
        replace_object(project, lost)


def test_vias_in_time_agree_with_the_transform_of_the_network(project, byte) -> None:
    group = linear(byte)
    for lane in range(4):
        group = edits.remove_lane(group, f"dq{7 - lane}")
    group = edits.turn_lane(group, "dq3")
    plain = GROUP.run(group_inputs(project.design, group, fine=False), Control())
    vias = LaneVias(from_layer="L6", pitch=parse_quantity("0.8 mm", "length"))
    group = edits.set_vias(group, "C1", vias)
    result = GROUP.run(group_inputs(project.design, group, fine=False), Control())
    # They are heard, so that leaving them out would be seen.
    assert result.noise[1].total > 1.1 * plain.noise[1].total
    assert any("vias of C1 couple" in doubt for doubt in result.doubts)
    assert "vias" not in " ".join(plain.doubts)
    # Without vias a change of layer is told.
    jumping = set_value(group, pieces=(group.pieces[0], set_value(group.pieces[1], layer="L3")))
    told = GROUP.run(group_inputs(project.design, jumping, fine=False), Control()).doubts
    assert "F1 goes from L1 to L3 without vias" in told
    with pytest.raises(InputError, match="come from L6, but the piece before runs on L1"):
        edits.set_vias(jumping, "F1", LaneVias(from_layer="L6"))
    for lane, k in (("dq1", 1), ("dq3", 3)):
        found = of(project, group, lane)
        one = result.arrivals[k]
        assert one.quiet > plain.arrivals[k].quiet + 5e-12
        for case in ("quiet", "along", "against"):
            assert found.wave(case).arrives == pytest.approx(getattr(one, case), rel=4e-3)
        swing = 2.0 * group.far.si
        others = [a for a in range(4) if a != k]
        volts = np.sum([result.volts[:, k, a] for a in others], axis=0) * swing
        heard = volts[np.argmax(np.abs(volts))]
        assert found.wave("listens").peak == pytest.approx(heard, rel=0.03)


def test_a_stub_hangs_at_the_end_beyond_which_the_hole_goes_on(project, byte) -> None:
    def row(layer: str, from_layer: str, **changes):
        pieces = tuple(set_value(p, layer=layer) for p in byte.pieces)
        group = set_value(byte, pieces=pieces)
        group = edits.set_vias(group, "C1", LaneVias(from_layer=from_layer, **changes))
        return group_inputs(project.design, group).pieces[0].vias

    # From L6 up to L1 it goes on below L6, where the lanes come from; the other way round, at L6.
    up, down = row("L1", "L6"), row("L6", "L1")
    assert up.stub_first
    assert not down.stub_first
    assert up.one.stub == pytest.approx(down.one.stub)
    assert up.one.stub > 0.1e-3
    # From L8 up there is nothing beyond.
    assert row("L1", "L8").one.stub == 0.0
    short = row("L1", "L6", back_drilled=True, rest=parse_quantity("0.05 mm", "length"))
    assert short.one.stub == pytest.approx(0.05e-3)
    assert short.stub_first
    assert (up.lanes, up.barrels, up.pitch) == (8, 1, 2e-3)
