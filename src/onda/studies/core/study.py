"""What a study is: a named pure function of a frozen slice, and the key of its result."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any, Generic, TypeVar

import numpy as np

from onda.engine import VERSION

__all__ = ["Control", "Inputs", "Study", "key_of"]

Inputs = TypeVar("Inputs")
Result = TypeVar("Result")


class Control:
    """How a run tells its progress and learns that it is not wanted any more."""

    def progress(self, share: float) -> None:
        """Tell the share done, 0..1; raises `Cancelled` where the run was stopped."""


@dataclass(frozen=True, slots=True)
class Study(Generic[Inputs, Result]):
    """A named pure function; `result_types` are the dataclasses its result is made of."""

    name: str
    run: Callable[[Inputs, Control], Result]
    result_types: tuple[type, ...]
    keep_on_disk: bool = True


def key_of(study: str, inputs: object) -> str:
    """Hash of a study's name, its inputs and the engine version.

    Examples
    --------
    >>> key_of("a", (1.0, "x")) == key_of("a", (1.0, "x"))
    True
    """
    text = json.dumps([study, VERSION, _plain(inputs)], sort_keys=True, allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()[:40]


def _plain(value: object) -> Any:
    if is_dataclass(value) and not isinstance(value, type):
        named = {f.name: _plain(getattr(value, f.name)) for f in fields(value)}
        return [type(value).__name__, named]
    if isinstance(value, (tuple, list)):
        return [_plain(v) for v in value]
    if isinstance(value, np.ndarray):
        return [str(value.dtype), value.tolist()]
    if value is None or isinstance(value, (str, int, float, bool)):
        return value
    raise TypeError(f"{type(value).__name__} cannot be part of a study's inputs")
