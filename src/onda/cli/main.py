"""The command line: demo, open, check, verify, warm-up; `cli_build` adds those about the build."""

from __future__ import annotations

import json
import logging
import math
import sys
from collections.abc import Callable
from dataclasses import asdict
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Annotated, Any

import platformdirs
import typer

from onda import __version__
from onda.cli import build as build_commands
from onda.cli import networks as network_commands
from onda.cli import paths as path_commands
from onda.errors import InputError, OndaError

__all__ = ["app", "main"]

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Check a board's high-speed interconnects before release.",
)
EXIT_FAILS, EXIT_BAD_INPUT = 1, 2
build_commands.register(app)
path_commands.register(app)
network_commands.register(app)

FileArgument = Annotated[Path, typer.Argument(help="Project file, name.onda.")]
ReportOption = Annotated[
    Path | None, typer.Option("--report", help="Write a report with pictures into this folder.")
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON instead of a table.")]


def _log_to_file() -> logging.Handler:
    """Log to the user's log folder; a folder that cannot be written to is no reason to stop."""
    folder = platformdirs.user_log_path("onda")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            folder / "onda.log", maxBytes=1_000_000, backupCount=2, encoding="utf-8"
        )
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    root = logging.getLogger("onda")
    root.handlers = [handler]
    root.setLevel(logging.INFO)
    return handler


def _runner() -> Any:
    from onda.studies.core.cache import ResultCache
    from onda.studies.core.runner import ImmediateExecutor, StudyRunner

    cache = ResultCache()
    cache.trim()
    return StudyRunner(ImmediateExecutor(), cache)


@app.command()
def demo(
    headless: Annotated[
        bool, typer.Option("--headless", help="Run everything without a window.")
    ] = False,
    report: ReportOption = None,
) -> None:
    """Open the Fulmar demo project, or run all of it headless and write a report."""
    from onda.demo import fulmar_project

    if not headless:
        raise typer.Exit(_open_window(None, fulmar_project()))
    raise typer.Exit(_headless_demo(report or Path("onda-demo-report")))


def _headless_demo(folder: Path) -> int:
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
    runner = _runner()
    margins = check_project(project, runner, progress=_bar())
    screens = take_tour(project, folder)
    page = write_report(project, margins, runner, folder, screens=screens)
    _print_margins(project, margins)
    typer.echo(f"Report and pictures: {page}")
    typer.echo(f"Project file: {file}")
    return 0


@app.command("open")
def open_(file: FileArgument) -> None:
    """Open a project file in a window."""
    from onda.project.store import load_project

    raise typer.Exit(_open_window(file, load_project(file)))


def _open_window(file: Path | None, project: Any) -> int:
    from onda.app.main import run_application

    return run_application(project, file)


@app.command()
def check(
    file: FileArgument,
    only: Annotated[
        str | None, typer.Option("--only", help="One stage: lines, paths, networks or eyes.")
    ] = None,
    as_json: JsonOption = False,
    report: ReportOption = None,
) -> None:
    """Hold a project against its requirements: exit 0 all hold, 1 something fails, 2 bad input."""
    from onda.project.store import load_project
    from onda.report.html import write_report
    from onda.studies.core.check import check_project
    from onda.studies.core.margin import State

    if only not in (None, "lines", "paths", "networks", "eyes"):
        raise InputError(
            f"there is no stage {only!r}", remedy="Use lines, paths, networks or eyes."
        )
    project = load_project(file)
    runner = _runner()
    margins = check_project(project, runner, only=only, progress=None if as_json else _bar())
    if as_json:
        _print_json([_margin_dict(m) for m in margins])
    else:
        _print_margins(project, margins)
    if report is not None:
        page = write_report(project, margins, runner, report)
        if not as_json:
            typer.echo(f"Report: {page}")
    bad = any(m.state in (State.FAILS, State.UNKNOWN) for m in margins)
    raise typer.Exit(EXIT_FAILS if bad else 0)


def _bar() -> Callable[[int, int, str], None] | None:
    """A progress line on a terminal, nothing elsewhere."""
    if not sys.stderr.isatty():
        return None

    def tell(done: int, of: int, what: str) -> None:
        end = "\r" if done < of else "\r\033[K"
        sys.stderr.write(f"\r\033[K{done}/{of} {what}{end}")
        sys.stderr.flush()

    return tell


def _margin_dict(margin: Any) -> dict[str, Any]:
    return asdict(margin) | {"state": margin.state.value}


def _print_json(data: object) -> None:
    """Strict JSON: a number that is none becomes null."""

    def clean(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: clean(v) for k, v in value.items()}
        if isinstance(value, (list, tuple)):
            return [clean(v) for v in value]
        return None if isinstance(value, float) and not math.isfinite(value) else value

    typer.echo(json.dumps(clean(data), allow_nan=False))


def _print_margins(project: Any, margins: list[Any]) -> None:
    from rich.console import Console
    from rich.table import Table

    from onda.studies.core.margin import State, limits_text

    names = {("lines", c.id): c.name for c in project.design.line_classes} | {
        ("paths", p.id): p.name for p in project.design.paths
    }
    names |= {("networks", n.id): n.name for n in project.design.networks}
    names |= {("eyes", link.id): link.name for link in project.design.links}
    table = Table(title=f"{project.name} {project.revision}")
    for column in ("Stage", "Object", "Requirement", "Value", "Limit", "State"):
        table.add_column(column, justify="right" if column in ("Value", "Limit") else "left")
    styles = {State.FAILS: "red", State.TIGHT: "yellow", State.HOLDS: "green"}
    for m in margins:
        table.add_row(
            m.stage,
            names[(m.stage, m.subject)],
            m.title,
            m.value_text,
            limits_text(m),
            m.state.value,
            style=styles.get(m.state, "dim") if m.state is not State.HOLDS else None,
        )
    console = Console(width=None if sys.stdout.isatty() else 110)
    console.print(table)
    fails = sum(m.state is State.FAILS for m in margins)
    tight = sum(m.state is State.TIGHT for m in margins)
    unknown = sum(m.state is State.UNKNOWN for m in margins)
    line = f"{fails} of {len(margins)} fail, {tight} tight"
    console.print(line + (f", {unknown} could not be computed" if unknown else ""))


@app.command()
def verify(
    files: Annotated[
        list[Path] | None, typer.Argument(help="Case files; without, those that ship with Onda.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Run reference cases against the engine and compare."""
    from onda.verification.runner import compute_file, public_files, read_case_file

    texts = {str(f): _read_text(f) for f in files} if files else public_files()
    data = {name: read_case_file(text, name) for name, text in texts.items()}
    answers = {name: compute_file(d) for name, d in data.items()}
    if as_json:
        out = list(answers.values())
        _print_json(out[0] if len(out) == 1 else out)
        raise typer.Exit(0)
    raise typer.Exit(_print_comparisons(data, answers))


def _read_text(file: Path) -> str:
    try:
        return file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"cannot be read ({error})", file=str(file)) from error


def _print_comparisons(data: dict[str, Any], answers: dict[str, Any]) -> int:
    from rich.console import Console
    from rich.table import Table

    from onda.verification.runner import compare

    table = Table(title=f"Reference cases, Onda {__version__}")
    for column in ("Case", "Quantity", "Largest error", "Allowed", "Verdict"):
        table.add_column(
            column, justify="right" if column in ("Largest error", "Allowed") else "left"
        )
    rows = [row for name in data for row in compare(data[name], answers[name])]
    for row in rows:
        table.add_row(
            row.case,
            row.quantity,
            f"{row.error:.2e} {row.unit}",
            f"{row.allowed:.1e}",
            "holds" if row.holds else "FAILS",
        )
    console = Console(width=None if sys.stdout.isatty() else 120)
    console.print(table)
    bad = sum(not row.holds for row in rows)
    console.print(f"{len(rows) - bad} of {len(rows)} hold")
    return EXIT_FAILS if bad else 0


@app.command("warm-up")
def warm_up() -> None:
    """Compile the numeric kernels now, so that the first window is fast."""
    from tempfile import TemporaryDirectory

    from onda.demo import fulmar_project
    from onda.studies.core.cache import ResultCache
    from onda.studies.core.check import check_project
    from onda.studies.core.runner import ImmediateExecutor, StudyRunner

    with TemporaryDirectory() as folder:
        check_project(fulmar_project(), StudyRunner(ImmediateExecutor(), ResultCache(Path(folder))))


@app.callback(invoke_without_command=True)
def _root(
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        typer.echo(f"Onda {__version__}")
        raise typer.Exit


def main() -> None:
    """Entry point: errors meant for the user go to stderr as one sentence, with exit code 2."""
    handler = _log_to_file()
    try:
        app()
    except OndaError as error:
        logging.getLogger("onda").warning("%s", error)
        sys.stderr.write(f"onda: {error}\n")
        raise SystemExit(EXIT_BAD_INPUT) from None
    finally:
        logging.getLogger("onda").removeHandler(handler)
        handler.close()
