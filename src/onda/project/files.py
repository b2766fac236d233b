"""Contents of the files that projects refer to, by their SHA-256.

What a hash stands for never changes, so one shelf serves every open project and every run.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from functools import lru_cache
from importlib import resources
from pathlib import Path

from onda.errors import InputError
from onda.formats.ibis.model import IbisFile
from onda.formats.ibis.reader import read_ibis
from onda.project.model import Design, DeviceFile, Project

__all__ = [
    "LARGEST_BYTES",
    "content_of",
    "copy_files",
    "device_models",
    "keep",
    "read_files",
    "shipped",
]

LARGEST_BYTES = 1_500_000_000
_contents: dict[str, bytes] = {}


def keep(data: bytes) -> str:
    """Put a content on the shelf; return its hash."""
    digest = hashlib.sha256(data).hexdigest()
    _contents.setdefault(digest, data)
    return digest


@lru_cache(maxsize=1)
def shipped() -> dict[str, str]:
    """Hashes of the files that ship with Onda, by name; they are on the shelf then."""
    return {
        entry.name: keep(entry.read_bytes())
        for folder in ("devices", "networks")
        for entry in sorted((resources.files("onda.data") / folder).iterdir(), key=lambda e: e.name)
        if entry.name.endswith((".ibs", ".s2p", ".s4p", ".s8p"))
    }


def content_of(file: DeviceFile) -> bytes:
    """Content of a file.

    Raises
    ------
    InputError : it was not there when the project was opened, or is another one now
    """
    shipped()
    data = _contents.get(file.sha256)
    if data is None:
        raise InputError(
            "is not beside the project, or is not as it was when the project was saved",
            file=file.path,
            remedy="Put the old file back, or choose the file again.",
        )
    return data


@lru_cache(maxsize=64)
def device_models(file: DeviceFile) -> IbisFile:
    """Models of a device file; raise `InputError` where it cannot be read."""
    return read_ibis(content_of(file), file.path)


def read_files(project: Project, folder: Path) -> None:
    """Put what a project refers to on the shelf; what is missing is told when it is used."""
    for file in _files(project):
        try:
            path = folder / file.path
            if path.stat().st_size <= LARGEST_BYTES:
                keep(path.read_bytes())
        except OSError:
            continue


def copy_files(project: Project, folder: Path) -> Iterable[tuple[Path, bytes]]:
    """Files that a project refers to and that are not in a folder, with their contents."""
    shipped()
    for file in _files(project):
        path, data = folder / file.path, _contents.get(file.sha256)
        if data is not None and not path.exists():
            yield path, data


def _files(project: Project) -> list[DeviceFile]:
    designs: list[Design] = [project.design, *(k.design for k in project.kept)]
    return list({f.sha256: f for d in designs for f in d.device_files}.values())
