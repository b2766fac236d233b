"""Autosave and recovery: unsaved work outlives a crash and a closed window, with all its files.

It lies in the user's state folder, outside the project's own, so that it also works where the
project's folder cannot be written to.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import uuid
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from onda.errors import InputError
from onda.project.files import content_of, files_of, learn
from onda.project.model import Project
from onda.project.store import dumps, loads
from onda.project.writing import remove_leftovers, write_atomically

__all__ = ["Autosave", "Pending", "Recovered", "pending_boards"]

_UNSAVED = "unsaved:"
_CONTENTS = "contents"


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work: when it was kept (s since the epoch), and whether its window was closed."""

    project: Project
    saved_at: float
    closed: bool


@dataclass(frozen=True, slots=True)
class Pending:
    """Unsaved work on a board that has no file yet."""

    key: str
    title: str
    saved_at: float


def _folder() -> Path:
    return platformdirs.user_state_path("onda") / "autosave"


class Autosave:
    """The autosave of one project file, or of a board that has none yet.

    `key` names unsaved work of such a board that is to be gone on with.
    """

    def __init__(
        self, project_file: Path | None, folder: Path | None = None, *, key: str = ""
    ) -> None:
        if project_file is not None:
            self.key = str(project_file.resolve())
        else:
            self.key = key or f"{_UNSAVED}{uuid.uuid4().hex}"
        self._folder = folder or _folder()
        digest = hashlib.sha256(self.key.encode()).hexdigest()[:24]
        self.path = self._folder / f"{digest}.autosave"

    def write(self, project: Project, *, closed: bool = False) -> None:
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
        kept = [file.sha256 for file in files_of(project) if _keep_content(file, contents)]
        wrapped = {
            "of": self.key,
            "title": project.name,
            "closed": closed,
            "files": kept,
            "project": dumps(project),
        }
        write_atomically(self.path, json.dumps(wrapped).encode("utf-8"))

    def read(self) -> Recovered | None:
        """Return unsaved work, None where there is none or it is unreadable itself."""
        wrapped = _read(self.path)
        try:
            project = loads(wrapped["project"], file=str(self.path))
            at = self.path.stat().st_mtime
        except (OSError, KeyError, TypeError, AttributeError, InputError):
            return None
        for sha256 in _strings(wrapped.get("files")):
            learn(sha256, self._folder / _CONTENTS / sha256)
        return Recovered(project, at, wrapped.get("closed") is True)

    def clear(self) -> None:
        """Forget it: the work was saved or given up on purpose."""
        if not self.path.exists():
            return
        self.path.unlink(missing_ok=True)
        self._sweep()

    def _sweep(self) -> None:
        """Contents that no autosave refers to any more go."""
        remove_leftovers(self._folder)
        needed = {s for _, w in _every(self._folder) for s in _strings(w.get("files"))}
        with suppress(OSError):
            for path in (self._folder / _CONTENTS).iterdir():
                if path.name not in needed:
                    path.unlink(missing_ok=True)


def pending_boards(folder: Path | None = None) -> list[Pending]:
    """Unsaved work on boards that have no file yet, the latest first."""
    out = []
    for path, wrapped in _every(folder or _folder()):
        key, title = wrapped.get("of"), wrapped.get("title")
        if isinstance(key, str) and isinstance(title, str) and key.startswith(_UNSAVED):
            with suppress(OSError):
                out.append(Pending(key, title, path.stat().st_mtime))
    return sorted(out, key=lambda p: -p.saved_at)


def _every(folder: Path) -> Iterator[tuple[Path, dict[str, Any]]]:
    try:
        paths = sorted(folder.glob("*.autosave"))
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
