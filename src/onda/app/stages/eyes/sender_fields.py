"""The transmitter of a link: its taps or its model, its edges, what shakes them."""

from __future__ import annotations

from collections.abc import Callable

from onda.app.document import Document
from onda.app.kit.editor import Editor
from onda.app.kit.subject import Subject
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.eyes.model_fields import ModelFields
from onda.app.stages.eyes.part_fields import PartFields
from onda.app.stages.eyes.typed import main_of, read_taps, taps_words
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.links.link import Link
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["SenderFields"]

_STRESS = (
    ("Random, rms", "random", 0.05),
    ("Bounded", "bounded", 0.4),
    ("Sine, amplitude", "sine", 0.3),
    ("Duty cycle", "duty", 0.3),
)
"""Kinds of jitter, and how far their sliders go, UI."""


class SenderFields(PartFields):
    """Fields of the transmitter."""

    def __init__(
        self,
        look: Look,
        document: Document,
        editor: Editor,
        subject: Subject,
        link: Callable[[], Link | None],
        again: Callable[[], None],
    ) -> None:
        super().__init__(editor, link, 3)
        self.choices = Choices(look)
        self.place(0, self.choices)
        self.taps = self.field(0, "Taps", self._put_taps, "-0.05 0.8 -0.15")
        self.model = ModelFields(look, "sender", editor, subject, link, again)
        self.place(0, self.model)
        self.stress = Form(look, document)
        self.place(1, self.stress)
        self.sine_at = self.field(2, "Sine at", self._put_sine_at, "faster than the clock")
        fall = self.putting("Change edge", "sender", "fall", "ratio", "%")
        self.fall = self.field(2, "Falling edge", fall, "100 %")
        self.mismatch = self.field(2, "Level mismatch", self._put_mismatch, "100 %")
        self.high = self.field(2, "High level", lambda t: self._put_level("high", t), "400 mV")
        self.low = self.field(2, "Low level", lambda t: self._put_level("low", t), "-400 mV")
        self.edge = self.field(2, "Edge, 20–80 %", self._put_edge, "fastest")
        dies = self.putting("Change capacitance", "sender", "capacitance", "capacitance", "fF")
        self.capacitance = self.field(2, "Die and package", dies, "0 fF")
        self.fill_up()

    def _put_taps(self, typed: str) -> None:
        taps = read_taps(typed)
        self.change(
            "Change transmit taps", "sender", taps=taps, main=main_of(taps), setting="given"
        )

    def _put_sine_at(self, typed: str) -> None:
        plain = typed.strip().lower()
        at = None if plain in ("", "none", "fast") else parse_quantity(typed, "frequency", "MHz")
        self.change("Change jitter", "sender", sine_at=at)

    def _put_mismatch(self, typed: str) -> None:
        new = parse_quantity(typed, "ratio", "%")
        self.editor.put("Change levels", set_value(self.present, mismatch=new))

    def _put_level(self, key: str, typed: str) -> None:
        launch = set_value(self.present.launch, **{key: parse_quantity(typed, "voltage", "mV")})
        self.editor.put("Change level", set_value(self.present, launch=launch))

    def _put_edge(self, typed: str) -> None:
        plain = typed.strip().lower()
        edge = None if plain in ("", "fastest") else parse_quantity(typed, "time", "ps")
        launch = set_value(self.present.launch, edge=edge)
        self.editor.put("Change edge", set_value(self.present, launch=launch))

    def show_link(self, link: Link) -> None:
        """Show the transmitter of a link."""
        sender = link.sender
        self.model.show_link(link)
        self.choices.set_specs(
            [
                ChoiceSpec(
                    "Taps are",
                    (("given", "given"), ("best", "the best found")),
                    sender.setting,
                    lambda key: self.try_change("Choose taps", "sender", setting=key),
                )
            ]
        )
        self.taps.show_text(taps_words(sender.taps))
        self.taps.setVisible(sender.setting == "given")
        self.sine_at.show_text(sender.sine_at.text if sender.sine_at is not None else "fast")
        self.fall.show_text(sender.fall.text)
        self.mismatch.show_text(link.mismatch.text)
        self.mismatch.setVisible(link.modulation != "nrz")
        launch, over_network = link.launch, link.network is not None
        self.capacitance.show_text(sender.capacitance.text)
        for field in (self.high, self.low, self.edge, self.capacitance):
            field.setVisible(over_network)
        self.high.show_text(launch.high.text)
        self.low.show_text(launch.low.text)
        self.edge.show_text(launch.edge.text if launch.edge is not None else "fastest")
        self.stress.set_specs([self._jitter(*kind) for kind in _STRESS])

    def _jitter(self, title: str, key: str, most: float) -> FieldSpec:
        def get() -> Quantity:
            found: Quantity = getattr(self.present.sender, key)
            return found

        return FieldSpec(
            title,
            "unit interval",
            get,
            lambda q: self.change("Change jitter", "sender", **{key: q}),
            (0.0, most, 0.002),
        )
