"""Timing sheets as files of their own: what a device asks, to be kept beside its data sheet."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Literal

from pydantic import ValidationError

from onda.errors import InputError
from onda.formats.plain_file import check_plain
from onda.project.base import Frozen, Name, as_input_error
from onda.project.buses.bus import TimingSheet

__all__ = ["SheetFile", "load_sheet", "read_sheet", "sheet_text"]


_MOST_BYTES = 1_000_000


class SheetFile(Frozen):
    """A sheet with the name of what asks for it."""

    kind: Literal["onda timing sheet 1"] = "onda timing sheet 1"
    name: Name
    sheet: TimingSheet


def read_sheet(text: str, file: str | None = None) -> SheetFile:
    """Read a sheet; raise `InputError` with the place of the first thing that does not fit."""
    try:
        return SheetFile.model_validate_json(text)
    except ValidationError as error:
        wrong = as_input_error(error)
        remedy = "A sheet has what one that was written from a bus has."
        raise InputError(wrong.what, file=file, where=wrong.where, remedy=remedy) from error


def load_sheet(path: Path) -> SheetFile:
    """Read the sheet of a file.

    Raises
    ------
    InputError : it cannot be read, is no plain file, or no sheet
    """
    check_plain(path)
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise InputError("is too large for a timing sheet", file=path.name)
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"cannot be read ({error})", file=path.name) from error
    return read_sheet(text, path.name)


def sheet_text(name: str, sheet: TimingSheet) -> str:
    """Text of a sheet, its quantities as they were typed, so that it can be changed by hand."""
    tree = SheetFile(name=name, sheet=sheet).model_dump(mode="json")
    for key, value in tree["sheet"].items():
        if isinstance(value, dict) and "text" in value:
            tree["sheet"][key] = value["text"]
    return json.dumps(tree, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
