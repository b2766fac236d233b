"""Files beside the project."""

from __future__ import annotations

import re
from pathlib import PurePosixPath
from typing import Annotated

from pydantic import StringConstraints, field_validator

from onda.project.base import Frozen, Identifier

__all__ = ["DeviceFile", "FileReference"]


class FileReference(Frozen):
    """A file beside the project, by relative path and SHA-256."""

    path: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    sha256: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]

    @field_validator("path")
    @classmethod
    def _stays_inside(cls, value: str) -> str:
        pure = PurePosixPath(value)
        if (
            pure.is_absolute()
            or ".." in pure.parts
            or "\\" in value
            or re.search(r"[\x00:]", value)
        ):
            raise ValueError(
                f"{value!r} leaves the project's folder; move the file beside the project"
            )
        return value


class DeviceFile(FileReference):
    """A file of device models or of a network, by which paths name it."""

    id: Identifier
