"""Write the record of a check as a folder: one page and its pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryFile

import jinja2

from onda import __version__
from onda.errors import InputError, OndaError
from onda.project.edits import requirements_of
from onda.project.kind import Ref
from onda.project.kinds import KINDS
from onda.project.model import Project
from onda.project.writing import write_atomically
from onda.report.sheets import SHEETS, Drawing
from onda.studies.core.margin import Margin, State, limits_text
from onda.studies.core.runner import StudyRunner

__all__ = ["prepare_folder", "write_report"]


@dataclass(frozen=True, slots=True)
class _Subject:
    """One object with its margins, its picture, and what went wrong where there is none."""

    title: str
    note: str
    margins: list[Margin]
    picture: str | None
    problem: str


def write_report(
    project: Project,
    margins: Sequence[Margin],
    runner: StudyRunner,
    folder: Path,
    *,
    screens: Sequence[str] = (),
) -> Path:
    """Write `index.html` and pictures into a folder; return the page.

    Parameters
    ----------
    screens : names of screenshots that already lie in the folder

    Raises
    ------
    InputError : the folder cannot be written to
    """
    prepare_folder(folder)
    try:
        subjects = _subjects(project, margins, runner, folder)
        page = folder / "index.html"
        environment = jinja2.Environment(
            loader=jinja2.PackageLoader("onda.report"), autoescape=True
        )
        html = environment.get_template("report.html").render(
            project=project,
            subjects=subjects,
            failing=[m for m in margins if m.state is State.FAILS],
            tight=[m for m in margins if m.state is State.TIGHT],
            margins=margins,
            limits=limits_text,
            written=datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC"),
            version=__version__,
            screens=screens,
        )
        write_atomically(page, html.encode("utf-8"))
    except OSError as error:
        raise _unwritten(folder, error) from error
    return page


def prepare_folder(folder: Path) -> None:
    """Make the folder of a report; told before a long run rather than after it.

    Raises
    ------
    InputError : it cannot be made or written to
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with TemporaryFile(dir=folder):
            pass
    except OSError as error:
        raise _unwritten(folder, error) from error


def _unwritten(folder: Path, error: OSError) -> InputError:
    return InputError(
        f"the report cannot be written: {error.strerror}",
        file=str(folder),
        remedy="Choose another folder.",
    )


def _subjects(
    project: Project, margins: Sequence[Margin], runner: StudyRunner, folder: Path
) -> list[_Subject]:
    out: list[_Subject] = []
    for key, sheet in SHEETS.items():
        kind = KINDS[key]
        for item in kind.items(project.design):
            ref = Ref(key, item.id)
            wanted = requirements_of(project, ref)
            if not (sheet.always or wanted):
                continue
            name = f"{kind.space}-{item.id}.png"
            picture, problem = None, ""
            try:
                sheet.draw(item, Drawing(project, wanted, runner, folder / name))
                picture = name
            except OndaError as error:
                problem = str(error)
            own = [m for m in margins if m.ref == ref]
            out.append(_Subject(item.name, sheet.note(item), own, picture, problem))
    return out
