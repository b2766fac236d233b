"""What each thing costs a link: its eye without one stress, or one equaliser, at a time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link import LINK, LinkEye

__all__ = ["LINK_COSTS", "Cost", "LinkCosts"]


@dataclass(frozen=True, slots=True)
class Cost:
    """The eye without something: height V, width s; `is_help` where it is an equaliser, whose eye
    is smaller without it."""

    what: str
    height: float
    width: float
    is_help: bool


@dataclass(frozen=True, slots=True)
class LinkCosts:
    """The eye as it is, and without each thing, what costs or earns most width first."""

    height: float
    width: float
    unit_interval: float
    costs: tuple[Cost, ...]


def _without(inputs: LinkInputs, result: LinkEye) -> Iterator[tuple[str, LinkInputs, bool]]:
    jitter = inputs.jitter
    for name, key in (
        ("random jitter", "random"),
        ("bounded jitter", "dual_dirac"),
        ("sine of jitter", "sine"),
        ("duty cycle", "duty"),
    ):
        if getattr(jitter, key) > 0.0:
            yield name, replace(inputs, jitter=replace(jitter, **{key: 0.0})), False
    if inputs.noise > 0.0:
        yield "noise", replace(inputs, noise=0.0), False
    if result.crosstalk > 0.0:
        yield "crosstalk", replace(inputs, channel=replace(inputs.channel, crosstalk=False)), False
    chain = result.chain
    for name, less in (
        ("decision feedback", chain.without_decisions),
        ("peaking", chain.without_continuous),
        ("transmit taps", replace(chain, taps=(1.0,), main=0)),
        ("receive taps", replace(chain, receive_taps=(1.0,), receive_main=0)),
    ):
        if less != chain:
            fixed = replace(inputs.equalisers, chain=less, gains=(), find_taps=False)
            yield name, replace(inputs, equalisers=fixed), True


def _run(inputs: LinkInputs, control: Control) -> LinkCosts:
    one = replace(inputs, compare=False)
    result = LINK.run(one, Control())
    # Settings stay as they were found: what is asked is what they do, not what else there is.
    held = replace(
        one,
        equalisers=replace(one.equalisers, chain=result.chain, gains=(), find_taps=False),
    )
    changes = list(_without(held, result))
    out = []
    for k, (name, changed, is_help) in enumerate(changes, 1):
        try:
            found = LINK.run(changed, Control())
            height, width = found.eye.height, found.eye.width
        except InputError:
            # Nothing is left without it.
            height, width = 0.0, 0.0
        out.append(Cost(name, height, width, is_help))
        control.progress(k / (len(changes) + 1))
    out.sort(key=lambda c: -abs(c.width - result.eye.width))
    return LinkCosts(result.eye.height, result.eye.width, result.unit_interval, tuple(out))


LINK_COSTS: Study[LinkInputs, LinkCosts] = Study(
    "link_costs", _run, LinkCosts, title="What costs most"
)
