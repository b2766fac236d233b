"""What the inspectors of groups and networks show of results made up by hand, and of what was."""

from __future__ import annotations

import math
from types import SimpleNamespace as Made
from typing import Any

import numpy as np
import pytest
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from onda.app.document import Document
from onda.app.kit.kept import Kept
from onda.app.stages.buses.inspector import BusInspector
from onda.app.stages.coupling import inspector as of_groups
from onda.app.stages.coupling.inspector import GroupInspector
from onda.app.stages.networks.inspector import NetworkInspector
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.coupling.edits import set_vias
from onda.project.coupling.group import Guard, LaneGroup, LaneVias
from onda.project.model import Project
from onda.project.networks.network import ChainSource, Network
from onda.project.quantities import parse_quantity, quantity
from onda.project.shown_units import units_in_use


class Hand:
    """Takes down what it is asked to do."""

    def __init__(self) -> None:
        self.done: list[tuple[Any, ...]] = []

    def __getattr__(self, name: str) -> Any:
        return lambda *a, **k: self.done.append((name, *a, *k.items()))


class OfGroup:
    """A group in view, a piece of it, and the lane that is looked at."""

    def __init__(self, project: Project, group: LaneGroup, piece: int, lane: str) -> None:
        self.design, self.group, self.lane = project.design, group, lane
        self.piece = group.pieces[piece]


@pytest.fixture
def shown_group(qtbot: QtBot, look: Look, project: Project) -> Any:
    """Makes an inspector of a group."""

    def make(group: LaneGroup, piece: int = 0, lane: str = "") -> GroupInspector:
        view: Any = OfGroup(project, group, piece, lane or group.lanes[0].id)
        made = GroupInspector(look, Document(project), view, Hand())  # type: ignore[arg-type]
        made.shelf.summary = lambda file: Made(models=[  # type: ignore[assignment, return-value]
            Made(name="sends", drives=True, receives=False),
            Made(name="hears", drives=False, receives=True),
            Made(name="both", drives=True, receives=True),
        ])  # fmt: skip
        qtbot.addWidget(made)
        made.show_group(group)
        return made

    return make


def fields(form: GroupInspector) -> dict[str, str]:
    every = [*form.form.fields, *form.via_form.fields]
    return {f.edit.accessibleName(): f.edit.text() for f in every}


def test_fields_of_a_piece_are_of_that_piece_and_of_that_gap(
    shown_group: Any, project: Project
) -> None:
    group = project.design.group("converter-lanes")
    k = next(i for i, p in enumerate(group.pieces) if p.coupled)
    apart = [quantity(x * 1e-6, "length", "um") for x in (410.0, 420.0, 430.0, 440.0, 450.0)]
    guard = Guard(width=parse_quantity("90 um", "length"), pitch=parse_quantity("2 mm", "length"))
    piece = set_value(group.pieces[k], spacings=tuple(apart), open_planes=("L4", "L2"))
    group = set_value(group, pieces=(*group.pieces[:k], piece, *group.pieces[k + 1 :]))
    form = shown_group(group, k, "jl2")
    form.gap = 2
    form.show_group(group)
    seen = fields(form)
    assert (seen["All distances"], seen["This distance"]) == ("410 µm", "430 µm")
    assert form.form.fields[2].toolTip() == f"{group.lanes[2].name} to {group.lanes[3].name}"
    assert (form.guard.edit.text(), form.open.edit.text()) == ("none", "L4, L2")
    # What is typed goes to the gap that is chosen, and to all of them from the field above.
    new = parse_quantity("500 um", "length")
    form.form._specs[1].put(new)
    form.form._specs[2].put(new)
    assert form._hand.done[-2:] == [("put_spacing", new), ("put_spacing", new, 2)]
    for guarded, words in ((guard, "90 um / 2 mm"), (set_value(guard, pitch=None), "90 um")):
        form._subject.piece = set_value(piece, guard=guarded)
        form.show_group(group)
        assert form.guard.edit.text() == words


def test_vias_that_are_not_drilled_back_say_so(shown_group: Any, project: Project) -> None:
    group = project.design.group("converter-lanes")
    rest = parse_quantity("0.2 mm", "length")
    for vias, words in (
        (LaneVias(from_layer="L8", rest=rest, back_drilled=True), "0.2 mm"),
        (LaneVias(from_layer="L8", rest=rest, back_drilled=False), "none"),
    ):
        form = shown_group(set_vias(group, group.pieces[0].id, vias))
        assert form.rest.edit.text() == words
        assert "In a pair" in fields(form)
    plain = shown_group(project.design.group("memory-byte"))
    assert plain.rest.isHidden()


def test_models_are_those_that_can_be_at_that_end(shown_group: Any, project: Project) -> None:
    group = project.design.group("memory-byte")
    form = shown_group(group)
    offered = {
        spec.title: {words for _, words in spec.items}
        for spec in form._models(group)
    }  # fmt: skip
    assert offered["Drivers"] >= {"linear", "sends", "both"}
    assert "hears" not in offered["Drivers"]
    assert offered["Receivers"] >= {"linear", "hears", "both"}
    assert "sends" not in offered["Receivers"]


def heard(scale: float, *names: str) -> Any:
    """A group's result: of lane k all figures are of k + 1, times a scale."""
    n = len(names)
    ids = tuple(x.lower() for x in names)
    return Made(
        ids=ids, lanes=names, lane=ids.index,
        noise=[Made(near=scale * (k + 1) * 1e-3, far=scale * (k + 1) * 2e-3,
                    loss_db=scale * (k + 1)) for k in range(n)],
        allowed=np.array([math.nan, *[1.0] * (n - 1)]),
        neighbours=[
            Made(first=k, second=k + 1, coupling=Made(saturation_length=0.02 * (k + 1)))
            for k in range(n - 1)
        ],
        doubts=("what is doubtful",), scale=scale,
    )  # fmt: skip


def test_a_receiver_is_told_beside_what_it_was_wherever_it_lay_then(
    shown_group: Any, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = {"lane_noise": 3e-3, "noise_share": 0.4, "crosstalk_peak": 5e-3,
             "power_sum_level": 6.0, "arrival_spread": 7e-12}  # fmt: skip
    monkeypatch.setattr(
        of_groups, "value_of", lambda result, measure, k: result.scale * (k + 1) * names[measure]
    )
    form = shown_group(project.design.group("memory-byte"))
    now, then = heard(1.0, "A", "B", "C"), heard(10.0, "C", "B")
    form.show_result(now, Kept(1, "before", then), "b")
    rows = {name: (value, unit, kept) for name, value, unit, kept in form.numbers._rows}
    assert rows["Near end"] == ("2.00", "mV", "20.0")
    assert rows["Far end"] == ("4.00", "mV", "40.0")
    assert rows["Noise"] == ("6.00", "mV", "60.0")
    assert rows["Peaks"] == ("10.0", "mV", "100")
    assert rows["Loss"] == ("2.00", "dB", "20.0")
    assert rows["Arrival"] == ("14.0", "ps", "140")
    assert [float(x) for x in (rows["Power sum"][0], rows["Power sum"][2])] == [12.0, 120.0]
    assert "Of allowed" in rows
    # The shorter of the two ways beside its neighbours; and what is doubtful.
    size, unit = units_in_use().long_length
    assert form.notes.text() == (
        f"Now · before. Near end saturates after {0.02 / size:.3g} {unit} side by side. "
        "What is doubtful."
    ).replace("Now", "now", 1)
    # The third lane was the first one then.
    form.show_result(now, Kept(1, "before", then), "c")
    rows = {name: kept for name, _, _, kept in form.numbers._rows}
    assert rows["Near end"] == "10.0"
    assert f"{0.04 / size:.3g} {unit}" in form.notes.text()
    # The first one was not there, and nothing is allowed of it.
    form.show_result(now, Kept(1, "before", then), "a")
    rows = {name: kept for name, _, _, kept in form.numbers._rows}
    assert set(rows.values()) == {""}
    assert "Of allowed" not in rows
    form.show_result(None, None, "a")
    assert form.numbers._rows == []
    assert form.notes.text() == ""


# -- networks ------------------------------------------------------------------------------


class OfNetwork:
    """A network in view."""

    def __init__(self, project: Project, ports: int, order: tuple[int, ...] = ()) -> None:
        self.design, self.ports = project.design, ports
        self.present_order = order or tuple(range(1, ports + 1))


@pytest.fixture
def shown_network(qtbot: QtBot, look: Look, project: Project) -> Any:
    def make(network: Network, piece: Any = None, ports: int = 4) -> NetworkInspector:
        view: Any = OfNetwork(project, ports, network.order)
        made = NetworkInspector(look, view, Hand())  # type: ignore[arg-type]
        qtbot.addWidget(made)
        made.show_network(network, piece)
        return made

    return make


def ids(box: Any) -> list[str]:
    return [box.itemData(i) for i in range(box.count())]


def test_ports_are_named_by_their_order(shown_network: Any, project: Project) -> None:
    network = project.design.network("mezzanine")
    for order, key in (
        ((), "as"), ((1, 2, 3, 4), "halves"), ((1, 3, 2, 4), "odd"), ((4, 3, 2, 1), "own"),
    ):  # fmt: skip
        form = shown_network(set_value(network, order=order))
        assert form.order.currentData() == key
        assert form.order_text.edit.text() == " ".join(map(str, order or (1, 2, 3, 4)))
    for key, order in (("as", ()), ("halves", (1, 2, 3, 4)), ("odd", (1, 3, 2, 4))):
        form.order.setCurrentIndex(form.order.findData(key))
        form.order.activated.emit(form.order.currentIndex())
        assert form._edits.done[-1] == ("set_order", order)


def test_planes_are_told_left_and_right(shown_network: Any, project: Project) -> None:
    def ps(text: str) -> Any:
        return parse_quantity(text, "time")

    network = project.design.network("mezzanine")
    moved = set_value(network, plane_left=ps("12 ps"), plane_right=ps("8 ps"))
    assert shown_network(moved).planes.edit.text() == "12 ps / 8 ps"
    assert shown_network(network).planes.edit.text() == ""


def test_a_network_goes_into_paths_of_its_kind(shown_network: Any, project: Project) -> None:
    network = project.design.network("mezzanine")
    by_kind = {
        kind: [p.id for p in project.design.paths if p.lane == kind] for kind in ("pair", "single")
    }
    assert all(by_kind.values())
    form = shown_network(network)
    assert ids(form.paths) == by_kind["pair"]
    # The one that is chosen stays chosen while others come and go.
    form.show_network(set_value(network, lane="single"), None)
    assert ids(form.paths) == by_kind["single"]
    form.paths.setCurrentIndex(2)
    before = form.paths.currentData()
    design = form._subject.design
    form._subject.design = set_value(design, paths=design.paths[::-1])
    form.show_network(set_value(network, lane="single"), None)
    assert ids(form.paths) == by_kind["single"][::-1]
    assert form.paths.currentData() == before


def test_a_half_is_like_other_measurements_and_not_like_itself(
    shown_network: Any, project: Project
) -> None:
    half = project.design.network("fixture-left")
    form = shown_network(half)
    files = [n.id for n in project.design.networks if n.source.kind == "file"]
    assert half.source.of in files
    assert ids(form.like) == ["", *[f for f in files if f != half.source.of]]
    assert form.like.currentData() == (half.source.like or "")
    assert shown_network(project.design.network("mezzanine")).like_row.isHidden()


@pytest.mark.parametrize(("removed", "turned"), [(True, False), (False, True)])
def test_a_piece_says_whether_it_is_taken_away_or_turned(
    shown_network: Any, project: Project, removed: bool, turned: bool
) -> None:
    chain = next(n for n in project.design.networks if isinstance(n.source, ChainSource))
    piece = set_value(chain.source.pieces[0], removed=removed, turned=turned)
    form = shown_network(chain, piece)
    assert (form.removed.isChecked(), form.turned.isChecked()) == (removed, turned)
    assert form.piece_head.remark.text() == project.design.network(piece.network).name
    assert chain.id not in ids(form.parts)
    none = shown_network(chain, None)
    assert not none.removed.isEnabled()
    assert none.piece_head.remark.text() == "none chosen"
    for words, done in (
        ("Left", ("move_piece", -1)), ("Right", ("move_piece", 1)), ("Remove", ("remove_piece",)),
        ("Straighten", ("straighten",)), ("Take away", ("toggle_piece", "removed")),
        ("Turn", ("toggle_piece", "turned")),
    ):  # fmt: skip
        button = next(b for b in form.findChildren(QPushButton) if b.text() == words)
        button.click()
        assert form._edits.done[-1] == done


def found(scale: float, lanes: tuple[int, ...]) -> Any:
    return Made(
        ports=(1, 2, 3, 4), frequency=np.zeros(501), notes=("it is so",),
        mended=Made(last=scale * 20e9, delay=scale * 1e-9),
        time=Made(rise=12e-12, skews=[Made(lane=k, figure=scale * (k + 1) * 1e-12) for k in lanes]),
    )  # fmt: skip


def test_figures_of_a_network_beside_those_of_a_kept_state(
    shown_network: Any, project: Project
) -> None:
    form = shown_network(project.design.network("mezzanine"))
    form.show_result(found(1.0, (0, 1)), Kept(1, "before", found(2.0, (0, 1))))
    rows = {name: (value, unit, kept) for name, value, unit, kept in form.numbers._rows}
    assert rows == {
        "Ports": ("4", "", ""), "Points": ("501", "", ""), "To": ("20.0", "GHz", "40.0"),
        "Delay": ("1.00", "ns", "2.00"), "Edge": ("12.0", "ps", ""),
        "Skew 1": ("1.00", "ps", "2.00"), "Skew 2": ("2.00", "ps", "4.00"),
    }  # fmt: skip
    assert form.measured.remark.text() == "now · before"
    assert form.notes.text() == "It is so."
    form.show_result(found(1.0, (0,)), Kept(1, "before", found(2.0, ())))
    rows = {name: (value, unit, kept) for name, value, unit, kept in form.numbers._rows}
    assert rows["Skew in pair"] == ("1.00", "ps", "")
    form.show_result(None, None)
    assert form.numbers._rows == []


def test_numbers_of_a_bus_stand_beside_the_kept_ones_that_there_are() -> None:
    rows: list[Any] = []
    panel: Any = Made(numbers=Made(set_rows=rows.append))

    def bus(states: str, **least: float) -> Any:
        words = {"f": "fails", "h": "holds", "u": "unknown"}
        cases = [Made(state=words[s]) for s in states]
        return Made(cases=cases, least=lambda name: least[name])

    now = bus("ffhu", setup=-12e-12, hold=34e-12, height=0.21)
    then = bus("h", setup=56e-12, hold=math.nan, height=0.18)
    show = BusInspector.show_numbers
    show(panel, now, then)
    show(panel, now, None)
    show(panel, bus("uu", setup=math.nan, hold=math.nan, height=0.1), then)
    show(panel, None, then)
    beside, alone, few, nothing = [[(r[0], r[1], r[2], r[3]) for r in found] for found in rows]
    assert beside == [
        ("Set-up margin", "−12.0", "ps", "56.0"), ("Hold margin", "34.0", "ps", ""),
        ("Eye height", "0.210", "V", "0.180"), ("Cases that fail", "2", "", ""),
        ("Without an answer", "1", "", ""),
    ]  # fmt: skip
    assert [r[3] for r in alone] == [""] * 5
    assert [r[0] for r in few] == ["Eye height", "Cases that fail", "Without an answer"]
    assert [r[1] for r in few[1:]] == ["0", "2"]
    assert nothing == []
