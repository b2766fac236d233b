"""What a measure is: something that can be read off a result and held against a limit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

__all__ = ["Measure"]


@dataclass(frozen=True, slots=True)
class Measure:
    """One measure.

    Attributes
    ----------
    key : as requirements name it; title : as it is shown
    dimension : of its values, as in `quantities`
    kind : of the objects that have it; study : of that kind's judge, which answers it
    worse : in which direction values get worse ("away" from the middle)
    how : how it is measured, where its reader does not say so itself
    full_scale : what its values cannot pass, None where there is no such end
    curve : has a value at every frequency, so that limits may hold over ranges
    """

    key: str
    title: str
    dimension: str
    kind: str
    study: str
    worse: Literal["larger", "smaller", "away"] = "larger"
    how: str = ""
    full_scale: float | None = None
    curve: bool = False

    def worst_of(self, values: list[float]) -> int:
        """Index of the worst of some values; one that is not there (NaN) is worse than any."""

        def rank(k: int) -> float:
            value = values[k]
            if value != value:
                return float("inf")
            return -value if self.worse == "smaller" else value

        return max(range(len(values)), key=rank)
