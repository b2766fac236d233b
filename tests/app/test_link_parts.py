"""The strip of a link: its parts open in place, its points choose the eye; sweeps and corners."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog, QWidget

from onda.app.shell.window import MainWindow
from onda.app.stages.eyes.corners_view import CornersView
from onda.app.stages.eyes.rate_view import RateView
from onda.app.stages.eyes.stage import EyesStage
from onda.app.stages.eyes.strip import boxes_of
from onda.app.stages.eyes.sweep_view import SweepView
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.quantities import format_si, parse_quantity
from onda.studies.links.along import LINK_ALONG, POINTS
from onda.studies.links.corners import LINK_CORNERS, corner_inputs
from onda.studies.links.inputs import link_inputs
from onda.studies.links.sweep import LINK_SWEEP, sweep_inputs
from tests.app.conftest import MakeWindow, only


@pytest.fixture
def window(make_window: MakeWindow, project: Project) -> MainWindow:
    return make_window(only(project, "link"), stage="eyes")


def look_at(window: MainWindow, link: str, view: str = "rate") -> EyesStage:
    window.selection.choose(link, "eyes")
    stage = window.stages["eyes"]
    assert isinstance(stage, EyesStage)
    stage.views.choose(view)
    assert window.settle(120_000)
    return stage


def link_of(window: MainWindow, link: str):
    return window.document.project.design.link(link)


def type_in(field, text: str) -> None:
    field.edit.setText(text)
    field.edit.editingFinished.emit()


def choose(root, title: str, words: str) -> None:
    # A row that went waits to be deleted; the new one stands behind it.
    boxes = [b for b in root.findChildren(QComboBox) if b.accessibleName() == title]
    box = boxes[-1]
    box.setCurrentIndex(box.findText(words))
    box.activated.emit(box.currentIndex())


def click(stage: EyesStage, at) -> None:
    point = QPoint(round(at.x()), round(at.y()))
    QTest.mouseClick(stage.chain.strip, Qt.MouseButton.LeftButton, pos=point)


def test_the_strip_names_the_parts_of_every_kind_of_link(window: MainWindow) -> None:
    design = window.document.project.design
    jl0 = boxes_of(design, design.link("jl0"))
    assert [b.part for b in jl0] == ["sender", *["channel"] * (len(jl0) - 2), "listener"]
    assert [b.point for b in jl0 if b.point] == ["sent", "channel", "decided"]
    assert jl0[-1].lower == "no feedback"
    up0 = boxes_of(design, design.link("up0"))
    assert [b.point for b in up0] == ["sent", "channel", "peaking", "decided"]
    assert "best taps" in up0[0].lower
    assert up0[2].lower == "to -6 dB"
    assert up0[3].lower == "6 taps back"
    jl3 = boxes_of(design, design.link("jl3"))
    assert "among" in jl3[1].lower


def test_a_part_opens_below_the_strip_and_closes_again(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    strip, drawer = stage.chain.strip, stage.chain.drawer
    assert not drawer.isVisible()
    heights = []
    for index, page in ((0, stage.chain.transmitter), (1, stage.chain.channel)):
        click(stage, strip.rect_of(index).center())
        assert drawer.isVisible()
        assert page.isVisible()
        heights.append(drawer.height())
        # As high as what is open, not as the highest part.
        assert stage.chain._stack.sizeHint().height() == page.sizeHint().height()
    assert not stage.chain.transmitter.isVisible()
    click(stage, strip.rect_of(2).center())
    assert stage.chain.receiver.isVisible()
    assert strip.part == "listener"
    click(stage, strip.rect_of(3).center())
    # The same part again closes it, whichever of its boxes is clicked.
    assert strip.part == ""
    assert not drawer.isVisible()
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Left)
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert strip.part == "listener"
    assert heights[1] < heights[0]


def test_fields_are_those_that_a_link_has(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    chain, design = stage.chain, window.document.project.design

    def there(page: QWidget, link, *names: str) -> list[bool]:
        page.show_link(link)
        return [not getattr(page, name).isHidden() for name in names]

    def with_listener(link, **changes):
        return set_value(link, listener=set_value(link.listener, **changes))

    over_path, over_network, lane = (design.link(x) for x in ("jl0", "up0", "jl3"))
    sender = ("taps", "mismatch", "high", "low", "edge", "capacitance")
    assert there(chain.transmitter, over_path, *sender) == [True, *[False] * 5]
    # Four levels may be unlike each other; what is looked for is not typed.
    assert there(chain.transmitter, over_network, *sender) == [False, *[True] * 5]
    assert there(chain.transmitter, lane, *sender) == [True, *[False] * 5]
    channel = ("lane", "near")
    assert there(chain.channel, over_path, *channel) == [False, False]
    assert there(chain.channel, over_network, *channel) == [True, True]
    receiver = ("limit", "bandwidth", "damping", "capacitance")
    assert there(chain.receiver, over_path, *receiver) == [False, False, False, False]
    assert there(chain.receiver, over_network, *receiver) == [True, False, False, True]
    wide = parse_quantity("4 MHz", "frequency")
    for clock, shown in (("first", [True, False]), ("second", [True, True])):
        link = with_listener(over_path, clock=clock, clock_bandwidth=wide)
        assert there(chain.receiver, link, "bandwidth", "damping") == shown
    # Over a path its edges are chosen, over a network who disturbs; each stands as it is.
    for link, title, current in (
        (set_value(over_path, devices=True), "Edges", "devices"),
        (set_value(over_path, devices=False), "Edges", "typed"),
        (set_value(over_network, crosstalk=True), "Other lanes", "yes"),
        (set_value(over_network, crosstalk=False), "Other lanes", "no"),
    ):
        chain.channel.show_link(link)
        (spec,) = chain.channel.more._specs
        assert (spec.title, spec.current) == (title, current)
    # Each choice is what it says.
    for name, title, field, keys in (
        ("jl0", "Edges", "devices", {"devices": True, "typed": False}),
        ("up0", "Other lanes", "crosstalk", {"yes": True, "no": False}),
    ):
        window.selection.choose(name, "eyes")
        for key in (*keys, *keys):
            chain.channel.show_link(window.document.project.design.link(name))
            chain.channel.more._specs[0].put(key)
            assert getattr(window.document.project.design.link(name), field) is keys[key], title
    chain.transmitter.show_link(over_path)
    chain.channel.show_link(over_path)
    chain.receiver.show_link(over_path)


def test_points_choose_the_eye_that_is_shown(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    view = stage.views.get("rate", RateView)
    link = link_of(window, "up0")
    along = window.desk.runner.result(LINK_ALONG, link_inputs(window.document.project.design, link))
    strip = stage.chain.strip
    for index, box in enumerate(strip.boxes):
        click(stage, strip.dot_of(index))
        assert window.settle(120_000)
        assert strip.point == box.point
        expected = along.at(box.point)
        assert expected is not None
        shown = [eye for eye in view.eyes if eye.isVisibleTo(view)]
        if box.point == "decided":
            assert len(shown) > 1
        else:
            assert [eye.title for eye in shown] == [POINTS[box.point]]
        assert shown[0].setting.height == pytest.approx(expected.height, rel=1e-9)
        words = format_si(expected.height, "voltage")
        assert shown[0].words.startswith(words)
    # From another view a point leads to the eyes that it is about.
    stage.views.choose("costs")
    click(stage, strip.dot_of(0))
    assert stage.views.current == "rate"
    assert window.settle(120_000)


def test_a_point_that_goes_leaves_the_sampler(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    stage.chain.strip.choose_point("peaking")
    assert window.settle(120_000)
    choose(stage.chain, "Peaking", "none")
    assert window.settle(120_000)
    assert "peaking" not in [b.point for b in stage.chain.strip.boxes]
    assert stage.chain.strip.point == "decided"


def test_what_the_ends_are_typed_to_is_what_the_link_has(window: MainWindow) -> None:
    stage = look_at(window, "up0")
    sender, receiver, channel = stage.chain.transmitter, stage.chain.receiver, stage.chain.channel
    type_in(sender.fall, "150 %")
    type_in(sender.sine_at, "2 MHz")
    type_in(sender.mismatch, "92 %")
    type_in(sender.high, "300 mV")
    type_in(sender.low, "-300 mV")
    type_in(sender.edge, "14 ps")
    type_in(receiver.offset, "2 mV")
    type_in(receiver.sensitivity, "5 mV")
    type_in(receiver.gain_to, "150 mV")
    type_in(receiver.capacitance, "40 fF")
    type_in(sender.capacitance, "30 fF")
    choose(receiver, "Clock", "second order")
    type_in(receiver.bandwidth, "8 MHz")
    type_in(receiver.damping, "0.7")
    link = link_of(window, "up0")
    got = (
        link.sender.fall.si, link.sender.sine_at.si, link.mismatch.si, link.launch.high.si,
        link.launch.low.si, link.launch.edge.si, link.listener.offset.si,
        link.listener.sensitivity.si, link.listener.clock_bandwidth.si, link.listener.gain_to.si,
        link.listener.capacitance.si, link.sender.capacitance.si,
    )  # fmt: skip
    assert got == pytest.approx(
        (1.5, 2e6, 0.92, 0.3, -0.3, 14e-12, 2e-3, 5e-3, 8e6, 0.15, 40e-15, 30e-15)
    )
    assert (link.listener.clock, link.listener.clock_damping) == ("second", 0.7)
    for _ in range(14):
        window.undo()
    assert link_of(window, "up0").sender.fall.si == 1.0
    assert link_of(window, "up0").listener.clock == "ideal"
    look_at(window, "up1")
    type_in(channel.near, "1")
    assert link_of(window, "up1").near == (1,)
    type_in(channel.near, "none")
    assert link_of(window, "up1").near == ()
    for field, typed, words in (
        (sender.fall, "5 %", "between 10 % and 1000 %"),
        (receiver.damping, "soft", "no damping"),
        (receiver.sensitivity, "-1 mV", "0 V or above"),
        (channel.near, "2", "each once"),
        (channel.near, "all", "no lane"),
        (channel.lane, "first", "no lane"),
        (receiver.setting, "x", "no setting"),
    ):
        before = window.document.project
        type_in(field, typed)
        assert words in field.problem.text()
        assert window.document.project is before


def test_taps_poles_and_names_are_typed(window: MainWindow) -> None:
    stage = look_at(window, "jl0")
    sender, receiver = stage.chain.transmitter, stage.chain.receiver
    before = link_of(window, "jl0")
    type_in(sender.taps, "-6 dB")
    link = link_of(window, "jl0")
    assert link.sender.taps == pytest.approx((0.7506, -0.2494), abs=1e-4)
    assert (link.sender.main, link.sender.setting) == (0, "given")
    type_in(sender.taps, "-0.1 0.9")
    assert (link_of(window, "jl0").sender.taps, link_of(window, "jl0").sender.main) == (
        (-0.1, 0.9), 1,
    )  # fmt: skip
    type_in(receiver.receive, "0.05 1 -0.2")
    link = link_of(window, "jl0")
    assert (link.listener.taps, link.listener.main) == ((0.05, 1.0, -0.2), 1)
    # Gains bring the usual zero and poles along, which are typed anew.
    type_in(receiver.gains, "-1, -3")
    link = link_of(window, "jl0")
    assert [g.si for g in link.listener.gains] == [-1.0, -3.0]
    assert link.listener.zero is not None
    type_in(receiver.zero, "2.5")
    type_in(receiver.poles, "3, 11 GHz")
    link = link_of(window, "jl0")
    assert link.listener.zero.si == 2.5e9
    assert [p.si for p in link.listener.poles] == [3e9, 11e9]
    choose(receiver, "Peaking", "none")
    link = link_of(window, "jl0")
    assert (link.listener.gains, link.listener.gain) == ((), None)
    type_in(receiver.decisions, "3")
    type_in(receiver.limit, "40 %")
    link = link_of(window, "jl0")
    assert (link.listener.decisions, link.listener.limit.si) == (3, 0.4)
    while link_of(window, "jl0") != before:
        window.undo()
    hand = stage.hand
    hand.rename("Lane of the day")
    assert link_of(window, "jl0").name == "Lane of the day"
    window.undo()
    for where in ("tallest", "crossings"):
        hand._set_sampling(where)
        assert link_of(window, "jl0").sampling == where


def test_patterns_codes_and_polygons_are_chosen(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "bits")
    panel = stage.panel
    choose(panel, "Code", "8b/10b")
    assert link_of(window, "jl0").code == "8b10b"
    assert "PRBS15 in 8b/10b" in stage.surface.remark.text()
    choose(panel, "Pattern", "typed")
    assert window.settle(60_000)
    assert link_of(window, "jl0").typed == "10"
    type_in(panel.typed, "1100 0x30")
    assert window.settle(60_000)
    assert link_of(window, "jl0").typed == "1100 0x30"
    type_in(panel.typed, "1102")
    assert "typed pattern" in panel.typed.problem.text()
    choose(panel, "Pattern", "PRBS9")
    link = link_of(window, "jl0")
    assert (link.typed, link.prbs) == ("", 9)
    choose(panel, "Mask", "polygon")
    mask = link_of(window, "jl0").mask
    assert [c.at for c in mask.corners] == [-0.25, -0.1, 0.1, 0.25, 0.1, -0.1]
    assert panel.corners.isVisibleTo(panel)
    type_in(panel.corners, "-0.2 0 mV, 0 30 mV, 0.2 0 mV, 0 -40 mV")
    mask = link_of(window, "jl0").mask
    assert [(c.at, round(c.volts.si, 6)) for c in mask.corners] == [
        (-0.2, 0.0), (0.0, 0.03), (0.2, 0.0), (0.0, -0.04),
    ]  # fmt: skip
    type_in(panel.corners, "-0.2 0 mV, 0.2 0 mV, 0 30 mV, 0 -40 mV")
    assert "crosses itself" in panel.corners.problem.text()
    type_in(panel.corners, "wide")
    assert "is no corner" in panel.corners.problem.text()
    choose(panel, "Mask", "hexagon")
    assert link_of(window, "jl0").mask.corners == ()
    assert window.settle(60_000)


def test_a_measured_peaking_is_taken_from_a_file(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage = look_at(window, "jl0")
    before = stage.rate.eye.height
    file = tmp_path / "peaking.csv"
    rows = [
        f"{f:g},{-4 + 5 * math.exp(-((f / 8e9 - 1) ** 2)):.4f},0" for f in np.linspace(0, 4e10, 81)
    ]
    file.write_text("frequency_hz,gain_db,gain_db\n" + "\n".join(rows) + "\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(file), ""))
    choose(stage.chain.receiver, "Peaking", "measured…")
    assert window.settle(90_000)
    link = link_of(window, "jl0")
    assert link.listener.response is not None
    assert stage.chain.receiver.setting.isVisibleTo(stage.chain.receiver)
    best = stage.rate.eye.height
    type_in(stage.chain.receiver.setting, "1")
    assert window.settle(90_000)
    assert link_of(window, "jl0").listener.response_setting == 1
    assert stage.rate.eye.height != pytest.approx(before, rel=1e-3)
    type_in(stage.chain.receiver.setting, "2")
    assert window.settle(90_000)
    # The second column lets all through as it is.
    assert stage.rate.eye.height == pytest.approx(before, rel=0.02)
    type_in(stage.chain.receiver.setting, "best")
    assert window.settle(90_000)
    assert stage.rate.eye.height == pytest.approx(best, rel=1e-9)
    choose(stage.chain.receiver, "Peaking", "none")
    assert window.settle(90_000)
    assert stage.rate.eye.height == pytest.approx(before, rel=1e-9)


def test_a_sweep_shows_its_values_and_the_eye_at_one(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "sweep")
    view = stage.views.get("sweep", SweepView)
    view.over.choose("noise")
    assert window.settle(120_000)
    design = window.document.project.design
    found = window.desk.runner.result(
        LINK_SWEEP, sweep_inputs(design, link_of(window, "jl0"), "noise")
    )
    curve = view.heights.curves[0]
    assert curve.x == pytest.approx(1e3 * found.values)
    assert curve.y == pytest.approx(1e3 * found.heights)
    assert view.widths.curves[0].y == pytest.approx(found.widths)
    cells = [row.cells for row in view.list.rows]
    for k, (value, loss, height, _) in enumerate(cells):
        assert value.removeprefix("\u25b8 ") == format_si(found.values[k], "voltage", digits=3)
        assert loss == f"{found.losses[k]:.1f} dB"
        closed = not found.heights[k] > 0.0
        assert height == ("closed" if closed else format_si(found.heights[k], "voltage"))
    view.look_at(1)
    assert window.settle(120_000)
    assert view.eye.isVisibleTo(view)
    assert view.eye.setting.height == pytest.approx(found.heights[1], rel=1e-6)
    assert [c.cells[0].startswith("\u25b8") for c in view.list.rows].index(True) == 1
    view.over.choose("loss")
    assert window.settle(120_000)
    assert "the eye is open up to +" in view.sentence.text()
    curve = view.heights.curves[0]
    assert curve.x[0] == pytest.approx(found.losses[0], abs=0.05)


def test_corners_are_listed_with_the_least_first(window: MainWindow) -> None:
    stage = look_at(window, "jl0", "corners")
    view = stage.views.get("corners", CornersView)
    design = window.document.project.design
    found = window.desk.runner.result(LINK_CORNERS, corner_inputs(design, link_of(window, "jl0")))
    rows = [row.cells for row in view.list.rows]
    order = sorted(range(len(found.names)), key=lambda k: found.points[k].height)
    assert [r[0] for r in rows] == [found.names[k] for k in order]
    assert [r[1] for r in rows] == [format_si(found.points[k].height, "voltage") for k in order]
    first = found.points[0].height
    for row, k in zip(rows, order, strict=True):
        more = 1e3 * (found.points[k].height - first)
        assert row[2] == (f"{more:+.1f} mV".replace("-", "\u2212") if k else "")
        assert row[3] == f"{found.points[k].width:.3f} UI"
    assert found.names[found.worst] in view.sentence.text()
