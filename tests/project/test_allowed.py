"""Which libraries may be run is remembered for the user, the latest of them."""

from __future__ import annotations

import json

import platformdirs
import pytest

from onda.project.links import executable
from onda.project.links.executable import allow_library, is_allowed


def test_the_latest_are_remembered_and_the_oldest_goes(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(executable, "_MOST", 3)
    for k in range(4):
        allow_library(f"hash{k}", f"lib{k}.so")
    assert [is_allowed(f"hash{k}") for k in range(4)] == [False, True, True, True]
    file = platformdirs.user_config_path("onda") / "allowed-libraries.json"
    assert json.loads(file.read_text()) == {f"hash{k}": f"lib{k}.so" for k in (1, 2, 3)}
    # One that is allowed again stays one.
    allow_library("hash2", "other.so")
    assert [is_allowed(f"hash{k}") for k in range(4)] == [False, True, True, True]
    # A list that cannot be read allows nothing, and is written anew.
    for broken in ("[1, 2]", "{", "[" * 10_000):
        file.write_text(broken)
        assert not is_allowed("hash2")
    allow_library("hash9", "l" * 500)
    assert json.loads(file.read_text()) == {"hash9": "l" * 400}
