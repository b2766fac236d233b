"""What a search and a sweep of a bus print."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import typer

from onda.cli.common import name_and_values, number, print_json
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.buses.bus import Bus
    from onda.project.buses.pins import PinRow
    from onda.project.model import Design
    from onda.studies.buses.bus import BusCase
    from onda.studies.buses.search import BusSearch, SearchInputs
    from onda.studies.buses.sweep import BusSweep
    from onda.studies.core.runner import StudyRunner

__all__ = [
    "asked_search",
    "pins_of",
    "sweep_of",
    "tell_pins",
    "tell_search",
    "tell_sweep",
]


def asked_search(
    design: Design, bus: Bus, operation: str, signal: str, runner: StudyRunner
) -> SearchInputs:
    """The search for a signal, or for the worst one of the operation."""
    from onda.studies.buses.bus import BUS
    from onda.studies.buses.inputs import bus_inputs
    from onda.studies.buses.search import search_inputs

    chosen = next((o for o in bus.operations if operation in (o.id, o.name)), None)
    if chosen is None:
        known = ", ".join(o.name for o in bus.operations)
        raise InputError(f"{bus.name} has no operation {operation!r}", remedy=f"One of {known}.")
    if not signal:
        worst = runner.result(BUS, bus_inputs(design, bus, chosen.id)).worst
        assert worst is not None
        signal = worst.signal
    named = next((s for s in bus.data if signal in (s.id, s.name)), None)
    if named is None:
        raise InputError(f"{bus.name} has no signal {signal!r}")
    return search_inputs(design, bus, chosen.id, named.id)


def tell_search(found: BusSearch, *, as_json: bool) -> None:
    """Print a search, the best choice first."""
    rows = [
        {
            "models": dict(zip(found.devices, found.choices[k], strict=True)),
            "setup_margin_s": number(float(found.setup[k])),
            "hold_margin_s": number(float(found.hold[k])),
            "height_v": number(float(found.height[k])),
            "now": k == found.now,
        }
        for k in found.order
    ]
    if as_json:
        print_json({"choices": rows, "near_the_best": found.near})
        return
    for k in found.order:
        named = zip(found.devices, found.choices[k], strict=True)
        models = ", ".join(f"{device} {model}" for device, model in named)
        worst = float(found.worst[k])
        words = f"{1e12 * worst:.0f} ps" if math.isfinite(worst) else "no answer"
        typer.echo(f"{'now: ' if k == found.now else ''}{models}: {words}")


def sweep_of(runner: StudyRunner, design: Design, bus: Bus, case: BusCase, typed: str) -> BusSweep:
    """A case over a quantity, as typed: ``NAME`` or ``NAME:VALUE,VALUE``."""
    from onda.studies.buses.sweep import BUS_SWEEP, sweep_inputs

    over, values = name_and_values(typed, "--sweep strobe or --sweep speed:0.8,1,1.2")
    inputs = sweep_inputs(design, bus, case.operation, case.signal, over, values)
    return runner.result(BUS_SWEEP, inputs)


def tell_sweep(case: BusCase, found: BusSweep, *, as_json: bool) -> None:
    """Print a sweep of the case that it is of."""
    rows = [
        {
            "value": float(value),
            "setup_margin_s": number(float(found.setup[k])),
            "hold_margin_s": number(float(found.hold[k])),
            "height_v": number(float(found.height[k])),
            "state": "holds" if found.holds[k] else "fails",
            "why": found.why[k],
        }
        for k, value in enumerate(found.values)
    ]
    if as_json:
        named = {"signal": case.signal_name, "operation": case.operation_name}
        print_json({**named, "over": found.over, "points": rows})
        return
    typer.echo(f"{case.signal_name}, {case.operation_name}, all corners, over {found.over}")
    for k, row in enumerate(rows):
        if row["why"]:
            typer.echo(f"  {row['value']:g}: {row['why']}")
            continue
        margins = f"set-up {1e12 * found.setup[k]:.0f} ps, hold {1e12 * found.hold[k]:.0f} ps"
        typer.echo(f"  {row['value']:g}: {margins}, {1e3 * found.height[k]:.0f} mV, {row['state']}")


def pins_of(runner: StudyRunner, design: Design, bus: Bus) -> list[PinRow]:
    """Pins of all signals at all devices whose files have pins."""
    from onda.project.buses.pins import device_files, pin_rows
    from onda.project.files import content_of
    from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs

    files = device_files(design, bus)
    pins = {}
    for file in dict.fromkeys(files.values()):
        content = content_of(design.device_file(file))
        found = runner.result(DEVICE_FILE, DeviceFileInputs(content))
        pins[file] = [(p.pin, p.signal) for p in found.pins]
    return pin_rows(bus, files, pins)


def tell_pins(bus: Bus, rows: list[PinRow], *, as_json: bool) -> None:
    """Print pins, signal by signal."""
    if as_json:
        print_json(
            [
                {
                    "signal": bus.signal(r.signal).name,
                    "device": bus.device(r.device).name,
                    "pin": r.set or r.proposed or None,
                    "by": "set" if r.set else "name" if r.proposed else "",
                }
                for r in rows
            ]
        )
        return
    for signal in bus.signals:
        own = [r for r in rows if r.signal == signal.id]
        words = (f"{bus.device(r.device).name} {_pin_words(r)}" for r in own)
        typer.echo(f"{signal.name}: {', '.join(words)}")


def _pin_words(row: PinRow) -> str:
    if row.set:
        return row.set
    return f"{row.proposed}?" if row.proposed else "none fits"
