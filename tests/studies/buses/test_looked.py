"""Which edges of a strobe count, by themselves."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import pytest

from onda.studies.buses import looked
from onda.studies.buses.looked import edges_that_count


def test_edges_count_behind_the_first_bits_and_up_to_the_last_one(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    asked: dict[str, Any] = {}

    def note(strobe: object, step: object, window: object, *, edges: object) -> str:
        asked.update(strobe=strobe, step=step, window=window, edges=edges)
        return "edges"

    monkeypatch.setattr(looked, "strobe_edges", note)
    inputs: Any = SimpleNamespace(
        unit_interval=1e-9, lead=4, strobe_at=0.3e-9, edges="both",
        data=SimpleNamespace(count=20), sheet=SimpleNamespace(strobe=(0.4, 0.6)),
    )  # fmt: skip
    strobe: Any = "strobe"
    assert edges_that_count(inputs, strobe) == "edges"
    assert (asked["strobe"], asked["step"], asked["edges"]) == ("strobe", (0.4, 0.6), "both")
    # Both ends where the strobe is taken: the last bit has no next one to be told from.
    assert asked["window"] == pytest.approx((4.3e-9, 19.3e-9))
