"""The network in view: how it is read, its chain's chosen piece, and what can be made of it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept, column_words
from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, QuantityField, TextField, label
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.networks.in_view import NetworkInView
from onda.app.theme import Look
from onda.project.networks.edits import ends_text
from onda.project.networks.network import ChainPiece, ChainSource, Network
from onda.project.quantities import as_shown
from onda.studies.networks.network import NetworkResult, halves_order, odd_even_order

__all__ = ["NetworkInspector"]

_ORDERS = (
    ("as", "as the ports come"),
    ("halves", "1, 2 left; 3, 4 right"),
    ("odd", "1, 3 left; 2, 4 right"),
    ("own", "of its own"),
)


class NetworkInspector(QWidget):
    """Fields and actions.

    Signals
    -------
    write_wanted(), add_piece_wanted(network)
    """

    write_wanted = pyqtSignal()

    def __init__(self, look: Look, subject: NetworkInView, edits: NetworkEdits) -> None:
        super().__init__()
        self._look, self._subject, self._edits = look, subject, edits
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Network", "title"))
        self.name = TextField("Name", edits.rename)
        layout.addWidget(self.name)
        self.what = label("", "secondary", wrap=True)
        layout.addWidget(self.what)
        self.like_row, self.like = self._build_like(layout)
        self.lane = self._choice("Read as", (("pair", "pairs"), ("single", "single lines")), layout)
        self.lane.activated.connect(lambda _: edits.set_lane(str(self.lane.currentData())))
        self.order = self._choice("Ports", _ORDERS, layout)
        self.order.activated.connect(lambda _: edits.set_order(self._order()))
        self.order_text = TextField("Order", edits.order_typed, width=132)
        self.order_text.edit.setToolTip("Left ports lane by lane (P, N), then right ones alike")
        layout.addWidget(self.order_text)
        self.ends = TextField("Other ports", edits.ends_typed, width=132)
        self.ends.edit.setPlaceholderText("2 open, 4 50 ohm")
        self.ends.edit.setToolTip("What ports end in that are no ports any more")
        layout.addWidget(self.ends)
        self.planes = TextField("Planes in by", edits.planes_typed, width=132)
        self.planes.edit.setPlaceholderText("12 ps / 8 ps")
        self.planes.edit.setToolTip("Reference planes moved inwards, left / right")
        layout.addWidget(self.planes)
        self.reference = QuantityField("Reference", "resistance", edits.set_reference)
        layout.addWidget(self.reference)
        self.rise = TextField("Edge, 20–80 %", edits.rise_typed, width=104)
        layout.addWidget(self.rise)
        self.rate = TextField("Data rate", edits.rate_typed, width=104)
        layout.addWidget(self.rate)
        self.piece = self._build_piece(layout)
        self.measured = Heading("Found")
        layout.addWidget(self.measured)
        self.numbers = NumberRows(look)
        layout.addWidget(self.numbers)
        self.notes = label("", "secondary", wrap=True)
        layout.addWidget(self.notes)
        self.write = QPushButton("Write file…")
        self.write.setToolTip("Touchstone 1 or 2, or HDF5")
        self.write.clicked.connect(lambda: self.write_wanted.emit())
        layout.addWidget(self.write)
        line = QHBoxLayout()
        self.paths = ChoiceBox(look, 130)
        self.paths.setAccessibleName("Path")
        self.use = QPushButton("Into path")
        self.use.setToolTip("Put this network into the path as a piece")
        self.use.clicked.connect(lambda: edits.into_path(str(self.paths.currentData())))
        line.addWidget(self.paths, 1)
        line.addWidget(self.use)
        layout.addLayout(line)
        layout.addStretch(1)

    def _choice(
        self, name: str, items: tuple[tuple[str, str], ...], layout: QVBoxLayout
    ) -> ChoiceBox:
        line = QHBoxLayout()
        line.addWidget(label(name), 1)
        box = ChoiceBox(self._look, 150)
        box.setAccessibleName(name)
        for key, words in items:
            box.addItem(words, key)
        line.addWidget(box)
        layout.addLayout(line)
        return box

    def _build_like(self, layout: QVBoxLayout) -> tuple[QWidget, ChoiceBox]:
        """Whose fixtures a half is like."""
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("Fixtures as in"), 1)
        box = ChoiceBox(self._look, 150)
        box.setAccessibleName("Fixtures as in")
        box.setToolTip("The half takes the impedances that the fixtures of this measurement show")
        box.activated.connect(lambda _: self._edits.follow(str(box.currentData())))
        line.addWidget(box)
        layout.addWidget(holder)
        return holder, box

    def _build_piece(self, layout: QVBoxLayout) -> QWidget:
        holder = QWidget()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self.piece_head = Heading("Piece")
        box.addWidget(self.piece_head)
        row = QHBoxLayout()
        self.removed = QPushButton("Take away")
        self.removed.setToolTip("De-embed this piece instead of adding it")
        self.turned = QPushButton("Turn")
        self.turned.setToolTip("Left and right change places")
        for button in (self.removed, self.turned):
            button.setObjectName("chip")
            button.setCheckable(True)
            row.addWidget(button)
        self.removed.clicked.connect(lambda: self._edits.toggle_piece("removed"))
        self.turned.clicked.connect(lambda: self._edits.toggle_piece("turned"))
        straighten = QPushButton("Straighten")
        straighten.setToolTip("All wires behind it straight through")
        straighten.clicked.connect(lambda: self._edits.straighten())
        row.addStretch(1)
        row.addWidget(straighten)
        box.addLayout(row)
        row = QHBoxLayout()
        for words, act, tip in (
            ("Left", lambda: self._edits.move_piece(-1), "One place to the left"),
            ("Right", lambda: self._edits.move_piece(1), "One place to the right"),
            ("Remove", self._edits.remove_piece, "Out of the chain"),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)
        row = QHBoxLayout()
        self.parts = ChoiceBox(self._look, 150)
        self.parts.setAccessibleName("Network to add")
        self.add = QPushButton("Add piece")
        self.add.clicked.connect(lambda: self._edits.add_piece(str(self.parts.currentData())))
        row.addWidget(self.parts, 1)
        row.addWidget(self.add)
        box.addLayout(row)
        layout.addWidget(holder)
        return holder

    def _order(self) -> tuple[int, ...]:
        n = self._subject.ports
        key = self.order.currentData()
        if key == "own":
            self.order_text.edit.setFocus()
            return self._subject.present_order
        made = {"halves": halves_order, "odd": odd_even_order}.get(str(key))
        return tuple(p + 1 for p in made(n)) if made else ()

    def show_network(self, network: Network, piece: ChainPiece | None) -> None:
        """Show fields of a network and of the chosen piece of its chain."""
        design = self._subject.design
        self.name.show_text(network.name)
        self.what.setText(self._words(network))
        self._show_like(network)
        self.lane.setCurrentIndex(self.lane.findData(network.lane))
        n = self._subject.ports
        known = {
            (): "as",
            tuple(p + 1 for p in halves_order(n)): "halves",
            tuple(p + 1 for p in odd_even_order(n)): "odd",
        }
        self.order.setCurrentIndex(self.order.findData(known.get(network.order, "own")))
        self.order_text.show_text(" ".join(map(str, self._subject.present_order)))
        self.ends.show_text(ends_text(network.ends))
        moved = network.plane_left, network.plane_right
        self.planes.show_text(" / ".join(q.text for q in moved if q is not None))
        self.reference.show_quantity(network.reference)
        self.rise.show_text(network.rise.text if network.rise else "fastest")
        self.rate.show_text(network.rate.text if network.rate else "none")
        is_chain = isinstance(network.source, ChainSource)
        self.piece.setVisible(is_chain)
        if is_chain:
            self._show_piece(network, piece)
        paths = [(p.id, p.name) for p in design.paths if p.lane == network.lane]
        _fill(self.paths, paths)
        self.use.setEnabled(bool(paths))

    def _show_like(self, network: Network) -> None:
        source = network.source
        self.like_row.setVisible(source.kind == "half")
        if source.kind == "half":
            others = [
                (n.id, n.name)
                for n in self._subject.design.networks
                if n.source.kind == "file" and n.id != source.of
            ]
            _fill(self.like, [("", "the 2x through"), *others])
            self.like.setCurrentIndex(max(0, self.like.findData(source.like or "")))

    def _show_piece(self, network: Network, piece: ChainPiece | None) -> None:
        design = self._subject.design
        name = design.network(piece.network).name if piece else "none chosen"
        self.piece_head.remark.setText(name)
        for button, on in (
            (self.removed, bool(piece and piece.removed)),
            (self.turned, bool(piece and piece.turned)),
        ):
            button.setEnabled(piece is not None)
            button.setChecked(on)
        _fill(self.parts, [(n.id, n.name) for n in design.networks if n.id != network.id])

    def _words(self, network: Network) -> str:
        design, source = self._subject.design, network.source
        match source.kind:
            case "file":
                return f"From {design.device_file(source.file).path.rsplit('/', 1)[-1]}"
            case "line":
                name = design.line_class(source.line_class).name
                return f"{as_shown(source.length, 'length')} of {name} on {source.layer}"
            case "path":
                return f"Path {design.path(source.path).name}, pad to pad, devices left out"
            case "group":
                return f"Group {design.group(source.group).name}, all of its conductors"
            case "half":
                words = f"The {source.side} half of {design.network(source.of).name}"
                like = f", as in {design.network(source.like).name}" if source.like else ""
                return words + like
            case _:
                count = len(source.pieces)
                return f"Chain of {count} piece{'s' if count != 1 else ''}"

    def show_result(self, result: NetworkResult | None, named: Kept[NetworkResult] | None) -> None:
        """Show what was found."""
        if result is None:
            self.numbers.set_rows([])
            self.notes.setText("")
            return
        kept = named.result if named is not None else None
        self.measured.remark.setText(column_words(named))
        q = result.mended
        rows = [
            ("Ports", str(len(result.ports)), "", ""),
            ("Points", str(len(result.frequency)), "", ""),
            NumberRows.si_row("To", q.last, "frequency", kept.mended.last if kept else None),
            NumberRows.si_row("Delay", q.delay, "time", kept.mended.delay if kept else None),
        ]
        if result.time is not None:
            rows.append(NumberRows.si_row("Edge", result.time.rise, "time", None))
            for k, s in enumerate(result.time.skews[:2]):
                name = f"Skew {s.lane + 1}" if len(result.time.skews) > 1 else "Skew in pair"
                then = kept.time.skews if kept and kept.time else ()
                before = then[k].figure if k < len(then) else None
                rows.append(NumberRows.si_row(name, s.figure, "time", before))
        self.numbers.set_rows(rows)
        self.notes.setText(" ".join(f"{n[:1].upper()}{n[1:]}." for n in result.notes))


def _fill(box: ChoiceBox, items: list[tuple[str, str]]) -> None:
    """Other items, the chosen one stays where it is still there."""
    present = [(box.itemData(i), box.itemText(i)) for i in range(box.count())]
    if present == items:
        return
    chosen = box.currentData()
    box.clear()
    for key, words in items:
        box.addItem(words, key)
    box.setCurrentIndex(max(0, box.findData(chosen)))
