"""Executable models for tests: those that ship, built with the compiler of this machine."""

from __future__ import annotations

import importlib.resources
import shutil
import subprocess
from pathlib import Path

import pytest

__all__ = ["MODELS", "build", "needs_compiler", "shipped_model"]

MODELS = Path(str(importlib.resources.files("onda.data"))) / "models"
_COMPILER = shutil.which("cc") or shutil.which("gcc")
needs_compiler = pytest.mark.skipif(_COMPILER is None, reason="there is no C compiler here")


def build(folder: Path, name: str, source: str, *more: str) -> Path:
    """A library of that name from a source."""
    (folder / f"{name}.c").write_text(source)
    made = folder / f"{name}.so"
    command = [
        str(_COMPILER),
        "-shared",
        "-fPIC",
        "-O1",
        "-o",
        str(made),
        str(folder / f"{name}.c"),
    ]
    subprocess.run([*command, *more, "-lm"], check=True, capture_output=True)
    return made


def shipped_model(folder: Path, name: str) -> tuple[Path, Path]:
    """Parameters and library of a shipped model, side by side in a folder."""
    parameters = folder / f"{name}.ami"
    parameters.write_bytes((MODELS / f"{name}.ami").read_bytes())
    return parameters, build(folder, name, (MODELS / f"{name}.c").read_text())
