"""Fields of both ends of a link: equalisers, what shakes the eye, the error rate."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.kit.editor import Editor
from onda.app.kit.subject import Subject
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import Heading, TextField
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.eyes.model_fields import ModelFields
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.links.equalisers import usual_peaking
from onda.project.links.link import Link
from onda.project.links.model_edits import End
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["EndFields"]

_STRESS = (
    ("Random, rms", "random", 0.05),
    ("Bounded", "bounded", 0.4),
    ("Sine, amplitude", "sine", 0.3),
    ("Duty cycle", "duty", 0.3),
)
"""Kinds of jitter, and how far their sliders go, UI."""


def _taps(typed: str) -> tuple[float, ...]:
    plain = typed.strip().lower()
    if plain in ("", "none"):
        return ()
    try:
        return tuple(float(word.replace("\u2212", "-")) for word in plain.replace(",", " ").split())
    except ValueError:
        raise InputError(
            f"{typed[:30]!r} is no list of taps", remedy="As in -0.05 0.8 -0.15; none for none."
        ) from None


def _main(taps: tuple[float, ...]) -> int:
    return max(range(len(taps)), key=lambda k: abs(taps[k])) if taps else 0


def _list(typed: str, dimension: str, unit: str) -> tuple[Quantity, ...]:
    plain = typed.strip().lower()
    if plain in ("", "none"):
        return ()
    return tuple(
        parse_quantity(part if any(c.isalpha() for c in part) else f"{part} {unit}", dimension)
        for part in (p.strip() for p in typed.split(","))
        if part
    )


class EndFields(QWidget):
    """Equalisers and stress of the link in view."""

    def __init__(
        self,
        look: Look,
        document: Document,
        editor: Editor,
        subject: Subject,
        link: Callable[[], Link | None],
        again: Callable[[], None],
    ) -> None:
        super().__init__()
        ends: tuple[End, ...] = ("sender", "listener")
        self.models = {end: ModelFields(look, end, editor, subject, link, again) for end in ends}
        self._editor, self._link = editor, link
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        layout.addWidget(Heading("Transmitter"))
        self.choices = Choices(look)
        layout.addWidget(self.choices)
        self.taps = self._field(layout, "Taps", self._put_taps, "-0.05 0.8 -0.15")
        layout.addWidget(self.models["sender"])
        layout.addWidget(Heading("Stress"))
        self.stress = Form(look, document)
        layout.addWidget(self.stress)
        layout.addWidget(Heading("Receiver"))
        self.gains = self._field(layout, "Gains, dB", self._put_gains, "0, -2, -4, -6")
        self.zero = self._field(layout, "Zero", self._put_zero, "4 GHz")
        self.poles = self._field(layout, "Poles", self._put_poles, "4 GHz, 16 GHz")
        self.receive = self._field(layout, "Taps", self._put_receive, "none")
        self.decisions = self._field(layout, "Feedback taps", self._put_decisions, "0")
        self.limit = self._field(layout, "Feedback limit", self._put_limit, "50 %")
        layout.addWidget(self.models["listener"])
        self.rate = self._field(layout, "Error rate", self._put_rate, "1e-12")

    def _field(
        self, layout: QVBoxLayout, title: str, put: Callable[[str], None], like: str
    ) -> TextField:
        field = TextField(title, put, width=140)
        field.edit.setPlaceholderText(like)
        field.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        layout.addWidget(field)
        return field

    @property
    def _present(self) -> Link:
        link = self._link()
        assert link is not None
        return link

    def _set(self, what: str, part: str, **changes: Any) -> None:
        link = self._present
        new = set_value(getattr(link, part), **changes)
        self._editor.put(what, set_value(link, **{part: new}))

    def _put_taps(self, typed: str) -> None:
        taps = _taps(typed)
        self._set("Change transmit taps", "sender", taps=taps, main=_main(taps), setting="given")

    def _put_receive(self, typed: str) -> None:
        taps = _taps(typed)
        self._set("Change receive taps", "listener", taps=taps, main=_main(taps))

    def _put_gains(self, typed: str) -> None:
        gains = _list(typed, "loss", "dB")
        now = self._present.listener
        changes: dict[str, Any] = {"gains": gains, "gain": None}
        if gains and now.zero is None:
            changes |= usual_peaking(self._present.symbols_per_second)
        self._set("Change gains", "listener", **changes)

    def _put_zero(self, typed: str) -> None:
        self._set("Change zero", "listener", zero=parse_quantity(typed, "frequency", "GHz"))

    def _put_poles(self, typed: str) -> None:
        self._set("Change poles", "listener", poles=_list(typed, "frequency", "GHz"))

    def _put_decisions(self, typed: str) -> None:
        if not typed.strip().isdecimal():
            raise InputError(f"{typed[:20]!r} is no number of taps", remedy="From 0 to 64.")
        self._set("Change feedback", "listener", decisions=int(typed))

    def _put_limit(self, typed: str) -> None:
        self._set("Change feedback limit", "listener", limit=parse_quantity(typed, "ratio", "%"))

    def _put_rate(self, typed: str) -> None:
        try:
            rate = float(typed.replace("\u2212", "-"))
        except ValueError:
            raise InputError(f"{typed[:20]!r} is no error rate", remedy="As 1e-12.") from None
        self._editor.put("Change error rate", set_value(self._present, error_rate=rate))

    def show_link(self, link: Link) -> None:
        """Show the fields of a link."""
        for fields in self.models.values():
            fields.show_link(link)
        sender, listener = link.sender, link.listener

        def best(key: str) -> None:
            self._editor.run(lambda: self._set("Choose taps", "sender", setting=key))

        def crosstalk(key: str) -> None:
            new = set_value(self._present, crosstalk=key == "yes")
            self._editor.run(lambda: self._editor.put("Crosstalk", new))

        self.choices.set_specs(
            [
                ChoiceSpec(
                    "Taps are",
                    (("given", "given"), ("best", "the best found")),
                    sender.setting,
                    best,
                ),
                ChoiceSpec(
                    "Other lanes",
                    (("yes", "disturb"), ("no", "are left out")),
                    "yes" if link.crosstalk else "no",
                    crosstalk,
                ),
            ]
        )
        self.taps.show_text(" ".join(f"{t:g}" for t in sender.taps) or "none")
        self.taps.setVisible(sender.setting == "given")
        self.gains.show_text(", ".join(f"{g.si:g}" for g in listener.gains) or "none")
        has_gains = bool(listener.gains) or listener.gain is not None
        for field in (self.zero, self.poles):
            field.setVisible(has_gains)
        self.zero.show_text(listener.zero.text if listener.zero is not None else "")
        self.poles.show_text(", ".join(p.text for p in listener.poles))
        self.receive.show_text(" ".join(f"{t:g}" for t in listener.taps) or "none")
        self.decisions.show_text(str(listener.decisions))
        self.limit.show_text(listener.limit.text)
        self.limit.setVisible(listener.decisions > 0)
        self.rate.show_text(f"{link.error_rate:g}")
        self.stress.set_specs([self._jitter(*kind) for kind in _STRESS] + self._more(link))

    def _jitter(self, title: str, key: str, most: float) -> FieldSpec:
        return FieldSpec(
            title,
            "unit interval",
            lambda: getattr(self._present.sender, key),
            lambda q: self._set("Change jitter", "sender", **{key: q}),
            (0.0, most, 0.002),
        )

    def _more(self, link: Link) -> list[FieldSpec]:
        noise = FieldSpec(
            "Noise, rms",
            "voltage",
            lambda: self._present.listener.noise,
            lambda q: self._set("Change noise", "listener", noise=q),
            (0.0, 0.02, 2e-4),
        )
        if link.modulation == "nrz":
            return [noise]
        levels = FieldSpec(
            "Level mismatch",
            "ratio",
            lambda: self._present.mismatch,
            self._put_mismatch,
            (0.7, 1.0, 0.01),
        )
        return [noise, levels]

    def _put_mismatch(self, q: Quantity) -> None:
        self._editor.put("Change levels", set_value(self._present, mismatch=q))
