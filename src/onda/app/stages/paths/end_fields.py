"""What can be typed and chosen for the driver, a receiver, and what is sent."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from onda.app.kit.device_shelf import DeviceShelf
from onda.app.shell.choices import ChoiceSpec
from onda.app.shell.form import FieldSpec
from onda.app.stages.paths.look import Put
from onda.app.stages.paths.termination import termination_choice, termination_fields
from onda.project.base import set_value
from onda.project.model import Design
from onda.project.paths.edits import set_model, set_receiver
from onda.project.paths.ends import ModelUse
from onda.project.paths.path import Path
from onda.project.quantities import Quantity, parse_quantity
from onda.studies.devices.device_file import DeviceSummary, PinBrief

__all__ = ["EndHand", "driver_choices", "driver_fields", "receiver_choices", "receiver_fields"]

_NONE = "-"
_SENT = {
    "edge": "one edge",
    "pulse": "a pulse",
    "clock": "a clock",
    "bits": "typed bits",
    "pattern": "a pattern",
}
_CORNERS = (("typ", "typical"), ("slow", "slow, weak"), ("fast", "fast, strong"))
_DRIVER: tuple[tuple[str, str, str, tuple[float, float, float] | None], ...] = (
    ("Resistance", "resistance", "resistance", (1.0, 150.0, 0.5)),
    ("Edge, 0–100 %", "time", "edge", (10e-12, 3e-9, 10e-12)),
    ("High", "voltage", "high", None),
    ("Low", "voltage", "low", None),
    ("Capacitance", "capacitance", "capacitance", (0.0, 10e-12, 1e-13)),
)
_STIMULUS = (
    ("Frequency", "frequency", "frequency"),
    ("Duty", "ratio", "duty"),
    ("Rate", "data rate", "rate"),
    ("Width", "time", "width"),
    ("Jitter", "time", "jitter"),
    ("Look at", "time", "window"),
)


def _models(
    path: Path, end: str, use: ModelUse | None, hand: EndHand, *, drives: bool
) -> list[ChoiceSpec]:
    """File, pin and model of a device."""
    files = (
        (_NONE, "linear values"),
        *((f.id, f.path.rsplit("/", 1)[-1]) for f in hand.design.device_files),
    )

    def choose_file(key: str) -> None:
        if key == _NONE:
            hand.put("Linear device", set_model(path, end, None))
        else:
            hand.use_file(key, end)

    out = [ChoiceSpec("Model file", files, use.file if use else _NONE, choose_file)]
    file = hand.shelf.summary(use.file) if use is not None else None
    if use is None or file is None:
        return out

    def change(**values: Any) -> None:
        hand.put("Choose model", set_model(path, end, set_value(use, **values)))

    pins = {f"{p.component}|{p.pin}": p for p in file.pins}
    offered = [(_NONE, "no package"), *((k, f"{p.pin} {p.signal}") for k, p in pins.items())]

    def choose_pin(key: str) -> None:
        if key == _NONE:
            change(component="", pin="")
            return
        pin = pins[key]
        names = [name for name, _ in pin.choices]
        model = use.model if use.model in names else names[0]
        change(component=pin.component, pin=pin.pin, model=model)

    now = f"{use.component}|{use.pin}" if use.pin else _NONE
    out.append(ChoiceSpec("Pin", tuple(offered), now, choose_pin))
    names = _fitting(file, use, pins.get(now), drives)
    out.append(ChoiceSpec("Model", tuple(names), use.model, lambda k: change(model=k)))
    return out


def _fitting(
    file: DeviceSummary, use: ModelUse, pin: PinBrief | None, drives: bool
) -> list[tuple[str, str]]:
    """Models of a pin, or all that can do what is wanted; the present one stays in the list."""
    if use.pin:
        named = list(pin.choices) if pin is not None else []
    else:
        named = [(m.name, "") for m in file.models if m.drives or not drives]
    if use.model not in [name for name, _ in named]:
        named.append((use.model, ""))
    return [(name, f"{name} · {note}" if note else name) for name, note in named]


@dataclass(frozen=True)
class EndHand:
    """What the lists of an end need: the design, the files, and how the path is changed.

    `use_file(file, end)` reads a file in the background and uses its first fitting model.
    """

    design: Design
    shelf: DeviceShelf
    put: Put
    use_file: Callable[[str, str], None]
    z: float = 50.0


def driver_choices(path: Path, hand: EndHand) -> list[ChoiceSpec]:
    """Lists of the driver."""
    put = hand.put

    def stand(key: str) -> None:
        put("Swap driver", set_value(path, driver=set_value(path.driver, stands_in=key)))

    def send(kind: str) -> None:
        values: dict[str, Any] = {"kind": kind}
        old = path.stimulus
        if kind == "clock" and old.frequency is None:
            values["frequency"] = parse_quantity("100 MHz", "frequency")
        if kind in ("bits", "pattern") and old.rate is None:
            values["rate"] = parse_quantity("200 Mb/s", "data rate")
        if kind == "bits" and not old.bits:
            values["bits"] = "0110100"
        if kind == "pulse" and old.width is None:
            values["width"] = parse_quantity("2 ns", "time")
        put(f"Send {_SENT[kind]}", set_value(path, stimulus=set_value(old, **values)))

    stands: tuple[tuple[str, str], ...] = (
        ("device", "as it is"),
        ("linear", "linear values"),
        ("ideal", "ideal source"),
    )
    out = _models(path, "driver", path.driver.model, hand, drives=True)
    if path.driver.model is None:
        stands = (("device", "as it is"), ("ideal", "ideal source"))
    now = path.driver.stands_in
    if path.driver.model is None and now == "linear":
        now = "device"
    out.append(ChoiceSpec("Run it", stands, now, stand))
    uses_models = bool(path.models)
    if uses_models:
        out.append(
            ChoiceSpec(
                "Corner", _CORNERS, path.corner, lambda k: put("Corner", set_value(path, corner=k))
            )
        )
    out.append(ChoiceSpec("Sends", tuple(_SENT.items()), path.stimulus.kind, send))
    ends = (("", path.driver.name), *((k, r.name) for k, r in path.receivers.items()))
    if len(ends) > 2 or path.driving:
        out.append(
            ChoiceSpec(
                "Who drives", ends, path.driving, lambda k: put("Drive", set_value(path, driving=k))
            )
        )
    return out


def driver_fields(path: Callable[[], Path], put: Put) -> list[FieldSpec]:
    """Fields of the driver and of what it sends."""

    def part(
        which: str, title: str, dimension: str, key: str, trim: tuple[float, float, float] | None
    ) -> FieldSpec:
        def change(q: Quantity) -> None:
            new = set_value(getattr(path(), which), **{key: q})
            put(f"Change {which} {key}", set_value(path(), **{which: new}))

        return FieldSpec(
            title, dimension, lambda: getattr(getattr(path(), which), key), change, trim
        )

    now = path()
    by_model = now.driver.model is not None and now.driver.stands_in == "device"
    linear = [] if by_model else [part("driver", *row) for row in _DRIVER]
    used = {
        "clock": ("frequency", "duty", "jitter", "window"),
        "bits": ("rate", "jitter", "window"),
        "pattern": ("rate", "jitter", "window"),
        "pulse": ("width", "window"),
        "edge": ("window",),
    }[now.stimulus.kind]
    sent = [
        part("stimulus", title, dimension, key, None)
        for title, dimension, key in _STIMULUS
        if key in used
    ]
    return [*linear, *sent]


def receiver_choices(path: Path, where: str, hand: EndHand) -> list[ChoiceSpec]:
    """Lists of a receiver."""
    receiver, put = path.receivers[where], hand.put

    def stand(key: str) -> None:
        put("Swap receiver", set_receiver(path, where, set_value(receiver, stands_in=key)))

    return [
        termination_choice(path, where, put, hand.z),
        *_models(path, where, receiver.model, hand, drives=False),
        ChoiceSpec(
            "Look with",
            (
                ("device", "the device itself"),
                ("capacitance", "its capacitance"),
                ("probe", "a pure probe"),
            ),
            receiver.stands_in,
            stand,
        ),
    ]


def receiver_fields(path: Callable[[], Path], where: str, put: Put) -> list[FieldSpec]:
    """Fields of a receiver; what ends the line is what one came to try, so it stands first."""

    def change(q: Quantity) -> None:
        new = set_value(path().receivers[where], capacitance=q)
        put("Change receiver capacitance", set_receiver(path(), where, new))

    capacitance = FieldSpec(
        "Capacitance",
        "capacitance",
        lambda: path().receivers[where].capacitance,
        change,
        (0.0, 15e-12, 1e-13),
    )
    receiver = path().receivers[where]
    by_model = receiver.model is not None and receiver.stands_in == "device"
    ends = termination_fields(path, where, put)
    return [*ends, *([] if by_model else [capacitance])]
