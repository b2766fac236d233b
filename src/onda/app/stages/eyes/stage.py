"""Joins the views of the Eyes stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.kept import Kept, column_words
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.shell.asking import ask_open
from onda.app.shell.choices import Choices
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.shell.form import Form
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.eyes.bits_numbers import bits_notes, bits_rows, worst_bits
from onda.app.stages.eyes.bits_view import BitsView, grouped
from onda.app.stages.eyes.chain import Chain
from onda.app.stages.eyes.costs_view import CostsView
from onda.app.stages.eyes.end_fields import EndFields
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.map_view import MapView
from onda.app.stages.eyes.margin_view import MarginView
from onda.app.stages.eyes.rate_numbers import rate_remark, rate_rows, worst_words
from onda.app.stages.eyes.rate_view import RateView
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.links.link import Link
from onda.project.measures import measure
from onda.project.model import Design
from onda.project.quantities import pretty
from onda.studies.core.margin import Margin
from onda.studies.devices.take import TAKE_FILE, TakenFile, take_inputs
from onda.studies.links.costs import LINK_COSTS
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import (
    EyeInputs,
    LinkInputs,
    eye_inputs,
    link_inputs,
    mask_inputs,
    pattern_inputs,
)
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.margin import (
    OPERATING_MARGIN,
    link_terms,
    margin_inputs,
)
from onda.studies.links.merit_map import LINK_MAP, MapInputs

__all__ = ["EyesStage"]

_LEVELS = {"nrz": "NRZ", "pam4": "PAM4"}


class EyesStage(OneResultStage[EyeResult]):
    """Eyes."""

    margins_title = "this link"
    add_title = "Make a link"
    makes = ("link",)

    def __init__(self, context: Context, info: StageInfo) -> None:
        super().__init__(context, info)
        look = context.look
        self.hand = LinkHand(
            self.editor,
            lambda: self.link,
            self.subject.kept_items,
            context.selection.show,
            self.ask_pulse,
        )
        self.add_keep_button()
        self.chain = Chain(look)
        self.surface.body.addWidget(self.chain)
        self.views = Views(
            [
                View("bits", "Bit by bit", lambda: BitsView(look)),
                View("rate", "At the error rate", lambda: RateView(look)),
                View("costs", "What costs", lambda: CostsView(look)),
                View(
                    "map",
                    "Map of settings",
                    lambda: MapView(look, self.hand.take_setting, self._turn),
                ),
                View("margin", "Operating margin", lambda: MarginView(look, self.hand.set_sheet)),
            ],
            "Views",
        )
        self.chips = self.views.chips
        self.views.turned.connect(lambda _: self._turn())
        self.surface.body.addWidget(self.chips)
        self.surface.body.addWidget(self.views.stack, 1)
        self.rate: LinkEye | None = None
        self.rate_kept: dict[str, LinkEye] = {}
        self.surface.veil_over((self.views.stack,))
        self.inspector = scrolled(self._build_inspector())
        self.views.show_first()

    @property
    def bits_view(self) -> BitsView:
        """Eyes bit by bit."""
        return self.views.get("bits", BitsView)

    def _build_inspector(self) -> QWidget:
        content = QWidget()
        layout = QVBoxLayout(content)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Link", "title"))
        self.name = TextField("Name", self.hand.rename)
        layout.addWidget(self.name)
        self.choices = Choices(self.context.look)
        layout.addWidget(self.choices)
        self.form = Form(self.context.look, self.context.document)
        layout.addWidget(self.form)
        self.bits = TextField("Bits", self.hand.set_bits, width=96)
        self.lane = TextField("Lane", self.hand.set_lane, width=96)
        self.edge = TextField("Edge, 20–80 %", self.hand.set_launch_edge, width=96)
        for field in (self.bits, self.lane, self.edge):
            field.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
            layout.addWidget(field)
        self.ends = EndFields(
            self.context.look,
            self.context.document,
            self.editor,
            self.subject,
            lambda: self.link,
            self.refresh,
        )
        layout.addWidget(self.ends)
        self.measured = Heading("Measured")
        layout.addWidget(self.measured)
        self.numbers = NumberRows(self.context.look)
        layout.addWidget(self.numbers)
        layout.addWidget(Heading("Worst case"))
        self.pattern_text = label("", "secondary", wrap=True)
        layout.addWidget(self.pattern_text)
        self.play = QPushButton("Play in Paths")
        self.play.setToolTip("Send these bits along the path, through its devices, and look at it")
        self.play.clicked.connect(self._play)
        layout.addWidget(self.play)
        self.mask_note = label("", "secondary", wrap=True)
        layout.addWidget(self.mask_note)
        layout.addStretch(1)
        return content

    # -- what is in view --------------------------------------------------------------------------

    @property
    def link(self) -> Link | None:
        """The link in view."""
        found: Link | None = self.subject.item
        return found

    def rows(self) -> Sequence[Row]:
        standing, kind = self.context.standing, self.info.kinds[0]
        return [
            Row(
                k.id,
                k.name,
                f"{_LEVELS[k.modulation]} · {k.rate.text}",
                standing.state_of_object(Ref(kind, k.id)),
            )
            for k in self.design.links
        ]

    def refresh(self) -> None:
        link = self.link
        if link is None:
            return
        self.subject.turn_to(link.id)
        self.turned_to(link.id, link.name)
        four = link.modulation == "pam4"
        words = [link.rate.text, pattern_inputs(link).name]
        words += [f"{grouped(link.bits)} {'symbols' if four else 'bits'}", "at the sampler"]
        if four:
            words.insert(1, f"four levels, {link.symbols_per_second / 1e9:g} GBd")
        self.surface.show_head(link.name, " · ".join(words))
        self._show_chain(link)
        self._show_fields(link)
        self._ask_rate(link)
        if not self.context.document.in_gesture:
            self._ask_more(link)
        if self.context.document.in_gesture:
            # A quick look while something moves: fewer bits, the same channel.
            self.subject.ask(
                "now", EYE, lambda: self._inputs(link, 6000), self.show_result, self.show_failure
            )
            return
        self.subject.ask(
            "now", EYE, lambda: self._inputs(link, None), self.show_result, self.show_failure
        )
        self._ask_kept()

    def _ask_rate(self, link: Link) -> None:
        """Ask for the eye at the error rate: coarser while something moves."""
        self.subject.ask_quick_first(
            "rate",
            LINK,
            lambda fine: link_inputs(self.design, link, fine=fine),
            self._show_rate,
            self._fail_rate,
        )
        if self.context.document.in_gesture:
            return

        def inputs(design: Design) -> LinkInputs | None:
            then = self.subject.item_in(design)
            return link_inputs(design, then) if then is not None else None

        self.subject.ask_kept(LINK, self.rate_kept, inputs, self._draw_rate, slot="rate")

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        title, shown, kept = super().margins()
        if self.rate is None:
            return title, shown, kept
        out = list(shown)
        designs = {k.id: k.design for k in self.subject.kept_states}
        for k, wanted in enumerate(self.subject.requirements):
            if measure(wanted.measure).study != LINK.name:
                continue
            out[k] = self.subject.margin(wanted, self.rate)
            kept[wanted.id] = [
                self.subject.kept_value(wanted, designs[state], result)
                for state, result in self.rate_kept.items()
                if state in designs
            ]
        return title, out, kept

    def _show_rate(self, result: LinkEye) -> None:
        self.rate = result
        self._draw_rate()
        self.margins_changed.emit()
        if not self.context.document.in_gesture:
            self.context.standing.note()

    def ask_pulse(self) -> None:
        """Ask for a pulse to run over."""
        path = ask_open(self.surface, "Pulse", "Pulses (*.csv)")
        if path is not None:
            self.take_pulse(path)
        elif self.link is not None:
            self._show_fields(self.link)

    def take_pulse(self, path: Path) -> None:
        """Run over a pulse of a file."""

        def taken(found: TakenFile) -> None:
            self.hand.run_over_pulse(path.name, found.sha256)

        self.subject.ask(
            "take-pulse", TAKE_FILE, lambda: take_inputs(path), taken, self.surface.tell
        )

    def _play(self) -> None:
        """Send the worst pattern along the path, through its devices."""
        link, result = self.link, self.result
        if link is None or link.path is None or result is None:
            return
        bits = "".join(str(int(b)) for b in result.peak.worst_one)
        self.hand.play(link, bits)

    def _fail_rate(self, why: str) -> None:
        self.rate = None
        if self.views.current == "rate":
            self.surface.tell(why)

    def _ask_more(self, link: Link) -> None:
        """Ask for what is worked out only where it is looked at."""
        if self.views.current == "costs":
            costs = self.views.get("costs", CostsView)
            costs.show_costs(None, "")
            self.subject.ask(
                "more",
                LINK_COSTS,
                lambda: link_inputs(self.design, link),
                lambda found: costs.show_costs(found, ""),
                lambda why: costs.show_costs(None, why),
            )
        elif self.views.current == "map":
            view = self.views.get("map", MapView)
            view.show_map(None, "")
            self.subject.ask(
                "more",
                LINK_MAP,
                lambda: MapInputs(link_inputs(self.design, link), *view.pair),
                lambda found: view.show_map(found, ""),
                lambda why: view.show_map(None, why),
            )
        elif self.views.current == "margin":
            margin = self.views.get("margin", MarginView)
            changed = frozenset(e.id for e in link.sheet)
            margin.show_margin(None, None, "")
            self.subject.ask(
                "more",
                OPERATING_MARGIN,
                lambda: margin_inputs(self.design, link),
                lambda found: margin.show_margin(found, link_terms(link), "", changed),
                lambda why: margin.show_margin(None, None, why),
            )

    def _turn(self) -> None:
        """Another view is looked at."""
        link = self.link
        if link is not None and self.views.current in ("costs", "map", "margin"):
            self._ask_more(link)
            return
        if self.views.current == "rate":
            self._draw_rate()
        elif self.result is not None:
            self._draw_numbers(self.result, self._last_named)

    def _draw_rate(self) -> None:
        link, result = self.link, self.rate
        if link is None or result is None or self.views.current != "rate":
            return
        named = self.subject.named(self.rate_kept)
        self.views.get("rate", RateView).show_link(result, named, mask_inputs(link))
        self.measured.remark.setText(rate_remark(result, named))
        self.numbers.set_rows(rate_rows(result, named[-1].result if named else None))
        self.pattern_text.setText(worst_words(result))
        self.mask_note.setText(
            " ".join(f"{doubt[:1].upper()}{doubt[1:]}." for doubt in result.doubts)
        )

    def forget_results(self) -> None:
        self.rate = None
        self.rate_kept.clear()
        self.numbers.set_rows([])
        self.pattern_text.setText("")
        self.mask_note.setText("")

    def _show_chain(self, link: Link) -> None:
        if link.path is not None:
            self.chain.show_path(self.design.path(link.path))
        elif link.network is not None:
            self.chain.show_network(self.design.network(link.network), link)
        elif link.group is not None:
            self.chain.show_group(self.design.group(link.group), link)
        elif link.pulse is not None:
            self.chain.show_pulse(self.design.device_file(link.pulse).path.rsplit("/", 1)[-1])

    def _inputs(self, link: Link, bits: int | None) -> EyeInputs:
        wanted = link if bits is None else set_value(link, bits=min(bits, link.bits))
        return eye_inputs(self.design, wanted)

    def _ask_kept(self) -> None:
        def inputs(design: Design) -> EyeInputs | None:
            then = self.subject.item_in(design)
            return eye_inputs(design, then) if then is not None else None

        self.subject.ask_kept(EYE, self.kept, inputs, self.draw)

    def draw(self) -> None:
        link, result = self.link, self.result
        if link is None or result is None:
            return
        named = self._last_named
        self.bits_view.show_eye(result, named, mask_inputs(link))
        if self.views.current == "bits":
            self._draw_numbers(result, named)
        self.margins_changed.emit()

    @property
    def _last_named(self) -> Kept[EyeResult] | None:
        """The latest kept state that is still among them: its result may outlive it for a while."""
        named = self.named_kept
        return named[-1] if named else None

    def _draw_numbers(self, result: EyeResult, named: Kept[EyeResult] | None) -> None:
        self.measured.remark.setText(column_words(named, f"over {grouped(result.eye.bits)} bits"))
        self.numbers.set_rows(bits_rows(result, named.result if named is not None else None))
        self.pattern_text.setText(worst_bits(result))
        self.mask_note.setText(bits_notes(result, self.link) if self.link is not None else "")

    def _show_fields(self, link: Link) -> None:
        self.name.show_text(link.name)
        self.bits.show_text(str(link.bits))
        over_network = link.network is not None
        for field in (self.lane, self.edge):
            field.setVisible(over_network)
        self.lane.show_text(str(link.lane))
        self.edge.show_text(pretty(link.launch.edge) if link.launch.edge else "fastest")
        self.play.setVisible(link.modulation == "nrz" and link.path is not None)
        self.choices.set_specs(self.hand.choices(link))
        self.form.set_specs(self.hand.fields(link))
        self.ends.show_link(link)
