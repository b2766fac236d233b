"""The group in view: its lanes, the chosen piece, the receiver that is looked at, its ends."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.kit.device_shelf import DeviceShelf
from onda.app.kit.kept import Kept, column_words
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.coupling.hand import GroupHand
from onda.app.stages.coupling.in_view import GroupInView
from onda.app.theme import Look
from onda.project.coupling.group import LaneGroup
from onda.project.quantities import plain, pretty
from onda.project.shown_units import units_in_use
from onda.studies.coupling.group import GroupResult
from onda.studies.coupling.judge import value_of

__all__ = ["GroupInspector"]


class GroupInspector(QWidget):
    """Fields and actions.

    Signals
    -------
    arrived() : what is in a device file is known
    """

    arrived = pyqtSignal()

    def __init__(
        self, look: Look, document: Document, subject: GroupInView, hand: GroupHand
    ) -> None:
        super().__init__()
        self._subject, self._hand = subject, hand
        self.gap = 0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Group", "title"))
        self.name = TextField("Name", hand.rename, width=150)
        layout.addWidget(self.name)
        self.choices = Choices(look)
        layout.addWidget(self.choices)
        self.piece_head = Heading("Piece")
        layout.addWidget(self.piece_head)
        self.form = Form(look, document)
        layout.addWidget(self.form)
        self.guard = TextField("Guards", hand.put_guard, width=120)
        self.guard.edit.setPlaceholderText("100 um / 2 mm")
        self.guard.edit.setToolTip(
            "Copper at 0 V between the lanes: its width / the distance of the vias that tie it"
        )
        layout.addWidget(self.guard)
        self.open = TextField("Open planes", hand.put_open, width=120)
        self.open.edit.setPlaceholderText("L4")
        self.open.edit.setToolTip("Planes cut or missing along this piece, by their layers")
        layout.addWidget(self.open)
        self.via_form = Form(look, document)
        layout.addWidget(self.via_form)
        self.returns = TextField("Return vias, each", hand.put_returns, width=96)
        self.rest = TextField("Back-drilled to", hand.put_rest, width=96)
        self.rest.edit.setToolTip("What is left of the stub, as 0.2 mm; none for all of it")
        for field in (self.returns, self.rest):
            layout.addWidget(field)
        self._buttons(
            layout,
            ("Vias", hand.toggle_vias, "Lanes come to this piece through vias, or no longer do"),
        )
        self._buttons(
            layout,
            ("Piece", hand.add_piece, "Add a coupled piece at the right"),
            ("Fan-out", hand.add_fan, "Add a piece where the lanes are far from each other"),
            ("Remove", hand.remove_piece, "Take the chosen piece away"),
        )
        self.lane_head = Heading("Receiver")
        layout.addWidget(self.lane_head)
        self.lane_name = TextField("Lane", hand.rename_lane, width=120)
        layout.addWidget(self.lane_name)
        self.numbers = NumberRows(look)
        layout.addWidget(self.numbers)
        self.notes = label("", "secondary", wrap=True)
        layout.addWidget(self.notes)
        self._buttons(
            layout,
            ("Turn", lambda: hand.turn(subject.lane), "This lane drives the other way (R)"),
            ("Lane", hand.add_lane, "Add a lane at the bottom"),
            ("Remove", hand.remove_lane, "Take this lane away"),
        )
        layout.addWidget(Heading("Ends"))
        self.shelf = DeviceShelf(subject, self.arrived.emit)
        self.models = Choices(look)
        layout.addWidget(self.models)
        self.pins = {
            which: TextField(title, partial(hand.put_pins, which), width=150)
            for which, title in (("driver", "Driver pins"), ("listener", "Receiver pins"))
        }
        for field in self.pins.values():
            field.edit.setPlaceholderText("E0 E1 E2 ...")
            field.edit.setToolTip(
                "Pins of the lanes in order: their packages count, with what they have in common"
            )
            layout.addWidget(field)
        self.ends = {
            which: TextField(title, partial(hand.put_end, which), width=96)
            for which, title in (("source", "Source, each"), ("load", "Load, each"))
        }
        self.receiver = TextField("Receiver band", hand.put_receiver, width=96)
        for field in (*self.ends.values(), self.receiver):
            layout.addWidget(field)
        self._buttons(layout, ("As network", hand.as_network, "All of its conductors, in Networks"))
        layout.addStretch(1)

    def _buttons(self, layout: QVBoxLayout, *buttons: tuple[str, object, str]) -> None:
        row = QHBoxLayout()
        row.setSpacing(4)
        for words, act, tip in buttons:
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        layout.addLayout(row)

    def show_group(self, group: LaneGroup) -> None:
        """Show fields of a group, of its chosen piece and of the lane that is looked at."""
        design, piece = self._subject.design, self._subject.piece
        self.name.show_text(group.name)
        line_class = design.line_class(group.line_class)
        classes = tuple((c.id, c.name) for c in design.line_classes if c.structure.one_line)
        layers = tuple((t.layer, t.layer) for t in line_class.on)
        self.choices.set_specs(
            [
                ChoiceSpec("Lanes of", classes, group.line_class, self._hand.choose_class),
                ChoiceSpec("Layer", layers, piece.layer, self._hand.choose_layer),
            ]
        )
        self.piece_head.remark.setText(piece.id + ("" if piece.coupled else ", apart"))
        self.form.set_specs(self._fields(group))
        self.guard.setVisible(piece.coupled)
        guard = piece.guard
        self.guard.show_text(
            "none"
            if guard is None
            else guard.width.text + (f" / {guard.pitch.text}" if guard.pitch else "")
        )
        self.open.show_text(", ".join(piece.open_planes) or "none")
        self._show_vias(line_class.structure.differential)
        for which, field in self.ends.items():
            value = getattr(group, which)
            field.show_text(value.text if value is not None else "matched")
        self.receiver.show_text(pretty(group.receiver) if group.receiver else "usual")
        self.models.set_specs([] if line_class.structure.differential else self._models(group))
        for which, field in self.pins.items():
            field.setVisible(getattr(group, which) is not None)
            field.show_text(" ".join(getattr(group, f"{which}_pins")) or "none")
        lane = next(x for x in group.lanes if x.id == self._subject.lane)
        self.lane_name.show_text(lane.name)
        self.lane_head.remark.setText(f"{lane.name}, at the {lane.towards}")

    def _show_vias(self, pair: bool) -> None:
        vias = self._subject.piece.vias
        for field in (self.returns, self.rest):
            field.setVisible(vias is not None)
        if vias is None:
            self.via_form.set_specs([])
            return
        hand = self._hand

        def row(words: str, name: str) -> FieldSpec:
            return FieldSpec(
                words, "length", lambda: getattr(vias, name), lambda q: hand.set_via(**{name: q})
            )

        names = [
            ("Drill", "drill"),
            ("Pad", "pad"),
            ("Anti-pad", "antipad"),
            ("Via to via", "pitch"),
            *([("In a pair", "between")] if pair else []),
            ("To return vias", "return_distance"),
        ]
        self.via_form.set_specs([row(*one) for one in names])
        self.returns.show_text(str(vias.returns))
        self.rest.show_text(vias.rest.text if vias.back_drilled else "none")

    def _models(self, group: LaneGroup) -> list[ChoiceSpec]:
        """Models of device files for waves in time, and their corner."""
        out = []
        for which, title in (("driver", "Drivers"), ("listener", "Receivers")):
            use = getattr(group, which)
            now = f"{use.file}|{use.model}" if use is not None else ""
            items = [("", "linear")]
            for file in self._subject.design.device_files:
                summary = self.shelf.summary(file.id) if file.path.endswith(".ibs") else None
                for model in summary.models if summary is not None else ():
                    if model.drives if which == "driver" else model.receives:
                        items.append((f"{file.id}|{model.name}", model.name))
            if now not in [key for key, _ in items]:
                items.append((now, use.model))
            put = partial(self._hand.choose_model, which)
            out.append(ChoiceSpec(title, tuple(items), now, put))
        if group.driver is not None or group.listener is not None:
            corners = (("typ", "typical"), ("slow", "slow, weak"), ("fast", "fast, strong"))
            out.append(ChoiceSpec("Corner", corners, group.corner, self._hand.choose_corner))
        return out

    def _fields(self, group: LaneGroup) -> list[FieldSpec]:
        hand, piece = self._hand, self._subject.piece
        fields = [
            FieldSpec(
                "Length",
                "length",
                lambda: piece.length,
                hand.put_length,
                (0.5e-3, max(0.1, 2.0 * piece.length.si), 0.5e-3),
            )
        ]
        if piece.coupled:
            at = min(self.gap, len(piece.spacings) - 1)
            one, other = (group.lanes[k].name for k in (at, at + 1))
            widest = 3.0 * max(q.si for q in piece.spacings)
            bounds = (20e-6, max(widest, 0.6e-3), 5e-6)
            fields += [
                FieldSpec(
                    "All distances",
                    "length",
                    lambda: piece.spacings[0],
                    hand.put_spacing,
                    bounds,
                ),
                FieldSpec(
                    "This distance",
                    "length",
                    lambda: piece.spacings[at],
                    lambda q: hand.put_spacing(q, at),
                    bounds,
                    f"{one} to {other}",
                ),
            ]
        return [
            *fields,
            FieldSpec(
                "Rate", "data rate", lambda: group.rate, lambda q: hand.set("Change rate", rate=q)
            ),
            FieldSpec(
                "Edge, 20–80 %",
                "time",
                lambda: group.rise,
                lambda q: hand.set("Change edge", rise=q),
            ),
            FieldSpec(
                "Near amplitude",
                "voltage",
                lambda: group.near,
                lambda q: hand.set("Change amplitude", near=q),
            ),
            FieldSpec(
                "Far amplitude",
                "voltage",
                lambda: group.far,
                lambda q: hand.set("Change amplitude", far=q),
            ),
        ]

    def show_result(
        self, result: GroupResult | None, named: Kept[GroupResult] | None, lane: str
    ) -> None:
        """Show what the receiver hears."""
        if result is None or lane not in result.ids:
            self.numbers.set_rows([])
            self.notes.setText("")
            return
        k = result.lane(lane)
        then = named.result if named is not None and lane in named.result.ids else None
        before = then.lane(lane) if then is not None else 0

        def row(name: str, measure: str, dimension: str) -> tuple[str, str, str, str]:
            old = value_of(then, measure, before) if then is not None else None
            return NumberRows.si_row(name, value_of(result, measure, k), dimension, old)

        found = result.noise[k]
        old = then.noise[before] if then is not None else None
        self.numbers.set_rows(
            [
                NumberRows.si_row("Near end", found.near, "voltage", old.near if old else None),
                NumberRows.si_row("Far end", found.far, "voltage", old.far if old else None),
                row("Noise", "lane_noise", "voltage"),
                *(
                    [row("Of allowed", "noise_share", "ratio")]
                    if result.allowed[k] == result.allowed[k]
                    else []
                ),
                row("Peaks", "crosstalk_peak", "voltage"),
                row("Power sum", "power_sum_level", "loss"),
                NumberRows.si_row("Loss", found.loss_db, "loss", old.loss_db if old else None),
                row("Arrival", "arrival_spread", "time"),
            ]
        )
        words = [column_words(named)] if named is not None else []
        beside = [n for n in result.neighbours if k in (n.first, n.second)]
        if beside:
            least = min(n.coupling.saturation_length for n in beside)
            size, unit = units_in_use().long_length
            words.append(f"Near end saturates after {plain(least / size)} {unit} side by side")
        words += [f"{d[:1].upper()}{d[1:]}" for d in result.doubts]
        self.notes.setText(" ".join(f"{w}." for w in words))
