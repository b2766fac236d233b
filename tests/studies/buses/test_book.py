"""A bus's spreadsheet: every value stands under its own head, whatever it is."""

from __future__ import annotations

import io
import math
from types import SimpleNamespace
from typing import Any

import pytest
from openpyxl import load_workbook

from onda.studies.buses.book import BUS_BOOK, BookInputs, book_inputs, sheets_of
from onda.studies.core.study import Control

NAN = math.nan


def case(k: int, **found: Any) -> Any:
    """A case whose every figure is another number, ten apart from those of the next case."""
    at = 100.0 * k
    quality = SimpleNamespace(
        overshoot=at + 21, undershoot=at + 22, overshoot_area=at + 23, undershoot_area=at + 24,
        ring_back=at + 25, narrowest=at + 26, short=27 + 100 * k,
    )  # fmt: skip
    seen = {
        "height": at + 11, "level": at + 12, "swing": at + 13, "slew": at + 14, "centre": at + 15,
        "failure": "", "why": f"why {k}", "quality": quality, "duty": (at + 28, at + 29),
        "crossing": at + 30,
    }  # fmt: skip
    return SimpleNamespace(
        signal_name=f"DQ{k}", lane=f"lane {k}", operation_name=f"op {k}", corner=f"corner {k}",
        setup=at + 1, hold=at + 2, shift=at + 3, state="holds" if k else "fails",
        found=SimpleNamespace(**seen | found),
    )  # fmt: skip


@pytest.fixture
def bus() -> Any:
    names = {"c": "Hub", "a": "Memory A", "b": "Memory B"}
    devices = tuple(SimpleNamespace(id=k, name=v) for k, v in names.items())

    def operation(name: str, drives: str, listens: str, **models: str) -> Any:
        return SimpleNamespace(
            name=name, drives=drives, listens=listens, model_of=lambda d: models.get(d)
        )

    return SimpleNamespace(
        devices=devices,
        device=lambda key: next(d for d in devices if d.id == key),
        operations=(operation("write", "c", "a", b="IDLE"), operation("read", "b", "c", c="RX")),
    )


@pytest.fixture
def result() -> Any:
    clock = [
        SimpleNamespace(
            lane_name=f"L{k}", operation_name=f"op {k}", corner=f"corner {k}", late=k + 0.1,
            moved=k + 0.2, room=k + 0.3, failure="",
        )
        for k in range(2)
    ]  # fmt: skip
    clock.append(
        SimpleNamespace(
            lane_name="L2", operation_name="op 2", corner="typ", late=NAN, moved=NAN, room=NAN,
            failure="no edge",
        )
    )  # fmt: skip
    clock.append(
        SimpleNamespace(
            lane_name="L3", operation_name="op 3", corner="typ", late=1.0, moved=2.0, room=math.inf,
            failure="",
        )
    )  # fmt: skip
    lost = case(
        2, height=NAN, level=NAN, swing=NAN, slew=NAN, centre=NAN, failure="never crosses",
        why="", quality=None,
    )  # fmt: skip
    lost.setup = lost.hold = NAN
    return SimpleNamespace(cases=(case(0), case(1), lost), levelled=tuple(clock))


def rows_of(bus: Any, result: Any, name: str) -> list[dict[str, Any]]:
    head, *rows = sheets_of(bus, result)[name]
    assert len(set(head)) == len(head)
    return [dict(zip(head, row, strict=True)) for row in rows]


def test_cases(bus: Any, result: Any) -> None:
    first, second, lost = rows_of(bus, result, "Cases")
    assert first == {
        "signal": "DQ0", "lane": "lane 0", "operation": "op 0", "corner": "corner 0",
        "set-up margin, s": 1.0, "hold margin, s": 2.0, "state": "fails", "height, V": 11.0,
        "reference level, V": 12.0, "swing, V": 13.0, "slowest slew, V/s": 14.0, "why": "why 0",
    }  # fmt: skip
    assert second["signal"] == "DQ1"
    assert second["slowest slew, V/s"] == 114.0
    assert lost["why"] == "never crosses"
    assert [v for k, v in lost.items() if k.endswith(("V", "s"))] == [None] * 6


def test_waves_levels_and_strobes(bus: Any, result: Any) -> None:
    _, second = rows_of(bus, result, "Waves")
    assert second == {
        "signal": "DQ1", "operation": "op 1", "corner": "corner 1", "overshoot, V": 121.0,
        "undershoot, V": 122.0, "overshoot area, V s": 123.0, "undershoot area, V s": 124.0,
        "ring-back, V": 125.0, "narrowest pulse, s": 126.0, "pulses short of the ac level": 127,
        "least duty of the strobe": 128.0, "largest duty": 129.0,
        "crossing of its legs from their middle, V": 130.0,
    }  # fmt: skip
    levels = rows_of(bus, result, "Levels")
    assert levels[1] == {
        "signal": "DQ1", "operation": "op 1", "corner": "corner 1",
        "centre of the eye, V": 115.0, "reference level, V": 112.0,
    }  # fmt: skip
    assert levels[2]["centre of the eye, V"] is None
    assert rows_of(bus, result, "Strobes")[1] == {
        "lane": "lane 1", "operation": "op 1", "corner": "corner 1", "strobe moved by, s": 103.0,
    }  # fmt: skip


def test_clock_and_settings(bus: Any, result: Any) -> None:
    rows = rows_of(bus, result, "Clock")
    assert rows[1] == {
        "lane": "L1", "operation": "op 1", "corner": "corner 1",
        "clock later than the strobe, s": 1.1, "strobe moved by, s": 1.2, "room left, s": 1.3,
        "why not": "",
    }  # fmt: skip
    assert list(rows[2].values())[3:] == [None, None, None, "no edge"]
    assert rows[3]["room left, s"] is None
    assert rows_of(bus, result, "Settings") == [
        {"operation": "write", "sends": "Hub", "listens": "Memory A", "Hub": "as in Paths",
         "Memory A": "as in Paths", "Memory B": "IDLE"},
        {"operation": "read", "sends": "Memory B", "listens": "Hub", "Hub": "RX",
         "Memory A": "as in Paths", "Memory B": "as in Paths"},
    ]  # fmt: skip


def test_what_is_written_is_what_is_read_back(bus: Any, result: Any) -> None:
    made = BUS_BOOK.run(book_inputs(bus, result), Control())
    book = load_workbook(io.BytesIO(made.content))
    wanted = sheets_of(bus, result)
    assert book.sheetnames == list(wanted)
    for name, rows in wanted.items():
        sheet = book[name]
        assert sheet.freeze_panes == "A2"
        read = [tuple(cell.value for cell in row) for row in sheet.iter_rows()]
        # An empty word is an empty cell.
        assert read == [tuple(v if v != "" else None for v in row) for row in rows]


@pytest.mark.parametrize("word", ["=1+1", "+x", "-3", "@y", "plain"])
def test_words_never_become_formulas(word: str) -> None:
    made = BUS_BOOK.run(BookInputs((("A", ((word, -3.0),)),)), Control())
    cells = load_workbook(io.BytesIO(made.content))["A"][1]
    assert cells[0].value == (word if word == "plain" else f"'{word}")
    assert cells[0].data_type == "s"
    assert cells[1].value == -3.0
