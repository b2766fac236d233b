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
from onda.studies.buses.waves import BUS_WAVES, waves_inputs
from onda.studies.core.study import Control


@pytest.fixture(scope="module")
def inputs(project) -> BusInputs:
    bus = project.design.bus("byte1")
    return bus_inputs(project.design, set_value(bus, corners=("slow", "fast"), bits=16), "DQ9")


def content(inputs: BusInputs, suffix: str) -> bytes:
    return BUS_WAVES.run(waves_inputs(inputs, suffix), Control()).content


def test_hdf5_has_every_case_under_its_names(inputs) -> None:
    with h5py.File(io.BytesIO(content(inputs, ".h5")), "r") as file:
        groups = [file[f"case{k}"] for k in range(4)]
        assert len(file) == 4
        names = [tuple(g.attrs[n] for n in ("signal", "operation", "corner")) for g in groups]
        assert names == [
            ("DQ9", "Write B", "slow"), ("DQ9", "Write B", "fast"),
            ("DQ9", "Read B", "slow"), ("DQ9", "Read B", "fast"),
        ]  # fmt: skip
        for group, case in zip(groups, inputs.cases, strict=True):
            waves = case_waves(case)
            for name in ("time", "data", "strobe_time", "strobe"):
                assert (group[name][:] == getattr(waves, name)).all()


def test_csv_has_volts_at_seconds(inputs) -> None:
    rows = list(csv.DictReader(io.StringIO(content(inputs, ".CSV").decode())))
    assert list(rows[0]) == ["signal", "operation", "corner", "time_s", "data_v", "strobe_v"]
    one = case_waves(inputs.cases[3])
    mine = [r for r in rows if (r["operation"], r["corner"]) == ("Read B", "fast")]
    time = np.array([float(r["time_s"]) for r in mine])
    assert time == pytest.approx(one.time, abs=1e-17, rel=1e-8)
    assert [float(r["data_v"]) for r in mine] == pytest.approx(one.data, abs=1e-6)
    strobe = np.interp(one.time, one.strobe_time, one.strobe)
    assert [float(r["strobe_v"]) for r in mine] == pytest.approx(strobe, abs=1e-6)
    assert {(r["signal"], r["operation"], r["corner"]) for r in rows} == {
        (c.signal_name, c.operation_name, c.corner) for c in inputs.cases
    }


def test_other_forms_are_refused(inputs) -> None:
    with pytest.raises(InputError, match=r"not written as '\.wav'") as info:
        waves_inputs(inputs, ".wav")
    assert ".csv" in str(info.value)
