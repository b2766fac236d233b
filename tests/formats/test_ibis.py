"""The IBIS reader on the demo's files, on what real files do wrong, and on any bytes at all."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.engine.devices import check_fixtures, switching_of
from onda.errors import InputError, OndaError
from onda.formats.ibis.buffers import buffer_of, pin_package
from onda.formats.ibis.numbers import NOT_A_NUMBER, decode, number, ratio
from onda.formats.ibis.reader import read_ibis

DEVICES = Path(__file__).parents[2] / "src/onda/data/devices"
HEAD = "[IBIS Ver] 4.2\n[File Name] t.ibs\n[Component] P\n[Package]\nR_pkg 0.1 0.05 0.2\n" \
    "L_pkg 1nH NA NA\nC_pkg 1pF NA NA\n[Pin] signal_name model_name R_pin L_pin C_pin\n1 a m\n" \
    "2 b m 0.2 2nH 0.5pF\n3 g GND\n"  # fmt: skip
MODEL = """[Model] m
Model_type Output
C_comp 2pF 1pF 3pF
[Voltage Range] 1.8 1.7 1.9
[Pulldown]
-1.8 -60mA -50mA -70mA
0 0 0 0
1.8 60mA 50mA 70mA
3.6 80mA 70mA 90mA
[Pullup]
-1.8 60mA 50mA 70mA
0 0 0 0
1.8 -60mA -50mA -70mA
3.6 -80mA -70mA -90mA
[Ramp]
R_load = 50
dV/dt_r 0.6/0.3n 0.5/0.4n 0.7/0.2n
dV/dt_f 0.6/0.3n 0.5/0.4n 0.7/0.2n
[End]
"""


def read(text: str, name: str = "t.ibs"):
    return read_ibis(text.encode("latin-1", errors="replace"), name)


def texts(file) -> str:
    return "\n".join(f"{r.kind} {r}" for r in file.remarks)


@pytest.mark.parametrize("name", sorted(p.name for p in DEVICES.glob("*.ibs")))
def test_demo_files_read_without_a_remark_and_repeat_their_waveforms(name: str) -> None:
    file = read_ibis((DEVICES / name).read_bytes(), name)
    assert file.remarks == []
    for model in file.models.values():
        for corner in ("typ", "min", "max"):
            buffer = buffer_of(file, model.name, corner)
            if buffer.waves:
                checks = check_fixtures(buffer, switching_of(buffer))
                assert len(checks) == 4
                assert max(c.error for c in checks) < 0.005


def test_values_of_a_model_in_si() -> None:
    file = read(HEAD + MODEL)
    assert texts(file) == ""
    buffer = buffer_of(file, "m")
    assert (buffer.c_comp, buffer.v_pullup, buffer.v_gnd) == (2e-12, 1.8, 0.0)
    assert buffer.pulldown is not None
    assert buffer.pulldown.at(np.array([0.9]))[0] == pytest.approx(30e-3)
    assert buffer.resistance(high=True) == pytest.approx(30.0)
    assert buffer.ramp_rise is not None
    assert (buffer.ramp_rise.dv, buffer.ramp_rise.dt) == pytest.approx((0.6, 0.3e-9))
    # The slow corner is the weak one with the larger capacitance.
    slow, fast = buffer_of(file, "m", "min"), buffer_of(file, "m", "max")
    assert (slow.c_comp, fast.c_comp) == (3e-12, 1e-12)
    assert slow.resistance(high=False) > fast.resistance(high=False)
    assert switching_of(buffer).source == "ramp"


def test_packages_of_pins() -> None:
    file = read(HEAD + MODEL)
    assert pin_package(file, "P", "1") == pytest.approx((0.1, 1e-9, 1e-12))
    assert pin_package(file, "P", "1", "max") == pytest.approx((0.2, 1e-9, 1e-12))
    assert pin_package(file, "P", "2") == pytest.approx((0.2, 2e-9, 0.5e-12))
    with pytest.raises(InputError, match="no pin '9'"):
        pin_package(file, "P", "9")


def test_package_models_full_banded_and_sparse() -> None:
    package = """[Define Package Model] pk
[Number Of Pins] 3
[Pin Numbers]
1
2
3
[Model Data]
[Resistance Matrix] Banded_matrix
[Bandwidth] 0
[Row] 1
0.1
[Row] 2
0.2
[Row] 3
0.3
[Inductance Matrix] Full_matrix
[Row] 1
1nH
0.3nH
0.1nH
[Row] 2
2nH
0.4nH
[Row] 3
3nH
[Capacitance Matrix] Sparse_matrix
[Row] 1
1 1pF
2 -0.1pF
[Row] 2
2 2pF
[End Model Data]
[End Package Model]
"""
    text = (HEAD + MODEL).replace("[Pin] signal", "[Package Model] pk\n[Pin] signal")
    file = read(text.replace("[End]\n", package + "[End]\n"))
    assert texts(file) == ""
    pk = file.packages["pk"]
    assert pk.entry("l", "2", "3") == pytest.approx(0.4e-9)
    assert pk.entry("l", "3", "1") == pytest.approx(0.1e-9)
    assert pk.entry("c", "2", "1") == pytest.approx(-0.1e-12)
    assert pk.entry("r", "3", "3") == pytest.approx(0.3)
    assert pk.entry("r", "1", "2") == 0.0
    assert pin_package(file, "P", "1") == pytest.approx((0.1, 1e-9, 1e-12))


def test_selectors_pairs_specs_thresholds_and_submodels() -> None:
    more = """[Model Spec]
Vinh 1.2 1.1 1.3
Vinl 0.6 0.5 0.7
S_overshoot_high 2.1 2.0 2.2
D_overshoot_time 3n 3n 3n
[Receiver Thresholds]
Vth = 0.9
Vinh_ac = 0.2
[Add Submodel]
dyn Non-Driving
hold Non-Driving
[GND Clamp]
-1.8 -0.1 NA NA
0 0 NA NA
"""
    subs = """[Submodel] dyn
Submodel_type Dynamic_clamp
[GND Clamp]
-1.8 -0.2 NA NA
0 0 NA NA
[Submodel] hold
Submodel_type Bus_hold
"""
    text = (
        HEAD.replace("1 a m\n", "1 a sel\n")
        + "[Diff Pin] inv_pin vdiff tdelay_typ\n1 2 200mV 1ns\n"
    )
    text += "[Model Selector] sel\nm the model\n"
    text += MODEL.replace("[End]\n", more + subs + "[End]\n")
    file = read(text)
    assert file.choices("sel") == (("m", "the model"),)
    pair = file.components["P"].diff_pins[0]
    assert (pair.positive, pair.negative, pair.v_diff, pair.delay.typ) == ("1", "2", 0.2, 1e-9)
    buffer = buffer_of(file, "m", "max")
    assert (buffer.thresholds.v_ih, buffer.thresholds.v_il) == (1.3, 0.7)
    assert buffer.thresholds.over_high == 2.2
    assert buffer.thresholds.over_time == pytest.approx(3e-9)
    # The dynamic clamp adds to the clamp of the model.
    assert buffer.gnd_clamp is not None
    assert buffer.gnd_clamp.at(np.array([-1.8]))[0] == pytest.approx(-0.3)
    assert "hold (Bus_hold) is read, not simulated" in texts(file)


def test_two_waveforms_give_back_the_switching_that_made_them() -> None:
    """The demo's files were made with known factors: half on where they cross."""
    file = read_ibis((DEVICES / "fulmar_clock.ibs").read_bytes(), "c")
    s = switching_of(buffer_of(file, "io18_strong"))
    assert s.source == "two waveforms an edge"
    for curve, first in ((s.rise, 0.0), (s.fall, 1.0)):
        assert curve.up[0] == first
        assert curve.down[-1] == first
        assert all(-0.05 < k < 1.05 for k in (*curve.up, *curve.down))
    # On takes 1.25 edges, off 1.1 of 350 ps; both are cut to where they move.
    assert 1.3 * 350e-12 < s.rise.time[-1] < 1.6 * 350e-12


@pytest.mark.parametrize(
    ("change", "kind", "words"),
    [
        (("[Pulldown]", "[PULLDOWN]"), "", ""),
        (("Model_type Output", "model_type\t\toutput"), "", ""),
        (("[Voltage Range] 1.8 1.7 1.9", "[Voltage Range]\t1.8V\t1.7V\t1.9V"), "", ""),
        (("[Pulldown]\n", "[Pulldown\n"), "error", "closing bracket"),
        (("[Pulldown]\n", "[Pulldwn]\n"), "caution", "not known"),
        (("Model_type Output\n", ""), "error", "no Model_type"),
        (("[Ramp]\n", "[Notes]\n"), "error", "no edges"),
        (("[Voltage Range] 1.8 1.7 1.9\n", ""), "error", "no [Voltage Range]"),
        (("C_comp 2pF 1pF 3pF", "C_comp 2 1 3"), "caution", "no usual capacitance"),
        (("C_comp 2pF 1pF 3pF\n", ""), "caution", "not stated"),
        (("0 0 0 0\n1.8 60mA", "0 0 0 0\n-0.5 60mA"), "error", "goes back"),
        (("1.8 60mA 50mA 70mA\n3.6", "1.8 60mA 50mA 70mA\n1.8 60mA 50mA 70mA\n3.6"), "caution",
         "stand twice"),
        (("3.6 80mA 70mA 90mA", "3.6 10mA 70mA 90mA"), "caution", "not monotonic at typ"),
        (("1.8 60mA 50mA 70mA\n3.6 80mA", "1.8 60mA NA NA\n3.6 80mA"), "caution", "NA at min"),
        (("1.8 60mA 50mA 70mA\n3.6 80mA", "1.8 NA NA NA\n3.6 80mA"), "error", "NA in the typical"),
        (("3.6 80mA 70mA 90mA", "3.6 8000 70mA 90mA"), "caution", "wrong unit"),
        (("3.6 80mA 70mA 90mA", "3.6 eighty 70mA 90mA"), "error", "is no row"),
        (("dV/dt_r 0.6/0.3n", "dV/dt_r 0.6-0.3n"), "error", "no dV/dt"),
        (("1 a m\n", "1 a nothere\n"), "caution", "no model nothere"),
        (("1 a m\n", "1 a\n"), "error", "needs a name"),
        (("[IBIS Ver] 4.2", "[IBIS Ver] 9.9"), "caution", "not one of"),
        (("[Model] m\n", "[Model] m\n[External Model]\nLanguage SPICE\n[End External Model]\n"),
         "caution", "other languages"),
        (("[Model] m\n", "[Model] m" + " " * 200 + "|x\n"), "caution", "longer than"),
        (("[File Name] t.ibs", "[File Name] t\xe4.ibs"), "caution", "Latin-1"),
    ],
)  # fmt: skip
def test_what_real_files_do(change: tuple[str, str], kind: str, words: str) -> None:
    assert change[0] in HEAD + MODEL
    file = read((HEAD + MODEL).replace(change[0], change[1], 1))
    found = texts(file)
    if not kind:
        assert found == ""
        assert buffer_of(file, "m").pulldown is not None
        return
    assert any(line.startswith(kind) and words in line for line in found.splitlines()), found
    if kind == "error" and file.remarks_of("m", "error"):
        with pytest.raises(InputError, match=r"t\.ibs, line \d+.*cannot be used"):
            buffer_of(file, "m")


@pytest.mark.parametrize(
    ("change", "kind", "keyword", "words"),
    [
        (("[File Name]", "[IBIS Ver] 5.0\n[File Name]"), "caution", "[IBIS Ver]",
         "stands twice; the first counts"),
        (("2 b m 0.2", "1 b m 0.2"), "caution", "[Pin]", "pin 1 stands twice; the last counts"),
        (("C_comp 2pF", "Vinl = soup\nC_comp 2pF"), "caution", "Vinl",
         "no number beside it; left out"),
        (("[Pullup]\n-1.8", "[Pulldown]\n0 0 0 0\n[Pullup]\n-1.8"), "caution", "[Pulldown]",
         "stands twice; the first counts"),
        (("[Model] m\n", "[Rising Waveform]\n[Model] m\n"), "error", "[Rising Waveform]",
         "a waveform outside any [Model]; left out"),
        (("[Model] m\n", "[Pulldown]\n[Model] m\n"), "error", "[Pulldown]",
         "a table outside any [Model]; left out"),
        (("[Ramp]\n", "[Rising Waveform]\nR_fixture = soup\n[Ramp]\n"), "error",
         "[Rising Waveform]", "R_fixture has no number"),
        (("[Component] P", "[Pin] signal_name model_name\n9 z m\n[Component] P"), "error", "[Pin]",
         "a pin before any [Component]; left out"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_its_own_line(
    change: tuple[str, str], kind: str, keyword: str, words: str
) -> None:
    text = (HEAD + MODEL).replace(*change, 1)
    (remark,) = [r for r in read(text).remarks if r.text == words]
    assert (remark.kind, remark.keyword.lower()) == (kind, keyword.lower())
    # What was put in stands there, or, of a row, the row.
    there = text.splitlines()[remark.line - 1]
    new = [x for x in change[1].splitlines() if x not in change[0].splitlines()]
    assert any(there.startswith(x.split()[0]) for x in new)


def test_of_what_stands_twice_the_right_one_counts() -> None:
    text = (HEAD + MODEL).replace("[File Name]", "[IBIS Ver] 5.0\n[File Name]", 1)
    assert read(text).version == "4.2"
    pins = read((HEAD + MODEL).replace("2 b m 0.2", "1 b m 0.7", 1)).components["P"].pins
    assert sorted(pins) == ["1", "3"]
    assert (pins["1"].signal, pins["1"].r) == ("b", 0.7)
    twice = (HEAD + MODEL).replace("[Pullup]\n-1.8", "[Pulldown]\n0 7 7 7\n1 8 8 8\n[Pullup]\n-1.8")
    assert buffer_of(read(twice), "m").pulldown == buffer_of(read(HEAD + MODEL), "m").pulldown
    again = HEAD + HEAD.partition("\n")[2].replace("1 a m", "7 a m") + MODEL
    names = list(read(again).components)
    # The second one is kept, by the line it stands at.
    line = 1 + len(HEAD.splitlines()) + 1
    assert names == ["P", f"P ({line})"]


def test_rows_of_a_package_that_name_no_pin_or_no_number() -> None:
    package = (
        "[Define Package Model] pm\n[Number Of Pins] 2\n[Pin Numbers]\n1\n2\n[Model Data]\n"
        "[Inductance Matrix] Full_matrix\n[Row] 1\n2nH soup\n[Row] 9\n3nH\n[End Model Data]\n"
        "[End Package Model]\n"
    )
    file = read(HEAD + MODEL.replace("[End]\n", package + "[End]\n"))
    said = {r.text: r for r in file.remarks}
    assert said["'soup' is no number"].kind == "error"
    assert "a row for a pin that is not among [Pin Numbers]; left out" in said


def test_duplicates_and_another_comment_sign() -> None:
    text = HEAD + MODEL.replace("[End]\n", "") + MODEL.replace("C_comp 2pF", "C_comp 9pF")
    file = read(
        text.replace("[Component]", "[Comment Char] #_char\n# | is no comment now\n[Component]")
    )
    assert "stands twice" in texts(file)
    assert buffer_of(file, "m").c_comp == 2e-12


def test_a_waveform_that_contradicts_its_name_or_tables() -> None:
    wave = "[Rising Waveform]\nR_fixture=50\nV_fixture=0\n0 1.5 NA NA\n1n 0 NA NA\n"
    file = read(HEAD + MODEL.replace("[End]\n", wave + "[End]\n"))
    assert "other way" in texts(file)
    flat = (
        "[Rising Waveform]\nR_fixture=50\nV_fixture=0\n0 0 NA NA\n1n 0.01 NA NA\n"
        "[Falling Waveform]\nR_fixture=50\nV_fixture=0\n0 0.01 NA NA\n1n 0 NA NA\n"
    )
    file = read(HEAD + MODEL.replace("[End]\n", flat + "[End]\n"))
    with pytest.raises(OndaError, match="do not switch its I-V tables"):
        switching_of(buffer_of(file, "m"))


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"", "no .IBIS Ver"), (b"hello\n", "no .IBIS Ver"), (b"[IBIS Ver] 5.0\n[End]", "neither a"),
     (b"\x00\xff\xfe" * 40, "no .IBIS Ver")],
)  # fmt: skip
def test_what_is_no_ibis_is_refused(data: bytes, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_ibis(data, "x.ibs")


def test_unknown_model_names_what_there_is() -> None:
    with pytest.raises(InputError, match=r"no model 'q'.*It has: m"):
        buffer_of(read(HEAD + MODEL), "q")


@pytest.mark.parametrize(
    ("word", "value"),
    [("1.5pF", 1.5e-12), ("-20mA", -0.02), ("3V", 3.0), ("2k", 2e3), ("1e-3", 1e-3), (".5n", 5e-10),
     ("NA", None), ("na", None)],
)  # fmt: skip
def test_numbers_with_scale_letters(word: str, value: float | None) -> None:
    assert number(word) == (None if value is None else pytest.approx(value))


def test_no_numbers() -> None:
    assert number("abc") is NOT_A_NUMBER
    assert number("1e999") is NOT_A_NUMBER
    assert ratio("1.2/0.5n") == pytest.approx((1.2, 0.5e-9))
    assert ratio("1.2") is None
    assert ratio("0/1n") is None
    assert decode("ä".encode())[1].endswith("UTF-8")
    assert decode("[IBIS Ver] 5.0".encode("utf-16"))[0] == "[IBIS Ver] 5.0"


@settings(max_examples=150)
@given(st.binary(max_size=400))
def test_any_bytes_give_a_file_or_an_input_error(data: bytes) -> None:
    try:
        read_ibis(data, "x")
    except InputError:
        return


LINES = (HEAD + MODEL).splitlines()


@settings(max_examples=200)
@given(
    st.lists(st.integers(0, len(LINES) - 1), max_size=12),
    st.lists(st.tuples(st.integers(0, len(LINES) - 1), st.text(max_size=24)), max_size=6),
)
def test_mangled_files_give_a_file_or_an_input_error(drop: list[int], put: list) -> None:
    """Lines taken out, and nonsense put into others; then every model is tried."""
    lines = list(LINES)
    for at, what in put:
        lines[at] = lines[at][: len(lines[at]) // 2] + what
    for at in sorted(set(drop), reverse=True):
        del lines[at]
    try:
        file = read_ibis("\n".join(lines).encode(), "x")
    except InputError:
        return
    for name in file.models:
        try:
            switching_of(buffer_of(file, name))
        except OndaError:
            continue


def test_makers_test_waveforms_are_a_check() -> None:
    """A waveform made with the same model into a line and a capacitor comes back."""
    from onda.engine.circuits import LinePiece, Net, ShuntBranch, solve_transient
    from onda.engine.devices import driver
    from onda.engine.lines import lossless_line
    from onda.formats.ibis.buffers import makers_waves
    from onda.project.files import Content, keep
    from onda.studies.core.study import Control
    from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs
    from onda.studies.devices.use import DeviceUse

    base = (DEVICES / "fulmar_clock.ibs").read_bytes().decode()
    buffer = buffer_of(read(base), "io18_medium")
    device, die = driver("d", buffer, switching_of(buffer), 0, [(0.0, True)], start_high=False)
    shunts = (*die, ShuntBranch(1, c=4e-12), ShuntBranch(1, r=1e7))
    line = LinePiece(0, 1, lossless_line(60.0), 0.5e-9)
    net = Net(2, shunts, (line,), devices=(device,))
    s = solve_transient(net, end=5e-9, step=2e-12)
    rows = [f"{t:.6g} {np.interp(t, s.time, s.node(0)):.6g}" for t in np.linspace(0, 5e-9, 250)]

    def with_test(c: str) -> float:
        text = "[Test Load] line\nTest_load_type Single_ended\nTd = 0.5n\nZo = 60\n"
        text += f"C1_far = {c}\n[Test Data] t1\nTest_data_type Single_ended\n"
        text += "Driver_model io18_medium\nTest_load line\n[Rising Waveform Near]\n"
        whole = base.replace("[End]", text + "\n".join(rows) + "\n[End]")
        file = read(whole)
        assert texts(file) == ""
        waves = makers_waves(file, "io18_medium")
        assert len(waves) == 1
        assert makers_waves(file, "io18_light") == ()
        content = Content("line.ibs", keep(whole.encode()))
        use = DeviceUse(content, "io18_medium", "", "", "typ")
        return DEVICE_MODEL.run(DeviceInputs(use), Control()).test_error

    assert with_test("4p") < 0.01
    assert with_test("40p") > 0.05
