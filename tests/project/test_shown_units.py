"""Units in which lengths and losses are shown."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from onda.project.quantities import as_shown, format_si, parse_quantity, unit_for
from onda.project.shown_units import METRIC, ShownUnits, choose_units


@pytest.fixture(autouse=True)
def _metric_again() -> Iterator[None]:
    yield
    choose_units(METRIC)


def test_metric_is_as_it_was() -> None:
    assert format_si(108e-6, "length") == "108 µm"
    assert format_si(31.6e-3, "length") == "31.6 mm"
    assert format_si(5.5e-9, "delay per length") == "5.50 ps/mm"
    assert format_si(25.1, "loss per length") == "2.51 dB/100 mm"


@pytest.mark.parametrize(
    ("si", "dimension", "words"),
    [
        (101.6e-6, "length", "4.00 mil"),
        (12.7e-3, "length", "0.500 in"),
        (76.2e-3, "length", "3.00 in"),
        (5.5e-9, "delay per length", "140 ps/in"),
        (25.1, "loss per length", "0.638 dB/in"),
        (50.0, "resistance", "50.0 Ω"),
    ],
)
def test_inches(si: float, dimension: str, words: str) -> None:
    choose_units(ShownUnits(lengths="mil", losses="inch"))
    assert format_si(si, dimension) == words


@pytest.mark.parametrize("units", [METRIC, ShownUnits(lengths="mil", losses="inch")])
def test_the_units_of_axes_are_those_of_the_words(units: ShownUnits) -> None:
    choose_units(units)
    size, name = units.small_length
    assert format_si(90.0 * size, "length") == f"90.0 {name}"
    size, name = units.long_length
    assert format_si(31.6 * size, "length") == f"31.6 {name}"
    size, name = units.delay_length
    assert format_si(140.0 * size, "delay per length") in (f"140 {name}", f"140.0 {name}")
    assert format_si(3.14 / units.loss_length, "loss per length") == f"3.14 {units.loss_unit}"


@pytest.mark.parametrize(
    ("losses", "words"), [("100 mm", "2.51 dB/100 mm"), ("inch", "0.638 dB/in"), ("m", "25.1 dB/m")]
)
def test_losses(losses, words: str) -> None:
    choose_units(ShownUnits(losses=losses))
    assert format_si(25.1, "loss per length") == words
    number, unit = words.split(" ", 1)
    assert parse_quantity(words, "loss per length").si == pytest.approx(25.1, rel=2e-3)
    assert choose_units(ShownUnits(losses=losses)) is None
    factor = ShownUnits(losses=losses).loss_length
    assert float(number) == pytest.approx(25.1 * factor, rel=2e-3)
    assert unit == ShownUnits(losses=losses).loss_unit


def test_what_was_typed_stays_as_typed_where_it_is_of_the_chosen_kind() -> None:
    width, weight = (parse_quantity(t, "length") for t in ("5.5 mil", "1 oz"))
    metric = parse_quantity("124 um", "length")
    assert as_shown(metric, "length") == "124 µm"
    assert as_shown(width, "length") == "139.7 µm"
    assert as_shown(weight, "length") == "1 oz"
    choose_units(ShownUnits(lengths="mil"))
    assert as_shown(metric, "length") == "4.882 mil"
    assert as_shown(width, "length") == "5.5 mil"
    assert as_shown(weight, "length") == "1 oz"
    assert as_shown(parse_quantity("350 ps", "time"), "time") == "350 ps"
    # What is shown can be typed again.
    again = parse_quantity(as_shown(metric, "length"), "length")
    assert again.si == pytest.approx(metric.si, rel=2e-4)
    assert unit_for("length", 1e-4) == "mil"
