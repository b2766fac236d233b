"""What is attacked: every reader with valid samples of its own, and ways to spoil them.

A spoilt input is a valid one with one or two changes, so that it gets behind the parser: a number
that is none, a line twice, a tag that never ends, a tree with another branch.
"""

from __future__ import annotations

import io
import json
import random
import re
from collections.abc import Callable
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np

from onda.demo import fulmar_project
from onda.errors import InputError
from onda.formats import network_hdf5
from onda.formats.ami.parameters import read_ami
from onda.formats.build_table import layers_from_csv
from onda.formats.hdf5_child import read as read_hdf5
from onda.formats.ibis.buffers import buffer_of
from onda.formats.ibis.reader import read_ibis
from onda.formats.material_csv import MaterialRow, materials_from_csv, materials_to_csv
from onda.formats.network_hdf5 import write_network_hdf5
from onda.formats.outlines_csv import outlines_from_csv
from onda.formats.response_csv import read_responses
from onda.formats.signal_csv import read_signals
from onda.formats.touchstone.reader import read_touchstone
from onda.project.begin import from_template
from onda.project.build.exchange import build_table, take_build
from onda.project.build.files import FORMATS
from onda.project.buses.sheet_file import read_sheet, sheet_text
from onda.project.formula import evaluate
from onda.project.model import Project
from onda.project.networks.limit_sets import read_set
from onda.project.quantities import parse_quantity
from onda.project.store import dumps, loads

__all__ = ["TARGETS", "Target"]

_NUMBERS = re.compile(r"[-+]?\d+\.?\d*(?:[eE][-+]?\d+)?")
_NASTY = (
    "nan", "inf", "-inf", "1e999", "-1", "0", "1e-320", "", "²", "٣", "0x10", "1_000", "1,5",
    "9" * 400,
    "1e", "--1", "+", ".", "1.2.3", "1e308", "-0", "NA", "NULL", "\x00", "1" * 30_000, "2147483648",
)  # fmt: skip
_LONGEST = 100_000


@dataclass(frozen=True)
class Target:
    """A reader: valid inputs, how they are spoilt, and what reads them.

    A `contained` one runs in a process of its own when it ships, which may be lost.
    """

    name: str
    samples: Callable[[], list[bytes]]
    read: Callable[[bytes], object]
    spoil: Callable[[random.Random, bytes], bytes]
    contained: bool = False

    def make(self, rng: random.Random, samples: list[bytes]) -> bytes:
        """One input: valid once in a hundred, else with one change or two."""
        data = rng.choice(samples)
        for _ in range(rng.choice((0,) + (1,) * 60 + (2,) * 39)):
            data = self.spoil(rng, data)
        return data


# ---- ways to spoil a text


def _number(rng: random.Random, text: str) -> str:
    found = list(_NUMBERS.finditer(text))
    if not found:
        return text + rng.choice(_NASTY)
    one = rng.choice(found)
    return text[: one.start()] + rng.choice(_NASTY) + text[one.end() :]


def _line(rng: random.Random, text: str) -> str:
    lines = text.split("\n")
    at, other = rng.randrange(len(lines)), rng.randrange(len(lines))
    match rng.randrange(5):
        case 0:
            del lines[at]
        case 1:
            lines.insert(other, lines[at])
        case 2:
            lines[at], lines[other] = lines[other], lines[at]
        case 3:
            most = max(1, _LONGEST // (len(lines[at]) + 1))
            lines[at:at] = [lines[at]] * rng.randint(1, min(most, 5000))
        case _:
            lines[at] = lines[at] + lines[other]
    return "\n".join(lines)


def _word(rng: random.Random, text: str) -> str:
    words = list(re.finditer(r"[^\s,;<>\"=()\[\]{}]+", text))
    if not words:
        return text
    one, other = rng.choice(words), rng.choice(words)
    new = rng.choice(
        ("", other[0], one[0] * 2, one[0].swapcase(), one[0] + "é", "\ufeff" + one[0], " " * 3000)
    )
    return text[: one.start()] + new + text[one.end() :]


def _bytes(rng: random.Random, text: str) -> str:
    if not text:
        return "\x00"
    at = rng.randrange(len(text))
    match rng.randrange(4):
        case 0:
            return text[:at] + chr(rng.randrange(256)) + text[at + 1 :]
        case 1:
            return text[:at]
        case 2:
            few = "".join(chr(rng.randrange(256)) for _ in range(rng.randint(1, 40)))
            return text[:at] + few + text[at:]
        case _:
            part = text[at : at + rng.randint(1, 60)] or "x"
            return text[:at] + part * rng.randint(2, max(2, _LONGEST // len(part) // 4)) + text[at:]


def _bracket(rng: random.Random, text: str) -> str:
    found = [m.start() for m in re.finditer(r"[<>()\[\]{}\"'|!#\n]", text)]
    if not found:
        return "(" * 3000 + text
    at = rng.choice(found)
    if rng.random() < 0.5:
        return text[:at] + text[at + 1 :]
    return text[:at] + text[at] * rng.choice((2, 3, 3000)) + text[at:]


def spoil_text(rng: random.Random, data: bytes) -> bytes:
    """A text with one change."""
    how = rng.choice((_number, _number, _line, _line, _word, _bytes, _bracket))
    return how(rng, data.decode("latin-1")).encode("utf-8", "surrogateescape")[: 4 * _LONGEST]


# ---- ways to spoil a tree


_LEAVES: tuple[Any, ...] = (
    None, True, -1, 0, 1e308, 10**400, "", "x" * 5000, "1e999 GHz", "nan mm", "-3 um", "\x00", [],
    {},
    [[]] * 30, {"id": "x"}, 0.1, "0 ohm", "² mm", ["x"] * 2000,
)  # fmt: skip


def _places(tree: Any) -> list[tuple[Any, Any]]:
    """Every container with each of its keys."""
    out: list[tuple[Any, Any]] = []
    todo = [tree]
    while todo:
        one = todo.pop()
        keys = list(one) if isinstance(one, dict) else range(len(one))
        for key in keys:
            out.append((one, key))
            if isinstance(one[key], dict | list):
                todo.append(one[key])
    return out


def spoil_tree(rng: random.Random, data: bytes) -> bytes:
    """A JSON text with another leaf, branch or key; once in a while with a changed letter."""
    if rng.random() < 0.15:
        return spoil_text(rng, data)
    try:
        tree = json.loads(data)
        places = _places(tree)
    except (ValueError, TypeError, RecursionError):
        return spoil_text(rng, data)
    if not places:
        return spoil_text(rng, data)
    holder, key = rng.choice(places)
    match rng.randrange(5):
        case 0:
            holder[key] = rng.choice(_LEAVES)
        case 1:
            del holder[key]
        case 2:
            other, name = rng.choice(places)
            holder[key] = json.loads(json.dumps(other[name])) if other is not holder else 7
        case 3:
            if isinstance(holder, list):
                holder.append(holder[key])
            else:
                holder[f"{key}x"] = holder[key]
        case _:
            value = holder[key]
            holder[key] = value[::-1] if isinstance(value, str | list) else str(value)
    try:
        return json.dumps(tree).encode()[: 4 * _LONGEST]
    except (ValueError, RecursionError):
        return data


# ---- samples


def _shipped(folder: str, *names: str) -> list[bytes]:
    where = resources.files("onda.data").joinpath(folder)
    return [where.joinpath(n).read_bytes() for n in names]


def _touchstone() -> list[bytes]:
    two = b"! made up\n# GHz S MA R 50\n" + b"".join(
        f"{f} 0.1 0 0.9 -{f} 0.9 -{f} 0.1 0\n".encode() for f in range(1, 20)
    )
    noise = two + b"1 2 0.5 10 0.3\n2 2.5 0.4 20 0.3\n"
    four = b"# HZ Z RI R 75\n" + b"".join(
        (f"{f}e9 " + "1 0 " * 4 + "\n" + ("0.5 0 " * 4 + "\n") * 3).encode() for f in range(1, 8)
    )
    second = (
        b"[Version] 2.0\n# GHz S DB R 50\n[Number of Ports] 2\n[Two-Port Data Order] 21_12\n"
        b"[Number of Frequencies] 3\n[Reference] 50 75\n[Matrix Format] Full\n[Network Data]\n"
        b"1 -20 0 -1 5 -1 5 -20 0\n2 -20 0 -1 5 -1 5 -20 0\n3 -20 0 -1 5 -1 5 -20 0\n[End]\n"
    )
    return [two, noise, four, second]


def _read_touchstone(data: bytes) -> object:
    name = ("a.s2p", "a.s4p", "a.ts")[len(data) % 3]
    found = read_touchstone(data, name)
    assert np.isfinite(found.data).all(), "values that are no numbers"
    return found


def _ibis() -> list[bytes]:
    whole = _shipped("devices", "fulmar_clock.ibs", "fulmar_memory.ibs")
    # The same with every table thinned out, so that a hundred thousand of them can be read.
    out = []
    for data in whole:
        lines = data.decode("latin-1").split("\n")
        kept, run = [], 0
        for line in lines:
            run = run + 1 if re.match(r"\s*[-+\d.]", line) else 0
            if run <= 3 or run % 25 == 0:
                kept.append(line)
        out.append("\n".join(kept).encode("latin-1"))
    return out


def _read_ibis(data: bytes) -> object:
    file = read_ibis(data)
    for model in list(file.models)[:2]:
        buffer_of(file, model if isinstance(model, str) else model.name)
    return file


def _written(key: str, project: Project | None = None) -> bytes:
    made = next(f for f in FORMATS if f.key == key)
    return made.write(build_table(project or fulmar_project(), None), "a", None)


def _builds() -> list[bytes]:
    """A small board mostly, as they take their time."""
    small = [_written(key, _small()) for key in ("ipc2581-c", "ipc2581-b")]
    return [*small * 4, _written("ipc2581-c"), _written("ipc2581-b")]


def _small() -> Project:
    return from_template("Made up", 4, tail=False)


def _taken(key: str) -> Callable[[bytes], object]:
    """A build read and taken into a project."""
    made = next(f for f in FORMATS if f.key == key)
    project = fulmar_project()

    def read(data: bytes) -> object:
        assert made.read is not None
        return take_build(project, made.read(data, "a")[0])

    return read


def _tables() -> list[bytes]:
    curves = b"time,clk,data\ns,V,V\n" + b"".join(
        f"{k}e-12,{k % 2},0.{k}\n".encode() for k in range(30)
    )
    outlines = b"outline,x,y\nmm,mm,mm\ncan,0,0\ncan,10,0\ncan,10,5\ncan,0,5\n"
    return [_written("layers"), materials_to_csv(_materials()), curves, outlines]


def _materials() -> list[MaterialRow]:
    points = ((1e9, 3.0, 0.01), (1e10, 2.9, 0.012))
    return [MaterialRow(f"Made up {k}", points) for k in range(3)]


def _read_tables(data: bytes) -> object:
    """Each input by one of the readers of tables, whatever it was meant for."""
    readers = (layers_from_csv, materials_from_csv, outlines_from_csv)
    which = len(data) % 4
    if which == 3:
        return read_signals(data, "a.csv")
    return readers[which](data, file="a.csv")


def _responses() -> list[bytes]:
    plain = b"frequency_hz,gain_db\n" + b"".join(b"%de9,-%d\n" % (k, k) for k in range(12))
    family = b"# made up\nfrequency_hz,gain_db,phase_deg,gain_db,phase_deg\n" + b"".join(
        b"%de9,-%d,%d,-%d.5,%d\n" % (k, k, 9 * k, k, 8 * k) for k in range(12)
    )
    return [plain, family]


def _sheets() -> list[bytes]:
    bus = fulmar_project().design.bus("byte0")
    found = [s for d in bus.devices for s in (d.sheet, d.address_sheet) if s is not None]
    return [sheet_text("Made up", sheet).encode() for sheet in found]


def _hdf5() -> list[bytes]:
    out = []
    for n in (2, 4):
        s = np.zeros((6, n, n), complex)
        out.append(write_network_hdf5(np.arange(1.0, 7.0) * 1e9, s, np.full(n, 50.0), ["made up"]))
    return out


def _spoil_hdf5(rng: random.Random, data: bytes) -> bytes:
    import h5py

    if rng.random() < 0.6:
        # Mostly where the structure lies.
        made = bytearray(data)
        for _ in range(rng.choice((1, 1, 2, 4))):
            at = (
                rng.randrange(min(len(made), 4096))
                if rng.random() < 0.8
                else rng.randrange(len(made))
            )
            made[at] = rng.choice((0, 1, 255, 127, 128, rng.randrange(256)))
        return bytes(made[: rng.randrange(len(made))] if rng.random() < 0.05 else made)
    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        file.attrs["kind"] = rng.choice(("network", "", "x" * 1000))
        for name in ("frequency", "s", "reference"):
            match rng.randrange(8):
                case 0:
                    continue
                case 1:
                    file.create_group(name)
                case 2:
                    shape = tuple(rng.choice((0, 1, 2, 10**5)) for _ in range(rng.randint(0, 4)))
                    file.create_dataset(
                        name, shape, "f8", chunks=True if all(shape) and shape else None
                    )
                case 3:
                    file[name] = h5py.SoftLink("/" + rng.choice(("s", "frequency", "nowhere")))
                case 4:
                    file[name] = h5py.ExternalLink("/etc/passwd", "/")
                case 5:
                    file.create_dataset(name, data=[b"text", b"more"])
                case _:
                    n = rng.choice((1, 2, 3))
                    size = {"frequency": (4,), "s": (4, n, n), "reference": (n,)}[name]
                    value = rng.choice((0.0, 1.0, np.nan, np.inf, -1.0))
                    file.create_dataset(
                        name, data=np.full(size, value, rng.choice(("f4", "c16", "i4")))
                    )
    return buffer.getvalue()


def _project() -> list[bytes]:
    """A small board mostly, and Fulmar whole, which takes its time."""
    small = dumps(_small()).encode()
    return [*[small] * 19, dumps(fulmar_project()).encode()]


_SETS = tuple(f"requirements/{n}" for n in ("fulmar_converter_lane.json", "fulmar_uplink.json"))


def _sets() -> list[bytes]:
    return [_shipped("requirements", n.split("/")[1])[0] for n in _SETS]


_UNITS = (
    "mm",
    "um",
    "µm",
    "mil",
    "ps",
    "ns",
    "GHz",
    "Hz",
    "ohm",
    "Ω",
    "V",
    "mV",
    "dB",
    "%",
    "UI",
    "C",
    "Gb/s",
)
_DIMENSIONS = ("length", "time", "frequency", "resistance", "voltage", "loss", "ratio", "data rate")


def _quantities() -> list[bytes]:
    return [f"{n} {u}".encode() for u in _UNITS for n in ("1", "2.5", "1e-3", "33")]


def _read_quantity(data: bytes) -> object:
    text = data.decode("utf-8", "replace")
    return parse_quantity(text, _DIMENSIONS[len(data) % len(_DIMENSIONS)])


def _formulas() -> list[bytes]:
    return [b"10*log10(f/1e9)", b"-20*sqrt(f/1e9)-3", b"min(f,2e9)*(1+2**-3)", b"abs(3-f/1e9)/4"]


def _read_formula(data: bytes) -> object:
    return evaluate(data.decode("utf-8", "replace"), np.linspace(1e8, 1e10, 5))


def _read_hdf5_here(data: bytes) -> object:
    """As in the process of its own that reads it, and what is made of that outside."""

    def arrays(content: bytes, name: str) -> dict[str, Any]:
        try:
            made = read_hdf5(content, "onda network 1")
        except Exception as error:
            raise InputError(f"cannot be read as HDF5 ({error})", file=name) from error
        with np.load(io.BytesIO(made), allow_pickle=False) as stored:
            return {key: stored[key] for key in stored.files}

    kept, network_hdf5._arrays = network_hdf5._arrays, arrays
    try:
        return network_hdf5.read_network_hdf5(data, "a.h5")
    finally:
        network_hdf5._arrays = kept


TARGETS = {
    t.name: t
    for t in (
        Target("touchstone", _touchstone, _read_touchstone, spoil_text),
        Target("ibis", _ibis, _read_ibis, spoil_text),
        Target("ami", lambda: _shipped("models", "fulmar_rx.ami", "fulmar_tx.ami"),
               lambda d: read_ami(d, "a.ami"), spoil_text),
        Target("ipc2581", _builds, _taken("ipc2581-c"), spoil_text),
        Target("csv", _tables, _read_tables, spoil_text),
        Target("responses", _responses, lambda d: read_responses(d, "a.csv"), spoil_text),
        Target("sheet", _sheets, lambda d: read_sheet(d.decode("utf-8", "replace")), spoil_tree),
        Target("hdf5", _hdf5, _read_hdf5_here, _spoil_hdf5, contained=True),
        Target("project", _project, lambda d: loads(d.decode("utf-8", "replace")), spoil_tree),
        Target("limits", _sets, lambda d: read_set(d.decode("utf-8", "replace")), spoil_tree),
        Target("quantity", _quantities, _read_quantity, spoil_text),
        Target("formula", _formulas, _read_formula, spoil_text),
    )
}  # fmt: skip
"""By name."""
