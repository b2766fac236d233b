"""A model whose every value is another one: each is found where it belongs, at every corner."""

from __future__ import annotations

from dataclasses import astuple

import numpy as np
import pytest

from onda.engine.devices import LoadSide, MakersLoad
from onda.engine.devices.buffer import RampTimes, Thresholds
from onda.errors import InputError
from onda.formats.ibis.buffers import buffer_of, makers_waves, pin_package
from onda.formats.ibis.model import Corners, DiffPin, IbisFile
from onda.formats.ibis.reader import read_ibis

HEAD = "[IBIS Ver] 5.1\n[Component] P\n[Package]\nR_pkg 0.1 0.05 0.2\nL_pkg 1nH 0.8nH 1.2nH\n" \
    "C_pkg 1pF 0.9pF 1.1pF\n[Pin] signal_name model_name R_pin L_pin C_pin\n1 a m\n"  # fmt: skip
MODEL = """[Model] m
Model_type I/O
Vinl = 0.61
Vinh = 1.21
Vmeas = 0.91
Cref = 15pF
Rref = 55
Vref = 0.95
C_comp 2pF 1pF 3pF
[Voltage Range] 1.80 1.70 1.90
[Pullup Reference] 1.81 1.71 1.91
[Pulldown Reference] 0.01 0.02 0.03
[POWER Clamp Reference] 1.82 1.72 1.92
[GND Clamp Reference] 0.04 0.05 0.06
[Pulldown]
-1 -10mA -9mA -11mA
2 20mA 18mA 22mA
[Pullup]
-1 12mA 10mA 14mA
2 -24mA -20mA -28mA
[GND Clamp]
-1 -5mA -4mA -6mA
0 0 0 0
[POWER Clamp]
-1 3mA 2mA 4mA
0 0 0 0
[Ramp]
R_load = 45
dV/dt_r 0.60/0.30n 0.50/0.40n 0.70/0.20n
dV/dt_f 0.62/0.32n NA 0.72/0.22n
[Rising Waveform]
R_fixture = 52
C_fixture = 0.3p
V_fixture = 0.10
V_fixture_min = 0.11
V_fixture_max = 0.12
0n 0.1 0.11 0.12
1n 1.5 1.4 1.6
[End]
"""
SPEC = """[Model Spec]
Vinl 0.60 0.50 0.70
Vinh 1.20 1.10 1.30
Vmeas 0.90 0.80 1.00
S_overshoot_high 2.1 2.0 2.2
S_overshoot_low -0.31 -0.32 -0.33
D_overshoot_high 2.4 2.3 2.5
D_overshoot_low -0.61 -0.62 -0.63
D_overshoot_time 2n 3n 4n
Pulse_high 1.31 1.32 1.33
Pulse_low 0.51 0.52 0.53
Pulse_time 5n 6n 7n
"""


def read(text: str) -> IbisFile:
    return read_ibis(text.encode(), "t.ibs")


def of_kind(kind: str) -> IbisFile:
    return read(HEAD + MODEL.replace("Model_type I/O", f"Model_type {kind}"))


@pytest.mark.parametrize(
    ("corner", "rails", "c_comp", "amps"),
    [
        ("typ", (1.81, 0.01, 1.82, 0.04), 2e-12, (-24e-3, 20e-3, 3e-3, -5e-3)),
        ("min", (1.71, 0.02, 1.72, 0.05), 3e-12, (-20e-3, 18e-3, 2e-3, -4e-3)),
        ("max", (1.91, 0.03, 1.92, 0.06), 1e-12, (-28e-3, 22e-3, 4e-3, -6e-3)),
    ],
)
def test_every_rail_and_table_is_its_own(
    corner: str, rails: tuple[float, ...], c_comp: float, amps: tuple[float, ...]
) -> None:
    b = buffer_of(read(HEAD + MODEL), "m", corner)
    assert (b.v_pullup, b.v_pulldown, b.v_power, b.v_gnd) == rails
    assert b.c_comp == c_comp
    assert b.pullup
    assert b.pulldown
    assert b.power_clamp
    assert b.gnd_clamp
    found = (b.pullup.amps[-1], b.pulldown.amps[-1], b.power_clamp.amps[0], b.gnd_clamp.amps[0])
    assert found == pytest.approx(amps)
    assert (b.c_load, b.r_load, b.v_load) == pytest.approx((15e-12, 55.0, 0.95))


def test_without_references_the_supply_is_the_rail_at_every_corner() -> None:
    text = "\n".join(line for line in MODEL.splitlines() if "Reference" not in line)
    b = buffer_of(read(HEAD + text), "m", "min")
    assert (b.v_pullup, b.v_pulldown, b.v_power, b.v_gnd) == (1.7, 0.0, 1.7, 0.0)
    assert buffer_of(read(HEAD + text), "m", "max").v_power == 1.9


@pytest.mark.parametrize(
    ("kind", "pulls"),
    [
        ("Output", (True, True)),
        ("I/O", (True, True)),
        ("3-state", (True, True)),
        ("Open_drain", (False, True)),
        ("I/O_open_drain", (False, True)),
        ("Open_sink", (False, True)),
        ("Open_source", (True, False)),
        ("I/O_open_source", (True, False)),
        ("Input", (False, False)),
        ("Terminator", (False, False)),
    ],
)
def test_a_model_pulls_as_its_type_says_whatever_tables_it_has(
    kind: str, pulls: tuple[bool, bool]
) -> None:
    file = of_kind(kind)
    b = buffer_of(file, "m")
    assert (b.pullup is not None, b.pulldown is not None) == pulls
    assert b.power_clamp is not None
    assert b.gnd_clamp is not None
    assert bool(b.waves) == any(pulls)
    model = file.models["m"]
    assert model.drives == any(pulls)
    assert model.receives == kind.startswith(("Input", "I/O", "Terminator"))


def test_split_capacitances_add_up() -> None:
    parts = "C_comp_pullup 0.5pF 0.4pF 0.7pF\nC_comp_pulldown 1pF NA NA\nC_comp_power_clamp 0.25pF"
    file = read(HEAD + MODEL.replace("C_comp 2pF 1pF 3pF", parts))
    found = [buffer_of(file, "m", corner).c_comp for corner in ("typ", "min", "max")]
    assert found == pytest.approx([1.75e-12, 1.95e-12, 1.65e-12])
    whole = read(HEAD + MODEL.replace("[Voltage", "C_comp_pullup 0.5pF\n[Voltage"))
    assert buffer_of(whole, "m").c_comp == 2e-12


@pytest.mark.parametrize(
    ("corner", "rise", "fall", "wave"),
    [
        ("typ", (0.6, 0.3e-9), (0.62, 0.32e-9), (0.10, 0.1, 1.5)),
        # Where a corner has none it is as typ.
        ("min", (0.5, 0.4e-9), (0.62, 0.32e-9), (0.11, 0.11, 1.4)),
        ("max", (0.7, 0.2e-9), (0.72, 0.22e-9), (0.12, 0.12, 1.6)),
    ],
)
def test_edges_of_every_corner(
    corner: str, rise: tuple[float, float], fall: tuple[float, float], wave: tuple[float, ...]
) -> None:
    b = buffer_of(read(HEAD + MODEL), "m", corner)
    assert b.ramp_rise is not None
    assert b.ramp_fall is not None
    assert astuple(b.ramp_rise) == pytest.approx(astuple(RampTimes(*rise, 45.0)))
    assert astuple(b.ramp_fall) == pytest.approx(astuple(RampTimes(*fall, 45.0)))
    (one,) = b.waves
    assert one.rising
    assert (one.r, one.c) == pytest.approx((52.0, 0.3e-12))
    assert (one.v, *one.volts) == pytest.approx(wave)
    assert one.time == pytest.approx((0.0, 1e-9))


def test_a_slew_written_downwards_counts_by_its_size() -> None:
    b = buffer_of(read(HEAD + MODEL.replace("0.62/0.32n", "-0.62/0.32n")), "m")
    assert b.ramp_fall is not None
    assert (b.ramp_fall.dv, b.ramp_fall.dt) == pytest.approx((0.62, 0.32e-9))


@pytest.mark.parametrize(("corner", "k"), [("typ", 0), ("min", 1), ("max", 2)])
def test_what_a_specification_asks_goes_before_what_the_model_says(corner: str, k: int) -> None:
    found = buffer_of(read(HEAD + MODEL.replace("[Voltage", SPEC + "[Voltage", 1)), "m", corner)
    # Rows of the text above, column by column.
    wanted = (
        (0.6, 0.5, 0.7), (1.2, 1.1, 1.3), (0.9, 0.8, 1.0), (2.1, 2.0, 2.2), (-0.31, -0.32, -0.33),
        (2.4, 2.3, 2.5), (-0.61, -0.62, -0.63), (2e-9, 3e-9, 4e-9), (1.31, 1.32, 1.33),
        (0.51, 0.52, 0.53), (5e-9, 6e-9, 7e-9),
    )  # fmt: skip
    assert astuple(found.thresholds) == pytest.approx(tuple(row[k] for row in wanted))


def test_thresholds_of_the_model_and_around_a_middle() -> None:
    plain = buffer_of(read(HEAD + MODEL), "m").thresholds
    assert plain == Thresholds(v_il=0.61, v_ih=1.21, v_meas=0.91)
    bare = "\n".join(t for t in MODEL.splitlines() if not t.startswith(("Vinl", "Vinh", "Vmeas")))
    around = "[Receiver Thresholds]\nVth = 0.9\nVinh_ac = 0.25\nVinl_ac = -0.26\n"
    at = bare.replace("[Voltage", around + "[Voltage", 1)
    assert astuple(buffer_of(read(HEAD + at), "m").thresholds)[:3] == pytest.approx(
        (0.64, 1.15, 0.9)
    )
    # Held levels are asked before those that an edge has to pass.
    both = at.replace("Vth = 0.9", "Vth = 0.9\nVinh_dc = 0.15\nVinl_dc = -0.16")
    assert astuple(buffer_of(read(HEAD + both), "m").thresholds)[:3] == pytest.approx(
        (0.74, 1.05, 0.9)
    )
    # Without their middle offsets say nothing.
    lost = bare.replace("[Voltage", around.replace("Vth = 0.9\n", "") + "[Voltage", 1)
    assert buffer_of(read(HEAD + lost), "m").thresholds == Thresholds()


def test_points_that_stand_twice_count_once() -> None:
    twice = MODEL.replace("2 20mA 18mA 22mA", "0 5mA 4mA 6mA\n0 7mA 6mA 8mA\n2 20mA 18mA 22mA")
    file = read(HEAD + twice)
    assert "1 points stand twice; the first counts" in str([str(r) for r in file.remarks])
    b = buffer_of(file, "m")
    assert b.pulldown is not None
    assert b.pulldown.volts == (-1.0, 0.0, 2.0)
    assert b.pulldown.at(np.array([0.0]))[0] == pytest.approx(5e-3)


def test_columns_of_pins_stand_in_the_order_that_their_head_says() -> None:
    text = HEAD.replace("R_pin L_pin C_pin", "C_pin R_pin L_pin")
    file = read(text + "2 b m 0.5pF 0.2 2nH\n3 c m NA 0.3\n" + MODEL)
    assert pin_package(file, "P", "2") == pytest.approx((0.2, 2e-9, 0.5e-12))
    # What a pin does not state is that of the package, at the corner.
    assert pin_package(file, "P", "3", "min") == pytest.approx((0.3, 0.8e-9, 0.9e-12))


def test_pairs_have_a_threshold_and_a_delay_at_every_corner() -> None:
    pairs = "[Diff Pin] inv_pin vdiff tdelay_typ tdelay_min tdelay_max\n1 2 150mV -1ns 0ns -2ns\n"
    file = read(HEAD + "2 b m\n" + pairs + MODEL)
    (pair,) = file.components["P"].diff_pins
    assert pair == DiffPin("1", "2", 0.15, Corners(-1e-9, 0.0, -2e-9))
    assert [pair.delay.at(c) for c in ("typ", "min", "max")] == [-1e-9, 0.0, -2e-9]


LOAD = """[Test Load] bench
Test_load_type Single_ended
C1_near = 1p
Rs_near = 2
Ls_near = 3n
C2_near = 4p
Rp1_near = 5
Rp2_near = 6
Td = 0.7n
Zo = 58
Rp1_far = 9
Rp2_far = 10
C2_far = 11p
Ls_far = 12n
Rs_far = 13
C1_far = 14p
V_term1 = 1.5
V_term2 = 0.16
[Test Data] first
Test_data_type Single_ended
Driver_model m
Test_load bench
[Rising Waveform Near]
0n 0.1
1n NA
2n 1.5
[Falling Waveform Near]
0n 1.6
2n 0.2
[Test Data] back
Driver_model m
Test_load bench
[Rising Waveform Near]
2n 0.1
1n 1.5
[Test Data] other
Driver_model another
Test_load bench
[Rising Waveform Near]
0n 0.1
2n 1.5
[Test Data] nowhere
Driver_model m
Test_load none
[Rising Waveform Near]
0n 0.1
2n 1.5
[End]
"""


def test_a_makers_load_has_every_part_in_its_place() -> None:
    file = read(HEAD + MODEL.replace("[End]\n", LOAD))
    rising, falling = makers_waves(file, "m")
    near = LoadSide(c1=1e-12, rs=2.0, ls=3e-9, c2=4e-12, rp1=5.0, rp2=6.0)
    far = LoadSide(c1=14e-12, rs=13.0, ls=12e-9, c2=11e-12, rp1=9.0, rp2=10.0)
    load = MakersLoad(near, far, v1=1.5, v2=0.16, z0=58.0, delay=0.7e-9)
    for side, wanted in ((rising.load.near, near), (rising.load.far, far)):
        assert astuple(side) == pytest.approx(astuple(wanted))
    assert (rising.load.v1, rising.load.v2, rising.load.z0, rising.load.delay) == pytest.approx(
        (load.v1, load.v2, load.z0, load.delay)
    )
    # Rows without a value are left out, not the waveform.
    assert (rising.name, rising.rising) == ("first", True)
    assert np.array([rising.time, rising.volts]) == pytest.approx(np.array([[0, 2e-9], [0.1, 1.5]]))
    assert (falling.name, falling.rising) == ("first", False)
    assert falling.volts == pytest.approx((1.6, 0.2))


def test_what_is_not_there_or_spoilt_is_told_with_what_is() -> None:
    file = read(HEAD + MODEL)
    with pytest.raises(InputError, match="there is no model 'x'") as raised:
        buffer_of(file, "x")
    assert "It has: m." in str(raised.value)
    spoilt = read(HEAD + MODEL.replace("2 20mA 18mA 22mA", "-2 20mA 18mA 22mA\n3 1mA 1mA 1mA"))
    with pytest.raises(InputError, match=r"model m cannot be used: \[Pulldown\] its first column"):
        buffer_of(spoilt, "m")
