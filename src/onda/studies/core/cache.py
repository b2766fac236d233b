"""Results on disk under their key: what has not changed is never computed again.

A result is stored as one `.npz`: arrays as they are, everything else as a JSON skeleton. Nothing is
pickled; a file that cannot be read is as good as none.
"""

from __future__ import annotations

import io
import json
import struct
import zipfile
import zlib
from collections import OrderedDict
from dataclasses import fields, is_dataclass
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
import platformdirs

from onda.errors import InputError
from onda.project.store import write_atomically

__all__ = ["ResultCache", "decode", "encode"]

_SKELETON = "skeleton"


def encode(result: object) -> bytes:
    """Bytes of a result made of dataclasses, tuples, arrays and plain values."""
    arrays: dict[str, np.ndarray] = {}
    skeleton = json.dumps(_flatten(result, arrays))
    buffer = io.BytesIO()
    np.savez_compressed(
        buffer,
        allow_pickle=False,
        **({_SKELETON: np.frombuffer(skeleton.encode(), dtype=np.uint8)} | arrays),
    )
    return buffer.getvalue()


def _flatten(value: object, arrays: dict[str, np.ndarray]) -> Any:
    if isinstance(value, np.ndarray):
        name = f"a{len(arrays)}"
        arrays[name] = value
        return {"array": name}
    if is_dataclass(value) and not isinstance(value, type):
        parts = {f.name: _flatten(getattr(value, f.name), arrays) for f in fields(value)}
        return {"class": type(value).__name__, "fields": parts}
    if isinstance(value, tuple):
        return [_flatten(v, arrays) for v in value]
    if isinstance(value, (np.floating, np.integer)):
        return value.item()
    if value is None or isinstance(value, (str, int, float, bool)):
        return value
    raise TypeError(f"{type(value).__name__} cannot be part of a result")


def decode(data: bytes, types: tuple[type, ...]) -> Any:
    """Read `encode`'s bytes back; only the dataclasses in `types` are made.

    Raises
    ------
    InputError : the bytes are broken or of another layout
    """
    known = {t.__name__: t for t in types}
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as stored:
            skeleton = json.loads(bytes(stored[_SKELETON]).decode())
            return _rebuild(skeleton, stored, known)
    except (
        OSError,
        ValueError,
        KeyError,
        TypeError,
        EOFError,
        zipfile.BadZipFile,
        RecursionError,
        MemoryError,
        OverflowError,
        RuntimeError,
        SyntaxError,
        struct.error,
        zlib.error,
    ) as error:
        raise InputError(f"a stored result cannot be read ({error})") from error


def _rebuild(node: Any, stored: Any, known: dict[str, type]) -> Any:
    if isinstance(node, list):
        return tuple(_rebuild(v, stored, known) for v in node)
    if isinstance(node, dict):
        if "array" in node:
            return stored[node["array"]]
        kind = known[node["class"]]
        return kind(**{k: _rebuild(v, stored, known) for k, v in node["fields"].items()})
    return node


class ResultCache:
    """Results by key: the latest in memory, all of them on disk up to a size."""

    def __init__(
        self, folder: Path | None = None, *, in_memory: int = 200, on_disk_bytes: int = 2**29
    ) -> None:
        self.folder = folder or platformdirs.user_cache_path("onda") / "results"
        self._memory: OrderedDict[str, object] = OrderedDict()
        self._in_memory = in_memory
        self._on_disk_bytes = on_disk_bytes
        self._lock = Lock()

    def get_from_memory(self, key: str) -> object | None:
        """The result under a key if it is at hand without reading a file."""
        with self._lock:
            if key in self._memory:
                self._memory.move_to_end(key)
            return self._memory.get(key)

    def get(self, key: str, types: tuple[type, ...]) -> object | None:
        """The result stored under a key, None where there is none."""
        known = self.get_from_memory(key)
        if known is not None:
            return known
        try:
            result: object = decode((self.folder / f"{key}.npz").read_bytes(), types)
        except (OSError, InputError):
            return None
        self._remember(key, result)
        return result

    def put(self, key: str, result: object, *, on_disk: bool = True) -> None:
        """Store a result; a disk that is full or read-only only costs the next start some time."""
        self._remember(key, result)
        if not on_disk:
            return
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            write_atomically(self.folder / f"{key}.npz", encode(result))
        except (OSError, InputError):
            return

    def _remember(self, key: str, result: object) -> None:
        with self._lock:
            self._memory[key] = result
            self._memory.move_to_end(key)
            while len(self._memory) > self._in_memory:
                self._memory.popitem(last=False)

    def trim(self) -> None:
        """Drop the results used longest ago until the folder is within its size."""
        try:
            found = sorted(
                ((p.stat().st_mtime, p.stat().st_size, p) for p in self.folder.glob("*.npz")),
                reverse=True,
            )
        except OSError:
            return
        total = 0
        for _, size, path in found:
            total += size
            if total > self._on_disk_bytes:
                path.unlink(missing_ok=True)
