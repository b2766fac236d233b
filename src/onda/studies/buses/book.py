"""Study `bus_book`: a bus's cases as a spreadsheet, a sheet a topic."""

from __future__ import annotations

import io
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from onda.project.buses.bus import Bus
from onda.studies.buses.bus import BusResult
from onda.studies.core.study import Control, Study

__all__ = ["BUS_BOOK", "BookFile", "BookInputs", "book_inputs", "sheets_of"]

Row = Sequence[str | float | None]
_FORMULA = ("=", "+", "-", "@")


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def sheets_of(bus: Bus, result: BusResult) -> dict[str, list[Row]]:
    """Rows of every sheet, heads first."""
    cases: list[Row] = [
        (
            "signal", "lane", "operation", "corner", "set-up margin, s", "hold margin, s", "state",
            "height, V", "reference level, V", "swing, V", "slowest slew, V/s", "why",
        )
    ]  # fmt: skip
    shifts: dict[tuple[str, str, str], float] = {}
    levels: list[Row] = [
        ("signal", "operation", "corner", "centre of the eye, V", "reference level, V")
    ]
    for one in result.cases:
        found = one.found
        cases.append(
            (
                one.signal_name, one.lane, one.operation_name, one.corner, _number(one.setup),
                _number(one.hold), one.state, _number(found.height), _number(found.level),
                _number(found.swing), _number(found.slew), found.failure or found.why,
            )
        )  # fmt: skip
        shifts[one.lane, one.operation_name, one.corner] = one.shift
        levels.append(
            (
                one.signal_name, one.operation_name, one.corner, _number(found.centre),
                _number(found.level),
            )
        )  # fmt: skip
    waves: list[Row] = [
        (
            "signal", "operation", "corner", "overshoot, V", "undershoot, V",
            "overshoot area, V s", "undershoot area, V s", "ring-back, V", "narrowest pulse, s",
            "pulses short of the ac level", "least duty of the strobe", "largest duty",
            "crossing of its legs from their middle, V",
        )
    ]  # fmt: skip
    for one in result.cases:
        q = one.found.quality
        if q is not None:
            waves.append(
                (
                    one.signal_name, one.operation_name, one.corner, q.overshoot, q.undershoot,
                    q.overshoot_area, q.undershoot_area, _number(q.ring_back),
                    _number(q.narrowest), q.short, *map(_number, one.found.duty),
                    _number(one.found.crossing),
                )
            )  # fmt: skip
    settings: list[Row] = [("operation", "sends", "listens", *(d.name for d in bus.devices))]
    for operation in bus.operations:
        ends = (bus.device(operation.drives).name, bus.device(operation.listens).name)
        models = (operation.model_of(d.id) or "as in Paths" for d in bus.devices)
        settings.append((operation.name, *ends, *models))
    lanes: list[Row] = [("lane", "operation", "corner", "strobe moved by, s")]
    lanes += [(*key, shift) for key, shift in shifts.items()]
    clock: list[Row] = [
        (
            "lane", "operation", "corner", "clock later than the strobe, s", "strobe moved by, s",
            "room left, s", "why not",
        )
    ]  # fmt: skip
    clock += [
        (
            one.lane_name, one.operation_name, one.corner, _number(one.late), _number(one.moved),
            _number(one.room), one.failure,
        )
        for one in result.levelled
    ]  # fmt: skip
    return {
        "Cases": cases,
        "Waves": waves,
        "Strobes": lanes,
        "Clock": clock,
        "Levels": levels,
        "Settings": settings,
    }


def _plain(row: Row) -> Iterable[str | float | None]:
    """Words that begin like a formula stay words."""
    for value in row:
        yield f"'{value}" if isinstance(value, str) and value.startswith(_FORMULA) else value


@dataclass(frozen=True, slots=True)
class BookInputs:
    """Sheets by name, rows with their heads first."""

    sheets: tuple[tuple[str, tuple[Row, ...]], ...]


@dataclass(frozen=True, slots=True)
class BookFile:
    """Content of a file."""

    content: bytes


def book_inputs(bus: Bus, result: BusResult) -> BookInputs:
    """Slice for a spreadsheet."""
    return BookInputs(
        tuple((name, tuple(map(tuple, rows))) for name, rows in sheets_of(bus, result).items())
    )


def _run(inputs: BookInputs, _: Control) -> BookFile:
    from openpyxl import Workbook

    book = Workbook()
    book.remove(book.active)
    for title, rows in inputs.sheets:
        sheet = book.create_sheet(title)
        for row in rows:
            sheet.append(list(_plain(row)))
        sheet.freeze_panes = "A2"
    content = io.BytesIO()
    book.save(content)
    return BookFile(content.getvalue())


BUS_BOOK: Study[BookInputs, BookFile] = Study(
    "bus_book", _run, BookFile, keep_on_disk=False, title="Spreadsheet of a bus"
)
