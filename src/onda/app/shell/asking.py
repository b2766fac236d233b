"""Asking for files: every dialog begins in the project's folder, or where the last one ended."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

__all__ = ["ask_folder", "ask_open", "ask_save", "begin_in"]

_folder: list[Path] = []


def begin_in(folder: Path) -> None:
    """Dialogs begin in a folder from now on."""
    _folder[:] = [folder]


def _here() -> Path:
    return _folder[0] if _folder and _folder[0].is_dir() else Path.home()


def ask_open(parent: QWidget, title: str, kinds: str) -> Path | None:
    """A file to read, None where the user left."""
    name, _ = QFileDialog.getOpenFileName(parent, title, str(_here()), kinds)
    return _taken(name)


def ask_save(parent: QWidget, title: str, name: str, kinds: str = "") -> Path | None:
    """A file to write, `name` being suggested; None where the user left.

    Without an ending the chosen kind gives it one.
    """
    chosen, kind = QFileDialog.getSaveFileName(parent, title, str(_here() / name), kinds)
    found = _taken(chosen)
    ending = kind.partition("(*")[2].partition(")")[0].split(" ")[0] if kind else ""
    if found is not None and not found.suffix and ending.startswith("."):
        found = found.with_name(f"{found.name}{ending}")
    return found


def ask_folder(parent: QWidget, title: str) -> Path | None:
    """A folder, None where the user left."""
    name = QFileDialog.getExistingDirectory(parent, title, str(_here()))
    return Path(name) if name else None


def _taken(name: str) -> Path | None:
    if not name:
        return None
    path = Path(name)
    begin_in(path.parent)
    return path
