"""Write the record of a check as a folder: one page and its pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import jinja2

from onda import __version__
from onda.errors import InputError, OndaError
from onda.project.model import Project
from onda.report.figures import draw_eye, draw_line, draw_network, draw_path
from onda.studies.core.margin import MEASURE_TITLES, Margin, State, limits_text
from onda.studies.core.runner import StudyRunner
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH

__all__ = ["write_report"]


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
    try:
        folder.mkdir(parents=True, exist_ok=True)
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
        page.write_text(html, encoding="utf-8")
    except OSError as error:
        raise InputError(
            f"the report cannot be written: {error.strerror}",
            file=str(folder),
            remedy="Choose another folder.",
        ) from error
    return page


def _subjects(
    project: Project, margins: Sequence[Margin], runner: StudyRunner, folder: Path
) -> list[_Subject]:
    design = project.design
    out: list[_Subject] = []

    def add(title: str, note: str, stage: str, subject: str, draw: object) -> None:
        own = [m for m in margins if m.stage == stage and m.subject == subject]
        name = f"{stage}-{subject}.png"
        picture, problem = None, ""
        try:
            draw(folder / name)  # type: ignore[operator]
            picture = name
        except OndaError as error:
            problem = str(error)
        out.append(_Subject(title, note, own, picture, problem))

    for c in design.line_classes:

        def line(file: Path, c: object = c) -> None:
            first = c.on[0].layer  # type: ignore[attr-defined]
            inputs = ImpedanceInputs(line_inputs(design, c, first))  # type: ignore[arg-type]
            draw_line(runner.result(IMPEDANCE, inputs), file)

        add(c.name, f"target {c.target.text}, shown on {c.on[0].layer}", "lines", c.id, line)
    for p in design.paths:
        limit = next(
            (
                m.high
                for m in margins
                if (m.stage, m.subject, m.title) == ("paths", p.id, MEASURE_TITLES["overshoot"])
            ),
            None,
        )

        def path(file: Path, p: object = p, limit: float | None = limit) -> None:
            result = runner.result(PATH, path_inputs(design, p))  # type: ignore[arg-type]
            draw_path(result, limit, file)

        add(p.name, p.net, "paths", p.id, path)
    for n in design.networks:
        limits = [r for r in project.requirements if (r.stage, r.subject) == ("networks", n.id)]
        if not limits:
            # A part of a chain that nothing is asked of is no evidence by itself.
            continue

        def network(file: Path, n: object = n, limits: object = limits) -> None:
            result = runner.result(NETWORK, network_inputs(design, n))  # type: ignore[arg-type]
            draw_network(result, limits, file)  # type: ignore[arg-type]

        rate = f", {n.rate.text}" if n.rate else ""
        add(n.name, f"{n.source.kind}{rate}", "networks", n.id, network)
    for link in design.links:

        def eye(file: Path, link: object = link) -> None:
            mask = link.mask  # type: ignore[attr-defined]
            shape = (mask.width.si, mask.flat.si, mask.height.si) if mask else None
            draw_eye(runner.result(EYE, eye_inputs(design, link)), shape, file)  # type: ignore[arg-type]

        add(link.name, f"{link.rate.text}, PRBS{link.prbs}, {link.bits} bits", "eyes", link.id, eye)
    return out
