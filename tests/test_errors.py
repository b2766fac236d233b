"""Messages say what, where, and what to do."""

from __future__ import annotations

import pytest

from onda.errors import Cancelled, InputError, NotConverged, NotPhysical, OndaError, OutOfReach


@pytest.mark.parametrize(
    ("error", "text"),
    [
        (InputError("no unit"), "no unit"),
        (InputError("bad", file="a.onda"), "a.onda: bad"),
        (InputError("bad", file="a.onda", line=3), "a.onda, line 3: bad"),
        (
            InputError("bad", file="a", line=3, column=7, where="x.y"),
            "a, line 3, column 7: x.y: bad",
        ),
        (InputError("bad", remedy="Do this."), "bad. Do this."),
        (NotPhysical("gap", "-1 um", "above 0"), "gap: must be above 0, got -1 um"),
        (NotConverged("fit", reached=0.02, wanted=0.001), "fit: reached 0.02, wanted 0.001"),
        (OutOfReach("too far", nearest=1.0, at=2.0, limit="l"), "too far"),
        (Cancelled(), "run cancelled"),
    ],
)
def test_message(error: OndaError, text: str) -> None:
    assert str(error) == text
    assert isinstance(error, OndaError)


def test_values_are_kept_as_attributes() -> None:
    error = InputError("bad", file="a", line=3, column=7, where="x", remedy="r")
    assert (error.file, error.line, error.column, error.where, error.remedy) == (
        "a",
        3,
        7,
        "x",
        "r",
    )
    assert NotPhysical("gap", 1, "2").quantity == "gap"
    assert NotConverged("f", reached=1.0, wanted=2.0).reached == 1.0
