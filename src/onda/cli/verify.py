"""The command about reference cases: verify."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from onda import __version__
from onda.cli.common import EXIT_FAILS, JsonOption, console, print_json, read_text

__all__ = ["register"]


def register(app: typer.Typer) -> None:
    """Add the command to the application."""
    app.command()(verify)


def verify(
    files: Annotated[
        list[Path] | None, typer.Argument(help="Case files; without, those that ship with Onda.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Run reference cases against the engine and compare."""
    from onda.verification.runner import compute_file, public_files, read_case_file

    texts = {str(f): read_text(f) for f in files} if files else public_files()
    data = {name: read_case_file(text, name) for name, text in texts.items()}
    answers = {name: compute_file(d) for name, d in data.items()}
    if as_json:
        out = list(answers.values())
        print_json(out[0] if len(out) == 1 else out)
        raise typer.Exit(0)
    raise typer.Exit(_print_comparisons(data, answers))


def _print_comparisons(data: dict[str, Any], answers: dict[str, Any]) -> int:
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
    out = console(120)
    out.print(table)
    bad = sum(not row.holds for row in rows)
    out.print(f"{len(rows) - bad} of {len(rows)} hold")
    return EXIT_FAILS if bad else 0
