"""What the ribbon, the keys and the inspector do to the path in view."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath

from PyQt6.QtWidgets import QWidget

from onda.app.kit.device_shelf import DeviceShelf
from onda.app.kit.editor import Editor
from onda.app.shell.asking import ask_open
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.ribbon import Ribbon
from onda.project.base import fresh_id, set_value
from onda.project.edits import keep_state, replace_object, with_design
from onda.project.file_reference import DeviceFile
from onda.project.files import content_of
from onda.project.model import Project
from onda.project.networks.edits import add_network
from onda.project.networks.network import PathSource
from onda.project.paths.edits import (
    change_element,
    copy_element,
    insert_element,
    make_topology,
    move_element,
    remove_element,
    set_model,
    straight_run,
)
from onda.project.paths.elements import NetworkPiece
from onda.project.paths.ends import RECEIVER, ModelUse
from onda.project.paths.path import Path
from onda.project.quantities import quantity
from onda.studies.devices.device_file import DeviceFileInputs, DeviceSummary
from onda.studies.devices.take import TAKE_FILE, TakenFile, take_inputs
from onda.studies.networks.piece import NETWORK_FILE

__all__ = ["PathActions"]


class PathActions:
    """Edits of the path in view; what goes wrong is said on the surface."""

    def __init__(self, editor: Editor, subject: PathInView, shelf: DeviceShelf) -> None:
        self._editor, self._subject, self._shelf = editor, subject, shelf
        self._dragged_from: float | None = None

    def wire(self, ribbon: Ribbon) -> None:
        """Do what the ribbon asks for."""
        ribbon.drag_began.connect(self._begin_drag)
        ribbon.drag_ended.connect(self._editor.end_gesture)
        ribbon.length_dragged.connect(self._drag_length)
        ribbon.insert_wanted.connect(self.insert)
        ribbon.remove_wanted.connect(self.take_out)
        ribbon.copy_wanted.connect(self.copy)
        ribbon.move_wanted.connect(self.move)
        ribbon.topology_wanted.connect(self.lay_out)
        ribbon.straight_wanted.connect(self.run_straight)

    def _try(self, label: str, change: Callable[[Path], Path]) -> bool:
        path = self._subject.path
        return path is not None and self._editor.attempt_put(label, lambda: change(path))

    @property
    def _chosen(self) -> str:
        return self._subject.element

    def insert(self, kind: str) -> None:
        """Insert an element behind the chosen one, and choose it."""
        made = ""

        def change(path: Path) -> Path:
            nonlocal made
            after = path.elements[-1].id if self._chosen == RECEIVER else self._chosen
            new, made = insert_element(path, after, kind, self._editor.design)
            return new

        if self._try(f"Insert {kind}", change):
            self._subject.choose_element(made)

    def take_out(self) -> None:
        """Remove the chosen element."""
        chosen, path = self._chosen, self._subject.path
        if path is not None and path.element(chosen) is not None:
            self._try(f"Remove {chosen}", lambda p: remove_element(p, chosen))

    def copy(self) -> None:
        """Copy the chosen element behind itself, and choose the copy."""
        chosen, made = self._chosen, ""

        def change(path: Path) -> Path:
            nonlocal made
            new, made = copy_element(path, chosen)
            return new

        if self._try(f"Copy {chosen}", change):
            self._subject.choose_element(made)

    def move(self, step: int) -> None:
        """Move the chosen element along its line."""
        chosen = self._chosen
        self._try(f"Move {chosen}", lambda p: move_element(p, chosen, step))

    def lay_out(self, kind: str, loads: int) -> None:
        """Lay the path out anew."""
        design = self._editor.design
        self._try(f"Lay out {kind}", lambda p: make_topology(p, kind, loads, design))

    def run_straight(self) -> None:
        """Keep the path as it is, then run it straight: both are seen side by side."""
        path = self._subject.path
        if path is not None:
            self._editor.attempt(
                "Run straight",
                lambda p: replace_object(keep_state(p, "as laid out"), straight_run(path)),
            )

    def _begin_drag(self) -> None:
        self._dragged_from = None
        self._editor.begin_gesture()

    def _drag_length(self, element: str, share: float) -> None:
        path = self._subject.path
        piece = path.element(element) if path is not None else None
        if piece is None or piece.main != "length" or piece.main_quantity is None:
            return
        if self._dragged_from is None:
            self._dragged_from = piece.main_quantity.si
        length = self._dragged_from * share

        def change(p: Path) -> Path:
            return change_element(p, set_value(piece, length=quantity(length, "length", "mm", 4)))

        self._try(f"Change {element}", change)

    # ---- device files

    def as_network(self) -> None:
        """Put the path among the networks and go there."""
        path = self._subject.path
        if path is None:
            return
        source = PathSource(path=path.id)

        def act() -> None:
            project, ref = add_network(self._editor.project, path.name, source, lane=path.lane)
            self._editor.make("Path as network", project)
            self._subject.context.selection.show(ref)

        self._editor.run(act)

    def choose_file(self, parent: QWidget) -> None:
        """Ask for a device file and use it at the chosen end."""
        kinds = "Device models and two-ports (*.ibs *.s2p);;All files (*)"
        path = ask_open(parent, "Open device file", kinds)
        if path is not None:
            self.use_file(path)

    def use_file(self, file: FilePath) -> None:
        """Take a file over and read it in the background, then use its first fitting model."""
        end, tell = self._chosen, self._editor.tell

        def taken(found: TakenFile) -> None:
            ids = {f.id for f in self._editor.design.device_files}
            name = fresh_id(file.stem, ids, "device")
            entry = DeviceFile(id=name, path=f"devices/{file.name}", sha256=found.sha256)
            content = content_of(entry)
            if file.suffix.lower() == ".s2p":
                self._subject.ask(
                    "two-port",
                    NETWORK_FILE,
                    lambda: DeviceFileInputs(content),
                    lambda _: self._insert_network(entry),
                    tell,
                )
            else:
                self._shelf.read(content, lambda s: self._use(entry, s, end), tell)

        self._subject.ask("take-file", TAKE_FILE, lambda: take_inputs(file), taken, tell)

    def use_known(self, file: str, end: str) -> None:
        """Use the first fitting model of a file of the project."""
        entry = self._editor.design.device_file(file)
        self._editor.run(
            lambda: self._shelf.read(
                content_of(entry),
                lambda s: self._use(entry, s, end, "Choose device file"),
                self._editor.tell,
            )
        )

    def _insert_network(self, entry: DeviceFile) -> None:
        """A two-port that could be read goes behind the chosen element."""
        path = self._subject.path
        if path is None:
            return
        made = ""

        def change(project: Project) -> Project:
            nonlocal made
            project = with_design(project, device_files=(*project.design.device_files, entry))
            new, made = insert_element(path, self._chosen, "network", project.design)
            return replace_object(
                project, change_element(new, NetworkPiece(id=made, file=entry.id))
            )

        if self._editor.attempt("Insert network", change):
            self._subject.choose_element(made)

    def _use(
        self, entry: DeviceFile, summary: DeviceSummary, end: str, label: str = "Use device file"
    ) -> None:
        path = self._subject.path
        files = self._editor.design.device_files
        same = next((f for f in files if f.sha256 == entry.sha256), None)
        if path is None:
            if same is None:
                # It waits on the shelf for the first path.
                self._editor.attempt(
                    "Add device file", lambda p: with_design(p, device_files=(*files, entry))
                )
            return
        at = end if end in path.receivers else "driver"
        first = summary.first_driver if at == "driver" else summary.first_receiver
        if first is None:
            what = "drive" if at == "driver" else "listen"
            self._editor.tell(f"{entry.path}: no model in it can {what} here")
            return
        component, pin, model = first
        use = ModelUse(file=(same or entry).id, model=model, component=component, pin=pin)

        def change(project: Project) -> Project:
            if same is None:
                project = with_design(project, device_files=(*files, entry))
            return replace_object(project, set_model(path, at, use))

        self._editor.attempt(label, change)
