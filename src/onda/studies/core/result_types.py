"""Which dataclasses a result can hold, from its type hints: only these are made from a file."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from functools import lru_cache
from typing import Any, get_args, get_type_hints

__all__ = ["types_in"]


@lru_cache(maxsize=256)
def types_in(top: type) -> tuple[type, ...]:
    """A dataclass and every dataclass within it."""
    found: dict[str, type] = {}

    def walk(kind: type) -> None:
        if not is_dataclass(kind) or kind.__name__ in found:
            return
        found[kind.__name__] = kind
        hints = get_type_hints(kind)
        for field in fields(kind):
            for inner in _plain(hints[field.name]):
                walk(inner)

    walk(top)
    return tuple(found.values())


def _plain(hint: Any) -> list[type]:
    """Classes that a type hint names, through unions and tuples."""
    if isinstance(hint, type) and not get_args(hint):
        return [hint]
    return [kind for inner in get_args(hint) for kind in _plain(inner)]
