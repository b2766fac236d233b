"""Quantities as typed: what is read, what is refused and why."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.errors import InputError
from onda.project import units
from onda.project.quantities import (
    DIMENSIONS,
    format_si,
    parse_quantity,
    plain,
    pretty,
    quantity,
    read_quantity,
    split_si,
    unit_factor,
)


@pytest.mark.parametrize(
    ("text", "dimension", "si"),
    [
        ("4.2mil", "length", 4.2 * 25.4e-6),
        ("4.2 mil", "length", 4.2 * 25.4e-6),
        ("0.107 mm", "length", 107e-6),
        ("107 um", "length", 107e-6),
        ("107 µm", "length", 107e-6),
        ("107 μm", "length", 107e-6),
        ("0.1 in", "length", 2.54e-3),
        ("1.5oz", "length", 1.5 * 34.79e-6),
        ("350ps", "time", 350e-12),
        ("  0.35  ns ", "time", 350e-12),
        ("122.88 MHz", "frequency", 122.88e6),
        ("8.125 GHz", "frequency", 8.125e9),
        ("15 ohm", "resistance", 15.0),
        ("15 Ω", "resistance", 15.0),
        ("15 \u2126", "resistance", 15.0),
        ("15R", "resistance", 15.0),
        ("4.7 kohm", "resistance", 4700.0),
        ("50 mohm", "resistance", 0.05),
        ("3.5 pF", "capacitance", 3.5e-12),
        ("120 fF", "capacitance", 120e-15),
        ("-400 mV", "voltage", -0.4),
        ("+1.8 V", "voltage", 1.8),
        ("16.25 Gb/s", "data rate", 16.25e9),
        ("26.5625 GBd", "data rate", 26.5625e9),
        ("15 %", "ratio", 0.15),
        ("0.3 UI", "unit interval", 0.3),
        ("1e-3 m", "length", 1e-3),
        (".5 mm", "length", 5e-4),
    ],
)
def test_reads_what_engineers_type(text: str, dimension: str, si: float) -> None:
    assert parse_quantity(text, dimension).si == pytest.approx(si, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "dimension", "words"),
    [
        ("", "length", "not a length"),
        ("abc", "length", "not a length"),
        ("4.2", "length", "has no unit.*mil"),
        ("4.2 furlong", "length", "unknown unit 'furlong'.*um, mm, mil"),
        ("4.2 ohm", "length", "unknown unit 'ohm' for a length"),
        ("4,2 mm", "length", "not a length"),
        ("1e400 m", "length", "too large"),
        ("9**9**9 m", "length", "not a length"),
        ("__import__('os') m", "length", "not a length"),
        ("1 mm; 2 mm", "length", "not a length"),
        ("NaN mm", "length", "not a length"),
        ("inf mm", "length", "not a length"),
        ("1" * 60 + " m", "length", "too large.*At most"),
        ("11 m", "length", "too large"),
        ("1" * 90 + " m", "length", "not a length"),
        ("3 mm/s", "length", "unknown unit"),
        ("3 ////", "length", "unknown unit"),
    ],
)
def test_refuses_what_is_none_and_says_what_is_wanted(text, dimension, words) -> None:
    with pytest.raises(InputError, match=words):
        parse_quantity(text, dimension)


def test_a_bare_number_takes_the_unit_that_is_shown() -> None:
    assert parse_quantity("46", "resistance", "Ω").si == 46.0
    assert parse_quantity("46", "length", "mil").text == "46 mil"


@given(st.text(max_size=40), st.sampled_from(sorted(DIMENSIONS)))
def test_any_text_is_read_or_refused(text: str, dimension: str) -> None:
    try:
        got = parse_quantity(text, dimension)
    except InputError:
        return
    assert math.isfinite(got.si)


@given(st.floats(1e-7, 1e-1))
def test_made_quantities_agree_with_their_text(metres: float) -> None:
    made = quantity(metres, "length", "mm")
    assert parse_quantity(made.text, "length") == made
    assert made.si == pytest.approx(metres, rel=1e-3)


@pytest.mark.parametrize(
    ("si", "dimension", "shown"),
    [
        (1.08e-4, "length", "108 µm"),
        (0.0316, "length", "31.6 mm"),
        (4.1e-10, "time", "410 ps"),
        (2.2e-9, "time", "2.20 ns"),
        (122.88e6, "frequency", "123 MHz"),
        (1.8, "voltage", "1.80 V"),
        (0.0123, "voltage", "12.3 mV"),
        (-0.165, "voltage", "−0.165 V"),
        (0.0, "voltage", "0 mV"),
        (0.15, "ratio", "15.0 %"),
        (0.882, "unit interval", "0.882 UI"),
        (3.5e-12, "capacitance", "3.50 pF"),
        (math.nan, "voltage", "– "),
    ],
)
def test_shown_in_the_unit_that_suits(si: float, dimension: str, shown: str) -> None:
    assert format_si(si, dimension) == shown


def test_shown_like_another_value() -> None:
    assert split_si(5e-10, "time", like=2e-9) == ("0.500", "ns")


def test_pretty_uses_the_signs_of_print() -> None:
    assert pretty(parse_quantity("15 ohm", "resistance")) == "15 Ω"
    assert pretty(parse_quantity("102 um", "length")) == "102 µm"
    assert pretty(parse_quantity("4.2 mil", "length")) == "4.2 mil"


def test_every_dimension_shows_a_unit_that_it_reads() -> None:
    for name, info in DIMENSIONS.items():
        assert unit_factor(info.shown, name) > 0
    with pytest.raises(InputError, match="unknown unit"):
        unit_factor("parsec", "length")


@pytest.mark.parametrize(
    "value", [3, None, [], {"si": 1.0}, {"text": 5}, {"text": "1 mm", "si": "x"}]
)
def test_stored_form_of_the_wrong_kind_is_refused(value: object) -> None:
    with pytest.raises(Exception, match=r"not a quantity|SI value"):
        read_quantity(value, "length")


def test_text_and_si_must_agree() -> None:
    with pytest.raises(Exception, match="disagree"):
        read_quantity({"text": "1 mm", "si": 0.002}, "length")
    assert read_quantity({"text": "1 mm", "si": 0.001}, "length").si == 1e-3
    # To nine digits, as it is written.
    with pytest.raises(Exception, match="disagree"):
        read_quantity({"text": "1 mm", "si": 1.00001e-3}, "length")
    assert read_quantity({"text": "1 mm", "si": 1.0000000001e-3}, "length").si == 1e-3


def test_the_usual_units_are_those_of_the_registry(monkeypatch: pytest.MonkeyPatch) -> None:
    """A window opens without the registry; what it would have said is what stands in the table."""
    usual = {d: dict(known) for d, known in units._USUAL.items()}
    monkeypatch.setattr(units, "_USUAL", {d: {} for d in usual})
    for dimension, known in usual.items():
        for unit, factor in known.items():
            assert units.factor_of.__wrapped__(unit, dimension) == factor, (unit, dimension)
    assert set(usual) == set(DIMENSIONS)


@pytest.mark.parametrize("like", [math.nan, math.inf, -math.inf])
def test_what_is_like_nothing_is_shown_in_its_own_unit(like: float) -> None:
    """A kept value beside a present one that is not there."""
    assert split_si(2.5e-9, "time", like=like) == ("2.50", "ns")
    assert split_si(2.5e-9, "time", like=1e-12) == ("2500", "ps")
    assert split_si(math.nan, "time", like=1e-9) == ("–", "")


@pytest.mark.parametrize(
    ("value", "digits", "words"),
    [
        (1000.0, 3, "1000"), (999.6, 3, "1000"), (12346.0, 4, "12350"), (4.7, 3, "4.7"),
        (0.0, 3, "0"), (2e-5, 3, "0.00002"), (1e6, 4, "1000000"), (0.1 + 0.2, 3, "0.3"),
    ],
)  # fmt: skip
def test_plain_numbers_have_no_exponent(value: float, digits: int, words: str) -> None:
    assert plain(value, digits) == words
