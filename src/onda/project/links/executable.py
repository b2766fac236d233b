"""Executable models at the ends of a link, and which of their libraries this machine may run.

A project only names files. Whether the library that it names is run is decided by whoever sits at
the machine, once for each content: the list of what is allowed lies with the user's settings.
"""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Literal

import platformdirs
from pydantic import Field, StringConstraints, model_validator

from onda.project.base import Frozen, Identifier, check_unique
from onda.project.writing import write_atomically

__all__ = ["ExecutableModel", "ModelSetting", "allow_library", "is_allowed"]

_MOST = 10_000


class ModelSetting(Frozen):
    """What a parameter of a model is set to; the others are as its file says."""

    id: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    value: Annotated[str, StringConstraints(max_length=400)]


class ExecutableModel(Frozen):
    """A model that runs: its parameter file and its library, both files of the project."""

    parameters: Identifier
    library: Identifier
    corner: Literal["typ", "slow", "fast"] = "typ"
    settings: Annotated[tuple[ModelSetting, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _each_once(self) -> ExecutableModel:
        check_unique("parameter", (s.id for s in self.settings))
        return self

    def with_setting(self, name: str, value: str | None) -> ExecutableModel:
        """Another value of a parameter; None takes what the file says."""
        rest = tuple(s for s in self.settings if s.id != name)
        new = () if value is None else (ModelSetting(id=name, value=value),)
        return self.model_copy(update={"settings": (*rest, *new)})


def _list() -> Path:
    return platformdirs.user_config_path("onda") / "allowed-libraries.json"


def _allowed() -> dict[str, str]:
    try:
        found = json.loads(_list().read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def is_allowed(sha256: str) -> bool:
    """Whether a library of that content may be run on this machine."""
    return sha256 in _allowed()


def allow_library(sha256: str, name: str) -> None:
    """From now on it may be run; raise `InputError` where that cannot be remembered."""
    known = _allowed()
    known[sha256] = name[:400]
    while len(known) > _MOST:
        del known[next(iter(known))]
    with suppress(OSError):
        _list().parent.mkdir(parents=True, exist_ok=True)
    write_atomically(_list(), json.dumps(known, indent=1).encode())
