"""Tables of slews as text: there and back, and what is refused."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.errors import InputError
from onda.project.buses.bus import SlewTable
from onda.project.buses.slew_text import rows_of, table_of, table_pasted

TABLE = SlewTable(
    data_slew=(1e9, 2.5e9), strobe_slew=(2e9, 4e9, 8e9),
    delta=((20e-12, 14e-12, 10e-12), (4e-12, 0.0, -2.5e-12)),
)  # fmt: skip
ROWS = [["V/ns", "2", "4", "8"], ["1", "20", "14", "10"], ["2.5", "4", "0", "-2.5"]]


def test_slews_are_in_volts_a_nanosecond_and_what_they_add_in_picoseconds() -> None:
    assert rows_of(TABLE) == ROWS
    again = table_of(ROWS)
    for name in ("data_slew", "strobe_slew"):
        assert getattr(again, name) == pytest.approx(getattr(TABLE, name))
    for row, wanted in zip(again.delta, TABLE.delta, strict=True):
        assert row == pytest.approx(wanted)


@pytest.mark.parametrize(
    "text",
    [
        "V/ns\t2\t4\t8\n1\t20\t14\t10\n2.5\t4\t0\t-2.5\n",
        "V/ns,2,4,8\n\n1,20,14,10\n2.5, 4, 0, \u22122.5",
        "2 4 8\n1 20 14 10\n2.5 4 0 -2.5",
        "\t2\t4\t8\r\n1\t20\t14\t10\r\n2.5\t4\t0\t-2.5",
        ";2;4;8\n1;20;14;10\n2.5;4;0;-2.5",
    ],
)
def test_a_table_is_pasted_from_a_spreadsheet_or_a_text(text: str) -> None:
    assert table_pasted(text) == table_of(ROWS)


@pytest.mark.parametrize(
    ("rows", "what"),
    [
        ([], "0 rows and 0 columns"),
        ([["V/ns"], ["1"]], "2 rows and 1 columns"),
        ([["V/ns", "2"]], "1 rows and 2 columns"),
        ([["V/ns", "2"], ["1", "x"]], "row 2, column 2: 'x' is no number"),
        ([["V/ns", "nan"], ["1", "0"]], "row 1, column 2: 'nan' is no number"),
        ([["V/ns", "2"], ["1e9", "0"]], "row 2, column 1"),
        ([["V/ns", "2", "4"], ["1", "0"]], "row 2 has 2 cells, the first one 3"),
        ([["V/ns", "4", "2"], ["1", "0", "0"]], "slews of the strobe must rise"),
        ([["V/ns", "2"], ["1", "0"], ["1", "0"]], "slews of the data must rise"),
        ([["V/ns", *map(str, range(1, 42))], ["1", *"0" * 41]], "2 rows and 42 columns"),
    ],
)
def test_what_is_no_table_is_refused_with_its_place(rows, what: str) -> None:
    with pytest.raises(InputError, match=what):
        table_of(rows)


def test_forty_slews_of_either_are_a_table() -> None:
    rows = [["V/ns", *map(str, range(1, 41))], *([str(k), *"0" * 40] for k in range(1, 41))]
    assert len(table_of(rows).delta) == 40
    with pytest.raises(InputError, match="42 rows"):
        table_of([*rows, ["41", *"0" * 40]])


@settings(deadline=None)
@given(st.text(max_size=80))
def test_any_text_is_a_table_or_refused(text: str) -> None:
    try:
        table = table_pasted(text)
    except InputError:
        return
    assert table_of(rows_of(table)).delta
