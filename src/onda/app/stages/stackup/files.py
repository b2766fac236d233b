"""Reading and writing the build: menus of formats, and what became of what was read."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from onda.app.kit.menus import MenuEntry, fill
from onda.app.shell.asking import ask_open, ask_save
from onda.errors import InputError, OndaError
from onda.project.build.exchange import Taken
from onda.project.build.files import FORMATS, read_build, write_build
from onda.project.model import Project
from onda.project.writing import write_atomically

__all__ = ["BuildFiles"]


class BuildFiles:
    """The Read and Write menus of the Stackup stage.

    `project` gives the present project, `reached` ohm by (class, place); `take` puts a project read
    from a file into the document, `tell` says what is wrong, `note` what is not.
    """

    def __init__(
        self,
        parent: QWidget,
        project: Callable[[], Project],
        reached: Callable[[], dict[tuple[str, str], float]],
        take: Callable[[str, Taken], None],
        tell: Callable[[str], None],
        note: Callable[[str], None],
    ) -> None:
        self._parent, self._project, self._reached = parent, project, reached
        self._take, self._tell, self._note = take, tell, note

    def show_read(self, at: QPoint) -> None:
        """Menu of what can be read."""
        self._menu(
            at,
            [
                MenuEntry(
                    "IPC-2581 build…", lambda: self._ask_open("IPC-2581 (*.xml *.cvg *.ipc2581)")
                ),
                MenuEntry("CSV layers…", lambda: self._ask_open("CSV (*.csv)")),
            ],
        )

    def show_write(self, at: QPoint) -> None:
        """Menu of what can be written."""
        entries = [
            MenuEntry(f"{f.title}…", partial(self._ask_save, f.key, f.suffix)) for f in FORMATS
        ]
        entries += [
            MenuEntry("Fabricator's drawing, PDF…", lambda: self._ask_save("pdf", "pdf")),
            MenuEntry("Fabricator's drawing, SVG…", lambda: self._ask_save("svg", "svg")),
        ]
        self._menu(at, entries)

    def _menu(self, at: QPoint, entries: list[MenuEntry]) -> None:
        fill(QMenu(self._parent), entries).popup(at)

    def _ask_open(self, kinds: str) -> None:
        path = ask_open(self._parent, "Read a build", kinds)
        if path is not None:
            self.read(path)

    def choose(self) -> None:
        """Ask for any file that a build can be read from."""
        self._ask_open("Builds (*.xml *.cvg *.ipc2581 *.csv)")

    def _ask_save(self, key: str, suffix: str) -> None:
        name = f"{self._project().name.split()[0].lower()}-{key}.{suffix}"
        path = ask_save(self._parent, "Write the build", name)
        if path is not None:
            self.write(key, path)

    def read(self, path: Path) -> None:
        """Take a build over from a file."""
        try:
            self._take(path.name, read_build(self._project(), path))
        except OndaError as error:
            self._tell(str(error))

    def write(self, key: str, path: Path) -> None:
        """Write the build in a format, onto the file where it is there already."""
        try:
            if key in ("pdf", "svg"):
                # Drawing needs a library that takes its time to load.
                from onda.report.build_drawing import build_drawing

                data = build_drawing(self._project(), key, self._reached())  # type: ignore[arg-type]
                write_atomically(path, data)
            else:
                write_build(self._project(), key, path, self._reached())
            self._note(f"Written: {path.name}")
        except InputError as error:
            self._tell(str(error))
