"""Every remark of the checks of an IBIS file: its line, and the sizes from which on it comes."""

from __future__ import annotations

import numpy as np
import pytest

from onda.errors import InputError
from onda.formats.ibis.buffers import package_matrices
from onda.formats.ibis.reader import read_ibis
from tests.formats.test_ibis import HEAD, MODEL

WAVE = (
    "[Rising Waveform]\nR_fixture=50\nV_fixture=0\n0 0 NA NA\n1n 1 NA NA\n"
    "[Falling Waveform]\nR_fixture=50\nV_fixture=0\n0 1 NA NA\n1n 0 NA NA\n"
)
WHOLE = HEAD + MODEL.replace("[End]\n", WAVE + "[End]\n")


def remarks(*changes: tuple[str, str]) -> list[tuple[str, str, str, str]]:
    """Kind, the line as it stands in the file, keyword and words of what comes beside the NAs."""
    text = WHOLE
    for old, new in changes:
        assert old in text, old
        text = text.replace(old, new, 1)
    file = read_ibis(text.encode(), "t.ibs")
    lines = text.split("\n")
    return [
        (r.kind, lines[r.line - 1], r.keyword, r.text)
        for r in file.remarks
        if "NA at" not in r.text
    ]


def test_nothing_is_said_of_what_is_right() -> None:
    assert remarks() == []


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        (
            [("[Model] m\n", "[Diff Pin] inv_pin vdiff tdelay_typ\n1 9 200mV 1ns\n[Model] m\n")],
            ("caution", "[Component] P", "[Diff Pin]", "there is no pin 9"),
        ),
        (
            [("[Pin] signal", "[Package Model] pkg\n[Pin] signal")],
            ("caution", "[Component] P", "[Package Model]",
             "pkg is not in this file; the values of [Package] are used"),
        ),
        (
            [("[Model] m\n", "[Model Selector] sel\nm good\ngone bad\n[Model] m\n")],
            ("caution", "[IBIS Ver] 4.2", "[Model Selector]", "there is no model gone"),
        ),
        (
            [("Model_type Output", "Model_type Input")],
            ("caution", "[Model] m", "[Model]", "no Vinl and Vinh; type them at the receiver"),
        ),
        (
            [("[Voltage Range] 1.8", "[Voltage Range] 30.1")],
            ("caution", "[Model] m", "[Voltage Range]", "30.1 V is unusual"),
        ),
        (
            [("[Voltage Range] 1.8", "[Voltage Range] 0.29")],
            ("caution", "[Model] m", "[Voltage Range]", "0.29 V is unusual"),
        ),
        ([("[Voltage Range] 1.8", "[Voltage Range] 0.31")], None),
        ([("[Voltage Range] 1.8", "[Voltage Range] 29.9")], None),
        (
            [("C_comp 2pF", "C_comp 201pF")],
            ("caution", "[Model] m", "C_comp", "2.01e-10 F is no usual capacitance of a die"),
        ),
        ([("C_comp 2pF", "C_comp 199pF")], None),
        (
            [("3.6 80mA 70mA 90mA", "3.6 51 70mA 90mA")],
            ("caution", "[Pulldown]", "[Pulldown]", "currents up to 51 A: wrong unit?"),
        ),
        ([("3.6 80mA 70mA 90mA", "3.6 49 70mA 90mA")], None),
        (
            [("1n 1 NA NA", "11u 1 NA NA")],
            ("caution", "[Rising Waveform]", "waveform", "ends at 1.1e-05 s: wrong unit?"),
        ),
        ([("1n 1 NA NA", "9u 1 NA NA")], None),
        (
            [("-1.8 -60mA -50mA -70mA\n0 0 0 0\n1.8 60mA 50mA 70mA\n3.6 80mA 70mA 90mA",
              "3.6 80mA 70mA 90mA\n1.8 60mA 50mA 70mA\n0 0 0 0\n-1.8 -60mA -50mA -70mA")],
            ("caution", "[Pulldown]", "[Pulldown]", "runs downwards; it was turned round"),
        ),
        (
            [("0 0 NA NA\n1n 1 NA NA\n", "0 0 NA NA\n")],
            ("error", "[Rising Waveform]", "[Rising Waveform]", "fewer than two rows"),
        ),
        (
            [("R_fixture=50", "R_fixture=0")],
            ("error", "[Rising Waveform]", "[Rising Waveform]", "no R_fixture above 0"),
        ),
        (
            [("V_fixture=0\n0 0", "0 0")],
            ("error", "[Rising Waveform]", "[Rising Waveform]", "no V_fixture"),
        ),
        (
            [("V_fixture=0\n0 1", "V_fixture=0\nL_fixture=1n\n0 1")],
            ("caution", "[Falling Waveform]", "[Falling Waveform]",
             "L_fixture and the package in the fixture are left out"),
        ),
        (
            [("0 1 NA NA\n1n 0 NA NA", "0 0 NA NA\n1n 1 NA NA")],
            ("error", "[Falling Waveform]", "[Falling Waveform]",
             "goes the other way than its name says"),
        ),
    ],
)  # fmt: skip
def test_a_remark_has_its_line_and_its_words(
    changes: list[tuple[str, str]], expected: tuple[str, str, str, str] | None
) -> None:
    assert remarks(*changes) == ([] if expected is None else [expected])


@pytest.mark.parametrize(
    ("kind", "table", "needed"),
    [
        ("Output", "[Pullup]", True),
        ("Output", "[Pulldown]", True),
        ("3-state", "[Pullup]", True),
        ("Open_drain", "[Pulldown]", True),
        ("Open_drain", "[Pullup]", False),
        ("Open_sink", "[Pullup]", False),
        ("Open_source", "[Pullup]", True),
        ("Open_source", "[Pulldown]", False),
    ],
)
def test_each_type_needs_its_own_tables(kind: str, table: str, needed: bool) -> None:
    text = WHOLE.replace("Model_type Output", f"Model_type {kind}")
    begin = text.index(table)
    end = text.index("[", begin + len(table))
    without = text[:begin] + text[end:]
    said = [r.text for r in read_ibis(without.encode(), "t.ibs").remarks]
    assert (f"a model of type {kind} needs {table}" in said) == needed


def test_a_table_that_was_turned_round_is_used_as_if_it_rose() -> None:
    rows = ("-1.8 -60mA -50mA -70mA", "0 0 0 0", "1.8 60mA 50mA 70mA", "3.6 80mA 70mA 90mA")
    turned = WHOLE.replace("\n".join(rows), "\n".join(rows[::-1]), 1)
    tables = [
        read_ibis(text.encode(), "t.ibs").models["m"].tables["pulldown"].rows
        for text in (WHOLE, turned)
    ]
    assert tables[0] == tables[1]
    assert [r[0] for r in tables[0]] == [-1.8, 0.0, 1.8, 3.6]


def test_a_package_of_no_inductance_is_a_package() -> None:
    """Nothing at all is passive; what couples more than it has is not."""
    text = WHOLE.replace("L_pkg 1nH NA NA", "L_pkg 0 NA NA").replace("2 b m 0.2 2nH 0.5pF", "2 b m")
    r, inductance, c = package_matrices(read_ibis(text.encode(), "t.ibs"), "P", ("1", "2"))
    assert r == pytest.approx([0.1, 0.1])
    assert inductance.tolist() == [[0.0, 0.0], [0.0, 0.0]]
    assert c == pytest.approx(np.diag([1e-12, 1e-12]))


PACKAGE = """[Define Package Model] pk
[Manufacturer] made up
[OEM] made up
[Description] two pins
[Number Of Pins] 2
[Pin Numbers]
1
2
[Model Data]
[Resistance Matrix] Diagonal_matrix
0.1
0.2
[Inductance Matrix] Full_matrix
[Row] 1
3nH MUTUAL
[Row] 2
2nH
[Capacitance Matrix] Full_matrix
[Row] 1
1pF 0.2pF
[Row] 2
1.5pF
[End Model Data]
[End Package Model]
"""


@pytest.mark.parametrize("mutual", [0.5e-9, 2.44e-9, 2.46e-9])
def test_what_pins_have_in_common_is_within_what_is_passive(mutual: float) -> None:
    """Two coils couple by less than the root of their product: 2.449 nH."""
    text = WHOLE.replace("[Pin] signal", "[Package Model] pk\n[Pin] signal")
    text = text.replace("[End]\n", PACKAGE.replace("MUTUAL", f"{mutual * 1e9:g}nH") + "[End]\n")
    file = read_ibis(text.encode(), "t.ibs")
    if mutual > 2.449e-9:
        with pytest.raises(InputError, match="inductance matrix of P is of no passive package"):
            package_matrices(file, "", ("1", "2"))
        return
    r, inductance, c = package_matrices(file, "", ("1", "2"))
    assert r == pytest.approx([0.1, 0.2])
    assert inductance == pytest.approx(np.array([[3e-9, mutual], [mutual, 2e-9]]))
    # What lies between two pins is negative, whichever way a maker writes it.
    assert c == pytest.approx(np.array([[1e-12, -0.2e-12], [-0.2e-12, 1.5e-12]]))
