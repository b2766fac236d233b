"""What the ribbon, the keys and the inspector do to the path in view."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from onda.errors import InputError, OndaError
from onda.project.edits import keep_state, replace_path, require, with_design
from onda.project.files import keep
from onda.project.model import MEASURE_DIMENSIONS, DeviceFile, Path, Requirement
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
from onda.project.paths.path import RECEIVER, Cable, ModelUse, NetworkPiece, TracePiece
from onda.project.quantities import quantity
from onda.studies.core.margin import MEASURE_TITLES, limits_text
from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs, DeviceSummary
from onda.studies.networks.piece import NETWORK_FILE

if TYPE_CHECKING:
    from onda.app.stages.paths.stage import PathsStage
    from onda.app.stages.paths.views import MeasuresView

__all__ = ["PathActions"]

_LARGEST_BYTES = 256 * 1024 * 1024


class PathActions:
    """Edits of the path in view; what goes wrong is said on the surface."""

    def __init__(self, stage: PathsStage) -> None:
        self._stage = stage
        self._dragged_from: float | None = None
        self._limited = "overshoot"
        ribbon = stage.ribbon
        ribbon.drag_began.connect(self._begin_drag)
        ribbon.drag_ended.connect(stage.context.document.end_gesture)
        ribbon.length_dragged.connect(self._drag_length)
        ribbon.insert_wanted.connect(self.insert)
        ribbon.remove_wanted.connect(self.take_out)
        ribbon.copy_wanted.connect(self.copy)
        ribbon.move_wanted.connect(self.move)
        ribbon.topology_wanted.connect(self.lay_out)
        ribbon.straight_wanted.connect(self.run_straight)

    def _try(self, label: str, change: Callable[[Path], Path]) -> bool:
        path, document = self._stage.path, self._stage.context.document
        if path is None:
            return False
        try:
            document.edit(label, replace_path(document.project, change(path)))
        except OndaError as error:
            self._stage.surface.tell(str(error))
            return False
        return True

    @property
    def _chosen(self) -> str:
        return self._stage.context.selection.element

    def insert(self, kind: str) -> None:
        """Insert an element behind the chosen one, and choose it."""
        made = ""

        def change(path: Path) -> Path:
            nonlocal made
            after = path.elements[-1].id if self._chosen == RECEIVER else self._chosen
            new, made = insert_element(path, after, kind, self._stage.design)
            return new

        if self._try(f"Insert {kind}", change):
            self._stage.context.selection.choose_element(made)

    def take_out(self) -> None:
        """Remove the chosen element."""
        chosen, path = self._chosen, self._stage.path
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
            self._stage.context.selection.choose_element(made)

    def move(self, step: int) -> None:
        """Move the chosen element along its line."""
        chosen = self._chosen
        self._try(f"Move {chosen}", lambda p: move_element(p, chosen, step))

    def lay_out(self, kind: str, loads: int) -> None:
        """Lay the path out anew."""
        design = self._stage.design
        self._try(f"Lay out {kind}", lambda p: make_topology(p, kind, loads, design))

    def run_straight(self) -> None:
        """Keep the path as it is, then run it straight: both are seen side by side."""
        path, document = self._stage.path, self._stage.context.document
        if path is None:
            return
        try:
            kept = keep_state(document.project, "as laid out")
            document.edit("Run straight", replace_path(kept, straight_run(path)))
        except OndaError as error:
            self._stage.surface.tell(str(error))

    def _begin_drag(self) -> None:
        self._dragged_from = None
        self._stage.context.document.begin_gesture()

    def _drag_length(self, element: str, share: float) -> None:
        path = self._stage.path
        piece = path.element(element) if path is not None else None
        if not isinstance(piece, TracePiece | Cable):
            return
        if self._dragged_from is None:
            self._dragged_from = piece.length.si
        try:
            length = quantity(self._dragged_from * share, "length", "mm", 4)
            self._stage.form.change_element(piece, length=length)
        except OndaError as error:
            self._stage.surface.tell(str(error))

    # ---- limits

    def wire_measures(self, make: type[MeasuresView]) -> MeasuresView:
        """A view of measures whose limits can be typed."""
        view = make(self._stage.context.look, self._put_limit)
        view.chosen.connect(self._offer_limit)
        self._measures = view
        return view

    def _offer_limit(self, measure: str) -> None:
        if measure not in MEASURE_DIMENSIONS or self._stage.path is None:
            return
        self._limited = measure
        subject = self._stage.path.id
        present = next(
            (
                m
                for r, m in zip(self._wanted(subject), self._stage.margins()[1], strict=True)
                if r.measure == measure
            ),
            None,
        )
        words = limits_text(present) if present is not None else ""
        self._measures.show_limit(MEASURE_TITLES[measure], words)

    def _wanted(self, subject: str) -> list[Requirement]:
        every = self._stage.context.document.project.requirements
        return [r for r in every if (r.stage, r.subject) == (self._stage.id, subject)]

    def _put_limit(self, typed: str) -> None:
        path, document = self._stage.path, self._stage.context.document
        if path is None:
            return
        text = typed.replace("Ω", "ohm").replace("µ", "u").replace("−", "-")
        new = require(document.project, self._stage.id, path.id, self._limited, text)
        document.edit(f"Limit {MEASURE_TITLES[self._limited].lower()}", new)

    # ---- device files

    def as_network(self) -> None:
        """Put the path among the networks and go there."""
        path, context = self._stage.path, self._stage.context
        if path is None:
            return
        source = PathSource(path=path.id)
        try:
            project, new = add_network(context.document.project, path.name, source, lane=path.lane)
        except OndaError as error:
            self._stage.surface.tell(str(error))
            return
        context.document.edit("Path as network", project)
        context.selection.choose(new, "networks")
        context.selection.go("networks")

    def choose_file(self) -> None:
        """Ask for a device file and use it at the chosen end."""
        name, _ = QFileDialog.getOpenFileName(
            self._stage.surface,
            "Open device file",
            "",
            "Device models and two-ports (*.ibs *.s2p);;All files (*)",
        )
        if name:
            self.use_file(FilePath(name))

    def use_file(self, file: FilePath) -> None:
        """Read a device file in the background, then use its first fitting model."""
        try:
            if file.stat().st_size > _LARGEST_BYTES:
                raise InputError("is larger than any device file", file=str(file))
            data = file.read_bytes()
        except OSError as error:
            self._stage.surface.tell(f"{file}: cannot be read: {error.strerror}")
            return
        except InputError as error:
            self._stage.surface.tell(str(error))
            return
        end = self._chosen
        digest = keep(data)
        ids = {f.id for f in self._stage.design.device_files}
        stem = "".join(c if c.isalnum() or c in "_-" else "-" for c in file.stem)[:40] or "device"
        name = next(
            n for k in range(1, 10_000) if (n := f"{stem}-{k}" if k > 1 else stem) not in ids
        )
        entry = DeviceFile(id=name, path=f"devices/{file.name}", sha256=digest)

        if file.suffix.lower() == ".s2p":
            self._stage.ask(
                "device-file",
                NETWORK_FILE,
                lambda: DeviceFileInputs(entry.path, entry.sha256),
                lambda _: self._insert_network(entry),
                self._stage.surface.tell,
            )
            return

        def read(summary: DeviceSummary) -> None:
            self._use(entry, summary, end)

        self._stage.ask(
            "device-file",
            DEVICE_FILE,
            lambda: DeviceFileInputs(entry.path, entry.sha256),
            read,
            self._stage.surface.tell,
        )

    def _insert_network(self, entry: DeviceFile) -> None:
        """A two-port that could be read goes behind the chosen element."""
        document, path = self._stage.context.document, self._stage.path
        if path is None:
            return
        try:
            files = (*document.project.design.device_files, entry)
            project = with_design(document.project, device_files=files)
            new, made = insert_element(path, self._chosen, "network", project.design)
            placed = NetworkPiece(id=made, file=entry.id)
            new = change_element(new, placed)
            document.edit("Insert network", replace_path(project, new))
        except OndaError as error:
            self._stage.surface.tell(str(error))
            return
        self._stage.context.selection.choose_element(made)

    def _use(self, entry: DeviceFile, summary: DeviceSummary, end: str) -> None:
        document, path = self._stage.context.document, self._stage.path
        if path is None:
            return
        same = next((f for f in self._stage.design.device_files if f.sha256 == entry.sha256), None)
        entry = same or entry
        at = end if end in path.receivers else "driver"
        first = summary.first_driver if at == "driver" else summary.first_receiver
        if first is None:
            what = "drive" if at == "driver" else "listen"
            self._stage.surface.tell(f"{entry.path}: no model in it can {what} here")
            return
        component, pin, model = first
        use = ModelUse(file=entry.id, model=model, component=component, pin=pin)
        try:
            project = document.project
            if same is None:
                files = (*project.design.device_files, entry)
                project = with_design(project, device_files=files)
            document.edit("Use device file", replace_path(project, set_model(path, at, use)))
        except OndaError as error:
            self._stage.surface.tell(str(error))
