"""Operating margin of a lane of a network: its channel and the other lanes by the sheet's rules."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.operating_margin import ChannelMargin, MarginTerms, channel_margin
from onda.engine.networks.sampling import even_grid
from onda.errors import InputError, OndaError
from onda.project.links.link import Link
from onda.project.model import Design
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import NetworkInputs, network_inputs
from onda.studies.networks.time import mode_matrix

__all__ = [
    "OPERATING_MARGIN",
    "ChannelMargin",
    "MarginInputs",
    "MarginTerms",
    "link_terms",
    "margin_inputs",
    "terms_of",
    "usual_terms",
]

ComplexArray = NDArray[np.complex128]
_STEP = 10e6
_MOST_POINTS = 20_000


@dataclass(frozen=True, slots=True)
class MarginInputs:
    """A lane (from 0) of a network of pairs, the sheet, and lanes that send the other way."""

    network: NetworkInputs
    lane: int
    terms: MarginTerms
    near: tuple[int, ...] = ()


def usual_terms(link: Link) -> MarginTerms:
    """The usual sheet at the link's symbol rate and levels."""
    baud = link.symbols_per_second
    return MarginTerms(
        baud=baud,
        receiver=0.75 * baud,
        zero=0.25 * baud,
        poles=(0.25 * baud, baud),
        levels=len(link.levels),
        level_ratio=link.mismatch.si,
        error_ratio=1e-5 if len(link.levels) == 2 else 1e-4,
    )


def link_terms(link: Link) -> MarginTerms:
    """The sheet of a link: the usual one but for what it says itself.

    Raises
    ------
    InputError : a name that there is not, or a value that cannot be
    """
    sheet = {e.id: list(e.values) if len(e.values) > 1 else e.values[0] for e in link.sheet}
    return terms_of(sheet, usual_terms(link), f"sheet of {link.name}")


def terms_of(sheet: object, usual: MarginTerms, file: str) -> MarginTerms:
    """Terms with what a sheet (names and values, SI and dB) says instead.

    Raises
    ------
    InputError : a name that there is not, or a value of another kind
    """
    if not isinstance(sheet, dict):
        raise InputError("is no sheet of names and values", file=file)
    known = {f.name: getattr(usual, f.name) for f in fields(usual)}
    changes: dict[str, Any] = {}
    for name, value in sheet.items():
        if name not in known:
            raise InputError(
                f"there is no parameter {name!r}", file=file, remedy=f"One of {', '.join(known)}."
            )
        if isinstance(known[name], tuple):
            values = value if isinstance(value, list) else [value]
            changes[name] = tuple(_number(name, v, file) for v in values)
        elif isinstance(known[name], int):
            changes[name] = round(_number(name, value, file))
        else:
            changes[name] = _number(name, value, file)
    try:
        return replace(usual, **changes)
    except OndaError as error:
        raise InputError(str(error), file=file) from error


def _number(name: str, value: object, file: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise InputError(f"{name}: {value!r} is no number", file=file)
    return float(value)


def margin_inputs(design: Design, link: Link, terms: MarginTerms | None = None) -> MarginInputs:
    """Slice for the operating margin of a link; by its own sheet where none is given.

    Raises
    ------
    InputError : it does not run over a network of pairs
    """
    if link.network is None:
        raise InputError(
            f"{link.name} does not run over a network",
            remedy="The operating margin is that of S-parameters: run the link over a network.",
        )
    network = network_inputs(design, design.network(link.network))
    if not network.pair:
        raise InputError(f"{network.name} is no network of pairs")
    near = tuple(k - 1 for k in link.near)
    return MarginInputs(network, link.lane - 1, terms or link_terms(link), near)


def _run(inputs: MarginInputs, control: Control) -> ChannelMargin:
    built = build_network(inputs.network)
    matrix = mode_matrix(built.s, True)["diff"]
    lanes = matrix.shape[-1] // 2
    for lane in (inputs.lane, *inputs.near):
        if not 0 <= lane < lanes:
            raise InputError(
                f"{inputs.network.name} has no lane {lane + 1}", remedy=f"It has {lanes}."
            )
    top = min(float(built.frequency[-1]), 2.0 * inputs.terms.baud)
    step = max(_STEP, top / _MOST_POINTS)
    control.progress(0.2)

    def two_port(sends: int) -> tuple[NDArray[np.float64], ComplexArray]:
        ports = [sends, lanes + inputs.lane]
        s = matrix[np.ix_(range(len(matrix)), ports, ports)]
        even = even_grid(built.frequency, s, step=step, top=top)
        return even.frequency, even.s

    frequency, through = two_port(inputs.lane)
    others = [k for k in range(lanes) if k != inputs.lane]
    far = [two_port(k)[1] for k in others if k not in inputs.near]
    near = [two_port(lanes + k)[1] for k in others if k in inputs.near]
    control.progress(0.4)
    return channel_margin(frequency, through, far, near, inputs.terms)


OPERATING_MARGIN: Study[MarginInputs, ChannelMargin] = Study(
    "operating_margin", _run, ChannelMargin, title="Operating margin"
)
