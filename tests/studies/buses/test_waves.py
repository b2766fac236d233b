"""Waveforms that are written are those of the cases, value and unit, whatever the form."""

from __future__ import annotations

import csv
import io

import h5py
import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.studies.buses.case import case_waves
from onda.studies.buses.inputs import BusInputs, bus_inputs
from onda.studies.buses.waves import BUS_WAVES, BusWaves, waves_file
from onda.studies.core.study import Control


@pytest.fixture(scope="module")
def inputs(project) -> BusInputs:
    bus = project.design.bus("byte1")
    return bus_inputs(project.design, set_value(bus, corners=("slow", "fast"), bits=16), "DQ9")


@pytest.fixture(scope="module")
def found(inputs) -> BusWaves:
    return BUS_WAVES.run(inputs, Control())


def test_every_case_is_there_under_its_names(inputs, found) -> None:
    names = [(c.signal, c.operation, c.corner) for c in found.cases]
    assert names == [
        ("DQ9", "Write B", "slow"), ("DQ9", "Write B", "fast"),
        ("DQ9", "Read B", "slow"), ("DQ9", "Read B", "fast"),
    ]  # fmt: skip
    for one, case in zip(found.cases, inputs.cases, strict=True):
        waves = case_waves(case)
        for name in ("time", "data", "strobe_time", "strobe"):
            assert (getattr(one, name) == getattr(waves, name)).all()


def test_csv_has_volts_at_seconds(found) -> None:
    rows = list(csv.DictReader(io.StringIO(waves_file(found, ".CSV").decode())))
    assert list(rows[0]) == ["signal", "operation", "corner", "time_s", "data_v", "strobe_v"]
    one = found.cases[3]
    mine = [r for r in rows if (r["operation"], r["corner"]) == ("Read B", "fast")]
    time = np.array([float(r["time_s"]) for r in mine])
    assert time == pytest.approx(one.time, abs=1e-17, rel=1e-8)
    assert [float(r["data_v"]) for r in mine] == pytest.approx(one.data, abs=1e-6)
    strobe = np.interp(one.time, one.strobe_time, one.strobe)
    assert [float(r["strobe_v"]) for r in mine] == pytest.approx(strobe, abs=1e-6)


def test_hdf5_has_a_group_for_every_case(found) -> None:
    with h5py.File(io.BytesIO(waves_file(found, ".h5")), "r") as file:
        assert len(file) == 4
        group = file["case1"]
        assert dict(group.attrs) == {"signal": "DQ9", "operation": "Write B", "corner": "fast"}
        one = found.cases[1]
        for name in ("time", "data", "strobe_time", "strobe"):
            assert (group[name][:] == getattr(one, name)).all()


def test_other_forms_are_refused(found) -> None:
    with pytest.raises(InputError, match=r"not written as '\.wav'") as info:
        waves_file(found, ".wav")
    assert ".csv" in str(info.value)
