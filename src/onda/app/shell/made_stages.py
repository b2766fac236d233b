"""Stages by id, each made when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from onda.app.kit.stage import Stage

__all__ = ["MadeStages"]


class MadeStages(Mapping[str, Stage]):
    """Stages by id; `make` makes one, None where it is not built yet."""

    def __init__(self, make: Callable[[str], Stage | None]) -> None:
        self._make = make
        self._made: dict[str, Stage] = {}

    def __getitem__(self, identifier: str) -> Stage:
        if identifier not in self._made:
            stage = self._make(identifier)
            if stage is None:
                raise KeyError(identifier)
            self._made[identifier] = stage
        return self._made[identifier]

    def __iter__(self) -> Iterator[str]:
        return iter(self._made)

    def __len__(self) -> int:
        return len(self._made)
