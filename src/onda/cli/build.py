"""Commands about the build: build, materials."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from onda.cli.common import (
    EXIT_FAILS,
    FileArgument,
    JsonOption,
    open_project,
    print_json,
    running,
    write_file,
)
from onda.errors import InputError, OndaError

if TYPE_CHECKING:
    from onda.project.model import Project

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the commands to the application."""
    app.command()(build)
    app.command()(materials)


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
    as_json: JsonOption = False,
) -> None:
    """Show what a fabricator would ask about a build; read, fit and write it."""
    from onda.project.build.files import read_build, write_build
    from onda.project.store import save_project
    from onda.studies.build.remarks import build_remarks
    from onda.studies.core.margin import State

    project = open_project(file)
    told: list[str] = []
    if read is not None:
        taken = read_build(project, read)
        project = taken.project
        for remark in taken.remarks:
            told.append(f"{read.name}: {remark}")
    if fit:
        project = _fitted(project, told)
    if save is not None:
        save_project(project, save)
    remarks = build_remarks(project.design)
    told += [f"{r.state.value:7} {r.text}" for r in remarks]
    reached = _reached(project) if write else {}
    for wanted in write or ():
        key, _, name = wanted.partition("=")
        if not name:
            raise InputError(f"{wanted!r}", remedy="Write it as FORMAT=FILE, as layers=build.csv.")
        if key in ("pdf", "svg"):
            from onda.report.build_drawing import build_drawing

            write_file(Path(name), build_drawing(project, key, reached))  # type: ignore[arg-type]
        else:
            write_build(project, key, Path(name), reached)
        told.append(f"written: {name}")
    if as_json:
        found = [{"state": r.state.value, "text": r.text, "where": r.where} for r in remarks]
        print_json({"remarks": found, "told": told})
    else:
        for line in told:
            typer.echo(line)
    raise typer.Exit(EXIT_FAILS if any(r.state is State.FAILS for r in remarks) else 0)


def _fitted(project: Project, told: list[str]) -> Project:
    from onda.studies.lines.fit_all import FIT_ALL, fit_all_inputs, with_fitted

    with running() as runner:
        result = runner.result(FIT_ALL, fit_all_inputs(project.design))
    project, problems = with_fitted(project, result.fitted)
    for problem in problems:
        told.append(f"not fitted: {problem}")
    for f in result.fitted:
        if not f.problem:
            name = project.design.line_class(f.line_class).name
            told.append(f"fitted: {name} on {f.layer}: {f.width * 1e6:.0f} µm, {f.reached:.1f} Ω")
    return project


def _reached(project: Project) -> dict[tuple[str, str], float]:
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


def materials(
    words: Annotated[list[str] | None, typer.Argument(help="Words that the name holds.")] = None,
    csv: Annotated[Path | None, typer.Option("--csv", help="Write what was found as CSV.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Find materials in the library and among your own."""
    from onda.formats.material_csv import materials_to_csv
    from onda.project.build.library import library, material_to_row, user_materials

    rows = [*user_materials(), *(material_to_row(m.as_material("m")) for m in library().materials)]
    wanted = [w.lower() for w in words or ()]
    found = [r for r in rows if all(w in r.name.lower() for w in wanted)]
    if not found:
        raise InputError("no such material", remedy="Use fewer words.")
    if csv is not None:
        write_file(csv, materials_to_csv(found))
    near = [(row.name, *min(row.points, key=lambda p: abs(p[0] - 1e9))) for row in found]
    if as_json:
        print_json([{"name": n, "at_hz": f, "dk": dk, "df": df} for n, f, dk, df in near])
        return
    for name, f, dk, df in near:
        typer.echo(f"{name}: Dk {dk:.3f}, Df {df:.4f} at {f / 1e9:g} GHz")
    if csv is not None:
        typer.echo(f"written: {csv}")
