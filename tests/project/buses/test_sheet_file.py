"""Timing sheets as files: what is written is read again, and what is none is refused."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.project.buses.sheet_file import load_sheet, read_sheet, sheet_text


@pytest.fixture
def sheet(project):
    return project.design.bus("byte1").device("B").sheet


def test_what_is_written_is_read_again(sheet, tmp_path: Path) -> None:
    path = tmp_path / "b.json"
    path.write_text(sheet_text("Module B", sheet), encoding="utf-8")
    found = load_sheet(path)
    assert (found.name, found.sheet) == ("Module B", sheet)
    assert sheet.hold_table is not None
    tree = json.loads(path.read_text())
    assert tree["kind"] == "onda timing sheet 1"
    assert tree["sheet"]["setup"] == "35 ps"
    assert tree["sheet"]["hold_table"]["delta"][2] == [7e-11, 7e-11]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "onda requirement set 1"}, "kind"),
        ({"sheet": {"setup": "fast"}}, "not a time"),
        ({"sheet": {"setup": "5 mV"}}, "sheet.setup"),
        ({"sheet": {"margin": "5 ps"}}, "sheet.margin"),
        (
            {"sheet": {"hold_table": {"data_slew": [2, 1], "strobe_slew": [1], "delta": [[0]]}}},
            "data_slew of a table must rise",
        ),
    ],
)
def test_what_is_no_sheet_is_refused_with_its_place(sheet, change, words) -> None:
    tree = json.loads(sheet_text("Module B", sheet)) | change
    with pytest.raises(InputError, match=words) as told:
        read_sheet(json.dumps(tree), "b.json")
    assert told.value.file == "b.json"


def test_files_that_cannot_be_read_are_refused(tmp_path: Path) -> None:
    (tmp_path / "odd.json").write_bytes(b"\xff\xfe")
    (tmp_path / "large.json").write_bytes(b" " * 1_000_001)
    for name, words in (
        ("odd.json", "cannot be read"), ("large.json", "too large"), ("none.json", "none.json"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=words):
            load_sheet(tmp_path / name)
    with pytest.raises(InputError):
        load_sheet(tmp_path)
