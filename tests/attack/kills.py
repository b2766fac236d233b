"""Kills whatever writes: ``python -m tests.attack.kills --count N``.

A process that writes and writes is killed at a random moment. What it wrote must then be whole, the
old one or the new one, and nothing of it may be left behind once the next one looks.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from onda.demo import fulmar_project
from onda.engine.links.statistical import Levels
from onda.formats.network_hdf5 import write_network_hdf5
from onda.project import files, store
from onda.project.base import set_value
from onda.project.begin import from_template
from onda.project.build.files import read_build, write_build
from onda.project.files import keep, trim_store
from onda.project.model import Project
from onda.project.recovery import Autosave, kept_of, read_kept
from onda.project.store import load_project, save_project
from onda.project.writing import remove_leftovers, write_atomically
from onda.report.html import write_report
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import here
from onda.studies.core.runner import StudyRunner

__all__ = ["WRITERS", "kill_often"]

_TIMES = 2.0
"""How long it writes at most, in times that it takes."""


@dataclass(frozen=True)
class Writer:
    """Something that writes: `prepare` a folder, `write` number k, `check` what is there; the
    last one says what is wrong, or nothing."""

    prepare: Callable[[Path], None]
    write: Callable[[Path, int], None]
    check: Callable[[Path], str]


_WHOLE = fulmar_project()
_SMALL = from_template("Made up", 4, tail=False)


def _named(project: Project, k: int) -> Project:
    return set_value(project, revision=f"rev {k}")


def _parts_left(folder: Path) -> str:
    left = [p.name for p in folder.rglob("*.part")]
    return f"left behind: {left[:3]}" if left else ""


def _check_project(folder: Path) -> str:
    found = load_project(folder / "a.onda")
    if not found.revision.startswith("rev "):
        return f"revision {found.revision!r}"
    for file in found.design.device_files:
        if files._hash_of(folder / file.path) != file.sha256:
            return f"{file.path} is not whole"
    return _parts_left(folder)


def _write_autosave(folder: Path, k: int) -> None:
    global _autosave
    if _autosave is None:
        _autosave = Autosave(folder / "a.onda", folder / "state")
    _autosave.write(_named(_WHOLE, k), changed=["all"])


_autosave: Autosave | None = None


def _check_autosave(folder: Path) -> str:
    state = folder / "state"
    kept = kept_of(folder / "a.onda", state)
    if len(kept) > 1:
        return f"{len(kept)} recoveries of one process"
    for one in kept:
        found = read_kept(one)
        if found is None:
            return "a recovery that cannot be read"
        # The next process sweeps with its first autosave.
    another = Autosave(folder / "b.onda", state)
    another.write(_SMALL)
    another.clear()
    for one in kept:
        one.forget()
    left = [p.name for p in state.rglob("*") if p.is_file()]
    return f"left behind: {left[:4]}" if left else ""


_RESULT = Levels(np.linspace(0, 1, 20_000), np.full(20_000, 5e-5))


def _cache(folder: Path) -> ResultCache:
    return ResultCache(folder / "cache")


def _check_cache(folder: Path) -> str:
    cache = _cache(folder)
    for k in range(3):
        found = cache.get(f"key{k}", (Levels,))
        if found is not None and not np.array_equal(found.values, _RESULT.values):  # type: ignore[attr-defined]
            return "another result than was put"
    cache.trim()
    return _parts_left(folder)


def _check_store(folder: Path) -> str:
    trim_store()
    place = files._store()
    for path in place.iterdir() if place.is_dir() else ():
        if not path.name.startswith(".") and files._hash_of(path) != path.name:
            return f"{path.name} is not its content"
    return _parts_left(place) if place.is_dir() else ""


def _write_export(folder: Path, k: int) -> None:
    write_build(_named(_WHOLE, k), ("ipc2581-c", "layers")[k % 2], folder / f"b{k % 2}.x")


def _check_export(folder: Path) -> str:
    remove_leftovers(folder)
    for path, suffix in ((folder / "b0.x", "xml"), (folder / "b1.x", "csv")):
        if path.exists():
            read_build(_WHOLE, path.rename(folder / f"r.{suffix}"))
    return _parts_left(folder)


def _write_network(folder: Path, k: int) -> None:
    s = np.full((200, 4, 4), 0.1 + 0.001 * (k % 5), complex)
    data = write_network_hdf5(np.arange(1.0, 201.0) * 1e7, s, np.full(4, 50.0))
    write_atomically(folder / "n.h5", data)


def _check_network(folder: Path) -> str:
    import io

    from onda.formats.hdf5_child import read

    remove_leftovers(folder)
    if (folder / "n.h5").exists():
        with np.load(io.BytesIO(read((folder / "n.h5").read_bytes(), "onda network 1"))) as found:
            if found["s"].shape != (200, 4, 4):
                return "a network of another shape"
    return _parts_left(folder)


def _write_page(folder: Path, k: int) -> None:
    write_report(_named(_SMALL, k), (), StudyRunner(here(), _cache(folder)), folder / "page")


def _check_page(folder: Path) -> str:
    remove_leftovers(folder / "page")
    page = folder / "page" / "index.html"
    if page.exists() and "</html>" not in page.read_text(encoding="utf-8"):
        return "half of a page"
    return _parts_left(folder / "page")


def _nothing(_: Path) -> None:
    pass


WRITERS = {
    "project": Writer(
        lambda f: save_project(_named(_WHOLE, 0), f / "a.onda"),
        lambda f, k: save_project(_named(_WHOLE, k), f / "a.onda"),
        _check_project,
    ),
    "autosave": Writer(_nothing, _write_autosave, _check_autosave),
    "cache": Writer(_nothing, lambda f, k: _cache(f).put(f"key{k % 3}", _RESULT), _check_cache),
    "store": Writer(_nothing, lambda _, k: _keep(k), _check_store),
    "export": Writer(_nothing, _write_export, _check_export),
    "network": Writer(_nothing, _write_network, _check_network),
    "report": Writer(_nothing, _write_page, _check_page),
}


def _carelessly(path: Path, data: bytes) -> None:
    """As nothing here may write: in place; so slowly that nearly every kill meets it."""
    with path.open("wb") as file:
        file.write(data[: len(data) // 2])
        file.flush()
        time.sleep(0.06)
        file.write(data[len(data) // 2 :])


def _keep(k: int) -> None:
    keep(f"made up {k} ".encode() * 5000)


def kill_often(name: str, count: int, seed: int, place: Path) -> list[str]:
    """What was wrong after so many kills of one writer."""
    writer, rng = WRITERS[name], random.Random(f"{name} {seed}")
    wrong: list[str] = []
    for number in range(count):
        folder = place / f"{name}{number}"
        folder.mkdir()
        writer.prepare(folder)
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            _write_on(writer, folder, write)
        os.close(write)
        took = float(os.read(read, 9) or b"0")
        os.close(read)
        time.sleep(rng.random() * _TIMES * took)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        try:
            why = writer.check(folder)
        except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
            why = f"{type(error).__name__}: {error}"
        if why:
            wrong.append(f"{name} {number}: {why}")
    return wrong


def _write_on(writer: Writer, folder: Path, begun: int) -> None:
    """In the child: write for ever, once it told how long one takes; it ends by being killed."""
    try:
        began = time.monotonic()
        writer.write(folder, 1)
        os.write(begun, f"{time.monotonic() - began:9.5f}".encode())
        k = 2
        while True:
            writer.write(folder, k)
            k += 1
    finally:
        os._exit(9)


def main() -> int:
    """0 where nothing was broken and nothing left behind."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument(
        "--careless", action="store_true", help="write projects in place, to see it noticed"
    )
    parser.add_argument("--only", nargs="+", choices=list(WRITERS), default=list(WRITERS))
    given = parser.parse_args()
    if given.careless:
        store.write_atomically = _carelessly  # type: ignore[assignment]
    each = -(-given.count // len(given.only))
    print(f"seed {given.seed}, {each} kills of each", flush=True)
    bad = 0
    with tempfile.TemporaryDirectory() as place:
        for variable in ("XDG_CACHE_HOME", "XDG_STATE_HOME"):
            os.environ[variable] = str(Path(place) / variable)
        for name in given.only:
            wrong = kill_often(name, each, given.seed, Path(place))
            bad += len(wrong)
            print(f"{name}: {each} kills, {len(wrong)} wrong", flush=True)
            for one in wrong[:10]:
                print(f"  {one}", flush=True)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
