"""The receiver of a link: peaking, taps, feedback, clock, and what its sampler adds."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QPushButton

from onda.app.document import Document
from onda.app.kit.editor import Editor
from onda.app.kit.subject import Subject
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.eyes.model_fields import ModelFields
from onda.app.stages.eyes.part_fields import PartFields
from onda.app.stages.eyes.typed import main_of, read_list, read_taps, read_whole, taps_words
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.links.equalisers import usual_peaking
from onda.project.links.link import Link
from onda.project.quantities import parse_quantity

__all__ = ["ListenerFields"]

_CLOCKS = (("ideal", "ideal"), ("first", "first order"), ("second", "second order"))
_USUAL_LOOP = 2500.0
"""The symbol rate over the bandwidth of a loop, to begin with."""


class ListenerFields(PartFields):
    """Fields of the receiver; `ask_response` asks for a measured peaking."""

    def __init__(
        self,
        look: Look,
        document: Document,
        editor: Editor,
        subject: Subject,
        link: Callable[[], Link | None],
        again: Callable[[], None],
        ask_response: Callable[[], None],
    ) -> None:
        super().__init__(editor, link, 3)
        self._ask_response = ask_response
        self.peaking = Choices(look)
        self.place(0, self.peaking)
        self.gains = self.field(0, "Gains, dB", self._put_gains, "0, -2, -4, -6")
        self.zero = self.field(
            0, "Zero", self.putting("Change zero", "listener", "zero", "frequency", "GHz"), "4 GHz"
        )
        self.poles = self.field(0, "Poles", self._put_poles, "4 GHz, 16 GHz")
        self.setting = self.field(0, "Setting", self._put_setting, "best")
        self.other = QPushButton("Another file…")
        self.other.clicked.connect(lambda: self._ask_response())
        self.place(0, self.other)
        self.receive = self.field(1, "Taps", self._put_receive, "none")
        self.decisions = self.field(1, "Feedback taps", self._put_decisions, "0")
        self.limit = self.field(
            1,
            "Feedback limit",
            self.putting("Change feedback limit", "listener", "limit", "ratio", "%"),
            "50 %",
        )
        self.gain_to = self.field(1, "Gain control to", self._put_gain_to, "none")
        self.stress = Form(look, document)
        self.place(1, self.stress)
        self.clock = Choices(look)
        self.place(2, self.clock)
        self.bandwidth = self.field(
            2,
            "Clock follows to",
            self.putting("Change clock", "listener", "clock_bandwidth", "frequency", "MHz"),
            "10 MHz",
        )
        self.damping = self.field(2, "Clock damping", self._put_damping, "1")
        self.offset = self.field(
            2,
            "Offset",
            self.putting("Change offset", "listener", "offset", "voltage", "mV"),
            "0 mV",
        )
        self.sensitivity = self.field(
            2,
            "Sensitivity",
            self.putting("Change sensitivity", "listener", "sensitivity", "voltage", "mV"),
            "0 mV",
        )
        self.capacitance = self.field(
            2,
            "Die and package",
            self.putting("Change capacitance", "listener", "capacitance", "capacitance", "fF"),
            "0 fF",
        )
        self.model = ModelFields(look, "listener", editor, subject, link, again)
        self.place(2, self.model)
        self.fill_up()

    def _put_receive(self, typed: str) -> None:
        taps = read_taps(typed)
        self.change("Change receive taps", "listener", taps=taps, main=main_of(taps))

    def _put_gains(self, typed: str) -> None:
        gains = read_list(typed, "loss", "dB")
        now = self.present.listener
        changes: dict[str, Any] = {"gains": gains, "gain": None, "response": None}
        if gains and now.zero is None:
            changes |= usual_peaking(self.present.symbols_per_second)
        self.change("Change gains", "listener", **changes)

    def _put_poles(self, typed: str) -> None:
        self.change("Change poles", "listener", poles=read_list(typed, "frequency", "GHz"))

    def _put_setting(self, typed: str) -> None:
        plain = typed.strip().lower()
        number = None
        if plain not in ("", "best"):
            number = read_whole(typed, "setting", "From 1, or best.")
        self.change("Change setting", "listener", response_setting=number)

    def _put_decisions(self, typed: str) -> None:
        count = read_whole(typed, "number of taps", "From 0 to 64.")
        self.change("Change feedback", "listener", decisions=count)

    def _put_damping(self, typed: str) -> None:
        try:
            damping = float(typed)
        except ValueError:
            raise InputError(f"{typed[:20]!r} is no damping", remedy="As 0.7 or 1.") from None
        self.change("Change clock", "listener", clock_damping=damping)

    def _put_gain_to(self, typed: str) -> None:
        plain = typed.strip().lower()
        new = None if plain in ("", "none") else parse_quantity(typed, "voltage", "mV")
        self.change("Change gain control", "listener", gain_to=new)

    def _choose_clock(self, key: str) -> None:
        link = self.present
        changes: dict[str, Any] = {"clock": key}
        if key != "ideal" and link.listener.clock_bandwidth is None:
            usual = f"{link.symbols_per_second / _USUAL_LOOP / 1e6:.3g} MHz"
            changes["clock_bandwidth"] = parse_quantity(usual, "frequency")
        self.try_change("Change clock", "listener", **changes)

    def _choose_peaking(self, key: str) -> None:
        if key == "file":
            self._ask_response()
            self.show_link(self.present)
            return
        gains = read_list("0, -2, -4, -6", "loss", "dB") if key == "poles" else ()
        changes: dict[str, Any] = {"response": None, "gains": gains, "gain": None}
        if gains and self.present.listener.zero is None:
            changes |= usual_peaking(self.present.symbols_per_second)
        self.try_change("Change peaking", "listener", **changes)

    def show_link(self, link: Link) -> None:
        """Show the receiver of a link."""
        listener = link.listener
        self.model.show_link(link)
        has_gains = bool(listener.gains) or listener.gain is not None
        measured = listener.response is not None
        now = "file" if measured else "poles" if has_gains else "none"
        kinds = (("none", "none"), ("poles", "zero and poles"), ("file", "measured\u2026"))
        self.peaking.set_specs([ChoiceSpec("Peaking", kinds, now, self._choose_peaking)])
        self.gains.setVisible(not measured)
        for field in (self.zero, self.poles):
            field.setVisible(has_gains)
        self.setting.setVisible(measured)
        self.other.setVisible(measured)
        number = listener.response_setting
        self.setting.show_text("best" if number is None else str(number))
        shown = listener.gains or ((listener.gain,) if listener.gain is not None else ())
        self.gains.show_text(", ".join(f"{g.si:g}" for g in shown) or "none")
        self.zero.show_text(listener.zero.text if listener.zero is not None else "")
        self.poles.show_text(", ".join(p.text for p in listener.poles))
        self.receive.show_text(taps_words(listener.taps))
        self.decisions.show_text(str(listener.decisions))
        self.limit.show_text(listener.limit.text)
        self.limit.setVisible(listener.decisions > 0)
        self.clock.set_specs([ChoiceSpec("Clock", _CLOCKS, listener.clock, self._choose_clock)])
        self.bandwidth.setVisible(listener.clock != "ideal")
        self.damping.setVisible(listener.clock == "second")
        bandwidth = listener.clock_bandwidth
        self.bandwidth.show_text(bandwidth.text if bandwidth is not None else "")
        self.damping.show_text(f"{listener.clock_damping:g}")
        self.capacitance.setVisible(link.network is not None)
        self.capacitance.show_text(listener.capacitance.text)
        self.gain_to.show_text(listener.gain_to.text if listener.gain_to is not None else "none")
        self.offset.show_text(listener.offset.text)
        self.sensitivity.show_text(listener.sensitivity.text)
        noise = FieldSpec(
            "Noise, rms",
            "voltage",
            lambda: self.present.listener.noise,
            lambda q: self.change("Change noise", "listener", noise=q),
            (0.0, 0.02, 2e-4),
        )
        self.stress.set_specs([noise])
