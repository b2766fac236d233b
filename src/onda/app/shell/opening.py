"""Beginning, opening, saving and recovering projects, and taking files in."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Sequence
from fnmatch import fnmatch
from itertools import count
from pathlib import Path
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from onda.app.document import Document
from onda.app.recents import recent_files, remember_file
from onda.app.shell.asking import ask_open, ask_save, begin_in
from onda.app.shell.notice import MessageLine
from onda.app.shell.start_page import Begun, StartPage
from onda.app.stages import StageInfo
from onda.errors import InputError, OndaError
from onda.project.base import fresh_id
from onda.project.files import others_beside, with_other_names
from onda.project.model import Project
from onda.project.recovery import Kept, kept_work, read_kept
from onda.project.store import load_project

__all__ = ["Opening", "Places"]

_log = logging.getLogger(__name__)
_PROJECT = "*.onda"
_MOST_TOLD, _MOST_LISTED, _LONGEST = 12, 12, 140
_FILTER = f"Onda projects ({_PROJECT})"


class Places(Protocol):
    """What of the window is shown."""

    def show_start(self) -> None:
        """Show the page to begin on."""

    def leave_start(self) -> None:
        """Show the stages."""

    def go_with_file(self, stage: str, path: Path) -> None:
        """Go to a stage, which takes a file."""

    def go_to_work(self) -> None:
        """Show the stage where work on the project goes on."""


class Opening:
    """Does what the start page, the project's menu and dropped files ask for.

    Nothing asks whether to save: what is not saved is kept aside, and it is said where.
    """

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        messages: MessageLine,
        page: StartPage,
        stages: Sequence[StageInfo],
        places: Places,
    ) -> None:
        self._parent, self._document, self._messages = parent, document, messages
        self._page, self._stages, self._places = page, stages, places
        page.board_wanted.connect(self.begin_board)
        page.file_wanted.connect(self.choose_file)
        page.demo_wanted.connect(self.open_demo)
        page.again_wanted.connect(self.open_again)
        page.forget_wanted.connect(self.forget)
        page.left.connect(places.leave_start)
        document.saved_changed.connect(self._follow)
        self._follow()

    def run(self, act: Callable[[], None]) -> None:
        """Do something; what is refused is said."""
        try:
            act()
        except OndaError as error:
            self._messages.say(str(error), error=True)

    # ---- beginning

    def show_begun(self) -> None:
        """Bring the list of what was begun before up to date."""
        begun = [Begun(str(k.path), k.title, _kept_words(k), can_forget=True) for k in kept_work()]
        begun = begun[:_MOST_LISTED]
        begun += [Begun(str(p), p.stem, _short(p.parent)) for p in recent_files()][:10]
        can_leave = bool(self._document.project.design.stackup.layers or self._document.is_touched)
        self._page.show_begun(begun, can_leave=can_leave)

    def begin_board(self, name: str, layers: int, tail: bool) -> None:
        """Begin an empty board with a usual build."""

        def act() -> None:
            # The library of materials takes its time to load.
            from onda.project.begin import from_template

            self._replace(from_template(name, layers, tail=tail))

        self.run(act)

    def open_demo(self) -> None:
        """Open the demo."""
        from onda.demo import fulmar_project

        self.run(lambda: self._replace(fulmar_project()))

    def open_again(self, key: str) -> None:
        """Open what was begun before, by its key."""
        kept = next((k for k in kept_work() if str(k.path) == key), None)
        if kept is None:
            self.load(Path(key))
        elif kept.file is None:
            self.run(lambda: self._turn(lambda: self._document.resume(kept)))
        else:
            self.run(lambda: self._take_up(kept, kept.file))

    def _take_up(self, kept: Kept, file: Path | None) -> None:
        """Open the file that unsaved work belongs to, and take the work up."""
        found = read_kept(kept)
        if found is None:
            raise InputError("that work is not there any more")
        if file is None or not file.exists():
            raise InputError(
                f"{file} is not there any more",
                remedy="Put the file back, or open another state of it and save it there.",
            )
        self._turn(lambda: self._document.load(file))
        self._document.recover(found)
        self._tell_open_elsewhere()

    def forget(self, key: str) -> None:
        """Give up unsaved work that is kept."""
        for kept in kept_work():
            if str(kept.path) == key:
                kept.forget()
        self.show_begun()

    def _replace(self, project: Project) -> None:
        self._turn(lambda: self._document.replace(project, None))

    def _turn(self, act: Callable[[], None]) -> None:
        """Open something else; what is open and not saved is kept aside first."""
        kept = self._document.is_touched and self._document.autosave_now(closed=True)
        before = self._document.project.name
        act()
        self._places.leave_start()
        self._places.go_to_work()
        self._messages.hush()
        if kept:
            self._messages.say(
                f"What was not saved of {before} is kept: New (Ctrl+N) lists it, or opening its "
                "file offers it."
            )

    # ---- files

    def _follow(self) -> None:
        """Dialogs begin where the project is."""
        if self._document.path is not None:
            begin_in(self._document.path.resolve().parent)

    def choose_file(self) -> None:
        """Ask for any file that a project can begin with."""
        every = " ".join([_PROJECT, *(e for s in self._stages for e in s.takes)])
        path = ask_open(self._parent, "Begin with a file", f"All that can be read ({every})")
        if path is not None:
            self.begin_with(path)

    def open_file(self) -> None:
        """Ask for a project and open it."""
        path = ask_open(self._parent, "Open project", _FILTER)
        if path is not None:
            self.load(path)

    def load(self, path: Path) -> None:
        """Open a file; what is open stays where that fails."""

        def act() -> None:
            self._turn(lambda: self._document.load(path))
            remember_file(path)
            if not self._tell_open_elsewhere():
                self.offer_recovery()

        self.run(act)

    def begin_with(self, path: Path) -> None:
        """Begin a project with a file: a project itself, or what a stage takes."""
        if fnmatch(path.name.lower(), _PROJECT):
            self.load(path)
            return

        def act() -> None:
            from onda.project.begin import empty_project

            stage = self._taker(path)
            self._replace(empty_project(path.stem[:120] or "New board"))
            self._places.go_with_file(stage.id, path)

        self.run(act)

    def drop(self, path: Path) -> None:
        """Take a dropped file: open a project, add anything else to the present one."""
        if fnmatch(path.name.lower(), _PROJECT):
            self.load(path)
        else:
            self.run(lambda: self._places.go_with_file(self._taker(path).id, path))

    def _taker(self, path: Path) -> StageInfo:
        name = path.name.lower()
        for stage in self._stages:
            if any(fnmatch(name, ending) for ending in stage.takes):
                return stage
        endings = ", ".join([_PROJECT, *(e for s in self._stages for e in s.takes)])
        raise InputError("no stage takes such a file", file=path.name, remedy=f"Known: {endings}.")

    # ---- saving

    def save(self) -> None:
        """Save; asks for a file where there is none yet."""
        if self._document.path is None:
            self.save_as()
        else:
            self.run(self._save_there)

    def look_outside(self) -> bool:
        """Say where another program changed the file meanwhile; whether one did."""
        path = self._document.path
        if path is None or not self._document.is_changed_outside():
            return False
        self._messages.say(
            f"{path.name} was changed by another program.",
            [
                *self._ways_on(path),
                ("What differs", lambda: self._tell_differences(path)),
            ],
        )
        return True

    def _tell_open_elsewhere(self, *ways: tuple[str, Callable[[], None]]) -> bool:
        """Say who else has the file open, and what can be done; whether somebody has."""
        path, by = self._document.path, self._document.opened_by
        if path is None or by is None:
            return False
        since = f" since {_when(by.since)}" if by.since else ""
        self._messages.say(
            f"{path.name} is open elsewhere too: {by.user} on {by.host}, process "
            f"{by.process}{since}. Only one of both can be saved in this file.",
            list(ways),
        )
        return True

    def _ways_on(self, path: Path) -> list[tuple[str, Callable[[], None]]]:
        """What can be done about a file that another program changed."""
        return [
            ("Reload it", lambda: self.load(path)),
            ("Save over it", self._save_over),
            ("Save beside it", lambda: self._save_beside(path)),
        ]

    def _save_over(self) -> None:
        self._document.accept_outside()
        self.run(self._save_there)

    def _save_beside(self, path: Path) -> None:
        names = (path.with_name(f"{path.stem}-{k}{path.suffix}") for k in count(2))
        free = next(n for n in names if not n.exists())

        def act() -> None:
            self._document.save(free)
            remember_file(free)
            self._messages.say(
                f"Saved as {free.name}; {path.name} is as the other program left it."
            )

        self.run(act)

    def _tell_differences(self, path: Path) -> None:
        def act() -> None:
            from onda.project.differences import differences

            found = differences(load_project(path), self._document.project)
            shown = "; ".join(found[:_MOST_TOLD])
            more = f"; and {len(found) - _MOST_TOLD} more" if len(found) > _MOST_TOLD else ""
            words = f"Here, but not in the file: {shown}{more}." if found else "Both are alike."
            self._messages.say(words, self._ways_on(path))

        self.run(act)

    def _save_there(self) -> None:
        if self.look_outside():
            return
        path = self._document.path
        if path is not None and self._document.is_open_elsewhere():
            self._tell_open_elsewhere(
                ("Save all the same", lambda: self.run(self._write)),
                ("Save beside it", lambda: self._save_beside(path)),
            )
            return
        self._write()

    def _write(self) -> None:
        self._document.save()
        if self._document.path is not None:
            remember_file(self._document.path)

    def save_as(self) -> None:
        """Save under another name."""
        name = fresh_id(self._document.project.name.lower(), (), "board") + ".onda"
        if self._document.path is not None:
            name = self._document.path.name
        chosen = ask_save(self._parent, "Save project", name, _FILTER)
        if chosen is not None:
            path = chosen
            path = path if path.suffix == ".onda" else path.with_name(f"{path.name}.onda")

            self.run(lambda: self._save_as(path))

    def _save_as(self, path: Path) -> None:
        others = others_beside(self._document.project, path.parent)
        if others and path != self._document.path:

            def keep_both() -> None:
                new = with_other_names(self._document.project, path.parent)
                self._document.edit("Other names for files", new)
                self._save_as(path)

            self._messages.say(
                f"{path.parent.name or path.parent} has another file called {others[0]} than this "
                "project's own. Nothing was saved yet.",
                [
                    ("Keep both", lambda: self.run(keep_both)),
                    ("Another folder", self.save_as),
                ],
            )
            return
        self._document.save(path)
        remember_file(path)

    def offer_recovery(self) -> None:
        """Offer work on this project that was never saved."""
        found = self._document.recoverable()
        if found is None:
            return

        when = _when(found.saved_at)
        words = (
            f"This project was closed with work that was not saved; it was kept {when}."
            if found.closed
            else "There is unsaved work on this project from a session that did not end well, kept "
            f"{when}."
        )
        if found.kept.changed:
            words += f" It differs by: {'; '.join(found.kept.changed)}."
        self._messages.say(
            words,
            [
                ("Recover it", lambda: self._document.recover(found)),
                ("Forget it", found.kept.forget),
            ],
        )


def _kept_words(kept: Kept) -> str:
    """When unsaved work was kept, where it belongs, and what changed."""
    words = f"not saved, kept {_when(kept.saved_at)}"
    if kept.file is not None:
        words += f" of {kept.file.name}" + ("" if kept.is_newer else ", older than the file")
    if kept.changed:
        words += f": {'; '.join(kept.changed)}"
    return words if len(words) <= _LONGEST else f"{words[: _LONGEST - 1]}…"


def _when(moment: float) -> str:
    return time.strftime("%d %b %H:%M", time.localtime(moment)).lstrip("0")


def _short(folder: Path) -> str:
    """A folder as people write it."""
    home = Path.home()
    return f"~/{folder.relative_to(home)}" if folder.is_relative_to(home) else str(folder)
