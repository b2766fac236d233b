"""Commands about the build and its lines: build, line, modes, materials."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Annotated, Any

import typer

from onda.errors import InputError, OndaError

__all__ = ["FileArgument", "JsonOption", "plain_json", "register"]

FileArgument = Annotated[Path, typer.Argument(help="Project file, name.onda.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON instead of text.")]


def register(app: typer.Typer) -> None:
    """Add the commands to the application."""
    app.command()(build)
    app.command()(line)
    app.command()(modes)
    app.command()(materials)


def plain_json(value: Any) -> Any:
    """JSON without numbers that are none."""
    if isinstance(value, dict):
        return {k: plain_json(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain_json(v) for v in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def build(
    file: FileArgument,
    read: Annotated[
        Path | None, typer.Option("--read", help="Take the build over from IPC-2581 or CSV.")
    ] = None,
    fit: Annotated[
        bool, typer.Option("--fit", help="Fit every class on every layer within the limits.")
    ] = False,
    save: Annotated[
        Path | None, typer.Option("--save", help="Save the changed project as this file.")
    ] = None,
    write: Annotated[
        list[str] | None,
        typer.Option(
            "--write",
            help="FORMAT=FILE with ipc2581-c, ipc2581-b, layers, rules, pdf or svg; repeatable.",
        ),
    ] = None,
) -> None:
    """Show what a fabricator would ask about a build; read, fit and write it."""
    from onda.project.build.files import read_build, write_build
    from onda.project.store import load_project, save_project, write_atomically
    from onda.report.build_drawing import build_drawing
    from onda.studies.build.remarks import build_remarks
    from onda.studies.core.margin import State

    project = load_project(file)
    if read is not None:
        taken = read_build(project, read)
        project = taken.project
        for remark in taken.remarks:
            typer.echo(f"{read.name}: {remark}")
    if fit:
        project = _fitted(project)
    if save is not None:
        save_project(project, save)
    remarks = build_remarks(project.design)
    for remark_ in remarks:
        typer.echo(f"{remark_.state.value:7} {remark_.text}")
    reached = _reached(project) if write else {}
    for wanted in write or ():
        key, _, name = wanted.partition("=")
        if not name:
            raise InputError(f"{wanted!r}", remedy="Write it as FORMAT=FILE, as layers=build.csv.")
        if key in ("pdf", "svg"):
            write_atomically(Path(name), build_drawing(project, key, reached))  # type: ignore[arg-type]
        else:
            write_build(project, key, Path(name), reached)
        typer.echo(f"written: {name}")
    raise typer.Exit(1 if any(r.state is State.FAILS for r in remarks) else 0)


def _fitted(project: Any) -> Any:
    from onda.studies.core.study import Control
    from onda.studies.lines.fit_all import FIT_ALL, fit_all_inputs, with_fitted

    result = FIT_ALL.run(fit_all_inputs(project.design), Control())
    project, problems = with_fitted(project, result.fitted)
    for problem in problems:
        typer.echo(f"not fitted: {problem}")
    for f in result.fitted:
        if not f.problem:
            name = project.design.line_class(f.line_class).name
            typer.echo(f"fitted: {name} on {f.layer}: {f.width * 1e6:.0f} µm, {f.reached:.1f} Ω")
    return project


def _reached(project: Any) -> dict[tuple[str, str], float]:
    from onda.studies.lines.inputs import line_inputs
    from onda.studies.lines.solved_line import quick_impedance

    out = {}
    for c in project.design.line_classes:
        for t in c.on:
            try:
                out[(c.id, t.layer)] = quick_impedance(line_inputs(project.design, c, t.layer))
            except OndaError as error:
                typer.echo(f"{c.name} on {t.layer}: {error}", err=True)
    return out


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
    from onda.project.store import load_project
    from onda.studies.core.study import Control
    from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
    from onda.studies.lines.inputs import line_inputs

    design = load_project(file).design
    found = next((c for c in design.line_classes if line_class in (c.id, c.name)), None)
    if found is None:
        known = ", ".join(c.id for c in design.line_classes)
        raise InputError(f"there is no class {line_class!r}", remedy=f"Use one of {known}.")
    layer = layer or found.on[0].layer
    inputs = line_inputs(design, found, layer)
    result = IMPEDANCE.run(ImpedanceInputs(inputs), Control())
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
        typer.echo(json.dumps(plain_json(data), allow_nan=False))
        return
    for key, value in data.items():
        typer.echo(f"{key}: {value}")


def _tolerance(design: Any, found: Any, layer: str, inputs: Any, boards: int) -> dict[str, Any]:
    from onda.studies.core.study import Control
    from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
    from onda.studies.lines.variations import spread_inputs

    target = found.target.si
    spread = spread_inputs(inputs, design.stackup.spread)
    run = TOLERANCE.run(ToleranceInputs(spread, boards, 0.9 * target, 1.1 * target), Control())
    return {
        "boards": boards,
        "mean_ohm": run.mean,
        "sigma_ohm": run.sigma,
        "within_10_percent": run.inside,
        "surface_error": run.surface_error,
        "shares": {c.name: c.share for c in run.causes},
    }


def _fit(inputs: Any, name: str, target: float) -> dict[str, Any]:
    from onda.studies.core.study import Control
    from onda.studies.lines.fit import FIT, Bounds, FitInputs

    low, high = (1.5, 12.0) if name == "Dk" else (20e-6, 2e-3)
    if name == "width":
        low = max(low, 2.05 * inputs.trace.undercut)
    result = FIT.run(FitInputs(inputs, (Bounds(name, low, high),), (("z", target),)), Control())
    return {name: result.values[0], "reached_ohm": result.reached[0]}


def modes(
    file: FileArgument,
    section: Annotated[str, typer.Argument(help="Id or name of a shielded section.")],
    as_json: JsonOption = False,
) -> None:
    """Which modes a shielded section carries, and up to which frequency only the intended one."""
    from onda.project.store import load_project
    from onda.studies.core.study import Control
    from onda.studies.lines.shield import MODE_CHECK, mode_sentence, shield_inputs

    design = load_project(file).design
    found = next((s for s in design.shielded if section in (s.id, s.name)), None)
    if found is None:
        known = ", ".join(s.id for s in design.shielded) or "none is in this project"
        raise InputError(f"there is no section {section!r}", remedy=f"There are: {known}.")
    result = MODE_CHECK.run(shield_inputs(design, found), Control())
    if as_json:
        data = {
            "z0_ohm": result.z0,
            "single_mode_up_to_hz": result.single_up_to,
            "looked_up_to_hz": result.looked_up_to,
            "modes": [{"kind": m.kind, "cut_off_hz": m.cut_off} for m in result.modes],
        }
        typer.echo(json.dumps(plain_json(data), allow_nan=False))
        return
    typer.echo(mode_sentence(result, found.up_to.si))
    for m in result.modes:
        typer.echo(f"{m.kind:4} from {m.cut_off / 1e9:8.3f} GHz")


def materials(
    words: Annotated[list[str] | None, typer.Argument(help="Words that the name holds.")] = None,
    csv: Annotated[Path | None, typer.Option("--csv", help="Write what was found as CSV.")] = None,
) -> None:
    """Find materials in the library and among your own."""
    from onda.formats.material_csv import materials_to_csv
    from onda.project.build.library import library, material_to_row, user_materials
    from onda.project.store import write_atomically

    rows = [*user_materials(), *(material_to_row(m.as_material("m")) for m in library().materials)]
    wanted = [w.lower() for w in words or ()]
    found = [r for r in rows if all(w in r.name.lower() for w in wanted)]
    for row in found:
        f, dk, df = min(row.points, key=lambda p: abs(p[0] - 1e9))
        typer.echo(f"{row.name}: Dk {dk:.3f}, Df {df:.4f} at {f / 1e9:g} GHz")
    if not found:
        raise InputError("no such material", remedy="Use fewer words.")
    if csv is not None:
        write_atomically(csv, materials_to_csv(found))
        typer.echo(f"written: {csv}")
