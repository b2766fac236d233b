"""Waveforms of the cases of a bus as CSV and as HDF5, seconds and volts."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["NamedWaves", "write_waves_csv", "write_waves_hdf5"]

FloatArray = NDArray[np.float64]
_KIND = "onda bus waves 1"


@dataclass(frozen=True, slots=True, eq=False)
class NamedWaves:
    """Data (n,) V at times (n,) s, and the strobe (m,) V at times of its own (m,) s."""

    signal: str
    operation: str
    corner: str
    time: FloatArray
    data: FloatArray
    strobe_time: FloatArray
    strobe: FloatArray


def write_waves_csv(cases: Sequence[NamedWaves]) -> bytes:
    """A row for every time of the data, the strobe read there."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(("signal", "operation", "corner", "time_s", "data_v", "strobe_v"))
    for one in cases:
        strobe = np.interp(one.time, one.strobe_time, one.strobe)
        names = (one.signal, one.operation, one.corner)
        for t, data, taken in zip(one.time, one.data, strobe, strict=True):
            writer.writerow((*names, f"{t:.9g}", f"{data:.7g}", f"{taken:.7g}"))
    return out.getvalue().encode("utf-8")


def write_waves_hdf5(cases: Sequence[NamedWaves]) -> bytes:
    """A group for every case, its names as attributes: `time`, `data`, `strobe_time`, `strobe`."""
    import h5py

    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        file.attrs["kind"] = _KIND
        for number, one in enumerate(cases):
            group = file.create_group(f"case{number}")
            for name in ("signal", "operation", "corner"):
                group.attrs[name] = getattr(one, name)
            for name in ("time", "data", "strobe_time", "strobe"):
                group.create_dataset(name, data=getattr(one, name), compression="gzip")
    return buffer.getvalue()
