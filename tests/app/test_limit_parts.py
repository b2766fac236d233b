"""Limits put, changed and taken away: the card above the strip, and the table of a network."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.shell.limit_card import LimitCard
from onda.app.stages.networks.limits_view import LimitsView
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.edits import requirements_of
from onda.project.kind import Ref
from onda.project.measures import measures_of
from onda.project.model import Project
from onda.project.networks.limit_sets import read_set
from onda.project.requirements import Requirement
from onda.studies.core.margin import Margin, Measured, margin_of

ADC = Ref("path", "clk-adc")


@pytest.fixture
def document(project: Project) -> Document:
    return Document(project)


def of(document: Document, ref: Ref) -> dict[tuple[str, str | None], Requirement]:
    found = requirements_of(document.project, ref)
    return {(r.measure, r.receiver or r.layer): r for r in found}


# -- the card ------------------------------------------------------------------------------


@pytest.fixture
def card(qtbot: QtBot, look: Look, document: Document) -> LimitCard:
    parent = QWidget()
    qtbot.addWidget(parent)
    made = LimitCard(parent, look, document)
    qtbot.addWidget(made)
    return made


def test_the_card_offers_the_measures_and_places_of_its_object(
    card: LimitCard, document: Document
) -> None:
    path = document.project.design.path("clk-two")
    assert card.show_for(Ref("path", "clk-two"), QPoint(400, 700))
    assert card.title.text() == f"Require something of {path.name}"
    assert card._rows["Where"].isVisibleTo(card)
    # Of a link there is no place to choose.
    assert card.show_for(Ref("link", "jl0"), QPoint(400, 700))
    assert card.place.count() == 0
    assert not card._rows["Where"].isVisibleTo(card)
    assert card.show_for(Ref("path", "clk-two"), QPoint(400, 700))
    keys = [card.measure.itemData(k) for k in range(card.measure.count())]
    assert keys == [m.key for m in measures_of("path")]
    places = [card.place.itemData(k) for k in range(card.place.count())]
    assert "A" in places
    assert "receiver" in places
    assert card.pos().y() + card.height() == pytest.approx(700, abs=3)
    # What gets worse when it is smaller is asked for from below.
    card.measure.setCurrentIndex(keys.index("ring_back"))
    card.measure.activated.emit(keys.index("ring_back"))
    assert card.limit.placeholderText().startswith(">= 0.3 ")
    card.measure.setCurrentIndex(keys.index("overshoot"))
    card.measure.activated.emit(keys.index("overshoot"))
    assert card.limit.placeholderText() == "0.3 V"
    assert "Units: " in card.hint.text()
    assert card.show_for(Ref("line", "clocks"), QPoint(0, 700))
    assert card.limit.placeholderText() == "90 to 110 ohm"
    layers = [card.place.itemData(k) for k in range(card.place.count())]
    assert {"L1", "L6", "L8"} <= set(layers)
    assert not card.show_for(Ref("material", "prepreg"), QPoint(0, 700))


def test_a_limit_is_put_where_it_is_said(card: LimitCard, document: Document) -> None:
    card.show_for(Ref("path", "clk-two"), QPoint(400, 700))
    card.measure.setCurrentIndex(card.measure.findData("settling"))
    card.place.setCurrentIndex(card.place.findData("A"))
    card.limit.setText("3 ns")
    card.source.setText(" data sheet ")
    QTest.keyClick(card.limit, Qt.Key.Key_Return)
    assert not card.isVisible()
    new = of(document, Ref("path", "clk-two"))["settling", "A"]
    assert new.at_most is not None
    assert (new.at_most.si, new.at_least, new.source) == (pytest.approx(3e-9), None, "data sheet")
    assert document.stack.undoText() == "Require settling"
    document.undo()
    assert ("settling", "A") not in of(document, Ref("path", "clk-two"))


def test_what_is_no_limit_is_told_on_the_card(card: LimitCard, document: Document) -> None:
    before = document.project
    card.show_for(ADC, QPoint(400, 700))
    card.put.click()
    assert card.problem.text() == "Type a limit first."
    card.limit.setText("soon")
    card.put.click()
    assert "soon" in card.problem.text()
    assert card.isVisible()
    assert document.project is before
    card.show_for(ADC, QPoint(400, 700))
    assert card.problem.text() == card.limit.text() == ""


# -- the table of a network ------------------------------------------------------------------


@pytest.fixture
def told() -> list[str]:
    return []


@pytest.fixture
def view(qtbot: QtBot, look: Look, document: Document, told: list[str]) -> LimitsView:
    made = LimitsView(look, document, told.append)
    qtbot.addWidget(made)
    made.resize(900, 420)
    made.show()
    return made


@pytest.fixture
def name(document: Document) -> str:
    """A network with limits over ranges and on figures."""
    ranged = next(r for r in document.project.requirements if r.ranges)
    return ranged.subject


def margins(document: Document, name: str) -> list[Margin]:
    """One that fails, told with a doubt, and others that hold."""
    out = []
    for k, r in enumerate(requirements_of(document.project, Ref("network", name))):
        high = r.at_most.si if r.at_most else None
        low = r.at_least.si if r.at_least else None
        value = 2.0 * abs(high) if k == 0 and high is not None else (low or 0.0) + 1e-3
        found = Measured(value, "here", "so", -30.0 if r.ranges else None, None)
        margin = margin_of(r, found)
        out.append(replace(margin, doubts=("not passive",)) if k == 0 else margin)
    return out


def test_every_limit_has_a_row_with_how_it_stands(
    view: LimitsView, document: Document, name: str, look: Look
) -> None:
    found = margins(document, name)
    view.show_limits(name, found)
    rows = view.ledger.rows
    wanted = requirements_of(document.project, Ref("network", name))
    lines = sum(len(r.ranges) + (r.at_least is not None or r.at_most is not None) for r in wanted)
    assert len(rows) == lines > len(wanted)
    by_id = {m.requirement: m for m in found}
    inks = {"holds": look.t.holds, "tight": look.t.tight_ink, "fails": look.t.fails}
    for row in rows:
        identifier, _, k = row.id.rpartition(" ")
        margin = by_id[identifier]
        assert row.inks == ((3, inks[margin.state.value]),)
        if int(k):
            assert row.cells[0] == row.cells[2] == row.cells[3] == row.cells[4] == ""
            continue
        said = margin.state.value + (", but see Quality" if margin.doubts else "")
        assert row.cells[0] == margin.measure_title
        assert row.cells[2:] == (margin.value_text, said, margin.source)
        assert "<=" not in row.cells[1]
        assert "≤" in row.cells[1] or "≥" in row.cells[1] or " to " in row.cells[1]
    # Without results nothing is known.
    view.show_limits(name, [])
    assert {r.cells[3] for r in view.ledger.rows} <= {"unknown", ""}


def test_a_range_is_added_changed_and_taken_away(
    view: LimitsView, document: Document, name: str
) -> None:
    view.show_limits(name, [])
    view.measure.setCurrentIndex(view.measure.findData("return_common"))
    view.measure.activated.emit(0)
    assert view.hint.text().startswith("Adds a limit. Write 50 MHz to 4 GHz")
    view._typed("1 GHz to 5 GHz: <= -12 + f")
    new = of(document, Ref("network", name))["return_common", None]
    (piece,) = new.ranges
    assert (piece.start.si, piece.stop.si) == (1e9, 5e9)
    assert (piece.at_most.strip(), piece.at_least) == ("-12 + f", "")
    view.show_limits(name, [])
    view.ledger.chosen.emit(f"{new.id} 0")
    assert view.measure.currentData() == "return_common"
    assert view.entry.edit.text().startswith("1 GHz to 5 GHz")
    assert view.hint.text().startswith("Changes the chosen limit; empty takes it away.")
    view._source_typed(" a standard ")
    assert of(document, Ref("network", name))["return_common", None].source == "a standard"
    view.ledger.chosen.emit(f"{new.id} 0")
    view._typed("2 GHz to 5 GHz: >= -40")
    (piece,) = of(document, Ref("network", name))["return_common", None].ranges
    assert (piece.start.si, piece.at_least.strip(), piece.at_most) == (2e9, "-40", "")
    view.ledger.chosen.emit(f"{new.id} 0")
    view._typed("")
    assert ("return_common", None) not in of(document, Ref("network", name))
    with pytest.raises(InputError, match="choose a limit first"):
        view._source_typed("x")


def test_a_figure_has_one_limit(view: LimitsView, document: Document, name: str) -> None:
    view.show_limits(name, [])
    view.measure.setCurrentIndex(view.measure.findData("profile_low"))
    view.measure.activated.emit(0)
    assert "85 to 115 ohm" in view.hint.text()
    before = document.project
    view._typed("  ")
    assert document.project is before
    view._typed("80 to 120 ohm")
    new = of(document, Ref("network", name))["profile_low", None]
    assert (new.at_least.si, new.at_most.si) == (80.0, 120.0)
    view.show_limits(name, [])
    view.ledger.chosen.emit(f"{new.id} 0")
    assert view.entry.edit.text() == "80 ohm to 120 ohm"
    # Another network: nothing of this one is in hand any more.
    other = next(n.id for n in document.project.design.networks if n.id != name)
    view.show_limits(other, [])
    assert view.entry.edit.text() == ""


def test_sets_go_from_project_to_project(
    view: LimitsView, document: Document, name: str, told: list[str], tmp_path: Path
) -> None:
    view.show_limits(name, [])
    count = view.sets.count()
    assert count > 0
    path = tmp_path / "own limits.json"
    view.save_set(path)
    saved = read_set(path.read_text(encoding="utf-8"), path.name)
    assert saved.name == "own limits"
    view.open_set(path)
    assert view.sets.count() == count + 1
    assert view.sets.currentText() == "own limits"
    other = next(
        n.id for n in document.project.design.networks
        if not requirements_of(document.project, Ref("network", n.id))
    )  # fmt: skip
    view.show_limits(other, [])
    view.sets.setCurrentIndex(count)
    use = next(b for b in view.findChildren(QPushButton) if b.text() == "Use this set")
    use.click()
    assert told[-1] == ""
    assert document.stack.undoText() == "Use own limits"
    mine, theirs = (
        {(r.measure, r.ranges, r.at_least, r.at_most)
         for r in requirements_of(document.project, Ref("network", n))}
        for n in (name, other)
    )  # fmt: skip
    assert mine == theirs
    (tmp_path / "bad.json").write_bytes(b"\xff\xfe")
    with pytest.raises(InputError, match=r"bad.json.*cannot be read"):
        view.open_set(tmp_path / "bad.json")
