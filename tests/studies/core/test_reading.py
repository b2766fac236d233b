"""How large a file may be that is read, told from its size before a byte of it is."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.studies.core.reading import ReadInputs, read_inputs
from onda.studies.devices.take import take_inputs
from onda.studies.links.in_device_file import named_inputs


@pytest.mark.parametrize(
    ("look", "most", "words"),
    [
        (named_inputs, 256 * 2**20, "Up to 0.3 GB is read"),
        (take_inputs, 256 * 2**20, "Up to 0.3 GB is read"),
        (read_inputs, 1_500_000_000, "Up to 1.5 GB is read"),
        (lambda path: read_inputs(path, 1000), 1000, "Up to 0.0 GB is read"),
    ],
)
def test_a_byte_too_many_is_too_large(
    tmp_path: Path, look: Callable[[Path], ReadInputs], most: int, words: str
) -> None:
    # Of zeros that take no room on the disk.
    file = tmp_path / "large.ibs"
    file.touch()
    os.truncate(file, most)
    found = look(file)
    assert (found.path, found.size) == (str(file), most)
    assert found.changed == file.stat().st_mtime_ns
    os.truncate(file, most + 1)
    with pytest.raises(InputError, match=words) as told:
        look(file)
    size = (most + 1) / 1e9
    assert f"is {size:.2f} GB; reading it would take about {2.5 * size:.1f} GB" in str(told.value)
    with pytest.raises(InputError, match=r"gone\.ibs.*cannot be read"):
        look(tmp_path / "gone.ibs")
