"""The open project: one flow of edits, undo and redo, saving, autosave."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from onda.errors import InputError
from onda.project.differences import differences
from onda.project.disk_state import DiskState
from onda.project.files import others_beside, unfound_files
from onda.project.lock import Hold, Holder, lock_beside
from onda.project.model import Project
from onda.project.recovery import Autosave, Kept, Recovered, kept_of, kept_work, read_kept
from onda.project.store import load_project, save_project

__all__ = ["Document"]

_AUTOSAVE_AFTER_MS = 15_000


class _Edit(QUndoCommand):
    """From one tree to another; edits of one gesture merge."""

    def __init__(
        self, document: Document, label: str, before: Project, after: Project, gesture: int
    ) -> None:
        super().__init__(label)
        self._document = document
        self._before = before
        self._after = after
        self._gesture = gesture

    def id(self) -> int:
        return self._gesture

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Edit) or self._gesture < 0 or other._gesture != self._gesture:
            return False
        self._after = other._after
        return True

    def redo(self) -> None:
        self._document._show(self._after)

    def undo(self) -> None:
        self._document._show(self._before)


class Document(QObject):
    """The project that is open.

    Signals
    -------
    changed : the tree is another one; during a gesture many times a second
    settled : the tree will stay for a while: a gesture ended, or an edit was made without one
    saved_changed : the file or whether it is saved changed
    replaced : another project is open
    trouble : something could not be saved; a sentence
    """

    changed = pyqtSignal()
    settled = pyqtSignal()
    saved_changed = pyqtSignal()
    replaced = pyqtSignal()
    trouble = pyqtSignal(str)

    def __init__(self, project: Project, path: Path | None = None) -> None:
        super().__init__()
        self.project = project
        self.path = path
        self._on_disk = DiskState.of(path) if path is not None else None
        self.stack = QUndoStack(self)
        self.stack.setUndoLimit(500)
        self.stack.cleanChanged.connect(self._on_clean)
        self._gesture = -1
        self._gestures = 0
        self._in_gesture = False
        self._autosave = Autosave(path)
        self._lock: Hold | None = None
        self.opened_by: Holder | None = None
        self._saved = project
        self._resumed = False
        self._taken_up: list[Kept] = []
        self._claim()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AUTOSAVE_AFTER_MS)
        self._timer.timeout.connect(self.autosave_now)

    def _on_clean(self, clean: bool) -> None:
        if clean and self.path is not None and not self._taken_up:
            # What was kept is older than what the file holds.
            self._timer.stop()
            self._autosave.clear()
        self.saved_changed.emit()

    def _claim(self) -> None:
        """Say beside the file that it is open here; know who else has it open."""
        self._unclaim()
        self.opened_by = None
        if self.path is not None:
            self._lock = Hold(lock_beside(self.path))
            self.opened_by = self._lock.take()

    def _unclaim(self) -> None:
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def is_open_elsewhere(self) -> bool:
        """Whether another window has the file open; it is this one's once that one is closed."""
        if self._lock is not None and not self._lock.is_mine:
            self.opened_by = self._lock.take()
        return self.opened_by is not None

    def close(self) -> None:
        """Nothing happens to this document any more; unsaved work stays where it is kept."""
        self._timer.stop()
        self.stack.blockSignals(True)
        self._autosave.release()
        self._unclaim()

    @property
    def is_saved(self) -> bool:
        """Whether the file holds the present tree."""
        return self.stack.isClean() and self.path is not None

    @property
    def in_gesture(self) -> bool:
        """Whether something is being dragged right now."""
        return self._in_gesture

    def edit(self, label: str, project: Project) -> None:
        """Make a tree the present one, as an undo step of that label."""
        if project == self.project:
            return
        gesture = self._gesture if self._in_gesture else -1
        self.stack.push(_Edit(self, label, self.project, project, gesture))

    def begin_gesture(self) -> None:
        """All edits until `end_gesture` are one undo step."""
        self._gestures += 1
        self._gesture = self._gestures
        self._in_gesture = True

    def end_gesture(self) -> None:
        """End the gesture; studies run fine again."""
        if self._in_gesture:
            self._in_gesture = False
            self.settled.emit()

    @contextmanager
    def gesture(self) -> Iterator[None]:
        """A gesture as a block."""
        self.begin_gesture()
        try:
            yield
        finally:
            self.end_gesture()

    def undo(self) -> None:
        """One step back."""
        self.end_gesture()
        self.stack.undo()

    def redo(self) -> None:
        """One step forward again."""
        self.end_gesture()
        self.stack.redo()

    def _show(self, project: Project) -> None:
        self.project = project
        if not self._timer.isActive():
            # From the first edit that is not kept yet: further ones must not put it off.
            self._timer.start()
        self.changed.emit()
        if not self._in_gesture:
            self.settled.emit()

    def save(self, path: Path | None = None) -> None:
        """Write the file; raise `InputError` where that fails, with the old file untouched.

        Whether another program changed it since is for who asks to look at: `is_changed_outside`.
        """
        target = path or self.path
        if target is None:
            raise InputError("the project has no file yet", remedy="Choose where to save it.")
        if target != self.path and (others := others_beside(self.project, target.parent)):
            raise InputError(
                f"{', '.join(others[:3])} there is another file than the project's own",
                file=str(target.parent),
                remedy="Nothing was saved. Choose another folder, or give that file another name.",
            )
        vanished = self.path == target and self.path is not None and not target.exists()
        save_project(self.project, target)
        self._autosave.clear()
        for kept in self._taken_up:
            kept.forget()
        self._taken_up = []
        self._resumed = False
        self._timer.stop()
        self._saved = self.project
        if target != self.path:
            self.path = target
            self._autosave = Autosave(target)
            self._claim()
        self._on_disk = DiskState.of(target)
        self.stack.setClean()
        self.saved_changed.emit()
        if vanished:
            self.trouble.emit(f"{target.name} had been removed meanwhile; it was written anew.")
        if lost := unfound_files(self.project):
            self.trouble.emit(
                f"Saved, but {', '.join(lost[:3])} {'is' if len(lost) == 1 else 'are'} nowhere to "
                "be found and not beside it. Take in the same file again."
            )

    def autosave_now(self, *, closed: bool = False) -> Path | None:
        """Keep unsaved work where a crash cannot reach it; where, None where there is none."""
        if self.is_saved:
            return None
        try:
            changed = differences(self._saved, self.project)
            self._autosave.write(self.project, closed=closed, changed=changed)
        except InputError as error:
            self.trouble.emit(f"Autosave failed: {error}")
            return None
        return self._autosave.path

    def autosave_if_due(self) -> None:
        """Keep what was edited since the last autosave, now: the user turns away, a long run
        begins."""
        if self._timer.isActive():
            self._timer.stop()
            self.autosave_now()

    def is_changed_outside(self) -> bool:
        """Whether another program wrote the file since it was read or saved here."""
        known = self._on_disk
        return known is not None and self.path is not None and not known.is_of(self.path)

    def accept_outside(self) -> None:
        """What is on disk now was seen: saving goes over it without another word."""
        if self.path is not None:
            self._on_disk = DiskState.of(self.path)

    @property
    def is_touched(self) -> bool:
        """Whether there is work that no file holds."""
        return not self.stack.isClean() or self._resumed

    def recoverable(self) -> Recovered | None:
        """Unsaved work of another session on this file that is newer than it and differs from what
        is open, the latest; a board without a file goes by its name."""
        if self.path is not None:
            some = kept_of(self.path)
        else:
            some = [k for k in kept_work() if k.file is None and k.title == self.project.name]
        for kept in some:
            found = read_kept(kept) if kept.is_newer else None
            if found is not None and found.project != self.project:
                return found
        return None

    def recover(self, found: Recovered) -> None:
        """Take unsaved work up; it stays kept until this project is saved."""
        self._taken_up.append(found.kept)
        self.edit("Recover unsaved work", found.project)

    def resume(self, kept: Kept) -> None:
        """Go on with unsaved work on a board that has no file yet.

        Raises
        ------
        InputError : it is not there any more
        """
        found = read_kept(kept)
        if found is None:
            raise InputError("that work is not there any more")
        self.replace(found.project, None)
        self._autosave, self._resumed = Autosave(None, going_on=kept), True

    def replace(self, project: Project, path: Path | None) -> None:
        """Open another project in place of this one."""
        self._timer.stop()
        # First, since an empty stack counts as undone.
        self._autosave.release()
        self._autosave, self._resumed = Autosave(path), False
        self.stack.clear()
        self.project = project
        self.path = path
        self._on_disk = DiskState.of(path) if path is not None else None
        self._saved, self._taken_up = project, []
        self._claim()
        self.stack.setClean()
        self.replaced.emit()
        self.changed.emit()
        self.settled.emit()
        self.saved_changed.emit()

    def load(self, path: Path) -> None:
        """Open a file in place of this project; raise `InputError` where that fails."""
        self.replace(load_project(path), path)
