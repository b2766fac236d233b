"""Memory that is not needed any more goes back to the system."""

from __future__ import annotations

import ctypes
import sys

__all__ = ["give_memory_back"]

_ARENA_MAX, _MMAP_THRESHOLD, _TRIM_THRESHOLD = -8, -3, -1
"""Parameters of mallopt(3)."""
# A megabyte costs 3 % of a network's views in page faults, an eighth of that a quarter.
_ARENAS, _BYTES = 2, 2**20


def give_memory_back() -> bool:
    """Have the C library return what is freed, where it is GNU's; whether it could be told.

    By itself it raises its threshold with every large block that is freed, up to 32 MiB: arrays of
    a long session then lie between smaller things that stay, and the process only grows.
    """
    if not sys.platform.startswith("linux"):
        return False
    try:
        told = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return False
    asked = ((_ARENA_MAX, _ARENAS), (_MMAP_THRESHOLD, _BYTES), (_TRIM_THRESHOLD, _BYTES))
    return {told(name, value) for name, value in asked} == {1}
