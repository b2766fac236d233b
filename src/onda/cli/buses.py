"""The command about buses."""

from __future__ import annotations

import csv
import math
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.bus_answers import (
    asked_search,
    pins_of,
    sweep_of,
    tell_pins,
    tell_search,
    tell_sweep,
)
from onda.cli.common import (
    EXIT_FAILS,
    FileArgument,
    JsonOption,
    number,
    open_project,
    pick,
    print_json,
    running,
)
from onda.project.quantities import fixed

if TYPE_CHECKING:
    from onda.studies.buses.bus import BusCase
    from onda.studies.buses.levelling import Levelled

__all__ = ["register"]

_COLUMNS = (
    "signal", "operation", "corner", "setup_margin_s", "hold_margin_s", "centre_level_v",
    "strobe_shift_s", "height_v", "state", "why", "overshoot_v", "undershoot_v", "ring_back_v",
    "narrowest_pulse_s", "least_duty", "largest_duty", "strobe_crossing_v", "level_v",
)  # fmt: skip


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(bus)


def bus(
    file: FileArgument,
    bus: Annotated[str, typer.Option("--bus", help="Id or name; the first without.")] = "",
    only: Annotated[
        str, typer.Option("--only", help="A signal, a strobe's lane, or an operation.")
    ] = "",
    search: Annotated[
        str, typer.Option("--search", help="An operation: every strength and termination, tried.")
    ] = "",
    sweep: Annotated[
        str,
        typer.Option(
            "--sweep",
            help="strobe, data, both (metres of line more) or speed: the worst case over it; "
            "NAME:VALUE,VALUE for values of your own.",
        ),
    ] = "",
    pins: Annotated[
        bool, typer.Option("--pins", help="Pins of all signals: set, proposed by name, or none.")
    ] = False,
    worst: Annotated[
        bool, typer.Option("--worst", help="Send the bits that close each eye furthest, too.")
    ] = False,
    as_csv: Annotated[bool, typer.Option("--csv", help="A row for each case.")] = False,
    book: Annotated[
        Path | None, typer.Option("--book", help="Write a spreadsheet, a sheet a topic.")
    ] = None,
    waves: Annotated[
        Path | None, typer.Option("--waves", help="Write waveforms of every case, .csv or .h5.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Set-up and hold of every signal, operation and corner of a bus, the worst first.

    With --search what every choice of strengths and terminations would bring to the worst signal
    of an operation (or to that of --only), the best first; with --sweep its margins over a
    quantity; with --pins where each signal is at each device. Exit 1 where a case fails or has no
    answer; of a search or a sweep, where the present choice or value does; of pins, where none is
    set or proposed.
    """
    from onda.project.base import set_value
    from onda.project.writing import write_atomically
    from onda.studies.buses.book import BUS_BOOK, book_inputs
    from onda.studies.buses.bus import BUS
    from onda.studies.buses.inputs import bus_inputs
    from onda.studies.buses.plan import bus_plan
    from onda.studies.buses.search import BUS_SEARCH
    from onda.studies.buses.waves import BUS_WAVES, waves_inputs

    project = open_project(file)
    found = pick(project.design.buses, bus, "bus", file=file)
    if worst:
        found = set_value(found, worst=True)
    with running() as runner:
        if pins:
            places = pins_of(runner, project.design, found)
            tell_pins(found, places, as_json=as_json)
            raise typer.Exit(0 if all(one.fits for one in places) else EXIT_FAILS)
        if search:
            design = project.design
            answer = runner.result(BUS_SEARCH, asked_search(design, found, search, only, runner))
            tell_search(answer, as_json=as_json)
            raise typer.Exit(0 if answer.worst[answer.now] >= 0.0 else EXIT_FAILS)
        inputs = bus_inputs(project.design, found, only)
        wanted = inputs if only else bus_plan(project.design, found)
        if sweep:
            least = runner.result(BUS, wanted).worst
            assert least is not None
            tell_sweep(
                least, sweep_of(runner, project.design, found, least, sweep), as_json=as_json
            )
            raise typer.Exit(0 if least.state == "holds" else EXIT_FAILS)
        # What could not be written is told before anything is computed.
        drawn = waves_inputs(inputs, waves.suffix) if waves is not None else None
        result = runner.result(BUS, wanted)
        if waves is not None and drawn is not None:
            write_atomically(waves, runner.result(BUS_WAVES, drawn).content)
        if book is not None:
            write_atomically(book, runner.result(BUS_BOOK, book_inputs(found, result)).content)
    cases = sorted(result.cases, key=lambda c: -math.inf if math.isnan(c.worst) else c.worst)
    rows = [_row(one) for one in cases]
    if as_json:
        print_json(
            {
                "name": found.name,
                "unit_interval_s": 1.0 / found.rate.si,
                "cases": rows,
                "strobe_to_clock": [_beside_clock(one) for one in result.levelled],
            }
        )
    elif as_csv:
        writer = csv.DictWriter(sys.stdout, _COLUMNS)
        writer.writeheader()
        writer.writerows(rows)
    else:
        _print(found.name, cases)
        _print_clock(result.levelled)
    states = [*(one.state for one in cases), *(one.state for one in result.levelled)]
    if any(state != "holds" for state in states):
        raise typer.Exit(EXIT_FAILS)


def _row(one: BusCase) -> dict[str, Any]:
    found, quality = one.found, one.found.quality
    return {
        "signal": one.signal_name,
        "operation": one.operation_name,
        "corner": one.corner,
        "setup_margin_s": number(one.setup),
        "hold_margin_s": number(one.hold),
        "centre_level_v": number(found.centre),
        "strobe_shift_s": one.shift,
        "height_v": number(found.height),
        "state": one.state,
        "why": found.failure or found.why,
        "overshoot_v": None if quality is None else quality.overshoot,
        "undershoot_v": None if quality is None else quality.undershoot,
        "ring_back_v": None if quality is None else number(quality.ring_back),
        "narrowest_pulse_s": None if quality is None else number(quality.narrowest),
        "least_duty": number(found.duty[0]),
        "largest_duty": number(found.duty[1]),
        "strobe_crossing_v": number(found.crossing),
        "level_v": number(found.level),
    }


def _beside_clock(one: Levelled) -> dict[str, Any]:
    return {
        "strobe": one.lane_name,
        "operation": one.operation_name,
        "corner": one.corner,
        "clock_later_s": number(one.late),
        "moved_by_s": number(one.moved),
        "room_s": number(one.room),
        "why": one.failure,
    }


def _print(name: str, cases: list[BusCase]) -> None:
    failing = sum(one.state == "fails" for one in cases)
    without = sum(one.state == "unknown" for one in cases)
    typer.echo(f"{name}: {len(cases)} cases, {failing} fail, {without} without an answer")
    for one in cases:
        found = one.found
        words = f"  {one.signal_name}, {one.operation_name}, {one.corner}: "
        if found.failure:
            typer.echo(f"{words}{found.failure}")
            continue
        words += f"set-up {1e12 * one.setup:.0f} ps, hold {1e12 * one.hold:.0f} ps"
        words += f", {1e3 * found.height:.0f} mV at {1e3 * found.level:.0f} mV, {one.state}"
        typer.echo(f"{words}: {found.why}" if found.why else words)


def _print_clock(levelled: Sequence[Levelled]) -> None:
    """Strobes beside the clock, the one with the least room first."""
    for one in sorted(levelled, key=lambda x: -math.inf if math.isnan(x.room) else x.room):
        words = f"  {one.lane_name}, {one.operation_name}, {one.corner}: "
        if one.failure:
            typer.echo(f"{words}{one.failure}")
            continue
        words += f"the clock comes {fixed(1e12 * one.late, 0)} ps later"
        if one.moved:
            words += f", the strobe is moved by {fixed(1e12 * one.moved, 0)} ps"
        if math.isfinite(one.room):
            words += f", {fixed(1e12 * one.room, 0)} ps of room are left, {one.state}"
        typer.echo(words)
