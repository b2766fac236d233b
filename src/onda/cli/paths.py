"""Commands about paths and device models: path, device."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.build import FileArgument, JsonOption, plain_json
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.model import Design
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
    from onda.project.edits import set_value
    from onda.project.store import load_project, write_atomically
    from onda.studies.core.study import Control
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.path import PATH

    project = load_project(file)
    design = project.design
    if not design.paths:
        raise InputError("there is no path in it", file=str(file))
    ids = [p.id for p in design.paths]
    if name and name not in ids:
        raise InputError(f"there is no path {name!r}", remedy=f"It has: {', '.join(ids)}.")
    net = design.path(name or ids[0])
    for entry in change or []:
        net = _changed(net, entry)
    if corner:
        net = set_value(net, corner=corner)
    if sweep:
        _print_sweep(project.requirements, design, net, sweep, corners, as_json)
        return
    if why:
        _print_why(design, net, as_json)
        return
    result = PATH.run(path_inputs(design, net), Control())
    if waveforms is not None:
        names = [r.name for r in result.receivers]
        lines = ["time_s,driver_V," + ",".join(f"{n}_V" for n in names)]
        for k, t in enumerate(result.time):
            row = [result.pad[k], *(r.die[k] for r in result.receivers)]
            lines.append(f"{t:.6g}," + ",".join(f"{v:.6g}" for v in row))
        write_atomically(waveforms, ("\n".join(lines) + "\n").encode())
    found = {r.name: {"low": r.low, "high": r.high, **asdict(r.measures)} for r in result.receivers}
    if as_json:
        typer.echo(json.dumps(plain_json(found), indent=1))
        return
    for receiver, values in found.items():
        typer.echo(f"{receiver}")
        for key, value in values.items():
            if not math.isnan(value):
                typer.echo(f"  {key:16s} {value:.5g}")


def _changed(net: NetPath, entry: str) -> NetPath:
    from onda.project.edits import set_value
    from onda.project.paths.edits import change_element
    from onda.project.paths.path import SeriesResistor
    from onda.project.quantities import parse_quantity

    name, _, typed = entry.partition("=")
    element = net.element(name.strip())
    if element is None or not typed:
        raise InputError(f"--set {entry}: no such element", remedy="As in --set Rs=33ohm.")
    if isinstance(element, SeriesResistor):
        key, dimension = "value", "resistance"
    elif hasattr(element, "length"):
        key, dimension = "length", "length"
    else:
        raise InputError(f"--set {entry}: only resistors and lengths can be set here")
    q = parse_quantity(typed.strip(), dimension)
    return change_element(net, set_value(element, **{key: q}))


def _print_sweep(
    requirements: Any, design: Design, net: NetPath, typed: str, corners: bool, as_json: bool
) -> None:
    import numpy as np

    from onda.project.paths.path import Cable, TracePiece
    from onda.project.quantities import parse_quantity
    from onda.studies.core.study import Control
    from onda.studies.paths.corners import corner_variants, search
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.sweep import CORNER_MEASURES, PATH_SWEEP, SweepInputs, Variant

    name, _, span = typed.partition("=")
    low, dots, high = span.partition("..")
    if not dots:
        raise InputError(f"--sweep {typed}: no range", remedy="As in --sweep Rs=0..60ohm.")
    length = isinstance(net.element(name), TracePiece | Cable)
    dimension = "length" if length else "resistance"
    top = parse_quantity(high, dimension)
    unit = top.text.split(" ", 1)[-1] if " " in top.text else ("mm" if length else "ohm")
    bottom = parse_quantity(low, dimension, unit)
    values = tuple(float(v) for v in np.linspace(bottom.si, top.si, 20))
    if corners:
        variants = corner_variants(design, net)
    else:
        variants = (Variant("as it is", path_inputs(design, net, fine=False)),)
    result = PATH_SWEEP.run(SweepInputs(variants, name, values), Control())
    wanted = [r for r in requirements if (r.stage, r.subject) == ("paths", net.id)]
    found = search(result, wanted)
    worst = {m: result.of(m)[:, 0].tolist() for m in CORNER_MEASURES}
    if as_json:
        out: dict[str, Any] = {"values": list(values), "measures": worst}
        if found is not None:
            out |= {
                "best": values[found.best[0]],
                "holds": found.holds,
                "margin": found.margin[:, 0].tolist(),
            }
        typer.echo(json.dumps(plain_json(out), indent=1))
        return
    for k, value in enumerate(values):
        margin = f"{100 * found.margin[k, 0]:+7.1f} %" if found is not None else ""
        typer.echo(f"{value:10.4g}  overshoot {worst['overshoot'][k]:8.4f} V  margin {margin}")
    if found is not None:
        typer.echo(f"best {values[found.best[0]]:.4g}, limited by {found.limiting}")
        span_text = (
            "nothing holds"
            if found.holds is None
            else (f"holds from {found.holds[0]:.4g} to {found.holds[1]:.4g}")
        )
        typer.echo(span_text)


def _print_why(design: Design, net: NetPath, as_json: bool) -> None:
    from onda.project.paths.path import RECEIVER
    from onda.studies.core.study import Control
    from onda.studies.paths.inputs import path_inputs
    from onda.studies.paths.why import PATH_WHY, WhyInputs

    result = PATH_WHY.run(WhyInputs(path_inputs(design, net, fine=False), RECEIVER), Control())
    rows = [
        {"without": r.what, "overshoot": r.overshoot, "undershoot": r.undershoot,
         "largest_change": r.largest, "at": r.at}
        for r in result.found
    ]  # fmt: skip
    if as_json:
        typer.echo(json.dumps(plain_json({"overshoot": result.overshoot, "found": rows}), indent=1))
        return
    typer.echo(f"as it is: overshoot {result.overshoot:.4f} V")
    for r in result.found:
        typer.echo(f"without {r.what}: overshoot {r.overshoot:.4f} V. {r.sentence}")


def device(
    file: Annotated[Path, typer.Argument(help="Device file, name.ibs.")],
    model: Annotated[str, typer.Option("--model", help="Only this model.")] = "",
    corner: Annotated[str, typer.Option("--corner", help="typ, min or max.")] = "typ",
    as_json: JsonOption = False,
) -> None:
    """Read a device file: its models, how well each repeats its waveforms, what to remark."""
    from onda.errors import OndaError
    from onda.formats.ibis.buffers import buffer_of, makers_waves
    from onda.formats.ibis.reader import read_ibis
    from onda.studies.core.study import Control
    from onda.studies.devices.device_model import DEVICE_MODEL, DeviceInputs

    if corner not in ("typ", "min", "max"):
        raise InputError(f"there is no corner {corner!r}", remedy="typ, min or max.")
    try:
        data = file.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(file)) from error
    read = read_ibis(data, file.name)
    names = [model] if model else list(read.models)
    out: dict[str, Any] = {}
    for name in names:
        try:
            buffer = buffer_of(read, name, corner)
            r = DEVICE_MODEL.run(DeviceInputs(buffer, makers_waves(read, name)), Control())
        except OndaError as error:
            if model:
                raise
            out[name] = {"problem": str(error)}
            continue
        out[name] = {
            "type": buffer.kind,
            "c_comp": buffer.c_comp,
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
        typer.echo(json.dumps(plain_json({"models": out, "remarks": remarks}), indent=1))
        return
    for name, values in out.items():
        typer.echo(name)
        for key, value in values.items():
            if value != "" and not (isinstance(value, float) and not math.isfinite(value)):
                shown = f"{value:.4g}" if isinstance(value, float) else value
                typer.echo(f"  {key:10s} {shown}")
    for remark in read.remarks:
        typer.echo(f"{remark.kind}: {remark}")
