"""The command about groups of lanes: coupling."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.common import (
    EXIT_FAILS,
    FileArgument,
    JsonOption,
    open_project,
    pick,
    print_json,
    running,
    write_file,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.coupling.group import LaneGroup
    from onda.project.model import Design
    from onda.project.requirements import Requirement
    from onda.studies.core.runner import StudyRunner
    from onda.studies.coupling.group import GroupResult
    from onda.studies.coupling.inputs import GroupInputs

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(coupling)


def coupling(
    file: FileArgument,
    group: Annotated[str, typer.Option("--group", help="Id or name; the first without.")] = "",
    changes: Annotated[
        list[str] | None,
        typer.Option(
            "--set",
            help="spacing=300um, spacing:C1:2=300um, length=40mm, vias:C1=L6, rate=..., rise=...",
        ),
    ] = None,
    search: Annotated[
        str, typer.Option("--search", help="spacing or length that holds every limit.")
    ] = "",
    waves: Annotated[
        str, typer.Option("--waves", help="Id of a lane: its edge in time, with device models.")
    ] = "",
    bits: Annotated[
        str, typer.Option("--bits", help="Id of a lane: 127 bits on all lanes, with device models.")
    ] = "",
    choices: Annotated[
        bool, typer.Option("--choices", help="What guards, turns, layers and planes would bring.")
    ] = False,
    split: Annotated[
        str, typer.Option("--split", help="Id of a piece: widths that hold best in its room.")
    ] = "",
    eye: Annotated[
        str, typer.Option("--eye", help="Id of a lane: its eye with its neighbours and without.")
    ] = "",
    ber: Annotated[float, typer.Option("--ber", help="Error rate of that eye.")] = 1e-12,
    write: Annotated[
        Path | None, typer.Option("--write", help="Its network: name.sNp, name.ts or name.h5.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Who disturbs whom in a group, the noise at every receiver, and whether it is allowed.

    Exit 0 where all limits of the group hold, 1 where one fails, 2 for input that is wrong.
    """
    from onda.formats.network_files import format_of
    from onda.project.edits import replace_object, requirements_of
    from onda.project.kind import Ref
    from onda.studies.core.margin import State, margin_of
    from onda.studies.coupling.group import GROUP
    from onda.studies.coupling.inputs import group_inputs
    from onda.studies.coupling.judge import measure_group

    project = open_project(file)
    found = pick(project.design.groups, group, "group", file=file)
    wanted = requirements_of(project, Ref("group", found.id))
    changed = found
    for change in changes or []:
        changed = _changed(project.design, changed, change)
    # Whole, so that what the changes name is looked for.
    project = replace_object(project, changed)
    inputs = group_inputs(project.design, changed)
    if write is not None:
        # Before anything is worked out.
        format_of(write.suffix, 2 * len(inputs.lanes) * inputs.pieces[0].lane.trace.lines)
    with running() as runner:
        result = runner.result(GROUP, inputs)
        extra: dict[str, Any] = {}
        if bits:
            extra["bits"] = _bits(runner, project.design, changed, bits)
        if choices:
            extra["choices"] = _choices(runner, project.design, changed)
        if split:
            extra["split"] = _split(runner, inputs, wanted, split)
        waved = _waves(runner, project.design, changed, waves) if waves else None
        seen = _eye(runner, project.design, changed, eye, ber) if eye else None
        searched = _search(runner, inputs, wanted, search) if search else None
    margins = [margin_of(r, measure_group(result, r.measure, r.receiver)) for r in wanted]
    if write is not None:
        _write(write, inputs)
    data = _summary(result) | {
        "limits": [
            {
                "measure": r.measure,
                "receiver": r.receiver,
                "value": m.value,
                "margin": m.margin,
                "state": m.state.value,
                "sentence": m.sentence,
                "where": m.where,
            }
            for r, m in zip(wanted, margins, strict=True)
        ]
    }
    data |= extra
    if searched is not None:
        data["search"] = searched
    if seen is not None:
        data["eye"] = seen
    if waved is not None:
        data["waves"] = waved
    if as_json:
        print_json(data)
    else:
        _print(result, data)
    if any(m.state is State.FAILS for m in margins):
        raise typer.Exit(EXIT_FAILS)


def _changed(design: Design, group: LaneGroup, change: str) -> LaneGroup:
    """A group with one `--set`."""
    from onda.project.base import set_value
    from onda.project.coupling.edits import set_length, set_spacing
    from onda.project.quantities import parse_quantity

    name, is_there, typed = change.partition("=")
    what, *where = name.strip().split(":")
    if not is_there:
        raise InputError(f"--set {change}: no value", remedy="As in --set spacing=300um.")
    dimensions = {"rate": "data rate", "rise": "time", "near": "voltage", "far": "voltage"}
    if what in dimensions and not where:
        return set_value(group, **{what: parse_quantity(typed, dimensions[what])})
    coupled = [p.id for p in group.pieces if p.coupled]
    if what == "spacing" and len(where) <= 2:
        after = None
        if len(where) == 2:
            if not where[1].isdecimal():
                raise InputError(f"--set {change}: {where[1]!r} is no lane", remedy="From 1 on.")
            after = int(where[1]) - 1
        value = parse_quantity(typed, "length", "um")
        for piece in where[:1] or coupled:
            group = set_spacing(group, piece, value, after)
        return group
    if what == "length" and len(where) <= 1:
        pieces = where or coupled
        if len(pieces) != 1:
            raise InputError(
                f"--set {change}: {group.name} has {len(pieces)} coupled pieces",
                remedy=f"As in --set length:{group.pieces[0].id}=20mm.",
            )
        return set_length(group, pieces[0], parse_quantity(typed, "length", "mm"))
    if what in ("vias", "pitch", "drill") and len(where) == 1:
        return _vias_changed(design, group, what, where[0], typed)
    raise InputError(
        f"--set {change}: nothing called {name.strip()!r} can be set",
        remedy="spacing, spacing:PIECE, spacing:PIECE:LANE, length, length:PIECE, vias:PIECE, "
        "pitch:PIECE, drill:PIECE, rate, rise, near, far.",
    )


def _vias_changed(design: Design, group: LaneGroup, what: str, piece: str, typed: str) -> LaneGroup:
    """A group with other vias at the beginning of a piece: from a layer, or none."""
    from onda.project.base import set_value
    from onda.project.coupling.edits import piece_of, set_vias, usual_vias
    from onda.project.quantities import parse_quantity

    vias = piece_of(group, piece).vias
    if what == "vias":
        if typed.strip().lower() == "none":
            return set_vias(group, piece, None)
        usual = vias or usual_vias(design, group, piece)
        return set_vias(group, piece, set_value(usual, from_layer=typed.strip()))
    if vias is None:
        raise InputError(
            f"{piece} has no vias", remedy=f"Put some there first: --set vias:{piece}=LAYER."
        )
    return set_vias(group, piece, set_value(vias, **{what: parse_quantity(typed, "length", "mm")}))


def _search(
    runner: StudyRunner, inputs: GroupInputs, wanted: tuple[Requirement, ...], what: str
) -> dict[str, Any]:
    from onda.studies.coupling.search import (
        GROUP_SEARCH,
        LimitInputs,
        SearchInputs,
        search_range,
    )

    low, high = search_range(inputs, what)
    limits = tuple(LimitInputs.of(r) for r in wanted)
    found = runner.result(GROUP_SEARCH, SearchInputs(inputs, limits, what, low, high))
    return {
        "what": found.what,
        "found_m": found.found if found.found == found.found else None,
        "limiting": found.limiting,
        "words": found.words,
        "tried_m": found.tried.tolist(),
        "margins": found.margins.tolist(),
    }


def _waves(runner: StudyRunner, design: Design, group: LaneGroup, lane: str) -> dict[str, Any]:
    from onda.studies.coupling.waves import GROUP_WAVES, waves_inputs

    found = runner.result(GROUP_WAVES, waves_inputs(design, group, lane))
    return {
        "lane": found.lane,
        "level_v": found.level,
        "low_v": found.low,
        "high_v": found.high,
        **{f"arrival_{w.case}_s": w.arrives for w in found.waves if w.case != "listens"},
        "spread_s": found.spread,
        "heard_at_rest_v": found.wave("listens").peak,
    }


def _bits(runner: StudyRunner, design: Design, group: LaneGroup, lane: str) -> dict[str, Any]:
    from onda.studies.coupling.bits import GROUP_BITS
    from onda.studies.coupling.waves import waves_inputs

    found = runner.result(GROUP_BITS, waves_inputs(design, group, lane))
    return {
        "lane": found.lane,
        "level_v": found.level,
        "height_v": found.height,
        "width_s": found.width,
    }


def _choices(runner: StudyRunner, design: Design, group: LaneGroup) -> list[dict[str, Any]]:
    from onda.studies.coupling.choices import GROUP_CHOICES, choices_inputs

    found = runner.result(GROUP_CHOICES, choices_inputs(design, group))
    return [
        {
            "instead": one.words,
            "noise_v": one.noise.tolist(),
            "change_db": one.change_db.tolist(),
            "rise_db": one.rise_db.tolist(),
            "rise_at_hz": one.rise_at.tolist(),
        }
        for one in found.choices
    ]


def _split(
    runner: StudyRunner, inputs: GroupInputs, wanted: tuple[Requirement, ...], piece: str
) -> dict[str, Any]:
    from dataclasses import asdict

    from onda.studies.coupling.search import LimitInputs
    from onda.studies.coupling.split import GROUP_SPLIT, SplitInputs

    limits = tuple(LimitInputs.of(r) for r in wanted)
    found = runner.result(GROUP_SPLIT, SplitInputs(inputs, limits, piece))
    return {
        "total_m": found.total,
        "best": asdict(found.best),
        "now": asdict(found.now),
        "tried": [asdict(one) for one in found.splits],
        "words": found.words,
    }


def _eye(
    runner: StudyRunner, design: Design, group: LaneGroup, lane: str, ber: float
) -> dict[str, Any]:
    from onda.studies.coupling.eye import GROUP_EYE, eye_inputs

    found = runner.result(GROUP_EYE, eye_inputs(design, group, lane, ber))
    return {
        "lane": found.lane,
        "error_rate": found.error_rate,
        "height_v": found.crowded.height,
        "width_s": found.crowded.width,
        "height_alone_v": found.alone.height,
        "width_alone_s": found.alone.width,
        "heard": {
            which: {"effective_v": one.effective, "at_error_rate_v": one.rare, "most_v": one.most}
            for which, one in (
                ("all", found.heard),
                ("near", found.heard_near),
                ("far", found.heard_far),
            )
        },
    }


def _write(path: Path, inputs: GroupInputs) -> None:
    from onda.studies.networks.inputs import GroupItem, NetworkInputs
    from onda.studies.networks.network import NETWORK
    from onda.studies.networks.write import network_bytes

    network = NetworkInputs(
        inputs.name, GroupItem(inputs), inputs.pair, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0
    )
    with running() as runner:
        write_file(path, network_bytes(runner.result(NETWORK, network), path.suffix))


def _summary(result: GroupResult) -> dict[str, Any]:
    from onda.studies.coupling.judge import value_of

    lanes = []
    for k, name in enumerate(result.lanes):
        noise, arrival = result.noise[k], result.arrivals[k]
        allowed = float(result.allowed[k])
        lanes.append(
            {
                "lane": name,
                "towards": "right" if result.rightward[k] else "left",
                "loss_db": noise.loss_db,
                "noise_v": noise.total,
                "noise_near_v": noise.near,
                "noise_far_v": noise.far,
                "allowed_v": allowed if allowed == allowed else None,
                "is_allowed": noise.total <= allowed if allowed == allowed else None,
                "near_end_peak_v": result.peak_sum(k, near=True),
                "far_end_peak_v": result.peak_sum(k, near=False),
                "power_sum_db": value_of(result, "power_sum_level", k),
                "arrival_s": arrival.quiet,
                "arrival_along_s": arrival.along,
                "arrival_against_s": arrival.against,
                "arrival_spread_s": arrival.spread,
            }
        )
    return {
        "name": result.name,
        "delay_s": result.delay,
        "lanes": lanes,
        "near": result.near.tolist(),
        "noise_by_lane_v": [list(n.by_lane) for n in result.noise],
        "peaks_v": result.peaks.tolist(),
        "saturation": [
            {
                "piece": n.piece,
                "lanes": [result.lanes[n.first], result.lanes[n.second]],
                "k_near": n.coupling.k_near,
                "k_far_s_per_m": n.coupling.k_far,
                "saturation_length_m": n.coupling.saturation_length,
            }
            for n in result.neighbours
        ],
        "doubts": list(result.doubts),
    }


def _print(result: GroupResult, data: dict[str, Any]) -> None:
    width = max(len(name) for name in result.lanes)
    typer.echo(f"{result.name}: noise at each receiver, mV rms (n near end, f far end)")
    for k, name in enumerate(result.lanes):
        cells = [
            "       -" if a == k else f"{1e3 * v:7.3f}{'n' if result.near[k, a] else 'f'}"
            for a, v in enumerate(result.noise[k].by_lane)
        ]
        one = data["lanes"][k]
        allowed = f", allowed {1e3 * one['allowed_v']:.3g}" if one["allowed_v"] is not None else ""
        typer.echo(
            f"{name:{width}} {' '.join(cells)}   together {1e3 * one['noise_v']:.3g} mV{allowed}, "
            f"loss {one['loss_db']:.2f} dB, moved by {1e12 * one['arrival_spread_s']:.2f} ps"
        )
    for limit in data["limits"]:
        typer.echo(f"{limit['sentence']} ({limit['where']})")
    if "eye" in data:
        e = data["eye"]
        typer.echo(
            f"{e['lane']} at {e['error_rate']:g}: eye {1e3 * e['height_v']:.1f} mV by "
            f"{1e12 * e['width_s']:.1f} ps, without neighbours {1e3 * e['height_alone_v']:.1f} mV "
            f"by {1e12 * e['width_alone_s']:.1f} ps"
        )
        h = e["heard"]["all"]
        typer.echo(
            f"{e['lane']} hears at random {1e3 * h['effective_v']:.3g} mV rms, "
            f"{1e3 * h['at_error_rate_v']:.3g} mV at {e['error_rate']:g}, never more than "
            f"{1e3 * h['most_v']:.3g} mV"
        )
    if "waves" in data:
        w = data["waves"]
        typer.echo(
            f"{w['lane']} with devices: arrives after {1e12 * w['arrival_quiet_s']:.1f} ps, along "
            f"{1e12 * w['arrival_along_s']:.1f} ps, against {1e12 * w['arrival_against_s']:.1f} "
            f"ps; hears {1e3 * w['heard_at_rest_v']:.0f} mV at rest"
        )
    if "bits" in data:
        b = data["bits"]
        typer.echo(
            f"{b['lane']}, 127 bits on all lanes: ones and zeros {1e3 * b['height_v']:.0f} mV "
            f"apart, {1e12 * b['width_s']:.1f} ps at {b['level_v']:.3g} V"
        )
    for one in data.get("choices", ()):
        worst = max(range(len(one["noise_v"])), key=lambda k: one["noise_v"][k])
        typer.echo(
            f"{one['instead']}: at worst {1e3 * one['noise_v'][worst]:.3g} mV at "
            f"{result.lanes[worst]}, {one['change_db'][worst]:+.1f} dB there"
        )
    if "split" in data:
        typer.echo(data["split"]["words"])
    if "search" in data:
        typer.echo(data["search"]["words"])
    for doubt in data["doubts"]:
        typer.echo(f"but {doubt}")
