"""The fields of a link: what it runs over, its rate, what is sent in, its mask."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.app.kit.editor import Editor
from onda.app.shell.choices import ChoiceSpec
from onda.app.shell.form import FieldSpec
from onda.app.stages.eyes.typed import read_corners, read_whole
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.kind import Ref
from onda.project.links.equalisers import around_main, three_taps, usual_peaking
from onda.project.links.link import PATTERNS, Corner, EyeMask, Link, SheetEntry
from onda.project.links.model_edits import with_pulse, with_response
from onda.project.links.recipe import channel_of, channels, over
from onda.project.paths.path import Stimulus
from onda.project.quantities import Quantity, parse_quantity, quantity
from onda.studies.links.margin import link_terms

__all__ = ["LinkHand"]

_MASK = (
    ("Mask width", "unit interval", "width"),
    ("Mask flat", "unit interval", "flat"),
    ("Mask height", "voltage", "height"),
)
_OTHER_PULSE = "pulse"
_PULSE = (_OTHER_PULSE, "a pulse from a file\u2026")
_CODES = (("none", "none"), ("8b10b", "8b/10b"), ("64b66b", "64b/66b"))
_TYPED, _USUAL_TYPED = "typed", "10"
_USUAL_MASK = {"width": "0.5 UI", "flat": "0.2 UI", "height": "100 mV"}


class LinkHand:
    """Edits of the link in view; `kept` are the same link in kept states, `show` goes to another
    object."""

    def __init__(
        self,
        editor: Editor,
        link: Callable[[], Link | None],
        kept: Callable[[], list[Any]],
        show: Callable[[Ref], None],
        ask_pulse: Callable[[], None],
    ) -> None:
        self._editor, self._link, self._kept, self._show = editor, link, kept, show
        self._ask_pulse = ask_pulse

    @property
    def _present(self) -> Link:
        link = self._link()
        assert link is not None
        return link

    def set(self, what: str, /, **changes: object) -> None:
        """Change fields of the link."""
        self._editor.put(what, set_value(self._present, **changes))

    def run_over_pulse(self, name: str, sha256: str) -> None:
        """Run over a pulse of a file, which becomes one of the project."""

        def act() -> None:
            project = with_pulse(self._editor.project, self._present, name, sha256)
            self._editor.make("Run over a pulse", project)

        self._editor.run(act)

    def take_setting(self, values: dict[str, float]) -> None:
        """Transmit taps and gain as a map has them."""

        def act() -> None:
            link = self._present
            sender, listener = link.sender, link.listener
            if values.keys() & {"before", "behind"}:
                before, behind = around_main(sender.taps, sender.main)
                taps = three_taps(values.get("before", before), values.get("behind", behind))
                new = tuple(round(x, 4) for x in taps)
                sender = set_value(sender, taps=new, main=1, setting="given")
            if "gain" in values:
                gain = quantity(values["gain"], "loss", "dB", 4)
                none = listener.zero is None or len(listener.poles) < 2
                more = usual_peaking(link.symbols_per_second) if none else {}
                listener = set_value(listener, gain=gain, **more)
            self._editor.put("Take setting", set_value(link, sender=sender, listener=listener))

        self._editor.run(act)

    def set_sheet(self, name: str, values: tuple[float, ...]) -> None:
        """A parameter of the operating margin's sheet; none for the usual value."""
        link = self._present
        rest = tuple(e for e in link.sheet if e.id != name)
        new = (*rest, SheetEntry(id=name, values=values)) if values else rest
        changed = set_value(link, sheet=new)
        # Said where it was typed, not where it is worked out.
        link_terms(changed)
        self._editor.put("Change sheet", changed)

    def rename(self, name: str) -> None:
        """Another name."""
        self.set("Rename link", name=name)

    def set_bits(self, typed: str) -> None:
        """Another number of bits."""
        count = read_whole(typed, "whole number", "From 200 to 20 000 000 bits.")
        self.set("Change bits", bits=count)

    def set_typed(self, typed: str) -> None:
        """Another typed pattern."""
        self.set("Change pattern", typed=typed.strip())

    def set_corners(self, typed: str) -> None:
        """Other corners of the mask."""
        mask = self._present.mask
        if mask is not None:
            self.set("Change mask", mask=set_value(mask, corners=read_corners(typed)))

    def set_error_rate(self, typed: str) -> None:
        """Another error rate."""
        try:
            rate = float(typed.replace("\u2212", "-"))
        except ValueError:
            raise InputError(f"{typed[:20]!r} is no error rate", remedy="As 1e-12.") from None
        self.set("Change error rate", error_rate=rate)

    def run_behind_response(self, name: str, sha256: str) -> None:
        """A measured peaking, a file that becomes one of the project."""

        def act() -> None:
            project = with_response(self._editor.project, self._present, name, sha256)
            self._editor.make("Take a measured peaking", project)

        self._editor.run(act)

    def set_lane(self, typed: str) -> None:
        """Another lane of the network."""
        self.set("Change lane", lane=read_whole(typed, "lane", "Lanes count from 1."))

    def play(self, link: Link, bits: str) -> None:
        """Send bits along the link's path, as its stimulus, and look at it there."""

        def act() -> None:
            design = self._editor.design
            assert link.path is not None
            path = design.path(link.path)
            # Long enough for all of them, and for what comes behind.
            window = quantity((len(bits) + 8) / link.rate.si, "time", "ns", 4)
            stimulus = Stimulus(kind="bits", rate=link.rate, bits=bits[-4096:], window=window)
            self._editor.put("Play the worst pattern", set_value(path, stimulus=stimulus))
            self._show(Ref("path", path.id))

        self._editor.run(act)

    def _run_over(self, channel: str) -> None:
        if channel == _OTHER_PULSE:
            self._ask_pulse()
            return
        self._editor.run(lambda: self.set("Run over another", **over(channel)))

    def _set_pattern(self, order: str) -> None:
        changes: dict[str, Any] = {"typed": _USUAL_TYPED}
        if order != _TYPED:
            changes = {"prbs": int(order), "typed": ""}
        self._editor.run(lambda: self.set("Change pattern", **changes))

    def _set_code(self, code: str) -> None:
        self._editor.run(lambda: self.set("Change code", code=code))

    def _set_modulation(self, key: str) -> None:
        self._editor.run(lambda: self.set("Change levels", modulation=key))

    def _set_sampling(self, where: str) -> None:
        self._editor.run(lambda: self.set("Change sampling", sampling=where))

    def _mask(self, choice: str) -> None:
        def mask() -> EyeMask | None:
            if choice == "none":
                return None
            dimensions = {key: dimension for _, dimension, key in _MASK}
            usual = {key: parse_quantity(t, dimensions[key]) for key, t in _USUAL_MASK.items()}
            now = self._present.mask or EyeMask.model_validate(usual)
            corners: tuple[Corner, ...] = ()
            if choice == "polygon":
                # The hexagon's own corners, to begin with.
                shape = now.shape() or EyeMask.model_validate(usual).shape()
                assert shape is not None
                corners = tuple(
                    Corner(at=round(x, 4), volts=quantity(y, "voltage", "mV", 4))
                    for x, y in shape.corners
                )
            return set_value(now, corners=corners)

        self._editor.run(lambda: self.set("Mask", mask=mask()))

    def channel_choice(self, link: Link) -> ChoiceSpec:
        """What it can run over."""
        every = (*channels(self._editor.design), _PULSE)
        return ChoiceSpec("Over", every, channel_of(link), self._run_over)

    def choices(self, link: Link) -> list[ChoiceSpec]:
        """What is chosen from lists."""
        patterns = (*((str(n), f"PRBS{n}") for n in PATTERNS), (_TYPED, "typed"))
        is_typed = bool(link.typed.strip())
        masks = (("none", "none"), ("hexagon", "hexagon"), ("polygon", "polygon"))
        mask = "none" if link.mask is None else "polygon" if link.mask.corners else "hexagon"
        code = ChoiceSpec("Code", _CODES, link.code, self._set_code)
        return [
            ChoiceSpec(
                "Levels",
                (("nrz", "two"), ("pam4", "four")),
                link.modulation,
                self._set_modulation,
            ),
            ChoiceSpec(
                "Pattern",
                patterns,
                _TYPED if is_typed else str(link.prbs),
                self._set_pattern,
            ),
            *(() if is_typed else (code,)),
            ChoiceSpec(
                "Sampled",
                (
                    ("crossings", "by crossings"),
                    ("tallest", "at the tallest"),
                ),
                link.sampling,
                self._set_sampling,
            ),
            ChoiceSpec("Mask", masks, mask, self._mask),
        ]

    def fields(self, link: Link) -> list[FieldSpec]:
        """What is typed."""
        specs = [
            FieldSpec(
                "Rate",
                "data rate",
                lambda: self._present.rate,
                lambda q: self.set("Change rate", rate=q),
                (0.25 * link.rate.si, 2.0 * link.rate.si, 0.0125 * link.rate.si),
                kept=lambda: [k.rate.si for k in self._kept()],
            )
        ]
        if link.mask is not None and not link.mask.corners:
            specs += [self._mask_field(*field) for field in _MASK]
        return specs

    def _mask_field(self, title: str, dimension: str, key: str) -> FieldSpec:
        def get() -> Quantity | None:
            mask = self._present.mask
            return getattr(mask, key) if mask is not None else None

        def put(q: Quantity) -> None:
            mask = self._present.mask
            if mask is not None:
                self.set("Change mask", mask=set_value(mask, **{key: q}))

        return FieldSpec(title, dimension, get, put, (0.0, 1.0, 0.01))
