"""The report says what the margins say, cell by cell, and draws what the results hold."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from lxml import html
from matplotlib.figure import Figure

from onda.demo import fulmar_project
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import requirements_of
from onda.project.kind import Ref
from onda.project.model import Project
from onda.report.html import write_report
from onda.report.sheets import SHEETS, Drawing
from onda.studies.core.cache import ResultCache
from onda.studies.core.check import check_project
from onda.studies.core.executors import here
from onda.studies.core.margin import Margin, limits_text
from onda.studies.core.runner import StudyRunner
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK, level_db
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH

FEW = ("clocks", "clk-adc", "clk-ref", "hub-card", "jl0")


@pytest.fixture(scope="module")
def board() -> Project:
    project = fulmar_project()
    few = tuple(r for r in project.requirements if r.subject in FEW)
    design = set_value(project.design, links=project.design.links[:1])
    return set_value(project, design=design, requirements=few)


@pytest.fixture(scope="module")
def written(
    board: Project, result_store: ResultCache, tmp_path_factory: pytest.TempPathFactory
) -> tuple[Path, list[Margin]]:
    """A whole report with its margins, written once."""
    runner = StudyRunner(here(), result_store)
    margins = check_project(board, runner)
    folder = tmp_path_factory.mktemp("report")
    return write_report(board, margins, runner, folder, screens=("shot.png",)), margins


@pytest.fixture
def margins(written: tuple[Path, list[Margin]]) -> list[Margin]:
    return written[1]


def tables(page: Path) -> dict[str, list[list[str]]]:
    """Rows of cells below each heading."""
    tree = html.fromstring(page.read_text(encoding="utf-8"))
    out: dict[str, list[list[str]]] = {}
    for head in tree.xpath("//h2"):
        name = head.text.strip()
        below = head.getnext()
        if below is not None and below.tag == "table":
            rows = [[c.text_content() for c in r.xpath("./td")] for r in below.xpath(".//tr")]
            out[name] = [r for r in rows if r]
    return out


def test_every_cell_is_that_of_its_margin(written: tuple[Path, list[Margin]]) -> None:
    page, margins = written
    found = tables(page)
    names = {
        "clocks": "Clocks",
        "clk-adc": "ADC sample clock",
        "clk-ref": "FPGA reference clock",
        "hub-card": "Hub card, measured",
        "jl0": "Converter lane 0",
    }
    told = 0
    for subject, name in names.items():
        own = [m for m in margins if m.subject == subject]
        assert found[name] == [
            [
                m.title,
                m.value_text,
                limits_text(m),
                m.state.value,
                "; ".join((m.where, m.how, *(f"but {doubt}" for doubt in m.doubts))),
                m.source,
            ]
            for m in own
        ]
        told += len(own)
    assert told == len(margins)
    # The hub card gives more than it takes, and nothing else here does.
    doubted = {m.subject for m in margins if m.doubts}
    assert doubted == {"hub-card"}
    assert "give more than they take" in found["Hub card, measured"][0][4]


def test_the_head_counts_what_fails_and_names_it(written: tuple[Path, list[Margin]]) -> None:
    page, margins = written
    tree = html.fromstring(page.read_text("utf-8"))
    failing = [m for m in margins if m.state.value == "fails"]
    tight = [m for m in margins if m.state.value == "tight"]
    words = tree.xpath("string(//h1/following-sibling::p[1])")
    assert f"{len(failing)} of {len(margins)} requirements fail" in words
    assert (f"{len(tight)} tight" in words) == bool(tight)
    named = [p.text_content() for p in tree.xpath("//h1/following-sibling::p[@class='fails']")]
    assert named == [f"{m.subject}: {m.sentence}, {m.where}." for m in failing]


def test_a_picture_for_every_object_that_is_evidence(
    board: Project, written: tuple[Path, list[Margin]]
) -> None:
    page, _ = written
    sources = html.fromstring(page.read_text("utf-8")).xpath("//img/@src")
    assert sources[-1] == "shot.png"
    for name in sources[:-1]:
        assert (page.parent / name).read_bytes().startswith(b"\x89PNG")
    wanted = {f"lines-{c.id}.png" for c in board.design.line_classes}
    wanted |= {f"paths-{p.id}.png" for p in board.design.paths}
    # Networks that nothing is asked of are parts, no evidence.
    wanted |= {"networks-hub-card.png", "links-jl0.png"}
    wanted |= {f"coupling-{g.id}.png" for g in board.design.groups}
    wanted |= {f"buses-{b.id}.png" for b in board.design.buses}
    assert set(sources[:-1]) == wanted


def small(project: Project) -> Project:
    """One class, one path with a device model, and nothing that is required."""
    design = set_value(
        project.design,
        line_classes=tuple(c for c in project.design.line_classes if c.id == "clocks"),
        paths=(project.design.path("clk-two"),),
        buses=(),
        links=(),
        networks=(),
        groups=(),
    )
    return set_value(project, design=design, requirements=())


def test_what_could_not_be_computed_is_said_where_its_picture_would_be(
    board: Project, runner: StudyRunner, tmp_path: Path
) -> None:
    files = tuple(
        set_value(f, sha256="0" * 64) if f.id == "clock-ibs" else f
        for f in board.design.device_files
    )
    design = set_value(small(board).design, device_files=files)
    lost = set_value(board, requirements=(), design=design)
    made = check_project(lost, runner, only=("line",))
    page = write_report(lost, made, runner, tmp_path)
    assert "is not beside the project" in page.read_text("utf-8")


def test_a_board_without_requirements_says_so(
    board: Project, runner: StudyRunner, tmp_path: Path
) -> None:
    bare = small(board)
    words = html.fromstring(write_report(bare, [], runner, tmp_path).read_text("utf-8"))
    assert "No requirements" in words.text_content()


def test_a_folder_that_cannot_be_is_refused(
    board: Project, runner: StudyRunner, tmp_path: Path
) -> None:
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(InputError, match="cannot be written"):
        write_report(board, [], runner, tmp_path / "file" / "sub")


# -- what is drawn


@pytest.fixture
def figure(monkeypatch: pytest.MonkeyPatch) -> list[Figure]:
    """Figures that were saved."""
    made: list[Figure] = []
    monkeypatch.setattr(Figure, "savefig", lambda self, file, **_: made.append(self))
    return made


def draw(project: Project, runner: StudyRunner, kind: str, item: object, made: list[Figure]):
    ref = Ref(kind, item.id)  # type: ignore[attr-defined]
    about = Drawing(project, requirements_of(project, ref), runner, Path("nowhere.png"))
    SHEETS[kind].draw(item, about)
    return made[-1].axes


def has_line(axes: object, x: np.ndarray, y: np.ndarray) -> bool:
    return any(
        len(line.get_xdata()) == len(x)
        and np.allclose(line.get_xdata(), x, atol=0.0)
        and np.allclose(line.get_ydata(), y, atol=1e-12)
        for line in axes.get_lines()  # type: ignore[attr-defined]
    )


def test_a_path_is_drawn_with_its_waves_and_its_limit(
    board: Project, runner: StudyRunner, figure: list[Figure]
) -> None:
    path = board.design.path("clk-adc")
    axes = draw(board, runner, "path", path, figure)
    result = runner.result(PATH, path_inputs(board.design, path))
    assert any(has_line(a, result.time * 1e9, result.load) for a in axes)
    levels = [float(line.get_ydata()[0]) for a in axes for line in a.get_lines()]
    assert any(math.isclose(v, result.high + 0.30, rel_tol=1e-9) for v in levels)


def test_a_line_is_drawn_over_frequency(
    board: Project, runner: StudyRunner, figure: list[Figure]
) -> None:
    line_class = board.design.line_class("memory")
    # On the first of its layers, which are unlike.
    first, *_, last = (x.layer for x in line_class.on)
    assert first != last
    upper, lower, *_ = draw(board, runner, "line", line_class, figure)
    other = runner.result(IMPEDANCE, ImpedanceInputs(line_inputs(board.design, line_class, last)))
    inputs = ImpedanceInputs(line_inputs(board.design, line_class, first))
    result = runner.result(IMPEDANCE, inputs)
    assert has_line(upper, result.frequency / 1e9, result.z_of_f)
    assert has_line(lower, result.frequency / 1e9, 0.1 * result.loss_db_per_m)
    assert not has_line(upper, other.frequency / 1e9, other.z_of_f)


def test_a_network_is_drawn_with_through_return_and_profile(
    board: Project, runner: StudyRunner, figure: list[Figure]
) -> None:
    network = board.design.network("hub-card")
    left, right = draw(board, runner, "network", network, figure)
    result = runner.result(NETWORK, network_inputs(board.design, network))
    through = result.curve_set("insertion")
    assert through is not None
    assert has_line(left, result.frequency / 1e9, np.maximum(level_db(through.values[0]), -80.0))
    assert result.time is not None
    main = next(r for r in result.time.reflections if (r.mode, r.side) == ("diff", "left"))
    assert has_line(right, main.place * 1e12, main.true)


def test_an_eye_is_drawn_over_two_unit_intervals_with_its_mask(
    board: Project, runner: StudyRunner, figure: list[Figure]
) -> None:
    link = board.design.link("jl0")
    (axes,) = draw(board, runner, "link", link, figure)
    result = runner.result(EYE, eye_inputs(board.design, link))
    (image,) = axes.get_images()
    assert image.get_array().shape == (
        result.eye.density.shape[1],
        2 * result.eye.density.shape[0],
    )
    left, right, bottom, _ = image.get_extent()
    assert (left, right) == (-1.0, 1.0)
    assert bottom == pytest.approx(result.eye.v_low * 1e3)
    (mask,) = axes.get_lines()
    assert link.mask is not None
    assert np.ptp(mask.get_xdata()) == pytest.approx(link.mask.width.si)
    assert np.ptp(mask.get_ydata()) == pytest.approx(link.mask.height.si * 1e3)
    # Without a mask none is drawn.
    bare = replace_mask(board)
    (axes,) = draw(bare, runner, "link", bare.design.link("jl0"), figure)
    assert list(axes.get_lines()) == []


def replace_mask(project: Project) -> Project:
    link = set_value(project.design.link("jl0"), mask=None)
    kept = tuple(r for r in project.requirements if r.measure != "mask_growth")
    design = set_value(project.design, links=(link,))
    return set_value(project, design=design, requirements=kept)


def test_margins_without_a_number_are_told_apart(margins: list[Margin]) -> None:
    nothing = replace(margins[0], value=math.nan, normalised=math.nan, margin=math.nan)
    assert nothing.state.value == "unknown"
    assert "unknown" in nothing.sentence
