"""Joins the views of the Networks stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QSplitter, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.maker import Aside
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.shell.asking import ask_open, ask_save
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.networks.add_menu import add_menu
from onda.app.stages.networks.chain_boxes import boxes_of
from onda.app.stages.networks.chain_view import ChainView
from onda.app.stages.networks.curves_view import CurvesView
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.networks.in_view import NetworkInView
from onda.app.stages.networks.inspector import NetworkInspector
from onda.app.stages.networks.limits_view import LimitsView
from onda.app.stages.networks.proof import Proof
from onda.app.stages.networks.quality_view import QualityView
from onda.app.stages.networks.skew_view import SkewView
from onda.app.stages.networks.time_view import TimeView
from onda.project.model import Design
from onda.project.networks.network import ChainSource, Network
from onda.studies.networks.gate import NETWORK_GATE, GateInputs
from onda.studies.networks.inputs import NetworkInputs, network_inputs
from onda.studies.networks.model import NETWORK_MODEL, NetworkModel
from onda.studies.networks.network import NETWORK, NetworkResult
from onda.studies.networks.write import to_open, to_save

__all__ = ["NetworksStage"]


class NetworksStage(OneResultStage[NetworkResult]):
    """Networks."""

    margins_title = "this network"
    add_title = "Add a network"
    makes = ("network",)
    subject_type = NetworkInView
    subject: NetworkInView

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look = context.look
        self.edits = NetworkEdits(self.editor, self.subject)
        self.add_keep_button()
        self.chain = ChainView(look)
        self.chain.chosen.connect(self.subject.choose_element)
        self.chain.wired.connect(self.edits.wire)
        self.chain.swapped.connect(self.edits.swap)
        self.chain.moved.connect(lambda piece, step: self.edits.move_piece(step, piece))
        self.chain.removed.connect(self.edits.remove_piece)
        self.chain.hovered.connect(context.selection.hover)
        self.chain.opened.connect(self._open_piece)
        context.selection.hover_changed.connect(self._light)
        self.proof = Proof(look)
        self.proof.order_wanted.connect(self.edits.set_order)
        self.views = self._make_views()
        self.chips = self.views.chips
        self.views.turned.connect(lambda _: self._show_view())
        self.surface.body.addWidget(self._split(), 1)
        self.surface.veil_over((self.views.stack,))
        self.form = NetworkInspector(look, self.subject, self.edits)
        self.form.write_wanted.connect(self._write)
        self.inspector = scrolled(self.form)
        self.views.show_first()

    def _split(self) -> QSplitter:
        upper, lower = QWidget(), QWidget()
        row = QHBoxLayout(upper)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.chain, 3)
        row.addWidget(self.proof, 2)
        column = QVBoxLayout(lower)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.chips)
        column.addWidget(self.views.stack, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(upper)
        split.addWidget(lower)
        split.setStretchFactor(0, 1)
        split.setStretchFactor(1, 4)
        # Made while the window stands already, it would else go by what its parts wish for.
        split.setSizes([150, 480])
        return split

    def _make_views(self) -> Views:
        look, document = self.context.look, self.context.document

        def curves() -> CurvesView:
            made = CurvesView(look)
            made.baseline_wanted.connect(self._choose_baseline)
            return made

        def time() -> TimeView:
            made = TimeView(look)
            made.gate_wanted.connect(self._ask_gate)
            return made

        def quality() -> QualityView:
            made = QualityView(look)
            made.remedy_wanted.connect(self.edits.toggle_remedy)
            made.model_wanted.connect(self._ask_model)
            return made

        return Views(
            (
                View("curves", "Curves", curves),
                View("time", "Along the line", time),
                View("quality", "Quality", quality),
                View("skew", "Skew", lambda: SkewView(look)),
                View("limits", "Limits", lambda: LimitsView(look, document, self.surface.tell)),
            ),
            "What is shown below",
        )

    @property
    def curves(self) -> CurvesView:
        """The curves."""
        return self.views.get("curves", CurvesView)

    @property
    def time(self) -> TimeView:
        """The profile and what lies over it."""
        return self.views.get("time", TimeView)

    @property
    def limits(self) -> LimitsView:
        """The table of limits."""
        return self.views.get("limits", LimitsView)

    # ---- the network in view

    @property
    def network(self) -> Network | None:
        """The network in view, None where there is none."""
        return self.subject.network

    def rows(self) -> Sequence[Row]:
        out = []
        for n in self.design.networks:
            source = n.source
            of = f"chain of {len(source.pieces)}" if isinstance(source, ChainSource) else ""
            out.append(self.row_of(n, of or source.kind))
        return out

    def refresh(self) -> None:
        network = self.network
        if network is None:
            return
        self.subject.turn_to(network.id)
        self.turned_to(network.id, network.name)
        self.surface.show_head(network.name, network.note)
        self.form.show_network(network, self.subject.piece)
        self._draw_chain(network)
        self.subject.ask(
            "now",
            NETWORK,
            lambda: network_inputs(self.design, network),
            self.show_result,
            self.show_failure,
        )
        if not self.editor.in_gesture:
            self._ask_kept()
            self._ask_baseline()

    def _ask_kept(self) -> None:
        def inputs(design: Design) -> NetworkInputs | None:
            then = self.subject.item_in(design)
            return network_inputs(design, then) if then is not None else None

        self.subject.ask_kept(NETWORK, self.kept, inputs, self.draw)

    def forget_results(self) -> None:
        self.form.show_result(None, None)
        self.proof.clear()

    def show_result(self, result: NetworkResult) -> None:
        if result is not self.result:
            # The model in time is of the network as it was.
            self.subject.model = None
        super().show_result(result)
        network = self.network
        if network is not None:
            self.form.show_network(network, self.subject.piece)

    # ---- drawing

    def draw(self) -> None:
        network, result = self.network, self.result
        if network is None or result is None:
            return
        self._draw_chain(network)
        self.proof.show_result(result, is_file=not isinstance(network.source, ChainSource))
        kept = self.named_kept
        self.form.show_result(result, kept[-1] if kept else None)
        self._show_view()
        self.margins_changed.emit()

    def _draw_chain(self, network: Network) -> None:
        piece = self.subject.piece
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
        view = self.views.shown
        kept = self.named_kept
        if isinstance(view, CurvesView):
            others = [(n.id, n.name) for n in self.design.networks if n.id != network.id]
            view.show_networks(others, self.subject.baseline_of)
            baseline = (
                kept[-1].result
                if self.subject.baseline_of == "kept" and kept
                else self.subject.baseline
            )
            view.show_result(result, kept, baseline, self.subject.requirements)
        elif isinstance(view, TimeView):
            view.show_result(result, kept, self.subject.band)
        elif isinstance(view, QualityView):
            view.show_result(result, network.remedies, self.subject.model)
        elif isinstance(view, SkewView):
            view.show_result(result, kept)
        elif isinstance(view, LimitsView):
            view.show_limits(network.id, self.margins()[1])

    def _light(self, piece: str) -> None:
        view = self.views.made("time")
        if self.active and isinstance(view, TimeView):
            view.light(piece)

    def _open_piece(self, piece: str) -> None:
        """Go to the network that a piece of the chain is."""
        network = self.network
        if network is not None and isinstance(network.source, ChainSource):
            found = next(p for p in network.source.pieces if p.id == piece)
            self.context.selection.choose(found.network)

    # ---- asking for more

    def _choose_baseline(self, network: str) -> None:
        self.subject.baseline_of, self.subject.baseline = network, None
        self._ask_baseline()
        self._show_view()

    def _ask_baseline(self) -> None:
        others = (n for n in self.design.networks if n.id != self.subject.id)
        other = next((n for n in others if n.id == self.subject.baseline_of), None)
        if other is None:
            self.subject.baseline = None
            return

        def arrived(result: NetworkResult) -> None:
            self.subject.baseline = result
            self._show_view()

        self.subject.ask(
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
        self.subject.ask(
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
            self.subject.model = model
            self._show_view()

        self.subject.ask(
            "model",
            NETWORK_MODEL,
            lambda: network_inputs(self.design, network),
            arrived,
            self.surface.tell,
        )

    # ---- doing

    def asides(self) -> Sequence[Aside]:
        return (Aside("Open a file of S-parameters…", self._open),)

    def take_file(self, path: FilePath) -> None:
        self.leave_making()
        self.edits.read_file(path)

    def add(self) -> None:
        """Offer what a network can be made of; where there is none yet, its page does."""
        if not self.is_empty:
            self.add_menu().popup(QCursor.pos())

    def add_menu(self) -> QMenu:
        """What a network can be made of."""
        return add_menu(
            self.surface, self.editor, self.subject, self.edits, self._open, super().add_copy
        )

    def _open(self) -> None:
        path = ask_open(self.surface, "Open network", to_open())
        if path is not None:
            self.leave_making()
            self.edits.read_file(path)

    def _write(self) -> None:
        result = self.result
        if result is None:
            self.surface.tell("There is nothing to write yet: it is not computed.")
            return
        suggested = f"{result.name.replace('/', '-')}.s{len(result.ports)}p"
        path = ask_save(self.surface, "Write network", suggested, to_save())
        if path is not None:
            self.edits.write(path, result)
