"""Autosave and recovery: unsaved work outlives a crash, outside the project's own file."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from onda.errors import InputError
from onda.project.model import Project
from onda.project.store import dumps, loads, write_atomically

__all__ = ["Autosave", "Recovered"]


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work found for a project file."""

    project: Project
    saved_at: float


class Autosave:
    """The autosave of one project file (or of a project not yet saved anywhere).

    It lies in the user's state folder, so that it also works where the project's folder cannot be
    written to.
    """

    def __init__(self, project_file: Path | None, folder: Path | None = None) -> None:
        name = str(project_file.resolve()) if project_file is not None else "unsaved"
        folder = folder or platformdirs.user_state_path("onda") / "autosave"
        digest = hashlib.sha256(name.encode()).hexdigest()[:24]
        self.path = folder / f"{digest}.autosave"
        self._name = name

    def write(self, project: Project) -> None:
        """Keep the present state; raise `InputError` where that cannot be done."""
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise InputError(
                f"no place for the autosave: {error.strerror}", file=str(self.path.parent)
            ) from error
        wrapped = json.dumps({"of": self._name, "project": dumps(project)})
        write_atomically(self.path, wrapped.encode("utf-8"))

    def read(self) -> Recovered | None:
        """Return unsaved work, None where there is none or it is unreadable itself."""
        try:
            wrapped = json.loads(self.path.read_text(encoding="utf-8"))
            project = loads(wrapped["project"], file=str(self.path))
            return Recovered(project, self.path.stat().st_mtime)
        except (OSError, ValueError, KeyError, TypeError, RecursionError, InputError):
            return None

    def clear(self) -> None:
        """Forget it: the work was saved or given up on purpose."""
        self.path.unlink(missing_ok=True)
