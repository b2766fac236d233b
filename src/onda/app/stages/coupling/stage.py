"""Joins the views of the Coupling stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.plots.curves import CurvePlot
from onda.app.shell.fields import label
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.coupling.choices_view import ChoicesView, choice_words
from onda.app.stages.coupling.cross_view import CrossView
from onda.app.stages.coupling.hand import GroupHand
from onda.app.stages.coupling.in_view import GroupInView
from onda.app.stages.coupling.inspector import GroupInspector
from onda.app.stages.coupling.lanes_view import LanesView
from onda.app.stages.coupling.matrix_view import MatrixView
from onda.app.stages.coupling.plot_table import PLOTS
from onda.app.stages.coupling.plots import Seen
from onda.errors import OndaError
from onda.project.coupling.group import LaneGroup
from onda.project.model import Design
from onda.project.quantities import format_si
from onda.studies.core.margin import State, state_of
from onda.studies.core.study import Study
from onda.studies.coupling.bits import GROUP_BITS
from onda.studies.coupling.choices import GROUP_CHOICES, choices_inputs
from onda.studies.coupling.eye import GROUP_EYE, eye_inputs
from onda.studies.coupling.group import GROUP, GroupResult
from onda.studies.coupling.inputs import GroupInputs, PieceInputs, group_inputs
from onda.studies.coupling.judge import value_of
from onda.studies.coupling.search import (
    GROUP_SEARCH,
    GroupSearch,
    LimitInputs,
    SearchInputs,
    search_range,
)
from onda.studies.coupling.split import GROUP_SPLIT, GroupSplit, SplitInputs
from onda.studies.coupling.waves import GROUP_WAVES, waves_inputs

__all__ = ["CouplingStage"]


_MORE: dict[str, tuple[Study[Any, Any], Callable[[Design, LaneGroup, str], Any]]] = {
    "waves": (GROUP_WAVES, waves_inputs),
    "eye": (GROUP_EYE, eye_inputs),
    "bits": (GROUP_BITS, waves_inputs),
    "choices": (GROUP_CHOICES, lambda design, group, _: choices_inputs(design, group)),
}
"""Studies of views that are not asked for before they are looked at, and their inputs."""


_SEARCHES = {
    "spacing": "The smallest distance that holds every limit of this group",
    "length": "The longest way side by side that holds every limit of this group",
    "split": "Widths, gaps and distances that hold best in the room that this piece has",
}
"""What can be searched for."""


class CouplingStage(OneResultStage[GroupResult]):
    """Coupling."""

    margins_title = "this group"
    add_title = "Make a group"
    makes = ("group",)
    subject_type = GroupInView
    subject: GroupInView

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look = context.look
        self.hand = GroupHand(self.editor, self.subject)
        self.add_keep_button()
        self.lanes = LanesView(look)
        self.lanes.lane_chosen.connect(self.subject.look_at)
        self.lanes.piece_chosen.connect(self.subject.choose_element)
        self.lanes.lane_turned.connect(self.hand.turn)
        self.lanes.length_dragged.connect(self.hand.drag_length)
        self.cross = CrossView(look)
        self.cross.spacing_dragged.connect(self.hand.drag_spacing)
        self.cross.gap_chosen.connect(self._choose_gap)
        for view in (self.lanes, self.cross):
            view.drag_began.connect(self.hand.begin_drag)
            view.drag_ended.connect(self.hand.end_drag)
        self.matrix = MatrixView(look)
        self.matrix.lane_chosen.connect(self.subject.look_at)
        self.subject.turns.turned.connect(self._turned)
        self.views = Views(
            [
                *(View(key, p.title, partial(self._make_plot, key)) for key, p in PLOTS.items()),
                View("choices", "Choices", lambda: ChoicesView(look)),
            ],
            "Views",
        )
        self.chips = self.views.chips
        self.views.turned.connect(self._view_turned)
        self._why_not = ""
        self._searched: GroupInputs | None = None
        self.sentence = label("", "heading", wrap=True)
        self.surface.body.addWidget(self._split(), 1)
        self.surface.veil_over((self.matrix, self.views.stack))
        self.form = GroupInspector(look, context.document, self.subject, self.hand)
        self.form.arrived.connect(self._files_known)
        self.inspector = scrolled(self.form)
        self.views.show_first()

    def _make_plot(self, key: str) -> QWidget:
        made = PLOTS[key]
        return CurvePlot(self.context.look, made.x, made.y, title=made.title)

    def _split(self) -> QSplitter:
        lower = QWidget()
        whole = QVBoxLayout(lower)
        whole.setContentsMargins(0, 2, 0, 0)
        # Across the whole width, where all of them have room.
        whole.addWidget(self.chips)
        row = QHBoxLayout()
        row.setSpacing(14)
        whole.addLayout(row, 1)
        row.addWidget(self.matrix, 3)
        column = QVBoxLayout()
        column.setSpacing(3)
        line = QHBoxLayout()
        line.addWidget(self.sentence, 1)
        self.search_buttons = {}
        search = QHBoxLayout()
        for what, tip in _SEARCHES.items():
            button = QPushButton(f"Find {what}")
            button.setToolTip(tip)
            button.clicked.connect(lambda _, what=what: self.search(what))
            self.search_buttons[what] = button
            button.hide()
            search.addWidget(button)
        self.common = QCheckBox("Common mode")
        self.common.setToolTip("What of the signals becomes common mode of this receiver's pair")
        self.common.toggled.connect(lambda _: self._draw_plot())
        self.take_button = QPushButton("Take it")
        self.take_button.setToolTip(
            "The class gets this width and gap here, the lanes this distance"
        )
        self.take_button.clicked.connect(self._take_split)
        for extra, where in ((self.common, line), (self.take_button, search)):
            extra.hide()
            where.addWidget(extra)
        search.addStretch(1)
        column.addLayout(line)
        column.addLayout(search)
        column.addWidget(self.views.stack, 1)
        row.addLayout(column, 5)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        for part in (self.lanes, self.cross, lower):
            split.addWidget(part)
        for k, share in enumerate((3, 2, 5)):
            split.setStretchFactor(k, share)
        split.setSizes([190, 120, 320])
        return split

    # ---- what is in view

    @property
    def group(self) -> LaneGroup | None:
        """The group in view, None where there is none."""
        return self.subject.group

    def rows(self) -> Sequence[Row]:
        return [
            self.row_of(g, f"{len(g.lanes)} lanes · {format_si(g.length, 'length')}")
            for g in self.design.groups
        ]

    def refresh(self) -> None:
        group = self.group
        if group is None:
            return
        self.subject.turn_to(group.id)
        self.turned_to(group.id, group.name)
        words = f"{len(group.lanes)} lanes of {self.design.line_class(group.line_class).name}"
        self.surface.show_head(group.name, group.note or f"{words}, {group.rate.text}")
        self._show_group(group)
        self.subject.ask_quick_first(
            "now",
            GROUP,
            lambda fine: group_inputs(self.design, group, fine=fine),
            self.show_result,
            self.show_failure,
        )
        if not self.editor.in_gesture:
            self._ask_kept()
        self.subject.forget(_MORE)
        if self._searched is not None and self._searched != self._inputs(group):
            # What was found held for the group as it was.
            self._searched = None
            self.subject.forget(("search",))
        self._ask_more()

    def _show_group(self, group: LaneGroup) -> None:
        piece = self.subject.piece
        self.lanes.show_group(group, piece.id, self.subject.lane, self._notes(group))
        self.cross.show_piece(
            self._section(group),
            tuple(x.name for x in group.lanes),
            tuple(q.si for q in piece.spacings) if piece.coupled else (),
        )
        self.form.gap = self.cross.gap
        self.form.show_group(group)

    def _inputs(self, group: LaneGroup) -> GroupInputs | None:
        try:
            return group_inputs(self.design, group)
        except OndaError:
            # The run says why.
            return None

    def _section(self, group: LaneGroup) -> PieceInputs | None:
        inputs = self._inputs(group)
        if inputs is None:
            return None
        return next(p for p in inputs.pieces if p.id == self.subject.piece.id)

    def _notes(self, group: LaneGroup) -> dict[str, tuple[str, State | None]]:
        result = self.result
        if result is None or result.ids != tuple(x.id for x in group.lanes):
            return {}
        out: dict[str, tuple[str, State | None]] = {}
        for k, lane in enumerate(result.ids):
            state = state_of(1.0 - value_of(result, "noise_share", k))
            out[lane] = (format_si(result.noise[k].total, "voltage"), state)
        return out

    def _files_known(self) -> None:
        if self.active and self.group is not None:
            self.form.show_group(self.group)

    def _choose_gap(self, gap: int) -> None:
        self.form.gap = gap
        group = self.group
        if group is not None:
            self.form.show_group(group)

    def _turned(self) -> None:
        """Another receiver is looked at."""
        if self.active and self.group is not None:
            self._show_group(self.group)
            self._ask_more()
            if self.result is not None:
                self.draw()

    def _ask_kept(self) -> None:
        def inputs(design: Design) -> GroupInputs | None:
            then = self.subject.item_in(design)
            return group_inputs(design, then) if then is not None else None

        self.subject.ask_kept(GROUP, self.kept, inputs, self.draw)

    def forget_results(self) -> None:
        self.subject.more.clear()
        self.form.show_result(None, None, "")
        self.sentence.setText("")

    # ---- drawing

    def draw(self) -> None:
        group, result = self.group, self.result
        if group is None or result is None or result.ids != tuple(x.id for x in group.lanes):
            return
        self.subject.stay()
        lane = self.subject.lane
        self._show_group(group)
        self.matrix.show_result(result, lane)
        named = self.named_kept
        self.form.show_result(result, named[-1] if named else None, lane)
        self._draw_plot()
        self.margins_changed.emit()

    def _draw_plot(self) -> None:
        group, result = self.group, self.result
        if group is None or result is None or self.subject.lane not in result.ids:
            return
        key, victim = self.views.current, result.lane(self.subject.lane)
        self.common.setVisible(key == "spectra" and result.pair)
        found = self.subject.more.get(key)
        self.take_button.setVisible(isinstance(found, GroupSplit) and key == "search")
        if key == "choices":
            self.views.get(key, ChoicesView).show_result(found, victim)
            self.sentence.setText(choice_words(found, victim, self._why_not))
            return
        seen = Seen(
            group, result, victim, self.named_kept, self.subject.more, self._why_not,
            self.common.isChecked(), self.context.look.t,
        )  # fmt: skip
        shown, plot = PLOTS[key].show(seen), self.views.get(key, CurvePlot)
        plot.show_x(shown.x or PLOTS[key].x)
        plot.show_curves(
            shown.curves, view=shown.view, marks=shown.marks, bars=shown.bars, empty=shown.empty
        )
        self.sentence.setText(PLOTS[key].words(seen))

    # ---- what is worked out only where it is looked at

    def _view_turned(self, key: str) -> None:
        for button in self.search_buttons.values():
            button.setVisible(key == "search")
        self._ask_more()
        self._draw_plot()

    def _ask_more(self) -> None:
        """Ask for what the view needs that is looked at."""
        group, key = self.group, self.views.current
        if key in PLOTS:
            key = PLOTS[key].needs or key
        if group is None or key not in _MORE or self.editor.in_gesture:
            return
        self._why_not = ""
        study, inputs = _MORE[key]
        lane = self.subject.lane

        def show(found: object) -> None:
            self.subject.more[key] = found
            self._draw_plot()

        def fail(why: str) -> None:
            self.subject.forget((key,))
            self._why_not = why
            self._draw_plot()

        self.subject.ask("more", study, lambda: inputs(self.design, group, lane), show, fail)

    # ---- the search

    def search(self, what: str) -> None:
        """Look for the spacing, the length, or the split of the room, that holds every limit."""
        group = self.group
        if group is None:
            return
        wanted = tuple(LimitInputs.of(r) for r in self.subject.requirements)
        chosen = self.subject.piece

        def inputs() -> SearchInputs:
            made = group_inputs(self.design, group)
            low, high = search_range(made, what)
            return SearchInputs(made, wanted, what, low, high, chosen.id if chosen.coupled else "")

        def room() -> SplitInputs:
            return SplitInputs(group_inputs(self.design, group), wanted, chosen.id)

        def show(found: GroupSearch | GroupSplit) -> None:
            self.subject.more["search"] = found
            self._searched = self._inputs(group)
            self.surface.tell("")
            self.views.choose("search")
            self._draw_plot()

        if what == "split":
            self.subject.ask("search", GROUP_SPLIT, room, show, self.surface.tell)
        else:
            self.subject.ask("search", GROUP_SEARCH, inputs, show, self.surface.tell)

    def _take_split(self) -> None:
        found = self.subject.more.get("search")
        if isinstance(found, GroupSplit):
            self.hand.take_split(found.best.width, found.best.gap, found.best.spacing)
