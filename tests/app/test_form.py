"""A form of quantities and the one trim that goes from field to field."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.form import FieldSpec, Form
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.model import Project
from onda.project.quantities import Quantity, parse_quantity
from tests.app.conftest import type_into


class Values:
    """Two lengths and a voltage without a trim, and what is done to them."""

    def __init__(self) -> None:
        self.now = {
            "Width": parse_quantity("120 um", "length"),
            "Gap": parse_quantity("0.3 mm", "length"),
            "Swing": parse_quantity("1 V", "voltage"),
        }
        self.put: list[tuple[str, str]] = []
        self.kept = [100e-6]

    def spec(self, title: str, trim: tuple[float, float, float] | None) -> FieldSpec:
        def put(q: Quantity) -> None:
            if q.si > 0.9e-3 and title != "Swing":
                raise InputError(f"{title} is too large")
            self.now[title] = q
            self.put.append((title, q.text))

        dimension = "voltage" if title == "Swing" else "length"
        return FieldSpec(
            title, dimension, lambda: self.now[title], put, trim, "why", lambda: list(self.kept)
        )

    def specs(self) -> list[FieldSpec]:
        return [
            self.spec("Swing", None),
            self.spec("Width", (50e-6, 200e-6, 1e-6)),
            self.spec("Gap", (1e-4, 5e-4, 1e-5)),
        ]


@pytest.fixture
def values() -> Values:
    return Values()


@pytest.fixture
def form(qtbot: QtBot, look: Look, project: Project, values: Values) -> Form:
    made = Form(look, Document(project))
    qtbot.addWidget(made)
    made.set_specs(values.specs())
    made.show()
    qtbot.waitExposed(made)
    return made


def texts(form: Form) -> list[str]:
    return [f.edit.text() for f in form.fields]


def test_fields_show_what_is_and_the_trim_lies_on_the_first_that_has_one(form: Form) -> None:
    assert texts(form) == ["1 V", "120 µm", "0.3 mm"]
    assert [f.toolTip() for f in form.fields] == ["why"] * 3
    assert form.heading.remark.text() == "width"
    assert form.trim.accessibleName() == "Trim: Width"
    trim = form.trim
    assert (trim.low, trim.high, trim.step) == (50e-6, 200e-6, 1e-6)
    assert (trim.value, trim.marks) == (pytest.approx(120e-6), [100e-6])


def test_the_trim_reaches_as_far_as_the_value(form: Form, values: Values) -> None:
    values.now["Width"] = parse_quantity("300 um", "length")
    form.refresh()
    assert (form.trim.low, form.trim.high) == pytest.approx((50e-6, 300e-6))
    values.now["Width"] = parse_quantity("20 um", "length")
    form.refresh()
    assert (form.trim.low, form.trim.high) == pytest.approx((20e-6, 200e-6))
    # While it is dragged its range stays, or it would run away from the pointer.
    values.now["Width"] = parse_quantity("400 um", "length")
    form._document.begin_gesture()
    form.refresh()
    assert form.trim.high == pytest.approx(200e-6)
    assert form.trim.value == pytest.approx(400e-6)
    form._document.end_gesture()


def test_a_value_is_trimmed_in_its_own_unit_as_one_step(form: Form, values: Values) -> None:
    document = form._document
    QTest.keyClick(form.trim, Qt.Key.Key_Right)
    assert values.put == [("Width", "121 um")]
    assert not document.in_gesture
    assert texts(form)[1] == "121 µm"
    form.trim.began.emit()
    assert document.in_gesture
    form.trim.moved.emit(1e-3)
    # What is refused is said, nothing is changed, and it is forgotten with the end of the drag.
    assert form.problem.text() == "Width is too large"
    assert form.problem.isVisibleTo(form)
    assert values.now["Width"].text == "121 um"
    form.trim.moved.emit(130e-6)
    assert form.problem.text() == ""
    form.trim.moved.emit(1e-3)
    form.trim.ended.emit()
    assert not document.in_gesture
    assert form.problem.text() == ""
    assert texts(form)[1] == "130 µm"


def test_the_trim_goes_to_the_field_that_has_the_focus(form: Form, values: Values) -> None:
    form.activateWindow()
    form.fields[2].edit.setFocus()
    form.put_trim_on_focus()
    assert form.heading.remark.text() == "gap"
    assert (form.trim.low, form.trim.high) == pytest.approx((1e-4, 5e-4))
    QTest.keyClick(form.trim, Qt.Key.Key_Left)
    assert values.put == [("Gap", "0.29 mm")]
    # A field without a trim leaves it where it is.
    form.fields[0].edit.setFocus()
    form.put_trim_on_focus()
    assert form.heading.remark.text() == "gap"


def test_what_is_typed_goes_to_what_is_shown_now(form: Form, values: Values) -> None:
    kept = form.fields
    other = Values()
    other.now["Width"] = parse_quantity("150 um", "length")
    form.set_specs(other.specs())
    # Of the same names they are the same fields, of other things.
    assert form.fields is kept
    assert texts(form)[1] == "150 µm"
    type_into(form.fields[1].edit, "160")
    assert (values.put, other.put) == ([], [("Width", "160 µm")])
    form.set_specs([other.spec("Swing", None)])
    assert texts(form) == ["1 V"]
    assert not form.trim.isVisibleTo(form)
    assert not form.heading.isVisibleTo(form)


def test_choices_stand_at_what_is_chosen_and_tell_another_one(qtbot: QtBot, look: Look) -> None:
    put: list[str] = []
    choices = Choices(look)
    qtbot.addWidget(choices)
    items = (("a", "Alpha"), ("b", "Beta"))
    choices.set_specs([ChoiceSpec("Kind", items, "b", put.append)])
    (box,) = choices.boxes
    assert (box.currentText(), box.count(), box.accessibleName()) == ("Beta", 2, "Kind")
    choices.choose("Kind", "b")
    assert put == []
    choices.choose("Kind", "a")
    assert put == ["a"]
    # Of the same name it is the same list, of other things; what is not offered stands for none.
    other: list[str] = []
    choices.set_specs([ChoiceSpec("Kind", (("c", "Gamma"), ("a", "Delta")), "gone", other.append)])
    assert choices.boxes == [box]
    assert (box.currentIndex(), box.currentText()) == (-1, "")
    choices.choose("Kind", "a")
    assert (put, other) == (["a"], ["a"])
    choices.set_specs([])
    assert choices.boxes == []
