"""The key of a result: a hash of the study, its inputs, and the sources that compute it."""

from __future__ import annotations

import hashlib
import math
import struct
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import lru_cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any

import numpy as np

__all__ = ["NOT_IN_KEY", "fingerprint", "key_of"]

NOT_IN_KEY = {"in_key": False}
"""Metadata of a dataclass field that says where something is found, not what it is."""
_PACKAGES = ("engine", "formats", "studies")


@lru_cache(maxsize=1)
def fingerprint() -> str:
    """Hash of the sources of engine, formats and studies: new code never finds old results."""
    digest = hashlib.sha256(np.__version__.encode())
    root = files("onda")
    for package in _PACKAGES:
        for name, source in _sources(root / package, package):
            digest.update(name.encode())
            digest.update(source.read_bytes())
    return digest.hexdigest()[:16]


def _sources(folder: Traversable, path: str) -> list[tuple[str, Traversable]]:
    out: list[tuple[str, Traversable]] = []
    for entry in sorted(folder.iterdir(), key=lambda e: e.name):
        if entry.is_dir():
            out += _sources(entry, f"{path}/{entry.name}")
        elif entry.name.endswith(".py"):
            out.append((f"{path}/{entry.name}", entry))
    return out


def key_of(study: str, inputs: object) -> str:
    """Hash of a study's name, its inputs and the sources that compute it.

    Raises
    ------
    TypeError : something in the inputs is no plain value
    ValueError : a number in the inputs is NaN

    Examples
    --------
    >>> key_of("a", (1.0, "x")) == key_of("a", (1.0, "x"))
    True
    """
    digest = hashlib.sha256(f"{fingerprint()}/{study}".encode())
    _feed(digest.update, inputs)
    return digest.hexdigest()[:40]


def _feed(update: Callable[[bytes], None], value: Any) -> None:
    """Feed a value to a hash so that no two different values feed the same bytes."""
    if type(value) is float:
        if math.isnan(value):
            raise ValueError("NaN cannot be part of a study's inputs")
        update(b"f" + struct.pack("<d", value))
    elif value is None or isinstance(value, (bool, int)):
        update(b"n" if value is None else f"i{value!r};".encode())
    elif isinstance(value, str):
        data = value.encode()
        update(b"s%d:" % len(data) + data)
    elif isinstance(value, bytes):
        update(b"b%d:" % len(value) + value)
    elif isinstance(value, (tuple, list)):
        _feed_items(update, value)
    elif isinstance(value, np.ndarray):
        update(f"a{value.dtype.str}{value.shape}".encode())
        update(np.ascontiguousarray(value).tobytes())
    elif is_dataclass(value) and not isinstance(value, type):
        names = _names_of(type(value))
        update(f"d{type(value).__name__}{len(names)}:".encode())
        for name in names:
            _feed(update, name)
            _feed(update, getattr(value, name))
    else:
        raise TypeError(f"{type(value).__name__} cannot be part of a study's inputs")


def _feed_items(update: Callable[[bytes], None], items: tuple[Any, ...] | list[Any]) -> None:
    update(b"t%d:" % len(items))
    if len(items) > 16 and all(type(v) is float for v in items):
        numbers = np.array(items)
        if np.isnan(numbers).any():
            raise ValueError("NaN cannot be part of a study's inputs")
        update(b"F" + numbers.tobytes())
        return
    for item in items:
        _feed(update, item)


@lru_cache(maxsize=512)
def _names_of(kind: type) -> tuple[str, ...]:
    return tuple(f.name for f in fields(kind) if f.metadata.get("in_key", True))
