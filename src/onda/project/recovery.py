"""Autosave and recovery: unsaved work outlives a crash and a closed window, with all its files.

Every document of every process has a recovery of its own, held as long as it is open; nobody else
writes to it. It goes when its owner saves, when the user forgets it, or after 30 days. All lie in
the user's state folder, outside the project's own, so that this also works where the project's
folder cannot be written to.
"""

from __future__ import annotations

import json
import os
import shutil
import time
import uuid
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from onda.errors import InputError
from onda.project.files import content_of, files_of, learn
from onda.project.lock import Hold, is_held
from onda.project.model import Project
from onda.project.store import dumps, loads
from onda.project.writing import remove_leftovers, write_atomically

__all__ = ["Autosave", "Kept", "Recovered", "kept_of", "kept_work", "read_kept"]

_UNSAVED = "unsaved:"
_CONTENTS = "contents"
_ENDING, _HELD = ".autosave", ".held"
_MOST_TOLD = 6
KEPT_FOR = 30 * 86400.0
"""Seconds."""


@dataclass(frozen=True, slots=True)
class Kept:
    """Unsaved work that nobody has open: where it lies, of which project, when it was kept.

    Attributes
    ----------
    file : of the project, None of a board that has none yet
    saved_at : s since the epoch; closed : its window was closed, it did not crash
    changed : what differs from the file, as sentences without an end
    """

    path: Path
    title: str
    file: Path | None
    saved_at: float
    closed: bool
    changed: tuple[str, ...]

    @property
    def is_newer(self) -> bool:
        """Whether it was kept after its file was last written; without a file it always is."""
        if self.file is None:
            return True
        try:
            return self.saved_at > self.file.stat().st_mtime
        except OSError:
            return True

    def forget(self) -> None:
        """Give it up for good."""
        _remove(self.path)
        _sweep(self.path.parent)


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work with its tree."""

    kept: Kept
    project: Project

    @property
    def saved_at(self) -> float:
        """When it was kept, s since the epoch."""
        return self.kept.saved_at

    @property
    def closed(self) -> bool:
        """Whether its window was closed; otherwise its session did not end well."""
        return self.kept.closed


def _folder() -> Path:
    return platformdirs.user_state_path("onda") / "autosave"


class Autosave:
    """The recovery of one open document; `going_on` is unsaved work on a board without a file that
    is gone on with, and from then on this document's own."""

    def __init__(
        self,
        project_file: Path | None,
        folder: Path | None = None,
        *,
        going_on: Kept | None = None,
    ) -> None:
        name = uuid.uuid4().hex[:16]
        if project_file is not None:
            self.key = str(project_file.resolve())
        else:
            self.key = f"{_UNSAVED}{name}"
        self._folder = folder or _folder()
        self.path = going_on.path if going_on is not None else self._folder / f"{name}{_ENDING}"
        self._hold = Hold(self.path.with_suffix(_HELD))
        self._swept = False
        if going_on is not None:
            self._hold.take()

    def write(self, project: Project, *, closed: bool = False, changed: Sequence[str] = ()) -> None:
        """Keep the present state and every file that it refers to.

        Raises
        ------
        InputError : that cannot be done
        """
        contents = self._folder / _CONTENTS
        try:
            contents.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise InputError(
                f"no place for the autosave: {error.strerror}", file=str(contents)
            ) from (error)
        self._hold.take()
        kept = [file.sha256 for file in files_of(project) if _keep_content(file, contents)]
        wrapped = {
            "of": self.key,
            "title": project.name,
            "closed": closed,
            "changed": list(changed[:_MOST_TOLD]),
            "files": kept,
            "project": dumps(project, for_people=False),
        }
        write_atomically(self.path, json.dumps(wrapped).encode("utf-8"))
        if not self._swept:
            self._swept = True
            _sweep(self._folder)

    def clear(self) -> None:
        """Forget it: the work was saved, or undone."""
        if self.path.exists():
            _remove(self.path)
            _sweep(self._folder)
        self.release()

    def release(self) -> None:
        """Nobody has this work open any more; it stays."""
        self._hold.release()


def kept_work(folder: Path | None = None) -> list[Kept]:
    """All unsaved work that nobody has open, the latest first."""
    out = []
    for path, wrapped in _every(folder or _folder()):
        key, title = wrapped.get("of"), wrapped.get("title")
        if not isinstance(key, str) or not isinstance(title, str) or "\0" in key:
            continue
        if is_held(path.with_suffix(_HELD)):
            continue
        with suppress(OSError):
            at = path.stat().st_mtime
            if time.time() - at <= KEPT_FOR:
                told = wrapped.get("changed")
                listed = told if isinstance(told, list) else []
                words = tuple(w[:200] for w in listed if isinstance(w, str))
                file = None if key.startswith(_UNSAVED) else Path(key)
                closed = wrapped.get("closed") is True
                out.append(Kept(path, title[:120], file, at, closed, words[:_MOST_TOLD]))
    return sorted(out, key=lambda k: -k.saved_at)


def kept_of(project_file: Path, folder: Path | None = None) -> list[Kept]:
    """Unsaved work on a project file, the latest first."""
    real = project_file.resolve()
    return [k for k in kept_work(folder) if k.file == real]


def read_kept(kept: Kept) -> Recovered | None:
    """Unsaved work with its tree; None where it is gone or unreadable itself."""
    wrapped = _read(kept.path)
    try:
        project = loads(wrapped["project"], file=str(kept.path))
    except (KeyError, TypeError, AttributeError, InputError):
        return None
    for sha256 in _strings(wrapped.get("files")):
        learn(sha256, kept.path.parent / _CONTENTS / sha256)
    return Recovered(kept, project)


def _remove(path: Path) -> None:
    with suppress(OSError):
        path.unlink(missing_ok=True)
        path.with_suffix(_HELD).unlink(missing_ok=True)


def _sweep(folder: Path) -> None:
    """What is too old goes, then every content that no recovery refers to any more, and what
    processes that are gone left behind."""
    remove_leftovers(folder)
    for path, _ in _every(folder):
        with suppress(OSError):
            old = time.time() - path.stat().st_mtime > KEPT_FOR
            if old and not is_held(path.with_suffix(_HELD)):
                _remove(path)
    needed = {s for _, w in _every(folder) for s in _strings(w.get("files"))}
    with suppress(OSError):
        for path in (folder / _CONTENTS).iterdir():
            if path.name not in needed:
                path.unlink(missing_ok=True)
        for path in folder.glob(f"*{_HELD}"):
            if not path.with_suffix(_ENDING).exists() and not is_held(path):
                path.unlink(missing_ok=True)


def _every(folder: Path) -> Iterator[tuple[Path, dict[str, Any]]]:
    try:
        paths = sorted(folder.glob(f"*{_ENDING}"))
    except OSError:
        return
    for path in paths:
        yield path, _read(path)


def _read(path: Path) -> dict[str, Any]:
    try:
        wrapped = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    return wrapped if isinstance(wrapped, dict) else {}


def _strings(items: object) -> Iterable[str]:
    """Names of contents: plain ones, whatever stands in the file."""
    listed = items if isinstance(items, list) else []
    return [i for i in listed if isinstance(i, str) and i.isalnum()]


def _keep_content(file: Any, contents: Path) -> bool:
    """Put a file's content beside the autosave; whether it could be had."""
    target = contents / file.sha256
    if target.is_file():
        return True
    try:
        content = content_of(file)
        try:
            # No second copy where both lie on one disk.
            os.link(content.path, target)
        except OSError:
            shutil.copyfile(content.path, target)
    except (OSError, InputError):
        # It is told where it is used; the work itself is kept all the same.
        return False
    return True
