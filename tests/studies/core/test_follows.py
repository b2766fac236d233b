"""Every field of a design, edited: the margins that follow from it are computed anew, no others.

An edit reaches the keys of studies in two ways: through the slice that a study is given, and
through the book, which takes a need as known while the parts that it follows from are the same.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from contextlib import suppress
from functools import partial
from itertools import islice
from typing import Any, get_args

import pytest

from onda.errors import InputError
from onda.project.base import Frozen, set_value
from onda.project.model import Design, Project
from onda.project.quantities import Quantity
from onda.project.requirements import Requirement
from onda.studies.core.judge import Book, judge_of
from onda.studies.core.keys import key_of
from onda.studies.coupling.waves import waves_inputs
from onda.studies.networks.inputs import network_inputs

Place = tuple[str | int, ...]
"""Fields and places in lists, from the design down."""
MOST = 2
"""Places of one field that are edited until something follows from one."""
NOTHING = ("1 mm", "10 ps", "40 ohm", "1 pF", "0.5 V", "1 GHz", "1 dB", "0.1 UI", "1 Gb/s", 2, 0.5)
"""What an empty field is tried with."""

WORDS = frozenset(("name", "note", "source", "net", "use", "glass", "resin"))
"""Fields of any part that only say something."""
ON_DEMAND = frozenset(
    (
        # Asked by studies that no requirement is judged by: yield, fabrication, price, sheet
        # lines, shielded sections, heat, sweeps of tolerances.
        *("Spread", "Fabrication", "EtchLimit", "PriceStep", "SheetLine", "ShieldedSection"),
        *("ViaSpan", "Material.df_per_kelvin", "Material.dk_per_kelvin"),
        "Material.thermal_conductivity", "Path.line_tolerance", "Stackup.total",
        "Stackup.total_tolerance",
        # Of the build's drawing: what the thickness of a layer is made of.
        *("CopperLayer.cover", "CopperLayer.foil", "CopperLayer.plating"),
        *("DielectricLayer.build", "DielectricLayer.laid"),
        *("Zone.id", "Zone.kind", "Zone.bend_radius", "Zone.bends"),
        # What is aimed at is held by requirements.
        "LineClass.target",
    )
)  # fmt: skip
"""Parts, or fields of them, that no margin follows from."""
ELSEWHERE = frozenset(
    (
        # Set free by something that no object of Fulmar has: a line that faces another one, a hole
        # drilled open, a lane of a group, taps given by hand, a response, a clock of second order;
        # of the first devices with sheets none hears strobe and clock.
        *("TraceOnLayer.shift", "TraceOnLayer.opening_shift", "DrilledVia.rest", "Link.group_lane"),
        *("Sender.main", "Listener.main", "Listener.response_setting"),
        *("Listener.clock_bandwidth", "Listener.clock_damping", "LaneGroup.corner"),
        *("HalfSource.side", "TimingSheet.to_clock"),
    )
)
"""Fields that count where another one says so."""


def typed(value: Quantity, share: float) -> Quantity:
    number = float(value.text.removesuffix(value.unit))
    return Quantity(f"{number * share:.8g} {value.unit}", value.si * share)


def others(part: Frozen, name: str) -> Iterator[Any]:
    """Other values that a field may have, the nearest first."""
    value = getattr(part, name)
    annotation = type(part).model_fields[name].annotation
    words = [c for a in (annotation, *get_args(annotation)) for c in get_args(a)]
    words = [c for c in words if isinstance(c, str) and c != value]
    if words:
        yield from words
    elif value is None:
        yield from NOTHING
    elif isinstance(value, Quantity) and value.si:
        yield from (typed(value, share) for share in (1.01, 0.99, 1.3, 0.7))
    elif isinstance(value, Quantity):
        yield from (f"{number} {value.unit}" for number in ("0.01", "1", "-0.01"))
    elif isinstance(value, bool):
        yield not value
    elif isinstance(value, float):
        yield from (value * 1.01, value * 0.99, value + 0.5, value / 2)
    elif isinstance(value, int):
        yield from (value + 1, value - 1, value * 2)
    elif isinstance(value, tuple):
        yield from (value[:-1], value[::-1], value[1:])
    elif isinstance(value, str):
        yield value + "x"


def leaves(part: Any, place: Place = ()) -> Iterator[tuple[str, Place]]:
    """`Type.field` and where it is, for every plain value below a part."""
    for name in type(part).model_fields:
        value = getattr(part, name)
        here = (*place, name)
        if isinstance(value, Frozen):
            yield from leaves(value, here)
        elif isinstance(value, tuple) and value and isinstance(value[0], Frozen):
            for k, item in enumerate(value):
                yield from leaves(item, (*here, k))
        elif len(here) != 3 or name != "id":
            # Objects themselves are renamed by an edit that keeps what refers to them.
            yield f"{type(part).__name__}.{name}", here


def changed(part: Any, place: Place, value: Any) -> Any:
    """A part with another value at a place, everything else shared."""
    if not place:
        return value
    step, *rest = place
    if isinstance(step, int):
        return (*part[:step], changed(part[step], tuple(rest), value), *part[step + 1 :])
    return set_value(part, **{step: changed(getattr(part, step), tuple(rest), value)})


def value_at(part: Any, place: Place) -> Any:
    for step in place:
        part = part[step] if isinstance(step, int) else getattr(part, step)
    return part


def is_number(design: Design, place: Place) -> bool:
    return isinstance(value_at(design, place), Quantity | float | int)


def edits(design: Design, place: Place) -> Iterator[Design]:
    """Designs with another value at a place, as far as they hold together."""
    part = value_at(design, place[:-1])
    for value in others(part, str(place[-1])):
        if value == getattr(part, str(place[-1])):
            continue
        try:
            yield changed(design, place, value)
        except InputError:
            continue


def keys(book: Book, design: Design, requirements: list[Requirement]) -> list[str]:
    """What each requirement is judged by."""
    found = [book.look(design, r) for r in requirements]
    return [f.key or f.problem for f in found]


@pytest.fixture(scope="module")
def board(project: Project) -> tuple[Design, list[Requirement]]:
    """Fulmar with a smaller bus, and one requirement for each study of an object."""
    bus = project.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ0", "CK", "A0"))
    small = set_value(bus, signals=keep, corners=("typ",))
    design = set_value(project.design, buses=(small, project.design.bus("byte1")))
    studies = {
        (r.ref, r.layer, judge_of(r.kind).answer(r).study.name): r for r in project.requirements
    }
    return design, list(studies.values())


def fields(design: Design) -> dict[str, list[Place]]:
    """Places of every field, spread over the objects that have it."""
    out = defaultdict(list)
    for name, place in leaves(design):
        out[name].append(place)
    return {name: some[:: max(len(some) // MOST, 1)][:MOST] for name, some in out.items()}


@pytest.mark.parametrize("part", range(4))
def test_a_margin_follows_from_every_field_that_can_move_it(board, part: int) -> None:
    design, requirements = board
    book = Book()
    before = keys(book, design, requirements)
    ignored, still, moved = [], {}, 0
    for name, places in list(fields(design).items())[part::4]:
        tried = {place: edited for place in places for edited in islice(edits(design, place), 1)}
        follow = any(keys(book, edited, requirements) != before for edited in tried.values())
        if not follow:
            still[name] = tried
        moved += follow
        kind, _, field = name.partition(".")
        if tried and not follow and not ({field} & WORDS or {kind, name} & (ON_DEMAND | ELSEWHERE)):
            ignored.append(name)
    assert stale(still, design, requirements, before) == []
    assert ignored == []
    assert moved > 30


def stale(
    still: dict[str, dict[Place, Design]],
    design: Design,
    requirements: list[Requirement],
    before: list[str],
) -> list[str]:
    """Fields that a book which knows nothing finds something to follow from."""
    together = design
    for tried in still.values():
        for place, edited in tried.items():
            with suppress(InputError):
                together = changed(together, place, value_at(edited, place))
    # All of them at once; one by one where that is not enough to say that there are none.
    if keys(Book(), together, requirements) == before:
        return []
    return [
        name
        for name, tried in still.items()
        if any(keys(Book(), edited, requirements) != before for edited in tried.values())
    ]


# Which requirements an edit moves: those that stand on the edited object, and no others.
@pytest.mark.parametrize(
    ("place", "stands_on_it"),
    [
        ("materials", {"line", "path", "link", "network", "group", "bus"}),
        ("line_classes", {"line", "path", "link", "network", "group", "bus"}),
        ("paths", {"path", "link", "bus"}),
        ("links", {"link"}),
        ("networks", {"network", "link"}),
        ("groups", {"group", "link"}),
        ("buses", {"bus"}),
        ("shielded", set()),
        ("sheet_lines", set()),
    ],
)
def test_an_edit_moves_what_stands_on_it_and_nothing_else(board, place, stands_on_it) -> None:
    design, requirements = board
    book = Book()
    before = keys(book, design, requirements)
    moved = set()
    for number in range(len(getattr(design, place))):
        # A few numbers of each object.
        own = [at for _, at in leaves(design) if at[:2] == (place, number)]
        for where in [at for at in own if is_number(design, at)][:6]:
            for edited in islice(edits(design, where), 1):
                after = keys(book, edited, requirements)
                moved |= {
                    r.kind for r, a, b in zip(requirements, before, after, strict=True) if a != b
                }
    assert moved == stands_on_it


def test_an_edit_of_a_path_moves_that_path_alone(board) -> None:
    design, requirements = board
    before = keys(Book(), design, requirements)
    path = next(k for k, p in enumerate(design.paths) if p.id == "clk-adc")
    (edited, *_) = edits(design, ("paths", path, "driver", "resistance"))
    after = keys(Book(), edited, requirements)
    moved = {r.subject for r, a, b in zip(requirements, before, after, strict=True) if a != b}
    assert moved == {"clk-adc"}


def test_fields_that_count_where_another_says_so(project: Project) -> None:
    design = project.design
    half = design.network("fixture-left")
    other = set_value(half, source=set_value(half.source, side="right"))
    group = design.group("memory-byte")
    use = next(p for p in design.paths if p.driver.model).driver.model
    driven = set_value(group, driver=use)
    waves = partial(waves_inputs, lane=group.lanes[0].id)
    for one, two, slice_of in (
        (half, other, network_inputs),
        (driven, set_value(driven, corner="slow"), waves),
    ):
        keys_of = {key_of("x", slice_of(design, each)) for each in (one, two)}
        assert len(keys_of) == 2
