"""Commands about paths and device models: path, device."""

from __future__ import annotations

import math
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.common import (
    FileArgument,
    JsonOption,
    open_project,
    pick,
    print_json,
    read_bytes,
    running,
    write_file,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.model import Project
    from onda.project.paths.elements import Element
    from onda.project.paths.path import Path as NetPath

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the commands to the application."""
    app.command()(path)
    app.command()(device)


def path(
    file: FileArgument,
    name: Annotated[
        str, typer.Option("--path", help="Id of the path; the first one if left out.")
    ] = "",
    change: Annotated[
        list[str] | None, typer.Option("--set", help="ELEMENT=VALUE, as in Rs=33ohm; repeatable.")
    ] = None,
    corner: Annotated[str, typer.Option("--corner", help="typ, slow or fast.")] = "",
    sweep: Annotated[
        str, typer.Option("--sweep", help="ELEMENT=LOW..HIGH, as in Rs=0..60ohm.")
    ] = "",
    corners: Annotated[bool, typer.Option("--corners", help="Sweep over all corners.")] = False,
    why: Annotated[bool, typer.Option("--why", help="Take one thing away at a time.")] = False,
    waveforms: Annotated[
        Path | None, typer.Option("--waveforms", help="Write the waveforms as CSV.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Run a path: what every receiver sees; sweep a value; say why it rings."""
    from onda.project.base import set_value
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.path import PATH

    project = open_project(file)
    design = project.design
    net = pick(design.paths, name, "path", file=file)
    for entry in change or []:
        net = _changed(net, entry)
    if corner:
        net = set_value(net, corner=corner)
    if sweep:
        _print_sweep(project, net, sweep, corners, as_json)
        return
    if why:
        _print_why(project, net, as_json)
        return
    with running() as runner:
        result = runner.result(PATH, path_inputs(design, net))
    if waveforms is not None:
        names = [r.name for r in result.receivers]
        lines = ["time_s,driver_V," + ",".join(f"{n}_V" for n in names)]
        for k, t in enumerate(result.time):
            row = [result.pad[k], *(r.die[k] for r in result.receivers)]
            lines.append(f"{t:.6g}," + ",".join(f"{v:.6g}" for v in row))
        write_file(waveforms, lines)
    found = {r.name: {"low": r.low, "high": r.high, **asdict(r.measures)} for r in result.receivers}
    if as_json:
        print_json(found)
        return
    for receiver, values in found.items():
        typer.echo(f"{receiver}")
        for key, value in values.items():
            if not math.isnan(value):
                typer.echo(f"  {key:16s} {value:.5g}")


def _changed(net: NetPath, entry: str) -> NetPath:
    from onda.project.paths.edits import change_element
    from onda.project.quantities import parse_quantity

    name, _, typed = entry.partition("=")
    element = net.element(name.strip())
    if element is None or not typed:
        raise InputError(f"--set {entry}: no such element", remedy="As in --set Rs=33ohm.")
    present = element.main_quantity
    if present is None:
        raise InputError(f"--set {entry}: only resistors and lengths can be set here")
    q = parse_quantity(typed.strip(), _dimension(element))
    return change_element(net, element.with_main(q))


def _dimension(element: Element | None) -> str:
    """Dimension of the main quantity of an element; of the driver and terminations resistance."""
    return "length" if element is not None and element.main == "length" else "resistance"


def _print_sweep(project: Project, net: NetPath, typed: str, corners: bool, as_json: bool) -> None:
    import numpy as np

    from onda.project.edits import requirements_of
    from onda.project.kind import Ref
    from onda.project.quantities import parse_quantity
    from onda.studies.paths.corners import corner_variants, refined, search
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.sweep import CORNER_MEASURES, PATH_SWEEP, SweepInputs, Variant

    name, _, span = typed.partition("=")
    low, dots, high = span.partition("..")
    if not dots:
        raise InputError(f"--sweep {typed}: no range", remedy="As in --sweep Rs=0..60ohm.")
    dimension = _dimension(net.element(name))
    top = parse_quantity(high, dimension)
    bottom = parse_quantity(low, dimension, top.unit)
    values = tuple(float(v) for v in np.linspace(bottom.si, top.si, 20))
    if corners:
        variants = corner_variants(project.design, net)
    else:
        variants = (Variant("as it is", path_inputs(project.design, net, fine=False)),)
    with running() as runner:
        result = runner.result(PATH_SWEEP, SweepInputs(variants, name, values))
        wanted = requirements_of(project, Ref("path", net.id))
        found = search(result, wanted)
        if found is not None:
            values = refined(values, found.best[0])
            result = runner.result(PATH_SWEEP, SweepInputs(variants, name, values))
            found = search(result, wanted)
    worst = {m: result.of(m)[:, 0].tolist() for m in CORNER_MEASURES}
    if as_json:
        out: dict[str, Any] = {"values": list(values), "measures": worst}
        if found is not None:
            out |= {
                "best": values[found.best[0]],
                "holds": found.holds,
                "margin": found.margin[:, 0].tolist(),
                "limiting": {"measure": found.limiting, "receiver": found.receiver},
                "margins": {
                    r.id: found.parts[q, :, 0].tolist() for q, r in enumerate(found.requirements)
                },
            }
        print_json(out)
        return
    for k, value in enumerate(values):
        margin = f"{100 * found.margin[k, 0]:+7.1f} %" if found is not None else ""
        typer.echo(f"{value:10.4g}  overshoot {worst['overshoot'][k]:8.4f} V  margin {margin}")
    if found is not None:
        typer.echo(
            f"best {values[found.best[0]]:.4g}, limited by {found.limiting} at {found.receiver}"
        )
        span_text = (
            "nothing holds"
            if found.holds is None
            else (f"holds from {found.holds[0]:.4g} to {found.holds[1]:.4g}")
        )
        typer.echo(span_text)


def _print_why(project: Project, net: NetPath, as_json: bool) -> None:
    from onda.project.edits import requirements_of
    from onda.project.kind import Ref
    from onda.project.measures import measure
    from onda.project.paths.ends import RECEIVER
    from onda.project.quantities import format_si
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.judge import worst_of_path
    from onda.studies.paths.path import PATH
    from onda.studies.paths.why import PATH_WHY, WhyInputs

    design = project.design
    with running() as runner:
        known = runner.result(PATH, path_inputs(design, net))
        worst = worst_of_path(known, requirements_of(project, Ref("path", net.id)))
        where, key = worst or (RECEIVER, "overshoot")
        asked = WhyInputs(path_inputs(design, net, fine=False), where, key)
        result = runner.result(PATH_WHY, asked)
    rows = [
        {"without": r.what, "value": r.value, "better_by": r.gain, "helps": helps,
         "largest_change": r.largest, "at": r.at, "earlier": r.earlier, "faster": r.faster,
         "level": r.level}
        for helps, group in ((True, result.found), (False, result.others)) for r in group
    ]  # fmt: skip
    if as_json:
        print_json({"measure": key, "receiver": where, "value": result.value, "found": rows})
        return
    what = measure(key)
    title = f"{what.title.lower()} at {result.receiver}"
    typer.echo(f"as it is: {title} {format_si(result.value, what.dimension)}")
    for r in result.found:
        typer.echo(f"without {r.what}: {format_si(r.value, what.dimension)}. {r.sentence}")
    if not result.found:
        typer.echo("nothing on the net can be taken away that would better it")


def device(
    file: Annotated[Path, typer.Argument(help="Device file, name.ibs.")],
    model: Annotated[str, typer.Option("--model", help="Only this model.")] = "",
    corner: Annotated[str, typer.Option("--corner", help="typ, min or max.")] = "typ",
    as_json: JsonOption = False,
) -> None:
    """Read a device file: its models, how well each repeats its waveforms, what to remark."""
    from onda.errors import OndaError
    from onda.project.files import Content, keep
    from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs
    from onda.studies.devices.use import DeviceUse, models_in

    if corner not in ("typ", "min", "max"):
        raise InputError(f"there is no corner {corner!r}", remedy="typ, min or max.")
    content = Content(file.name, keep(read_bytes(file)), str(file.resolve()))
    read = models_in(content)
    names = [model] if model else list(read.models)
    out: dict[str, Any] = {}
    with running() as runner:
        for name in names:
            try:
                r = runner.result(
                    DEVICE_MODEL, DeviceInputs(DeviceUse(content, name, "", "", corner))
                )
            except OndaError as error:
                if model:
                    raise
                out[name] = {"problem": str(error)}
                continue
            out[name] = {
                "type": r.kind,
                "c_comp": r.c_comp,
                "r_high": r.r_high,
                "r_low": r.r_low,
                "edge_rise": r.edge_rise,
                "edge_fall": r.edge_fall,
                "quality": r.quality,
                "test_error": r.test_error,
                "problem": r.problem,
            }
    remarks = [{"kind": r.kind, "line": r.line, "keyword": r.keyword, "text": r.text,
                "model": r.model} for r in read.remarks]  # fmt: skip
    if as_json:
        print_json({"models": out, "remarks": remarks})
        return
    for name, values in out.items():
        typer.echo(name)
        for key, value in values.items():
            if value != "" and not (isinstance(value, float) and not math.isfinite(value)):
                shown = f"{value:.4g}" if isinstance(value, float) else value
                typer.echo(f"  {key:10s} {shown}")
    for remark in read.remarks:
        typer.echo(f"{remark.kind}: {remark}")
