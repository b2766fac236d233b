"""The project file: one UTF-8 JSON text, sorted keys, one item a line; written atomically."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from onda.errors import InputError
from onda.formats.plain_file import check_plain
from onda.project.files import look_beside, missing_files
from onda.project.model import SCHEMA_VERSION, Project
from onda.project.writing import remove_leftovers, write_atomically

__all__ = ["dumps", "load_project", "loads", "save_project"]

_LARGEST_BYTES = 64 * 1024 * 1024

Migration = Callable[[dict[str, Any]], dict[str, Any]]


def _from_1(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 2 tells cores from prepregs; before, only the name of a layer did."""
    designs = [tree.get("design"), *(k.get("design") for k in _dicts(tree.get("kept")))]
    for design in designs:
        stackup = design.get("stackup") if isinstance(design, dict) else None
        for layer in _dicts(stackup.get("layers") if isinstance(stackup, dict) else None):
            if layer.get("kind") == "dielectric" and "core" in str(layer.get("name", "")).lower():
                layer["build"] = "core"
    return tree | {"schema_version": 2}


def _dicts(items: object) -> list[dict[str, Any]]:
    return [item for item in items if isinstance(item, dict)] if isinstance(items, list) else []


def _from_2(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 3 adds branches, device files and more elements; what was there stays as it is."""
    return tree | {"schema_version": 3}


def _from_3(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 4 adds networks and limits over ranges of frequencies."""
    return tree | {"schema_version": 4}


_KIND_OF_STAGE = {"lines": "line", "paths": "path", "networks": "network", "eyes": "link"}


def _from_4(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 5: a requirement names the kind of its object, not the stage that shows it."""
    for requirement in _dicts(tree.get("requirements")):
        if "stage" in requirement:
            stage = requirement.pop("stage")
            requirement["kind"] = _KIND_OF_STAGE.get(str(stage), stage)
    return tree | {"schema_version": 5}


def _from_5(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 6: a link may run over a network; what was there stays as it is."""
    return tree | {"schema_version": 6}


def _from_6(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 7: a link says where in the bit it is sampled; what was there stays as it is."""
    return tree | {"schema_version": 7}


def _from_7(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 8: half a 2x through may follow a measurement, and groups of lanes."""
    return tree | {"schema_version": 8}


def _from_8(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 9: lanes of groups in paths and links, open planes, equalisers, four levels."""
    return tree | {"schema_version": 9}


def _from_9(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 10: vias of groups, executable models at the ends of links."""
    return tree | {"schema_version": 10}


def _from_10(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 11: line codes, typed patterns, unlike edges, polygons as masks, clocks of links."""
    return tree | {"schema_version": 11}


def _from_11(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 12: address and clock of buses, write levelling, lanes of groups in them."""
    return tree | {"schema_version": 12}


def _from_12(tree: dict[str, Any]) -> dict[str, Any]:
    """Schema 13: lanes of an operation, the worst bits, settings alike over corners."""
    return tree | {"schema_version": 13}


MIGRATIONS: dict[int, Migration] = {
    1: _from_1,
    2: _from_2,
    3: _from_3,
    4: _from_4,
    5: _from_5,
    6: _from_6,
    7: _from_7,
    8: _from_8,
    9: _from_9,
    10: _from_10,
    11: _from_11,
    12: _from_12,
}
"""From schema n to n + 1, by n. Each takes and returns the plain tree."""


def dumps(project: Project, *, for_people: bool = True) -> str:
    """Text of a project file; in one line where nobody looks at it, which is four times as fast."""
    tree = project.model_dump(mode="json")
    indent = 1 if for_people else None
    text = json.dumps(
        tree, sort_keys=for_people, indent=indent, ensure_ascii=False, allow_nan=False
    )
    return f"{text}\n"


def loads(text: str, *, file: str | None = None) -> Project:
    """Read the text of a project file.

    Raises
    ------
    InputError : with line and column where it is not JSON, with the path of the item where a value
        is wrong, and with the version where it comes from a newer Onda
    """
    tree = _parse(text, file)
    version = tree.get("schema_version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise InputError(
            "no schema version", file=file, remedy="This does not look like an Onda project."
        )
    if version > SCHEMA_VERSION:
        raise InputError(
            f"written by a newer Onda (schema {version}, this one reads up to {SCHEMA_VERSION})",
            file=file,
            remedy="Open it with the newer version; the file was left as it is.",
        )
    for step in range(version, SCHEMA_VERSION):
        tree = MIGRATIONS[step](tree)
    try:
        return Project.model_validate_json(json.dumps(tree))
    except ValidationError as error:
        raise _as_input_error(error, file) from error


def _parse(text: str, file: str | None) -> dict[str, Any]:
    def refuse(token: str) -> float:
        raise InputError(f"{token} is not a value", file=file, remedy="Write a finite number.")

    try:
        tree = json.loads(text, parse_constant=refuse)
    except json.JSONDecodeError as error:
        raise InputError(
            f"not valid JSON: {error.msg}",
            file=file,
            line=error.lineno,
            column=error.colno,
            remedy="The file is broken or cut off there; restore it from a copy.",
        ) from error
    except RecursionError as error:
        raise InputError(
            "nested too deeply", file=file, remedy="This does not look like an Onda project."
        ) from error
    except ValueError as error:
        raise InputError(f"a number is too long ({error})", file=file) from error
    if not isinstance(tree, dict):
        raise InputError(
            "not an object", file=file, remedy="This does not look like an Onda project."
        )
    return tree


def _as_input_error(error: ValidationError, file: str | None) -> InputError:
    first = error.errors(include_url=False, include_input=False)[0]
    message = str(first["msg"]).removeprefix("Value error, ")
    more = error.error_count() - 1
    remedy = "Correct it and open the file again."
    if more:
        remedy = f"There are {more} more like it. " + remedy
    return InputError(message, file=file, where=_item_path(first["loc"]), remedy=remedy)


def _item_path(location: tuple[int | str, ...]) -> str | None:
    text = ""
    for part in location:
        if isinstance(part, int):
            text += f"[{part}]"
        else:
            text += f".{part}" if text else str(part)
    return text or None


def load_project(path: Path) -> Project:
    """Read a project file; see `loads`."""
    check_plain(path)
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise InputError(
                f"larger than {_LARGEST_BYTES // 2**20} MiB",
                file=str(path),
                remedy="This does not look like an Onda project.",
            )
        text = path.read_bytes().decode("utf-8")
    except FileNotFoundError as error:
        raise InputError(
            "there is no such file", file=str(path), remedy="Check the name and the folder."
        ) from error
    except UnicodeDecodeError as error:
        raise InputError(
            f"not UTF-8 text (byte {error.start})",
            file=str(path),
            remedy="This does not look like an Onda project.",
        ) from error
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(path)) from error
    project = loads(text, file=str(path))
    look_beside(project, path.parent)
    remove_leftovers(path.resolve().parent)
    return project


def save_project(project: Project, path: Path) -> None:
    """Write a project file; the old file stays whole until the new one is complete.

    Files that it refers to are put beside it where they are not there yet.

    Raises
    ------
    InputError : where it cannot be written (disk full, no permission, folder gone)
    """
    made: list[Path] = []
    try:
        if path.parent.is_dir():
            for beside, data in missing_files(project, path.parent):
                made += [f for f in (*beside.parents[::-1], beside) if not f.exists()]
                beside.parent.mkdir(parents=True, exist_ok=True)
                write_atomically(beside, data)
        write_atomically(path, dumps(project).encode("utf-8"))
    except InputError:
        # Half of a project is none: what was begun beside it goes again.
        for file in reversed(made):
            if file.is_dir():
                file.rmdir()
            else:
                file.unlink(missing_ok=True)
        raise
