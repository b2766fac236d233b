"""The executable model at one end of a link: its files, what is set, whether it may run here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from onda.app.kit.editor import Editor
from onda.app.kit.menus import MenuEntry, fill
from onda.app.kit.subject import Subject
from onda.app.shell.asking import ask_open
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import TextField, label
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.links.executable import ExecutableModel, allow_library, is_allowed
from onda.project.links.link import Link
from onda.project.links.model_edits import End, model_of, put_model, with_model
from onda.studies.devices.take import TAKE_FILE, TakenFile, take_inputs
from onda.studies.links.executable import AmiFile, Parameter, parameters_of
from onda.studies.links.in_device_file import (
    EXECUTABLES,
    DeviceExecutable,
    DeviceExecutables,
    for_end,
    named_inputs,
)

__all__ = ["ModelFields"]

_CORNERS = (("typ", "typical"), ("slow", "slow"), ("fast", "fast"))


class ModelFields(QWidget):
    """Fields of a model at one end; none are shown where there is none."""

    def __init__(
        self,
        look: Look,
        end: End,
        editor: Editor,
        subject: Subject,
        link: Callable[[], Link | None],
        again: Callable[[], None],
    ) -> None:
        super().__init__()
        self._again = again
        self._end, self._editor, self._subject, self._link = end, editor, subject, link
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        row = QHBoxLayout()
        self.name = label("", "secondary", wrap=True)
        row.addWidget(self.name, 1)
        self.choose = QPushButton("Model…")
        self.choose.setToolTip(
            "An executable model: its parameter file (.ami), its library (.so) beside it, or a "
            "device file (.ibs) that names both"
        )
        self.choose.clicked.connect(lambda: self.ask())
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(lambda: self._put(None))
        for button in (self.choose, self.remove):
            row.addWidget(button)
        layout.addLayout(row)
        self.allow = QPushButton("Allow this library")
        self.allow.setToolTip(
            "It runs as a program on this machine, with your rights. Allow it only if you know "
            "where it is from."
        )
        self.allow.clicked.connect(lambda: self._allow())
        layout.addWidget(self.allow)
        self.corner = Choices(look)
        layout.addWidget(self.corner)
        self._layout = layout
        self.fields: dict[str, TextField] = {}
        self._shown: tuple[str, ...] = ()

    # ---- what is shown

    def _present(self) -> tuple[Link, ExecutableModel]:
        link = self._link()
        assert link is not None
        model = model_of(link, self._end)
        assert model is not None
        return link, model

    def _file(self, model: ExecutableModel) -> AmiFile | None:
        try:
            return parameters_of(self._editor.design, model)
        except InputError as error:
            self.name.setText(str(error))
            return None

    def show_link(self, link: Link) -> None:
        """Show the model at this end of a link."""
        model = model_of(link, self._end)
        self.remove.setVisible(model is not None)
        self.corner.set_specs([])
        self.allow.hide()
        if model is None:
            self.name.setText("")
            self._make_fields(None)
            return
        library = self._editor.design.device_file(model.library)
        self.allow.setVisible(not is_allowed(library.sha256))
        self.name.setText(Path(library.path).name)
        file = self._file(model)
        self._make_fields(file)
        if file is None:
            return
        self.corner.set_specs([ChoiceSpec("Corner", _CORNERS, model.corner, self._put_corner)])
        given = {s.id: s.value for s in model.settings}
        for parameter in _settable(file):
            at = given.get(parameter.name, parameter.at(model.corner))
            self.fields[parameter.name].show_text(at)

    def _make_fields(self, file: AmiFile | None) -> None:
        """A field for each parameter that is sent; the old ones stay where they are the same."""
        names = tuple(p.name for p in _settable(file)) if file is not None else ()
        if names == self._shown:
            return
        for field in self.fields.values():
            self._layout.removeWidget(field)
            field.hide()
            field.deleteLater()
        self.fields, self._shown = {}, names
        for parameter in _settable(file) if file is not None else ():
            field = TextField(parameter.name, partial(self._set, parameter), width=110)
            field.edit.setToolTip(_about(parameter))
            self._layout.addWidget(field)
            self.fields[parameter.name] = field

    # ---- what is done

    def ask(self) -> None:
        """Ask for a model and take it."""
        path = ask_open(self, "Executable model", "Models (*.ami *.ibs)")
        if path is None:
            return
        if path.suffix.lower() != ".ami":
            self.take_from(path)
            return
        library = path.with_suffix(".so")
        if not library.exists():
            found = ask_open(self, f"Library of {path.name}", "Libraries (*.so);;All files (*)")
            if found is None:
                return
            library = found
        self.take(path, library)

    def take_from(self, device: Path) -> None:
        """Take the model that a device file names; ask which where it names several."""

        def chosen(one: DeviceExecutable) -> None:
            self.take(Path(one.parameters), Path(one.library))

        def found(every: DeviceExecutables) -> None:
            some: list[DeviceExecutable] = []
            if self._editor.run(lambda: some.extend(for_end(every, self._end, device.name))):
                if len(some) == 1:
                    chosen(some[0])
                    return
                entries = [MenuEntry(one.model, partial(chosen, one)) for one in some]
                menu = fill(QMenu(self), entries)
                menu.popup(self.choose.mapToGlobal(self.choose.rect().bottomLeft()))

        self._subject.ask(
            f"device-{self._end}", EXECUTABLES, lambda: named_inputs(device), found,
            self._editor.tell,
        )  # fmt: skip

    def take(self, parameters: Path, library: Path) -> None:
        """Take a model over; who chooses a library here allows it."""
        link = self._link()
        if link is None:
            return
        end, tell = self._end, self._editor.tell

        def with_library(first: TakenFile, second: TakenFile) -> None:
            def act() -> None:
                allow_library(second.sha256, library.name)
                new = put_model(
                    self._editor.project, link, end,
                    (parameters.name, first.sha256), (library.name, second.sha256),
                )  # fmt: skip
                self._editor.make("Executable model", new)

            self._editor.run(act)

        def taken(first: TakenFile) -> None:
            self._subject.ask(
                f"library-{end}", TAKE_FILE, lambda: take_inputs(library),
                lambda second: with_library(first, second), tell,
            )  # fmt: skip

        self._subject.ask(
            f"parameters-{end}", TAKE_FILE, lambda: take_inputs(parameters), taken, tell
        )

    def _put(self, model: ExecutableModel | None, what: str = "Remove model") -> None:
        link = self._link()
        if link is not None:
            new = with_model(link, self._end, model)
            self._editor.attempt(what, lambda p: replace_object(p, new))

    def _put_corner(self, corner: str) -> None:
        _, model = self._present()
        self._put(set_value(model, corner=corner), "Corner of model")

    def _set(self, parameter: Parameter, typed: str) -> None:
        _, model = self._present()
        plain = typed.strip()
        # What the file itself says is no setting.
        own = plain == "" or plain == parameter.at(model.corner)
        value = None if own else parameter.checked(plain)
        link, _ = self._present()
        new = with_model(link, self._end, model.with_setting(parameter.name, value))
        self._editor.put(f"Set {parameter.name}", new)

    def _allow(self) -> None:
        link, model = self._present()
        library = self._editor.design.device_file(model.library)

        if self._editor.run(lambda: allow_library(library.sha256, library.path)):
            self.show_link(link)
            self._again()


def _settable(file: AmiFile) -> list[Parameter]:
    return [p for p in file.parameters if p.is_sent]


def _about(parameter: Parameter) -> str:
    kinds = {"range": "from {1} to {2}", "list": "one of " + ", ".join(parameter.values[:8])}
    where = kinds.get(parameter.form, "")
    if parameter.form == "range" and len(parameter.values) >= 3:
        where = where.format(*parameter.values)
    elif parameter.form == "range":
        where = ""
    words = f"{parameter.description} {parameter.kind.capitalize()}"
    return (f"{words}, {where}." if where else f"{words}.").strip()
