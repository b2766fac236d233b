"""Commands about a whole project: demo, open, new, add, view, check, warm-up."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from onda.cli.common import (
    EXIT_FAILS,
    FileArgument,
    JobsOption,
    JsonOption,
    ReportOption,
    SchedulerOption,
    console,
    open_project,
    print_json,
    progress_bar,
    running,
)
from onda.errors import InputError

if TYPE_CHECKING:
    from onda.project.model import Project
    from onda.studies.core.margin import Margin
    from onda.studies.core.runner import StudyRunner

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the commands to the application."""
    app.command()(demo)
    app.command("open")(open_)
    app.command()(new)
    app.command()(add)
    app.command()(view)
    app.command()(check)
    app.command("warm-up")(warm_up)


def demo(
    headless: Annotated[
        bool, typer.Option("--headless", help="Run everything without a window.")
    ] = False,
    report: ReportOption = None,
    as_json: JsonOption = False,
) -> None:
    """Open the Fulmar demo project, or run all of it headless and write a report."""
    from onda.demo import fulmar_project

    if not headless:
        raise typer.Exit(_open_window(None, fulmar_project()))
    raise typer.Exit(_headless_demo(report or Path("onda-demo-report"), as_json))


def _headless_demo(folder: Path, as_json: bool) -> int:
    """Do what a newcomer would do in the window, check, and write the report."""
    import os

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from onda.app.tour import take_tour
    from onda.demo import fulmar_project
    from onda.project.store import load_project, save_project
    from onda.report.html import write_report
    from onda.studies.core.check import check_project

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"cannot be made: {error.strerror}", file=str(folder)) from error
    file = folder / "fulmar.onda"
    save_project(fulmar_project(), file)
    project = load_project(file)
    with running() as runner:
        margins = check_project(project, runner, progress=None if as_json else progress_bar())
        screens = take_tour(project, folder)
        page = write_report(project, margins, runner, folder, screens=screens)
    if as_json:
        print_json({"report": str(page), "project": str(file), "margins": _dicts(margins)})
        return 0
    _print_margins(project, margins)
    typer.echo(f"Report and pictures: {page}")
    typer.echo(f"Project file: {file}")
    return 0


def open_(
    file: Annotated[Path | None, typer.Argument(help="Project file, name.onda.")] = None,
) -> None:
    """Open a project file in a window; without one, the page to begin on."""
    raise typer.Exit(_open_window(file, open_project(file) if file is not None else None))


def new(
    file: Annotated[Path, typer.Argument(help="Project file to write, name.onda.")],
    layers: Annotated[
        int | None, typer.Option("--layers", help="Copper layers of a usual build: 2 to 12.")
    ] = None,
    tail: Annotated[
        bool, typer.Option("--tail", help="With a flexible tail of the two middle layers.")
    ] = False,
    source: Annotated[
        Path | None, typer.Option("--from", help="Take the build of an IPC-2581 or CSV file.")
    ] = None,
    name: Annotated[str, typer.Option("--name", help="What the board is called.")] = "",
) -> None:
    """Begin a board: with a usual build, or with that of a file."""
    from onda.project.begin import from_build_file, from_template
    from onda.project.store import save_project

    if file.exists():
        raise InputError("is there already", file=str(file), remedy="Choose another name.")
    if source is not None and (layers is not None or tail):
        raise InputError("--from and a template exclude each other", remedy="Use one of them.")
    title = name.strip() or file.stem
    remarks: tuple[str, ...] = ()
    if source is not None:
        project, remarks = from_build_file(source, title)
    else:
        project = from_template(title, 6 if layers is None else layers, tail=tail)
    save_project(project, file)
    for remark in remarks:
        typer.echo(f"{source.name if source else ''}: {remark}")
    copper = len(project.design.stackup.copper)
    typer.echo(f"written: {file}, {copper} copper layers. Next: onda open {file}")


def add(
    file: FileArgument,
    kind: Annotated[str, typer.Argument(help="line, shielded, sheet_line, path, network, link.")],
    decided: Annotated[
        list[str] | None, typer.Argument(help="What is decided, as KEY=VALUE; none lists the keys.")
    ] = None,
) -> None:
    """Make an object in a project from a few decisions, as the window does."""
    from onda.project.kinds import find
    from onda.project.recipe import cook, defaults
    from onda.project.recipes import RECIPES
    from onda.project.store import save_project

    recipe = RECIPES.get(kind)
    if recipe is None:
        raise InputError(f"nothing called {kind!r} is made", remedy=f"One of {', '.join(RECIPES)}.")
    project = open_project(file)
    if not decided:
        typer.echo(recipe.sentence)
        answers = defaults(recipe, project) if recipe.lacks(project) is None else {}
        for d in recipe.decisions:
            typer.echo(f"  {d.key}={answers.get(d.key, '')}  {d.title}: {d.help}")
        return
    given = {}
    for item in decided:
        key, sign, value = item.partition("=")
        if not sign:
            raise InputError(f"{item!r} decides nothing", remedy="Write it as KEY=VALUE.")
        given[key] = value
    project, ref = cook(recipe, project, given)
    if kind == "line":
        project = _with_widths(project, ref.id)
    save_project(project, file)
    typer.echo(f"made: {kind} {ref.id}, {find(project.design, ref).name}")


def _with_widths(project: Project, line_class: str) -> Project:
    """A class as made, with the width of its target on every layer."""
    from onda.studies.lines.fit_all import FIT_ALL, fit_all_inputs, with_fitted

    with running() as runner:
        found = runner.result(FIT_ALL, fit_all_inputs(project.design, line_class))
    project, problems = with_fitted(project, found.fitted)
    for problem in problems:
        typer.echo(problem, err=True)
    return project


def view(
    file: FileArgument,
    stage: Annotated[str, typer.Argument(help="stackup, lines, paths, networks or eyes.")],
    save: Annotated[Path, typer.Option("--save", help="Picture or table: .png, .svg or .csv.")],
    thing: Annotated[
        str, typer.Option("--object", help="Id or name of the object; the first one by default.")
    ] = "",
    which: Annotated[str, typer.Option("--view", help="View of the stage, as spectrum.")] = "",
    plot: Annotated[
        str, typer.Option("--plot", help="Words in the name of one plot, as Voltage against Time.")
    ] = "",
    night: Annotated[bool, typer.Option("--night", help="In the colours of the night.")] = False,
) -> None:
    """Save a view of the window as a picture, or a plot of it as a table, without the window."""
    import os

    project = open_project(file)
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from onda.app.look_in import save_view

    title = save_view(project, save, stage, thing=thing, view=which, plot=plot, night=night)
    typer.echo(f"{title}: {save}")


def _open_window(file: Path | None, project: Project | None) -> int:
    from onda.app.main import run_application

    return run_application(project, file)


def check(
    file: FileArgument,
    only: Annotated[
        str | None, typer.Option("--only", help="One stage, as in lines, paths or networks.")
    ] = None,
    as_json: JsonOption = False,
    report: ReportOption = None,
    jobs: JobsOption = None,
    scheduler: SchedulerOption = "",
) -> None:
    """Hold a project against its requirements: exit 0 all hold, 1 something fails, 2 bad input."""
    from onda.studies.core.check import check_project
    from onda.studies.core.margin import State

    kinds = _kinds_of(only) if only else None
    project = open_project(file)
    if report is not None:
        from onda.report.html import prepare_folder

        prepare_folder(report)
    with running(jobs, scheduler) as runner:
        bar = None if as_json else progress_bar()
        margins = check_project(project, runner, only=kinds, progress=bar)
        if as_json:
            print_json(_dicts(margins))
        else:
            _print_margins(project, margins)
        if report is not None:
            _report(project, margins, runner, report, tell=not as_json)
    bad = any(m.state in (State.FAILS, State.UNKNOWN) for m in margins)
    raise typer.Exit(EXIT_FAILS if bad else 0)


def _kinds_of(stage: str) -> tuple[str, ...]:
    """Kinds of objects that a stage shows and that something can be required of."""
    from onda.app.stages import STAGES
    from onda.studies.core.judge import JUDGES

    judged = {s.id: tuple(k for k in s.kinds if k in JUDGES) for s in STAGES}
    known = {stage: kinds for stage, kinds in judged.items() if kinds}
    if stage not in known:
        raise InputError(f"there is no stage {stage!r}", remedy=f"Use one of {', '.join(known)}.")
    return known[stage]


def _report(
    project: Project, margins: list[Margin], runner: StudyRunner, folder: Path, *, tell: bool
) -> None:
    from onda.report.html import write_report

    page = write_report(project, margins, runner, folder)
    if tell:
        typer.echo(f"Report: {page}")


def _dicts(margins: list[Margin]) -> list[dict[str, Any]]:
    from onda.app.stages import stage_of

    return [asdict(m) | {"state": m.state.value, "stage": stage_of(m.kind).id} for m in margins]


def _print_margins(project: Project, margins: list[Margin]) -> None:
    from rich.table import Table

    from onda.app.stages import stage_of
    from onda.project.kinds import find
    from onda.studies.core.margin import State, limits_text

    table = Table(title=f"{project.name} {project.revision}")
    for column in ("Stage", "Object", "Requirement", "Value", "Limit", "State"):
        table.add_column(column, justify="right" if column in ("Value", "Limit") else "left")
    styles = {State.FAILS: "red", State.TIGHT: "yellow"}
    for m in margins:
        table.add_row(
            stage_of(m.kind).id,
            find(project.design, m.ref).name,
            m.title,
            m.value_text,
            limits_text(m),
            m.state.value,
            style=styles.get(m.state, "dim") if m.state is not State.HOLDS else None,
        )
    out = console(110)
    out.print(table)
    for m in margins:
        if m.doubts:
            out.print(f"{find(project.design, m.ref).name}, {m.title}: {'; '.join(m.doubts)}")
    fails = sum(m.state is State.FAILS for m in margins)
    tight = sum(m.state is State.TIGHT for m in margins)
    unknown = sum(m.state is State.UNKNOWN for m in margins)
    line = f"{fails} of {len(margins)} fail, {tight} tight"
    out.print(line + (f", {unknown} could not be computed" if unknown else ""))


def warm_up() -> None:
    """Compile the numeric kernels now, so that the first window is fast."""
    from tempfile import TemporaryDirectory

    from onda.demo import fulmar_project
    from onda.studies.core.cache import ResultCache
    from onda.studies.core.check import check_project
    from onda.studies.core.executors import here
    from onda.studies.core.runner import StudyRunner

    with TemporaryDirectory() as folder:
        check_project(fulmar_project(), StudyRunner(here(), ResultCache(Path(folder))))
