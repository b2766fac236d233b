"""Results under their key, in memory and on disk: what has not changed is never computed again.

A result is stored as one `.npz`: arrays as they are, everything else as a JSON skeleton. Nothing is
pickled; a file that cannot be read is as good as none. Both stores are bounded by bytes; what was
used longest ago goes first.
"""

from __future__ import annotations

import io
import json
import os
import struct
import sys
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
from onda.project.writing import remove_leftovers, write_atomically
from onda.studies.core.evidence import Evidence

__all__ = ["ResultCache", "decode", "encode", "size_of"]

_SKELETON = "skeleton"


def encode(result: object, evidence: Evidence | None = None) -> bytes:
    """Bytes of a result made of dataclasses, tuples, arrays and plain values."""
    arrays: dict[str, np.ndarray] = {}
    tree = {"result": _flatten(result, arrays)}
    if evidence is not None:
        tree["evidence"] = evidence.as_dict()
    skeleton = np.frombuffer(json.dumps(tree).encode(), dtype=np.uint8)
    buffer = io.BytesIO()
    np.savez(buffer, allow_pickle=False, **({_SKELETON: skeleton} | arrays))
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
    if isinstance(value, (np.floating, np.integer, np.bool_)):
        return value.item()
    if isinstance(value, complex):
        return {"complex": [value.real, value.imag]}
    if value is None or isinstance(value, (str, int, float, bool)):
        return value
    raise TypeError(f"{type(value).__name__} cannot be part of a result")


def decode(data: bytes, types: tuple[type, ...]) -> tuple[Any, Evidence | None]:
    """Read `encode`'s bytes back; only the dataclasses in `types` are made.

    Raises
    ------
    InputError : the bytes are broken or of another layout
    """
    known = {t.__name__: t for t in types}
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as stored:
            tree = json.loads(bytes(stored[_SKELETON]).decode())
            evidence = Evidence(**tree["evidence"]) if "evidence" in tree else None
            return _rebuild(tree["result"], stored, known), evidence
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
        if "complex" in node:
            return complex(*node["complex"])
        kind = known[node["class"]]
        return kind(**{k: _rebuild(v, stored, known) for k, v in node["fields"].items()})
    return node


def size_of(result: object) -> int:
    """Bytes that a result takes, nearly."""
    if isinstance(result, np.ndarray):
        return result.nbytes + 128
    if is_dataclass(result) and not isinstance(result, type):
        return 64 + sum(size_of(getattr(result, f.name)) for f in fields(result))
    if isinstance(result, (tuple, list)):
        return 64 + sum(size_of(v) for v in result)
    if isinstance(result, dict):
        return 64 + sum(size_of(k) + size_of(v) for k, v in result.items())
    return sys.getsizeof(result)


class ResultCache:
    """Results by key: the latest in memory, all of them on disk up to a size."""

    def __init__(
        self,
        folder: Path | None = None,
        *,
        memory_bytes: int = 2**28,
        disk_bytes: int = 2**30,
    ) -> None:
        self.folder = folder or platformdirs.user_cache_path("onda") / "results"
        self._memory: OrderedDict[str, tuple[object, int, Evidence | None]] = OrderedDict()
        self._memory_bytes, self._disk_bytes = memory_bytes, disk_bytes
        self._held = 0
        self._written = 0
        self._lock = Lock()

    def get_from_memory(self, key: str) -> object | None:
        """The result under a key if it is at hand without reading a file."""
        with self._lock:
            found = self._memory.get(key)
            if found is None:
                return None
            self._memory.move_to_end(key)
            return found[0]

    def evidence_of(self, key: str) -> Evidence | None:
        """When and by what the result under a key was made, where it is at hand."""
        with self._lock:
            found = self._memory.get(key)
            return found[2] if found is not None else None

    def get(self, key: str, types: tuple[type, ...]) -> object | None:
        """The result stored under a key, None where there is none."""
        known = self.get_from_memory(key)
        if known is not None:
            return known
        path = self._path(key)
        try:
            result, evidence = decode(path.read_bytes(), types)
            # What is used is not what was used longest ago.
            os.utime(path)
        except (OSError, InputError):
            return None
        self._remember(key, result, evidence)
        return result  # type: ignore[no-any-return]

    def put(
        self, key: str, result: object, *, on_disk: bool = True, evidence: Evidence | None = None
    ) -> None:
        """Store a result; a disk that is full or read-only only costs the next start some time."""
        self._remember(key, result, evidence)
        if not on_disk:
            return
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            data = encode(result, evidence)
            write_atomically(self._path(key), data, flush=False)
        except (OSError, InputError):
            return
        with self._lock:
            self._written += len(data)
            due = self._written > self._disk_bytes // 8
            if due:
                self._written = 0
        if due:
            self.trim()

    def _path(self, key: str) -> Path:
        return self.folder / f"{key}.npz"

    def _remember(self, key: str, result: object, evidence: Evidence | None) -> None:
        size = size_of(result)
        with self._lock:
            old = self._memory.pop(key, None)
            self._held += size - (old[1] if old else 0)
            self._memory[key] = (result, size, evidence)
            while self._held > self._memory_bytes and len(self._memory) > 1:
                _, (_, gone, _) = self._memory.popitem(last=False)
                self._held -= gone

    @property
    def held_bytes(self) -> int:
        """Bytes of the results in memory, nearly."""
        return self._held

    def trim(self) -> None:
        """Drop the results used longest ago until the folder is within its size."""
        remove_leftovers(self.folder)
        found = []
        try:
            for path in self.folder.glob("*.npz"):
                about = path.stat()
                found.append((about.st_mtime, about.st_size, path))
        except OSError:
            return
        total = 0
        for _, size, path in sorted(found, reverse=True, key=lambda f: f[:2]):
            total += size
            if total > self._disk_bytes:
                path.unlink(missing_ok=True)
