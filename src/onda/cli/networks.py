"""The command about networks: network."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.common import (
    EXIT_FAILS,
    JsonOption,
    open_project,
    pick,
    print_json,
    read_text,
    running,
    write_file,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.studies.networks.inputs import NetworkInputs
    from onda.studies.networks.network import NetworkResult

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(network)


def network(
    files: Annotated[
        list[Path], typer.Argument(help="Files of S-parameters, in a row; or a project.")
    ],
    name: Annotated[
        str,
        typer.Option("--network", help="Id of a network of the project; the first if left out."),
    ] = "",
    single: Annotated[bool, typer.Option("--single", help="Single lines, not pairs.")] = False,
    ports: Annotated[
        str, typer.Option("--ports", help="Order, left ones (P N) then right: '1 3 2 4'.")
    ] = "",
    reference: Annotated[
        str, typer.Option("--reference", help="Renormalise to this; 50 ohm for files.")
    ] = "",
    rate: Annotated[str, typer.Option("--rate", help="Data rate, as 26.5625GBd.")] = "",
    rise: Annotated[str, typer.Option("--rise", help="Edge, 20 to 80 percent.")] = "",
    remove_left: Annotated[
        Path | None, typer.Option("--remove-left", help="Take this fixture away at the left.")
    ] = None,
    remove_right: Annotated[
        Path | None, typer.Option("--remove-right", help="Take this one away at the right.")
    ] = None,
    through: Annotated[
        Path | None,
        typer.Option("--through", help="2x through of the fixtures: both are taken away."),
    ] = None,
    halves: Annotated[
        bool, typer.Option("--halves", help="Split a double fixture; --write gets one half.")
    ] = False,
    side: Annotated[
        str,
        typer.Option("--side", help="Which half: left or right, its inner ports last or first."),
    ] = "left",
    like: Annotated[
        Path | None,
        typer.Option("--like", help="Fixture, device, fixture, whose impedances the half takes."),
    ] = None,
    remedy: Annotated[
        list[str] | None,
        typer.Option("--remedy", help="passive, reciprocal or causal; repeatable."),
    ] = None,
    limits: Annotated[
        Path | None, typer.Option("--limits", help="Requirement set (JSON) to hold it against.")
    ] = None,
    write: Annotated[
        Path | None, typer.Option("--write", help="Write it: name.sNp, name.ts or name.h5.")
    ] = None,
    profile: Annotated[
        Path | None, typer.Option("--profile", help="Write impedance along the line as CSV.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Read S-parameters: quality, port order, delay, skew, profile; join, take away, write.

    Exit 0 where all limits hold, 1 where one fails, 2 for input that is wrong.
    """
    from dataclasses import replace

    from onda.studies.networks.build import build_network
    from onda.studies.networks.inputs import HalfItem
    from onda.studies.networks.network import NETWORK

    requirements: list[Any] = []
    of_project = len(files) == 1 and files[0].suffix == ".onda"
    if of_project:
        inputs, requirements = _of_project(files[0], name)
    else:
        inputs = _of_files(files, remove_left, remove_right, through)
    inputs = _read_as(inputs, ports, reference, rate, rise, tuple(remedy or ()))
    count = build_network(inputs).s.shape[-1]
    pair = (inputs.pair if of_project else count % 4 == 0) and not single
    inputs = replace(inputs, pair=pair)
    if halves:
        if side not in ("left", "right"):
            raise InputError(f"--side {side}: no side", remedy="left or right.")
        around = _read_as(_file(like), ports, reference, "", "", ()) if like else None
        half = HalfItem(inputs, side, around)
        inputs = replace(inputs, source=half, order=(), ends=(), remedies=())
    with running() as runner:
        result = runner.result(NETWORK, inputs)
    if limits is not None:
        requirements += _requirements(limits)
    found = _margins(result, requirements)
    if write is not None:
        _write(write, result)
    if profile is not None:
        _write_profile(profile, result)
    summary = _summary(result) | {"limits": found}
    if as_json:
        print_json(summary)
    else:
        _print(summary)
    if any(m["state"] == "fails" for m in found):
        raise typer.Exit(EXIT_FAILS)


def _of_project(file: Path, name: str) -> tuple[NetworkInputs, list[Any]]:
    from onda.project.edits import requirements_of
    from onda.project.kind import Ref
    from onda.studies.networks.inputs import network_inputs

    project = open_project(file)
    chosen = pick(project.design.networks, name, "network", file=file)
    wanted = requirements_of(project, Ref("network", chosen.id))
    return network_inputs(project.design, chosen), list(wanted)


def _file(path: Path) -> NetworkInputs:
    from onda.studies.core.reading import read_inputs, take
    from onda.studies.networks.inputs import FileItem, NetworkInputs

    item = FileItem(take(read_inputs(path.resolve())))
    return NetworkInputs(path.name, item, False, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0)


def _of_files(
    files: list[Path], left: Path | None, right: Path | None, through: Path | None
) -> NetworkInputs:
    from dataclasses import replace

    from onda.studies.networks.inputs import ChainItem, HalfItem, PieceItem

    first = _file(files[0])
    if len(files) == 1 and left is None and right is None and through is None:
        return first
    inner = [_file(f) for f in files]
    before = None if left is None else _file(left)
    after = None if right is None else _file(right)
    if through is not None:
        if len(files) > 1 or left is not None or right is not None:
            raise InputError(
                "--through takes both fixtures away from one file",
                remedy="Leave out --remove-left, --remove-right and further files.",
            )
        two = _file(through)
        before, after = (
            replace(two, name=f"{two.name}, {side} half", source=HalfItem(two, side, first))
            for side in ("left", "right")
        )
    parts = [(before, True), *((f, False) for f in inner), (after, True)]
    pieces = tuple(
        PieceItem(f"p{k}", f.name, f, False, removed, ())
        for k, (f, removed) in enumerate(parts)
        if f is not None
    )
    return replace(first, name=" + ".join(f.name for f in files), source=ChainItem(pieces))


def _read_as(
    inputs: NetworkInputs,
    ports: str,
    reference: str,
    rate: str,
    rise: str,
    remedies: tuple[str, ...],
) -> NetworkInputs:
    from dataclasses import replace

    from onda.project.quantities import parse_quantity

    for word in remedies:
        if word not in ("passive", "reciprocal", "causal"):
            raise InputError(f"there is no remedy {word!r}", remedy="passive, reciprocal, causal.")
    changes: dict[str, Any] = {}
    words = ports.replace(",", " ").split()
    if not all(w.isascii() and w.isdecimal() and 0 < int(w) < 1000 for w in words):
        raise InputError(f"--ports {ports}: no order", remedy="As in --ports '1 3 2 4'.")
    order = tuple(int(w) - 1 for w in words)
    if remedies:
        changes["remedies"] = remedies
    if rate:
        changes["rate"] = parse_quantity(rate, "data rate", "GBd").si
    if rise:
        changes["rise"] = parse_quantity(rise, "time", "ps").si
    if reference:
        changes["reference"] = parse_quantity(reference, "resistance", "ohm").si
    inputs = replace(inputs, **changes)
    return _ordered(inputs, order) if order else inputs


def _ordered(inputs: NetworkInputs, order: tuple[int, ...]) -> NetworkInputs:
    """An order is that of the files; what is made of them then lies in order."""
    from dataclasses import replace

    from onda.studies.networks.inputs import ChainItem, HalfItem

    match inputs.source:
        case ChainItem(pieces):
            laid = tuple(replace(p, network=_ordered(p.network, order)) for p in pieces)
            return replace(inputs, source=ChainItem(laid))
        case HalfItem(whole, side, like):
            around = _ordered(like, order) if like is not None else None
            return replace(inputs, source=HalfItem(_ordered(whole, order), side, around))
        case _:
            return replace(inputs, order=order)


def _requirements(path: Path) -> list[Any]:
    from onda.project.networks.limit_sets import read_set

    limits = read_set(read_text(path), path.name).limits
    return [limit.on(f"limit-{k}", "network") for k, limit in enumerate(limits)]


def _margins(result: NetworkResult, requirements: list[Any]) -> list[dict[str, Any]]:
    from onda.studies.core.margin import margin_of
    from onda.studies.networks.judge import measure_network

    out = []
    for requirement in requirements:
        measured = measure_network(result, requirement)
        margin = margin_of(requirement, measured)
        out.append(
            {
                "measure": requirement.measure,
                "value": margin.value,
                "margin": margin.margin,
                "state": margin.state.value,
                "sentence": margin.sentence,
                "where": margin.where or margin.how,
            }
        )
    return out


def _summary(result: NetworkResult) -> dict[str, Any]:
    q, time = result.mended, result.time
    out: dict[str, Any] = {
        "name": result.name,
        "ports": list(result.ports),
        "points": len(result.frequency),
        "from_hz": q.first,
        "to_hz": q.last,
        "passivity_percent": q.passivity,
        "largest_gain": q.worst_gain,
        "reciprocity_percent": q.reciprocity,
        "causality_percent": q.causality,
        "points_per_turn": q.points_per_turn,
        "delay_s": q.delay,
        "doubts": list(result.doubts),
        "left_out_of_causality": [f"S{row + 1}{column + 1}" for row, column in q.unheard],
        "better_order": list(result.better_order),
        "notes": list(result.notes),
    }
    if time is not None:
        out["edge_s"] = time.rise
        out["lane_delays_s"] = [t.delay for t in time.through if t.mode in ("diff", "single")]
        out["pair_skew_s"] = [s.figure for s in time.skews]
        out["single_ended_skew_s"] = [s.single_delay for s in time.skews]
        out["parts"] = [
            {"lane": r.lane + 1, "kind": p.kind, "value": p.value, "place_s": p.delay}
            for r in time.reflections
            if r.side == "left" and r.mode in ("diff", "single")
            for p in r.lumps
        ]
        out["crosstalk"] = [
            {"victim": v + 1, "aggressor": int(p.aggressor) + 1, "end": p.end,
             "place_s": p.place, "volts": p.volts, "share": p.share}
            for v, peaks in enumerate(time.peaks)
            for p in peaks[:5]
        ]  # fmt: skip
    else:
        out["time_problem"] = result.time_problem
    for lane in result.lanes:
        out.setdefault("lanes", []).append({"ild_db": lane.ild, "icn_v": lane.icn})
    return out


def _print(summary: dict[str, Any]) -> None:
    for key, value in summary.items():
        if key in ("limits", "notes", "parts", "crosstalk", "lanes") or value in ([], ""):
            continue
        if isinstance(value, float) and not math.isfinite(value):
            continue
        if isinstance(value, list):
            shown = " ".join(f"{v:.5g}" if isinstance(v, float) else str(v) for v in value)
        else:
            shown = f"{value:.6g}" if isinstance(value, float) else str(value)
        typer.echo(f"{key:20s} {shown}")
    for part in summary.get("parts", []):
        typer.echo(
            f"lane {part['lane']}: {part['kind']} {part['value']:.3g} at "
            f"{part['place_s'] * 1e12:.0f} ps"
        )
    for peak in summary.get("crosstalk", []):
        typer.echo(
            f"lane {peak['victim']} {peak['end']} end from {peak['aggressor']}: "
            f"{peak['volts'] * 1e3:.3g} mV at {peak['place_s'] * 1e12:.0f} ps, "
            f"{100 * peak['share']:.0f} %"
        )
    for k, lane in enumerate(summary.get("lanes", [])):
        has_noise = math.isfinite(lane["icn_v"])
        noise = f", crosstalk noise {lane['icn_v'] * 1e3:.3g} mV" if has_noise else ""
        typer.echo(f"lane {k + 1}: loss deviation {lane['ild_db']:.3g} dB{noise}")
    for note in summary["notes"]:
        typer.echo(f"note: {note}")
    if summary["better_order"]:
        typer.echo(f"the order of the ports looks wrong: try --ports '{_words(summary)}'")
    for limit in summary["limits"]:
        typer.echo(f"{limit['sentence']}, {limit['where']}")


def _words(summary: dict[str, Any]) -> str:
    return " ".join(str(p) for p in summary["better_order"])


def _write(path: Path, result: NetworkResult) -> None:
    from onda.studies.networks.write import network_bytes

    write_file(path, network_bytes(result, path.suffix))


def _write_profile(path: Path, result: NetworkResult) -> None:
    if result.time is None:
        raise InputError(result.time_problem)
    lines = ["lane,mode,side,delay_s,impedance_ohm"]
    for r in result.time.reflections:
        lines += [
            f"{r.lane + 1},{r.mode},{r.side},{x:.6g},{z:.6g}"
            for x, z in zip(r.place, r.true, strict=True)
        ]
    write_file(path, lines)
