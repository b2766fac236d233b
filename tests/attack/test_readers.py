"""Files and values made to hang, to inflate or to slip through: each ends soon and says why."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import pytest

from onda.demo import fulmar_project
from onda.errors import InputError
from onda.formats.build_table import layers_from_csv
from onda.formats.plain_file import check_plain
from onda.formats.touchstone.reader import read_touchstone
from onda.project.networks.limit_sets import read_set
from onda.project.quantities import parse_quantity
from onda.project.store import dumps, load_project, loads

OPTION = "# GHz S MA R 50\n"


def within(seconds: float, act: Callable[[], object]) -> BaseException | None:
    """What an act raises; a failure where it takes longer."""
    found: list[BaseException | None] = []

    def run() -> None:
        try:
            act()
            found.append(None)
        except BaseException as error:  # noqa: BLE001 - looked at by who asked
            found.append(error)

    worker = threading.Thread(target=run, daemon=True)
    worker.start()
    worker.join(seconds)
    assert found, f"no answer within {seconds} s"
    return found[0]


@pytest.mark.parametrize(
    "cell", ["name" + " " * 4000 + "!", "a" * 200_000, "[" * 5000, "a " * 20_000 + "(", "_" * 9000]
)
def test_headers_that_once_took_a_minute(cell) -> None:
    error = within(10.0, lambda: layers_from_csv(f"{cell},b\n1,2\n".encode(), file="a.csv"))
    assert isinstance(error, InputError)


@pytest.mark.parametrize("text", ["1" + " " * 50_000 + "x", "9" * 50_000 + " mm", "1." * 30_000])
def test_quantities_of_any_length(text) -> None:
    assert isinstance(within(5.0, lambda: parse_quantity(text, "length")), InputError)


def test_numbers_and_options_by_turns_stay_small() -> None:
    many = "".join(f"{k} 1 2 3 4 5 6 7 8\n{OPTION}" for k in range(8000))
    tracemalloc.start()
    error = within(20.0, lambda: read_touchstone((OPTION + many).encode(), "a.s2p"))
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert isinstance(error, InputError)
    assert "more than 1000 times" in str(error)
    assert peak < 8 * len(many) + 200e6
    # A few are no attack.
    few = "".join(f"{k + 1} 1 2 3 4 5 6 7 8\n{OPTION}" for k in range(20))
    assert len(read_touchstone((OPTION + few).encode(), "a.s2p").frequency) == 20


def test_a_number_of_ports_in_small_print() -> None:
    text = f"[Version] 2.0\n{OPTION}[Number of Ports] ²\n[Network Data]\n1 2 3\n[End]\n"
    with pytest.raises(InputError, match="needs a number above 0"):
        read_touchstone(text.encode(), "a.ts")


@pytest.mark.parametrize("letter", ["G", "H"])
def test_hybrids_are_of_two_ports(letter) -> None:
    text = f"# GHz {letter} MA R 50\n1 " + "1 " * 32 + "\n"
    with pytest.raises(InputError, match="of two ports, not of 4"):
        read_touchstone(text.encode(), "a.s4p")
    # Of two they are read.
    two = f"# GHz {letter} RI R 50\n1 0.5 0 0.1 0 0.2 0 0.4 0\n"
    assert read_touchstone(two.encode(), "a.s2p").data.shape == (1, 2, 2)


@pytest.mark.parametrize("si", [10**400, -(10**400), 1e301])
def test_huge_values_in_a_project(si) -> None:
    tree = json.loads(dumps(fulmar_project()))
    tree["design"]["paths"][0]["elements"][2]["length"] = {"text": "1 mm", "si": si}
    with pytest.raises(InputError, match="disagree"):
        loads(json.dumps(tree))


def test_a_set_without_a_limit() -> None:
    text = '{"name": "x", "limits": [{"measure": "insertion"}]}'
    with pytest.raises(InputError, match="insertion has no limit"):
        read_set(text, "s.json")


def test_what_is_no_file_is_not_opened(tmp_path: Path) -> None:
    pipe = tmp_path / "p.onda"
    os.mkfifo(pipe)
    for path, words in ((pipe, "is a pipe"), (Path("/dev/zero"), "is a device"),
                        (tmp_path, "is a folder")):  # fmt: skip
        with pytest.raises(InputError, match=words):
            check_plain(path)
        error = within(5.0, lambda path=path: load_project(path))
        assert isinstance(error, InputError)
        assert words in str(error)
    # What is not there, whoever opens it says.
    check_plain(tmp_path / "nowhere")


def command(*arguments: str, out: object) -> tuple[int, str]:
    done = subprocess.run(
        [sys.executable, "-m", "onda", *arguments],
        stdout=out,  # type: ignore[call-overload]
        stderr=subprocess.PIPE,
        text=True,
        timeout=60,
        check=False,
    )
    return done.returncode, done.stderr


def test_a_full_disk_is_one_sentence() -> None:
    with Path("/dev/full").open("w") as full:
        code, told = command("materials", out=full)
    assert code == 2
    assert told.startswith("onda: the answer cannot be written")
    assert told.count("\n") == 1


def test_a_reader_that_leaves_is_no_failure() -> None:
    read, write = os.pipe()
    os.close(read)
    try:
        code, told = command("materials", out=write)
    finally:
        os.close(write)
    assert (code, told) == (0, "")


@pytest.mark.parametrize(
    "arguments", [("check", "/dev/zero"), ("network", "/dev/zero"), ("ami", "/dev/zero")]
)
def test_commands_refuse_devices(arguments) -> None:
    code, told = command(*arguments, out=subprocess.DEVNULL)
    assert code == 2
    assert "is a device" in told
