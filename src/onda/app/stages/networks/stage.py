"""Joins the views of the Networks stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from onda.app.shell.chips import Chips
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, OneResultStage
from onda.app.stages.networks.add_menu import add_menu
from onda.app.stages.networks.chain_boxes import boxes_of
from onda.app.stages.networks.chain_view import ChainView
from onda.app.stages.networks.curves_view import CurvesView
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.networks.inspector import NetworkInspector
from onda.app.stages.networks.limits_view import LimitsView
from onda.app.stages.networks.proof import Proof
from onda.app.stages.networks.quality_view import QualityView
from onda.app.stages.networks.skew_view import SkewView
from onda.app.stages.networks.time_view import TimeView
from onda.errors import InputError
from onda.project.model import Design, Requirement
from onda.project.networks.network import ChainSource, Network
from onda.studies.core.margin import Margin, Measured, margin_of, measure_network
from onda.studies.networks.gate import NETWORK_GATE, GateInputs
from onda.studies.networks.inputs import NetworkInputs, network_inputs
from onda.studies.networks.model import NETWORK_MODEL, NetworkModel
from onda.studies.networks.network import NETWORK, NetworkResult

__all__ = ["VIEWS", "NetworksStage"]

VIEWS = (
    ("curves", "Curves"),
    ("time", "Along the line"),
    ("quality", "Quality"),
    ("skew", "Skew"),
    ("limits", "Limits"),
)
_OPEN = "Networks (*.s*p *.ts *.h5 *.hdf5);;All files (*)"
_SAVE = "Touchstone 1 (*.s*p);;Touchstone 2 (*.ts);;HDF5 (*.h5)"


class NetworksStage(OneResultStage[NetworkResult]):
    """Networks."""

    id = "networks"
    margins_title = "this network"
    add_title = "Add a network…"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.edits = NetworkEdits(self)
        self.baseline: NetworkResult | None = None
        self._baseline_of = ""
        self.model: NetworkModel | None = None
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        # The rest is made when the stage is first looked at: the window should not wait for it.
        self._built = False
        self._made: dict[str, QWidget] = {}
        self._panel = QScrollArea()
        self._panel.setWidgetResizable(True)
        self._panel.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inspector = self._panel

    def _build(self) -> None:
        if self._built:
            return
        self._built = True
        context, look = self.context, self.context.look
        self.chain = ChainView(look)
        self.chain.chosen.connect(context.selection.choose_element)
        self.chain.wired.connect(self.edits.wire)
        self.chain.swapped.connect(self.edits.swap)
        self.chain.moved.connect(lambda piece, step: self.edits.move_piece(step, piece))
        self.chain.removed.connect(self.edits.remove_piece)
        self.chain.hovered.connect(context.selection.hover)
        self.chain.opened.connect(self._open_piece)
        context.selection.hover_changed.connect(self._light)
        self.proof = Proof(look)
        self.proof.order_wanted.connect(self.edits.set_order)
        self.chips = Chips(VIEWS, "What is shown below")
        self.chips.chosen.connect(lambda _: self._turn_view())
        self.views = QStackedWidget()
        upper = QWidget()
        row = QHBoxLayout(upper)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.chain, 3)
        row.addWidget(self.proof, 2)
        lower = QWidget()
        column = QVBoxLayout(lower)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.chips)
        column.addWidget(self.views, 1)
        split = QSplitter()
        split.setOrientation(split.orientation().Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(upper)
        split.addWidget(lower)
        split.setStretchFactor(0, 1)
        split.setStretchFactor(1, 4)
        # Made while the window stands already, it would else go by what its parts wish for.
        split.setSizes([150, 480])
        self.surface.body.addWidget(split, 1)
        self.form = NetworkInspector(context, self.edits)
        self.form.write_wanted.connect(self._write)
        self._panel.setWidget(self.form)
        self.views.setCurrentWidget(self.view(self.chips.current))

    # ---- views, each made when it is first looked at

    def view(self, key: str) -> QWidget:
        """A view by key."""
        if key not in self._made:
            look = self.context.look
            made: QWidget
            if key == "curves":
                made = CurvesView(look)
                made.baseline_wanted.connect(self._choose_baseline)
            elif key == "time":
                made = TimeView(look)
                made.gate_wanted.connect(self._ask_gate)
            elif key == "quality":
                made = QualityView(look)
                made.remedy_wanted.connect(self.edits.toggle_remedy)
                made.model_wanted.connect(self._ask_model)
            elif key == "skew":
                made = SkewView(look)
            else:
                made = LimitsView(look, self.context.document, self.surface.tell)
            self._made[key] = made
            self.views.addWidget(made)
        return self._made[key]

    @property
    def curves(self) -> CurvesView:
        """The curves."""
        found = self.view("curves")
        assert isinstance(found, CurvesView)
        return found

    @property
    def time(self) -> TimeView:
        """The profile and what lies over it."""
        found = self.view("time")
        assert isinstance(found, TimeView)
        return found

    @property
    def limits(self) -> LimitsView:
        """The table of limits."""
        found = self.view("limits")
        assert isinstance(found, LimitsView)
        return found

    def _turn_view(self) -> None:
        self.views.setCurrentWidget(self.view(self.chips.current))
        self._show_view()

    # ---- the network in view

    @property
    def network(self) -> Network | None:
        """The network in view, None where there is none."""
        subject = self.context.selection.subject_of(self.id)
        return next((n for n in self.design.networks if n.id == subject), None)

    def rows(self) -> Sequence[Row]:
        standing = self.context.standing
        kinds = {"file": "file", "line": "line", "path": "path", "half": "half", "chain": "chain"}
        out = []
        for n in self.design.networks:
            bad = [m for m in standing.of(self.id, n.id) if m.state.value in ("fails", "tight")]
            detail = kinds[n.source.kind]
            if n.source.kind == "chain":
                detail = f"chain of {len(n.source.pieces)}"
            if bad:
                worst = min(bad, key=lambda m: m.normalised)
                detail = f"{worst.title.lower()} {worst.value_text}"
            out.append(Row(n.id, n.name, detail, standing.state_of(self.id, n.id)))
        return out

    def refresh(self) -> None:
        self._build()
        network = self.network
        if network is None:
            self.surface.title.setText("Networks")
            self.surface.remark.setText(
                "There is no network yet: add a file of S-parameters, a line or a path with +."
            )
            self.chain.show_boxes((), pair=True, is_chain=False, current="")
            self.result = None
            return
        before = self._result_of
        self.turn_to(network.id)
        if before != network.id:
            self.model = None
        self.surface.title.setText(network.name)
        self.surface.remark.setText(network.note)
        self.form.show_network(network, self.edits.piece)
        self._draw_chain(network)
        self.ask(
            "now",
            NETWORK,
            lambda: network_inputs(self.design, network),
            self.show_result,
            self.show_failure,
        )
        if not self.context.document.in_gesture:
            self._ask_kept(network)
            self._ask_baseline()

    def _ask_kept(self, network: Network) -> None:
        def inputs(design: Design) -> NetworkInputs | None:
            then = next((n for n in design.networks if n.id == network.id), None)
            return network_inputs(design, then) if then is not None else None

        self.ask_kept(NETWORK, self.kept, inputs, self.draw)

    def read(self, result: NetworkResult, measure: str) -> Measured:
        """By measure alone the first limit on it counts."""
        found = next((r for r in self.requirements if r.measure == measure), None)
        assert found is not None
        return measure_network(result, found)

    @property
    def requirements(self) -> list[Requirement]:
        """Limits of the network in view."""
        subject = self.context.selection.subject_of(self.id)
        return [
            r
            for r in self.context.document.project.requirements
            if (r.stage, r.subject) == (self.id, subject)
        ]

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        shown, kept = [], {}
        for r in self.requirements:
            measured: Measured | None = None
            if self.failure:
                measured = Measured(float("nan"), "", self.failure)
            elif self.result is not None:
                measured = measure_network(self.result, r)
            shown.append(margin_of(r, measured))
            kept[r.id] = [measure_network(k, r).value for k in self.kept.values()]
        return self.margins_title, shown, kept

    def show_failure(self, message: str) -> None:
        super().show_failure(message)
        self.form.show_result(None, None)

    def show_result(self, result: NetworkResult) -> None:
        super().show_result(result)
        network = self.network
        if network is not None:
            self.form.show_network(network, self.edits.piece)

    # ---- drawing

    def draw(self) -> None:
        network, result = self.network, self.result
        if network is None or result is None:
            return
        self._draw_chain(network)
        self.proof.show_result(result, is_file=not isinstance(network.source, ChainSource))
        kept = list(self.kept.values())
        self.form.show_result(result, kept[0] if kept else None)
        self._show_view()
        self.margins_changed.emit()

    def _draw_chain(self, network: Network) -> None:
        piece = self.edits.piece
        is_chain = isinstance(network.source, ChainSource)
        self.chain.show_boxes(
            boxes_of(self.design, network, self.result),
            pair=network.lane == "pair",
            is_chain=is_chain,
            current=piece.id if piece else network.id,
        )

    def _show_view(self) -> None:
        result, network = self.result, self.network
        if result is None or network is None:
            return
        view = self.view(self.chips.current)
        kept = list(self.kept.values())
        if isinstance(view, CurvesView):
            others = [(n.id, n.name) for n in self.design.networks if n.id != network.id]
            view.show_networks(others, self._baseline_of)
            baseline = kept[0] if self._baseline_of == "kept" and kept else self.baseline
            view.show_result(result, kept, baseline, self.requirements)
        elif isinstance(view, TimeView):
            view.show_result(result, kept, self._band())
        elif isinstance(view, QualityView):
            view.show_result(result, network.remedies, self.model)
        elif isinstance(view, SkewView):
            view.show_result(result, kept)
        elif isinstance(view, LimitsView):
            view.show_limits(network.id, self.margins()[1])

    def _band(self) -> tuple[float | None, float | None]:
        low = next((r.at_least for r in self.requirements if r.measure == "profile_low"), None)
        high = next((r.at_most for r in self.requirements if r.measure == "profile_high"), None)
        return low.si if low else None, high.si if high else None

    def _light(self, piece: str) -> None:
        view = self._made.get("time")
        if self.active and isinstance(view, TimeView):
            view.light(piece)

    def _open_piece(self, piece: str) -> None:
        """Go to the network that a piece of the chain is."""
        network = self.network
        if network is not None and isinstance(network.source, ChainSource):
            found = next(p for p in network.source.pieces if p.id == piece)
            self.context.selection.choose(found.network, self.id)

    # ---- asking for more

    def _choose_baseline(self, network: str) -> None:
        self._baseline_of, self.baseline = network, None
        self._ask_baseline()
        self._show_view()

    def _ask_baseline(self) -> None:
        other = next((n for n in self.design.networks if n.id == self._baseline_of), None)
        if other is None:
            self.baseline = None
            return

        def arrived(result: NetworkResult) -> None:
            self.baseline = result
            self._show_view()

        self.ask(
            "baseline",
            NETWORK,
            lambda: network_inputs(self.design, other),
            arrived,
            self.surface.tell,
        )

    def _ask_gate(self, start: float, stop: float) -> None:
        network = self.network
        if network is None:
            return
        if stop <= start:
            self.time.show_gate(None)
            return
        lane, mode, side = self.time.chosen
        self.ask(
            "gate",
            NETWORK_GATE,
            lambda: GateInputs(network_inputs(self.design, network), lane, mode, side, start, stop),
            self.time.show_gate,
            self.surface.tell,
        )

    def _ask_model(self) -> None:
        network = self.network
        if network is None:
            return

        def arrived(model: NetworkModel) -> None:
            self.model = model
            self._show_view()

        self.ask(
            "model",
            NETWORK_MODEL,
            lambda: network_inputs(self.design, network),
            arrived,
            self.surface.tell,
        )

    # ---- doing

    def add_copy(self) -> None:
        """Offer what a network can be made of."""
        self.add_menu().popup(QCursor.pos())

    def add_menu(self) -> QMenu:
        """What a network can be made of."""
        return add_menu(self, self._open, super().add_copy)

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.surface, "Open network", "", _OPEN)
        if name:
            self.edits.read_file(FilePath(name))

    def _write(self) -> None:
        result = self.result
        if result is None:
            raise InputError("it is not computed yet")
        suggested = f"{result.name.replace('/', '-')}.s{len(result.ports)}p"
        name, _ = QFileDialog.getSaveFileName(self.surface, "Write network", suggested, _SAVE)
        if name:
            self.edits.write(FilePath(name), result)
