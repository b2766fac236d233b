"""Joins the views of the Eyes stage to the document and the studies."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from onda.app.kit.context import Context
from onda.app.kit.kept import Kept, column_words
from onda.app.kit.stage import OneResultStage
from onda.app.kit.surface import scrolled
from onda.app.kit.views import View, Views
from onda.app.shell.asking import ask_open
from onda.app.shell.rows import Row
from onda.app.stages import StageInfo
from onda.app.stages.eyes.bits_numbers import bits_notes, bits_rows, worst_bits
from onda.app.stages.eyes.bits_view import BitsView, grouped
from onda.app.stages.eyes.inspector import LinkInspector
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.more_views import MoreViews
from onda.app.stages.eyes.parts import Parts
from onda.app.stages.eyes.rate_numbers import rate_remark, rate_rows, worst_words
from onda.app.stages.eyes.rate_view import RateView
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.links.link import Link
from onda.project.measures import measure
from onda.project.model import Design
from onda.studies.core.margin import Margin
from onda.studies.devices.take import TAKE_FILE, TakenFile, take_inputs
from onda.studies.links.along import LINK_ALONG, LinkAlong
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
        self.chain = Parts(
            look,
            context.document,
            self.editor,
            self.subject,
            lambda: self.link,
            self.refresh,
            self.hand,
            self.ask_response,
        )
        self.chain.strip.point_chosen.connect(lambda _: self._look_at_point())
        self.surface.body.addWidget(self.chain)
        self.more = MoreViews(look, self.hand, self.subject, self._turn)
        self.views = Views(
            [
                View("bits", "Bit by bit", lambda: BitsView(look)),
                View("rate", "At the error rate", lambda: RateView(look)),
                *self.more.views,
            ],
            "Views",
        )
        self.more.join(self.views)
        self.chips = self.views.chips
        self.views.turned.connect(lambda _: self._turn())
        self.surface.body.addWidget(self.chips)
        self.surface.body.addWidget(self.views.stack, 1)
        self.rate: LinkEye | None = None
        self.along: LinkAlong | None = None
        self.rate_kept: dict[str, LinkEye] = {}
        self.surface.veil_over((self.views.stack,))
        self.panel = LinkInspector(look, context.document, self.hand, self._play)
        self.inspector = scrolled(self.panel)
        self.views.show_first()

    @property
    def bits_view(self) -> BitsView:
        """Eyes bit by bit."""
        return self.views.get("bits", BitsView)

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
        self.chain.show_link(self.design, link)
        self.panel.show_link(link)
        self._ask_rate(link)
        if not self.context.document.in_gesture:
            self.more.ask(link)
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
        self._ask_point(link)

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
            self.chain.show_link(self.design, self.link)

    def take_pulse(self, path: Path) -> None:
        """Run over a pulse of a file."""

        def taken(found: TakenFile) -> None:
            self.hand.run_over_pulse(path.name, found.sha256)

        self.subject.ask(
            "take-pulse", TAKE_FILE, lambda: take_inputs(path), taken, self.surface.tell
        )

    def ask_response(self) -> None:
        """Ask for a measured peaking."""
        path = ask_open(self.surface, "Measured peaking", "Responses (*.csv)")
        if path is not None:
            self.take_response(path)

    def take_response(self, path: Path) -> None:
        """A peaking that a file says."""

        def taken(found: TakenFile) -> None:
            self.hand.run_behind_response(path.name, found.sha256)

        self.subject.ask(
            "take-response", TAKE_FILE, lambda: take_inputs(path), taken, self.surface.tell
        )

    def _look_at_point(self) -> None:
        """Another point of the chain is looked at: at the error rate."""
        if self.views.current != "rate":
            self.views.choose("rate")
        link = self.link
        if link is not None:
            self._ask_point(link)
            self._draw_rate()

    def _ask_point(self, link: Link) -> None:
        """Ask for the eyes along the chain where one of them is looked at."""
        self.along = None
        if self.chain.strip.point == "decided" or self.context.document.in_gesture:
            return

        def show(found: LinkAlong) -> None:
            self.along = found
            self._draw_rate()

        self.subject.ask(
            "along", LINK_ALONG, lambda: link_inputs(self.design, link), show, self.surface.tell
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

    def _turn(self) -> None:
        """Another view is looked at."""
        link = self.link
        if link is not None and self.more.ask(link):
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
        view, mask = self.views.get("rate", RateView), mask_inputs(link)
        view.show_link(result, named, mask)
        point = self.chain.strip.point
        if point != "decided" and self.along is not None:
            there = self.along.at(point)
            if there is not None:
                view.show_point(result, there, mask)
            else:
                self.surface.tell(dict(self.along.closed).get(point, ""))
        self.panel.measured.remark.setText(rate_remark(result, named))
        self.panel.numbers.set_rows(rate_rows(result, named[-1].result if named else None))
        self.panel.pattern.setText(worst_words(result))
        self.panel.note.setText(
            " ".join(f"{doubt[:1].upper()}{doubt[1:]}." for doubt in result.doubts)
        )

    def forget_results(self) -> None:
        self.rate, self.along = None, None
        self.rate_kept.clear()
        self.panel.numbers.set_rows([])
        self.panel.pattern.setText("")
        self.panel.note.setText("")

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
        what = "bits" if len(result.levels) == 2 else "symbols"
        over = f"over {grouped(result.eye.bits)} {what}"
        self.panel.measured.remark.setText(column_words(named, over))
        self.panel.numbers.set_rows(bits_rows(result, named.result if named is not None else None))
        self.panel.pattern.setText(worst_bits(result))
        self.panel.note.setText(bits_notes(result, self.link) if self.link is not None else "")
