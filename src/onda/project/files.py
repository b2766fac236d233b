"""Contents of the files that projects refer to: known by SHA-256, on disk, read when needed.

No content is held here. A hash leads to places on disk where its content may be: beside the
project, among the files that ship with Onda, or in a store of their own (bounded by bytes) where
imported files are put. What a study is given is a `Content`; it reads it, checked against its hash.
"""

from __future__ import annotations

import hashlib
import mmap
import os
import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources
from itertools import count
from pathlib import Path
from threading import Lock

import platformdirs

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.file_reference import DeviceFile
from onda.project.model import Design, Project
from onda.project.writing import remove_leftovers, write_atomically

__all__ = [
    "LARGEST_BYTES",
    "STORE_BYTES",
    "Content",
    "content_of",
    "files_of",
    "keep",
    "learn",
    "look_beside",
    "missing_files",
    "others_beside",
    "shipped",
    "trim_store",
    "unfound_files",
    "with_other_names",
]

LARGEST_BYTES = 1_500_000_000
STORE_BYTES = 4 * 2**30
"""Bytes that imported files may take until those used longest ago go."""
_DAY = 86_400.0
_CHUNK = 1 << 20
_places: dict[str, list[Path]] = {}
_checked: dict[tuple[str, int, int], str] = {}
"""Hashes that were worked out, by path, size and time of change."""
_lock = Lock()


@dataclass(frozen=True, slots=True)
class Content:
    """A file's content by its hash; `path` says where it is on this machine, no more."""

    name: str
    sha256: str
    path: str = field(default="", metadata={"in_key": False}, compare=False)

    def read(self) -> bytes:
        """The content.

        Raises
        ------
        InputError : it is not there any more, or is another one now
        """
        path = self._checked()
        try:
            return path.read_bytes()
        except OSError as error:
            raise _gone(self.name) from error

    def mapped(self) -> mmap.mmap:
        """The content as a map of the file, checked; for large files that are read in parts.

        Raises
        ------
        InputError : as `read`, or it is empty
        """
        try:
            with self._checked().open("rb") as stream:
                return mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ)
        except (OSError, ValueError) as error:
            raise _gone(self.name) from error

    def place(self) -> Path:
        """A place of it on disk, its content as its hash says.

        Raises
        ------
        InputError : it is nowhere
        """
        return self._checked()

    def _checked(self) -> Path:
        """A place where the content is as its hash says."""
        for path in (Path(self.path), *_found(self.sha256)):
            try:
                if _hash_of(path) == self.sha256:
                    return path
            except OSError:
                continue
        raise _gone(self.name)


def _gone(name: str) -> InputError:
    return InputError(
        "is not beside the project, or is not as it was when the project was saved",
        file=name,
        remedy="Put the old file back, or choose the file again.",
    )


def _store() -> Path:
    return platformdirs.user_cache_path("onda") / "contents"


def _found(sha256: str) -> list[Path]:
    """Places where a content may be."""
    with _lock:
        known = list(_places.get(sha256, ()))
    return [p for p in (*known, _store() / sha256) if p.is_file()]


def _hash_of(path: Path) -> str:
    """Hash of a file; worked out once for each of its states."""
    if not path.is_file():
        # Neither a folder nor a pipe is what was taken once.
        raise FileNotFoundError(str(path))
    about = path.stat()
    state = str(path), about.st_size, about.st_mtime_ns
    known = _checked.get(state)
    if known is None:
        digest = hashlib.sha256()
        with path.open("rb") as stream:
            while chunk := stream.read(_CHUNK):
                digest.update(chunk)
        known = digest.hexdigest()
        with _lock:
            _checked[state] = known
    return known


def keep(data: bytes) -> str:
    """Put a content into the store; return its hash.

    Raises
    ------
    InputError : it cannot be written
    """
    digest = hashlib.sha256(data).hexdigest()
    target = _store() / digest
    if target.is_file():
        # What is used is not what was used longest ago.
        os.utime(target)
    else:
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise InputError(
                f"cannot be made: {error.strerror}", file=str(target.parent)
            ) from error
        write_atomically(target, data, flush=False)
        trim_store()
    learn(digest, target)
    return digest


def learn(sha256: str, place: Path) -> None:
    """A content may be found at a place."""
    with _lock:
        places = _places.setdefault(sha256, [])
        if place not in places:
            places.append(place)


@lru_cache(maxsize=1)
def shipped() -> dict[str, str]:
    """Hashes of the files that ship with Onda, by name."""
    out = {}
    for folder in ("devices", "networks"):
        root = Path(str(resources.files("onda.data") / folder))
        for path in sorted(root.iterdir()):
            if path.suffix in (".ibs", ".s2p", ".s4p", ".s8p"):
                out[path.name] = _hash_of(path)
                learn(out[path.name], path)
    return out


def content_of(file: DeviceFile) -> Content:
    """Content of a file, to be read by who needs it.

    Raises
    ------
    InputError : it is nowhere
    """
    places = _found(file.sha256)
    if not places:
        shipped()
        places = _found(file.sha256)
    if not places:
        raise _gone(file.path)
    return Content(file.path, file.sha256, str(places[0]))


def look_beside(project: Project, folder: Path) -> None:
    """Look for what a project refers to in its folder; what is missing is told when it is used.

    A link that leads out of the folder is not followed: whoever made the project has no say over
    what lies elsewhere.
    """
    for file in files_of(project):
        if _stays_inside(folder, file.path):
            learn(file.sha256, folder / file.path)


def _stays_inside(folder: Path, name: str) -> bool:
    """Whether a name leads to a place in a folder, through all links on its way."""
    try:
        return (folder / name).resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError):
        return False


def missing_files(project: Project, folder: Path) -> Iterable[tuple[Path, bytes]]:
    """Files that a project refers to and that are not in a folder, with their contents.

    Raises
    ------
    InputError : a link in the folder would lead one of them elsewhere
    """
    for file in files_of(project):
        path = folder / file.path
        if path.exists():
            continue
        try:
            data = content_of(file).read()
        except InputError:
            # It is told where it is used; the project is saved all the same.
            continue
        if not _stays_inside(folder, file.path):
            raise InputError(
                f"{file.path} would be written outside the project's folder, where a link leads",
                file=str(folder),
                remedy="Take the link away, or save in another folder.",
            )
        yield path, data


def unfound_files(project: Project) -> list[str]:
    """Names of files that a project refers to and whose content is nowhere."""
    out = []
    for file in files_of(project):
        try:
            content_of(file)
        except InputError:
            out.append(file.path)
    return out


def with_other_names(project: Project, folder: Path) -> Project:
    """The project with other names for its files where a folder has others of theirs, so that both
    have room there."""
    new: dict[str, str] = {}
    for name in others_beside(project, folder):
        path = Path(name)
        free = (path.with_name(f"{path.stem}-{k}{path.suffix}") for k in count(2))
        new[name] = next(str(p) for p in free if not (folder / p).exists())

    def renamed(design: Design) -> Design:
        files = tuple(
            set_value(f, path=new[f.path]) if f.path in new else f for f in design.device_files
        )
        return set_value(design, device_files=files)

    kept = tuple(set_value(k, design=renamed(k.design)) for k in project.kept)
    return set_value(project, design=renamed(project.design), kept=kept)


def others_beside(project: Project, folder: Path) -> list[str]:
    """Names of files in a folder that have the name, but not the content, of one of a project's."""
    out = []
    for file in files_of(project):
        path = folder / file.path
        if path.is_file() and _hash_of(path) != file.sha256:
            out.append(file.path)
    return out


def trim_store(most: int = STORE_BYTES) -> None:
    """Drop imported contents used longest ago until the store is within its size.

    What came within a day stays: it may be the only copy for a project that is not saved yet.
    """
    remove_leftovers(_store())
    young = time.time() - _DAY
    try:
        found = [(p.stat().st_mtime, p.stat().st_size, p) for p in _store().iterdir()]
    except OSError:
        return
    total = 0
    for used, size, path in sorted(found, reverse=True, key=lambda f: f[:2]):
        total += size
        if total > most and used < young:
            path.unlink(missing_ok=True)


def files_of(project: Project) -> list[DeviceFile]:
    """Every file that a project and its kept states refer to, each content once."""
    designs: list[Design] = [project.design, *(k.design for k in project.kept)]
    return list({f.sha256: f for d in designs for f in d.device_files}.values())
