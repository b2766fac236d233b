"""Executable models that a device file names."""

from __future__ import annotations

import importlib.resources
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.formats.ibis.reader import read_ibis
from onda.studies.core.study import Control
from onda.studies.links.in_device_file import (
    EXECUTABLES,
    DeviceExecutables,
    for_end,
    named_inputs,
)

SHIPPED = importlib.resources.files("onda.data") / "models" / "fulmar_serdes.ibs"


def found_in(path: Path) -> DeviceExecutables:
    return EXECUTABLES.run(named_inputs(path), Control())


@pytest.fixture
def device(tmp_path) -> Path:
    path = tmp_path / "fulmar_serdes.ibs"
    path.write_bytes(SHIPPED.read_bytes())
    return path


def test_the_shipped_file_names_both(device) -> None:
    found = found_in(device)
    assert [
        (e.model, e.side, Path(e.library).name, Path(e.parameters).name) for e in found.found
    ] == [
        ("serdes_tx", "", "fulmar_tx.so", "fulmar_tx.ami"),
        ("serdes_rx", "rx", "fulmar_rx.so", "fulmar_rx.ami"),
    ]
    assert found.others == ("Windows_VS2019_64",)
    assert {Path(e.library).parent for e in found.found} == {device.parent}
    assert [e.model for e in for_end(found, "sender", "x")] == ["serdes_tx"]
    assert [e.model for e in for_end(found, "listener", "x")] == ["serdes_tx", "serdes_rx"]
    assert [e.model for e in for_end(found, "listener", "x", "SERDES_RX")] == ["serdes_rx"]
    with pytest.raises(
        InputError, match=r"of serdes_rx that runs here at that end.*Windows_VS2019"
    ):
        for_end(found, "sender", "x", "serdes_rx")


def test_the_file_is_read_without_an_error_and_the_model_runs_as_a_model_too() -> None:
    file = read_ibis(SHIPPED.read_bytes(), "fulmar_serdes.ibs")
    assert [r for r in file.remarks if r.kind == "error"] == []
    assert not file.models["serdes_tx"].external
    assert [e.platform for e in file.models["serdes_tx"].executables] == [
        "Linux_gcc_64",
        "Windows_VS2019_64",
    ]


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("Executable Linux_gcc_64 ../up.so fulmar_tx.ami", "names files elsewhere"),
        ("Executable Linux_gcc_64 fulmar_tx.so", "no .Algorithmic Model."),
        ("Executable AIX_64 fulmar_tx.so fulmar_tx.ami", "It has them for AIX_64"),
    ],
)
def test_what_cannot_be_taken_is_told(tmp_path, line, words) -> None:
    text = SHIPPED.read_text()
    for old in (
        "Executable Linux_gcc_64 fulmar_tx.so fulmar_tx.ami",
        "Executable Windows_VS2019_64 fulmar_tx.dll fulmar_tx.ami",
    ):
        text = (
            text.replace(old, line, 1) if old.startswith("Executable L") else text.replace(old, "")
        )
    path = tmp_path / "bad.ibs"
    path.write_text(text)
    with pytest.raises(InputError, match=words):
        for_end(found_in(path), "sender", path.name)


def test_an_algorithmic_model_belongs_to_a_model() -> None:
    text = SHIPPED.read_text()
    loose = "[Algorithmic Model]\nExecutable Linux_gcc_64 a.so a.ami\n[End Algorithmic Model]\n"
    file = read_ibis(text.replace("[Component]", f"{loose}[Component]", 1).encode(), "x.ibs")
    assert any("belongs to no model" in r.text for r in file.remarks)
