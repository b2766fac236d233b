"""What functions made last, held within a budget of bytes: for parsed files and built parts."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar

from onda.studies.core.cache import size_of

__all__ = ["Held", "held"]

Made = TypeVar("Made")


class Held(Generic[Made]):
    """A function whose last results are held; one that is called twice at once may run twice."""

    def __init__(self, make: Callable[..., Made], most: int) -> None:
        self._make, self._most = make, most
        self._known: OrderedDict[tuple[Hashable, ...], tuple[Made, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()
        self.__doc__, self.__name__ = make.__doc__, make.__name__
        self.__wrapped__ = make

    # Its own words are those of the function that it stands for.
    def __call__(self, *args: Any) -> Made:
        """What the function makes of its arguments, worked out now where it is not held."""
        with self._lock:
            found = self._known.get(args)
            if found is not None:
                self._known.move_to_end(args)
                return found[0]
        made = self._make(*args)
        size = size_of(made)
        with self._lock:
            old = self._known.pop(args, None)
            self._bytes += size - (old[1] if old else 0)
            self._known[args] = (made, size)
            while self._bytes > self._most and len(self._known) > 1:
                _, (_, gone) = self._known.popitem(last=False)
                self._bytes -= gone
        return made

    @property
    def held_bytes(self) -> int:
        """Bytes of what is held, nearly."""
        return self._bytes

    def clear(self) -> None:
        """Hold nothing."""
        with self._lock:
            self._known.clear()
            self._bytes = 0


def held(most: int) -> Callable[[Callable[..., Made]], Held[Made]]:
    """Decorator: hold results of a function of hashable arguments within so many bytes."""
    return lambda make: Held(make, most)
