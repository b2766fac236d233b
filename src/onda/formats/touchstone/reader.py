"""Read Touchstone files, versions 1 and 2, any number of ports, all formats and units.

Strict where meaning would be lost: a wrong count, a frequency that does not rise, a cut-off file
are told with their line, never guessed at.
"""

from __future__ import annotations

import math
import os
import re
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.formats.touchstone.head import Head
from onda.formats.touchstone.scan import scan
from onda.formats.touchstone.scan_ends import BAD, END

__all__ = ["TouchstoneFile", "read_touchstone"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_MOST_STRETCHES = 1000
_MOST_VALUES = 400_000_000
_PIECE = 8_000_000
"""Bytes below which it is not worth to share the reading."""


@dataclass(frozen=True, slots=True, eq=False)
class TouchstoneFile:
    """A network as stored.

    Attributes
    ----------
    frequency : (f,) Hz; data : (f, n, n), row is the output port
    parameter : "S", "Y", "Z", "G" or "H", Y to H in the file's own normalisation
    reference : (n,) ohm
    noise : (k, 5) rows as stored, frequency in Hz first; empty where there are none
    comments : lines without their sign; mixed_mode : order as stated, empty for plain ports
    """

    frequency: FloatArray
    data: ComplexArray
    parameter: str
    reference: FloatArray
    noise: FloatArray
    comments: tuple[str, ...] = ()
    mixed_mode: str = ""

    @property
    def ports(self) -> int:
        """Number of ports."""
        return int(self.data.shape[-1])


def read_touchstone(data: bytes, name: str = "network.s2p") -> TouchstoneFile:
    """Read a file; its name tells the number of ports in version 1.

    Raises
    ------
    InputError : with the line and what is wrong there
    """
    return _Reader(name).read(data)


class _Reader:
    def __init__(self, name: str) -> None:
        self._name = name
        self._head = Head(name)
        self._comments: list[str] = []
        self._values: list[FloatArray] = []
        self._noise: list[FloatArray] = []
        self._stretches: list[tuple[int, int]] = []
        self._count = 0
        self._data = b""
        self._returns = False

    def read(self, data: bytes) -> TouchstoneFile:
        self._data = data.removeprefix(b"\xef\xbb\xbf")
        if not self._data.endswith(b"\n"):
            self._data += b"\n"
        self._returns = b"\r" in self._data
        if b"\x00" in self._data[:4096]:
            raise self._head.fail(
                "is no text", remedy="Save it as plain text, not as wide characters."
            )
        found = re.search(r"\.s(\d{1,4})p$", self._name, re.IGNORECASE)
        from_name = int(found[1]) if found else None
        self._walk()
        if self._head.ports is None:
            if not from_name:
                raise self._head.fail(
                    "the name does not tell the number of ports",
                    remedy="Name it as in x.s4p, or use version 2 with [Number of Ports].",
                )
            self._head.ports = from_name
        elif from_name is not None and from_name != self._head.ports:
            raise self._head.fail(
                f"[Number of Ports] says {self._head.ports}, the name of the file {from_name}"
            )
        return self._assembled()

    def _walk(self) -> None:
        """Words line by line, numbers in bulk."""
        position, number = 0, 0
        counted = 0
        awaited = ""
        target = self._values
        while position < len(self._data):
            number += self._line_ends(counted, position)
            counted = position
            end = self._end_of_line(position)
            raw = _decoded(self._data[position:end])
            body, sign, comment = raw.partition("!")
            body = body.strip()
            line = number + 1
            if body.startswith("#"):
                self._head.option(body[1:].split(), line)
            elif body.startswith("["):
                awaited = self._head.keyword(body, line, in_data=bool(self._values))
                if awaited == "noise data":
                    target = self._noise
                if awaited == "end":
                    return
            elif body and awaited == "reference" and not self._values:
                self._head.reference += self._head.numbers(body, line)
            elif body:
                position = self._bulk(position, target)
                continue
            if sign:
                self._comments.append(comment.strip())
            position = end + 1

    def _end_of_line(self, position: int) -> int:
        end = self._data.find(b"\n", position)
        if self._returns:
            other = self._data.find(b"\r", position, end)
            end = other if other >= 0 else end
        return end

    def _line_ends(self, start: int, stop: int) -> int:
        feeds = self._data.count(b"\n", start, stop)
        if not self._returns:
            return feeds
        # The ends of lines of three kinds of machines.
        pairs = self._data.count(b"\r\n", start, stop)
        return feeds + self._data.count(b"\r", start, stop) - pairs

    def _line_at(self, position: int) -> int:
        return 1 + self._line_ends(0, position)

    def _bulk(self, position: int, target: list[FloatArray]) -> int:
        """Numbers from a position on; where they end."""
        if len(self._stretches) + len(self._noise) > _MOST_STRETCHES:
            raise self._head.fail(
                f"words between its numbers more than {_MOST_STRETCHES} times",
                self._line_at(position),
                "Take option lines and keywords out from among the data.",
            )
        if target is self._values:
            self._stretches.append((self._count, position))
        bounds = self._bounds(position)
        if len(bounds) == 2:
            parts = [self._scan(*bounds)]
        else:
            with ThreadPoolExecutor(len(bounds) - 1) as pool:
                parts = list(pool.map(self._scan, bounds[:-1], bounds[1:]))
        for values, notes, position, why in parts:
            self._comments += [_decoded(self._data[a:b]).strip() for a, b in notes]
            target.append(values)
            if target is self._values:
                self._count += len(values)
                if self._count > _MOST_VALUES:
                    raise self._head.fail("too large to be read at once", self._line_at(position))
            if why == BAD:
                end = position
                while end < len(self._data) and self._data[end] not in b" \t\r\n,!":
                    end += 1
                self._head.numbers(_decoded(self._data[position:end]), self._line_at(position))
                raise self._head.fail("a number that cannot be read", self._line_at(position))
            if why != END:
                # What the others found stands behind a line of words.
                return int(position)
        return len(self._data)

    def _bounds(self, position: int) -> list[int]:
        """Places at ends of lines that cut what is left into pieces, one for each worker."""
        size = len(self._data) - position
        workers = min(os.cpu_count() or 1, 8, 1 + size // _PIECE)
        cuts = [position]
        for k in range(1, workers):
            cut = self._data.find(b"\n", position + size * k // workers)
            if cut > cuts[-1]:
                cuts.append(cut)
        return [*cuts, len(self._data) - 1]

    def _scan(self, start: int, stop: int) -> tuple[FloatArray, list[list[int]], int, int]:
        remarks = self._data.count(b"!", start, stop) if b"!" in self._data else 0
        notes = np.empty((remarks, 2), dtype=np.int64)
        # Pages that are not written to cost nothing.
        room = np.empty((stop - start) // 2 + 2)
        count, position, why, noted = scan(self._data, start, stop, room, notes)
        # A view would keep room for all of the file alive.
        values = room[:count] if 2 * count >= len(room) else room[:count].copy()
        return values, notes[:noted].tolist(), position, why

    def _line_of(self, index: int) -> int:
        """Line of a value."""
        first, position = [s for s in self._stretches if s[0] <= index][-1]
        room = np.empty(max(index - first, 0))
        notes = np.empty((0, 2), dtype=np.int64)
        if len(room):
            _, position, _, _ = scan(self._data, position, len(self._data) - 1, room, notes)
        return self._line_at(position)

    def _assembled(self) -> TouchstoneFile:
        head, n = self._head, self._head.ports or 0
        if head.version == 2 and n == 2 and head.order is None:
            raise self._head.fail(
                "[Two-Port Data Order] is missing", remedy="Add it: 21_12 or 12_21."
            )
        entries = n * n if head.matrix == "full" else n * (n + 1) // 2
        per_point = 1 + 2 * entries
        values = _joined(self._values)
        self._values.clear()
        values = self._without_noise(values, per_point, n)
        points, rest = divmod(len(values), per_point)
        if points == 0 or rest:
            line = self._line_of(len(values) - 1) if len(values) else None
            other = _other_ports(values, n)
            hint = f"The numbers fit {other} ports." if other else ""
            raise self._head.fail(
                f"{len(values)} numbers are not whole points of {per_point} for {n} ports",
                line,
                hint or "The file is cut off there, or has another number of ports.",
            )
        if not head.option_seen:
            # Without it neither unit nor form nor parameter is known.
            raise self._head.fail("there is no option line", 1, "As in: # GHz S RI R 50")
        table = values.reshape(points, per_point)
        with np.errstate(over="ignore"):
            frequency = table[:, 0] * head.unit
        self._check_frequency(frequency, per_point)
        if head.form == "MA" and (table[:, 1::2] < 0).any():
            k = int(np.flatnonzero((table[:, 1::2] < 0).any(axis=1))[0])
            raise self._head.fail("a magnitude below 0", self._line_of(k * per_point))
        if head.count is not None and head.count != points:
            raise self._head.fail(
                f"[Number of Frequencies] says {head.count}, the data hold {points}"
            )
        data = self._matrix(_complex(table[:, 1:], head.form), n, points)
        if (
            head.version == 1
            and head.reference
            and len(set(head.reference)) > 1
            and (head.parameter != "S")
        ):
            raise self._head.fail("a reference for each port goes with S-parameters only")
        reference = np.array(head.reference or [head.r] * n)
        if len(reference) != n or (reference <= 0).any():
            raise self._head.fail(f"[Reference] needs {n} resistances above 0")
        if head.parameter in ("G", "H") and n != 2:
            raise self._head.fail(
                f"{head.parameter} parameters are of two ports, not of {n}",
                remedy="Write S, Y or Z parameters.",
            )
        if head.version == 1 and head.parameter in ("Y", "Z", "G", "H"):
            data = _denormalised(data, head.parameter, head.r)
        noise = _joined(self._noise)
        if len(noise) % 5:
            raise self._head.fail(f"{len(noise)} numbers of noise data are not whole rows of 5")
        noise = noise.reshape(-1, 5)
        if head.noise_count and head.noise_count != len(noise):
            raise self._head.fail(
                f"[Number of Noise Frequencies] says {head.noise_count}, the data hold {len(noise)}"
            )
        if len(noise):
            noise[:, 0] *= head.unit
        self._check_finite(frequency, data, per_point)
        return TouchstoneFile(
            frequency, data, head.parameter, reference, noise, tuple(self._comments), head.mixed
        )

    def _without_noise(self, values: FloatArray, per_point: int, n: int) -> FloatArray:
        """In version 1 noise follows the network; there the frequency falls back."""
        if n != 2 or self._head.version == 2:
            return values
        at = 0
        while at + per_point < len(values) and values[at + per_point] > values[at]:
            at += per_point
        end = at + per_point
        rest = len(values) - end
        if rest >= 5 and rest % 5 == 0 and values[end] <= values[at] and rest % per_point:
            self._noise = [values[end:]]
            return values[:end]
        return values

    def _check_finite(self, frequency: FloatArray, data: ComplexArray, per_point: int) -> None:
        """Numbers that can be read may still be too large once they are no decibels any more."""
        whole = np.isfinite(frequency)
        # A sum is finite only where all of it is, and takes no room.
        if math.isfinite(float(np.abs(data.sum()))) and whole.all():
            return
        whole &= np.isfinite(data).all(axis=(1, 2))
        if not whole.all():
            k = int(np.flatnonzero(~whole)[0])
            raise self._head.fail("a value too large to be one", self._line_of(k * per_point))

    def _check_frequency(self, frequency: FloatArray, per_point: int) -> None:
        if frequency[0] < 0:
            raise self._head.fail("the first frequency is below 0", self._line_of(0))
        back = np.flatnonzero(np.diff(frequency) <= 0)
        if len(back):
            k = int(back[0]) + 1
            what = "stands twice" if frequency[k] == frequency[k - 1] else "goes back"
            raise self._head.fail(
                f"the frequency {frequency[k]:.6g} Hz {what}",
                self._line_of(k * per_point),
                "Frequencies must rise; take the second one out.",
            )

    def _matrix(self, entries: ComplexArray, n: int, points: int) -> ComplexArray:
        head = self._head
        if head.matrix != "full":
            out = np.zeros((points, n, n), dtype=complex)
            i, j = np.tril_indices(n) if head.matrix == "lower" else np.triu_indices(n)
            out[:, i, j] = entries
            out[:, j, i] = entries
            return out
        data = entries.reshape(points, n, n)
        swapped = n == 2 and (head.version == 1 or head.order == "21_12")
        return np.ascontiguousarray(data.transpose(0, 2, 1)) if swapped else data


def _joined(parts: list[FloatArray]) -> FloatArray:
    if len(parts) == 1:
        return parts[0]
    return np.concatenate(parts) if parts else np.empty(0)


def _decoded(raw: bytes) -> str:
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1")


def _other_ports(values: FloatArray, n: int) -> int | None:
    """Another number of ports whose points would have rising frequencies."""
    for ports in range(1, 33):
        per_point = 1 + 2 * ports * ports
        if ports != n and len(values) >= 2 * per_point and len(values) % per_point == 0:
            frequency = values[::per_point]
            if frequency[0] >= 0 and (np.diff(frequency) > 0).all():
                return ports
    return None


def _complex(pairs: FloatArray, form: str) -> ComplexArray:
    if form == "RI":
        return np.ascontiguousarray(pairs).view(complex)
    a, b = pairs[:, ::2], pairs[:, 1::2]
    with np.errstate(over="ignore", invalid="ignore"):
        size = a if form == "MA" else 10.0 ** (a / 20.0)
        return np.asarray(size * np.exp(1j * np.deg2rad(b)))


def _denormalised(data: ComplexArray, parameter: str, r: float) -> ComplexArray:
    """Version 1 stores Y, Z, G and H for 1 ohm: back to ohm and siemens."""
    if parameter == "Z":
        return data * r
    if parameter == "Y":
        return data / r
    scale = np.array([[r, 1.0], [1.0, 1.0 / r]])
    return data * (scale if parameter == "H" else 1.0 / scale)
