"""Commands about lines: line, modes."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from onda.cli.common import FileArgument, JsonOption, open_project, pick, print_json, running

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the commands to the application."""
    app.command()(line)
    app.command()(modes)


def line(
    file: FileArgument,
    line_class: Annotated[str, typer.Argument(help="Id or name of a line class.")],
    layer: Annotated[str | None, typer.Argument(help="Layer; without, the class's first.")] = None,
    tolerance: Annotated[
        int, typer.Option("--tolerance", help="Make this many boards with the spread.")
    ] = 0,
    fit: Annotated[
        str | None, typer.Option("--fit", help="Fit width, gap, height or Dk to the target.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Impedance, delay and loss of a class on a layer; its spread; what would meet its target."""
    from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
    from onda.studies.lines.inputs import line_inputs

    design = open_project(file).design
    found = pick(design.line_classes, line_class, "class", file=file)
    layer = layer or found.on[0].layer
    inputs = line_inputs(design, found, layer)
    with running() as runner:
        result = runner.result(IMPEDANCE, ImpedanceInputs(inputs))
    data: dict[str, Any] = {
        "class": found.id,
        "layer": layer,
        "z_ohm": result.z,
        "z_odd_ohm": result.z_odd,
        "z_even_ohm": result.z_even,
        "z_common_ohm": result.z_common,
        "delay_s_per_m": result.delay,
        "eeff": result.eeff,
        "loss_db_per_m": result.loss_at,
        "loss_copper_roughness_dielectric_db_per_m": list(result.loss_parts),
        "r_dc_ohm_per_m": result.r_dc,
        "error": result.error,
        "notes": list(result.notes),
    }
    if result.together is not None:
        data["mode_z_ohm"] = result.together.mode_z.tolist()
        data["mode_delay_s_per_m"] = result.together.mode_delay.tolist()
        data["matching_resistors_ohm"] = result.together.network.tolist()
    if tolerance:
        data["tolerance"] = _tolerance(design, found, layer, inputs, tolerance)
    if fit is not None:
        data["fit"] = _fit(inputs, fit, found.target.si)
    if as_json:
        print_json(data)
        return
    for key, value in data.items():
        typer.echo(f"{key}: {value}")


def _tolerance(design: Any, found: Any, layer: str, inputs: Any, boards: int) -> dict[str, Any]:
    from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
    from onda.studies.lines.variations import spread_inputs

    target = found.target.si
    spread = spread_inputs(inputs, design.stackup.spread)
    asked = ToleranceInputs(spread, boards, 0.9 * target, 1.1 * target)
    with running() as runner:
        run = runner.result(TOLERANCE, asked)
    return {
        "boards": boards,
        "mean_ohm": run.mean,
        "sigma_ohm": run.sigma,
        "within_10_percent": run.inside,
        "surface_error": run.surface_error,
        "shares": {c.name: c.share for c in run.causes},
    }


def _fit(inputs: Any, name: str, target: float) -> dict[str, Any]:
    from onda.studies.lines.fit import FIT, Bounds, FitInputs

    low, high = (1.5, 12.0) if name == "Dk" else (20e-6, 2e-3)
    if name == "width":
        low = max(low, 2.05 * inputs.trace.undercut)
    asked = FitInputs(inputs, (Bounds(name, low, high),), (("z", target),))
    with running() as runner:
        result = runner.result(FIT, asked)
    return {name: result.values[0], "reached_ohm": result.reached[0]}


def modes(
    file: FileArgument,
    section: Annotated[str, typer.Argument(help="Id or name of a shielded section.")],
    as_json: JsonOption = False,
) -> None:
    """Which modes a shielded section carries, and up to which frequency only the intended one."""
    from onda.studies.lines.shield import MODE_CHECK, mode_sentence, shield_inputs

    design = open_project(file).design
    found = pick(design.shielded, section, "section", file=file)
    with running() as runner:
        result = runner.result(MODE_CHECK, shield_inputs(design, found))
    if as_json:
        data = {
            "z0_ohm": result.z0,
            "single_mode_up_to_hz": result.single_up_to,
            "looked_up_to_hz": result.looked_up_to,
            "modes": [{"kind": m.kind, "cut_off_hz": m.cut_off} for m in result.modes],
        }
        print_json(data)
        return
    typer.echo(mode_sentence(result, found.up_to.si))
    for m in result.modes:
        typer.echo(f"{m.kind:4} from {m.cut_off / 1e9:8.3f} GHz")
