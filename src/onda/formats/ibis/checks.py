"""Checks of a read IBIS file: what cannot be used, what was mended, what looks wrong."""

from __future__ import annotations

import itertools

from onda.formats.ibis.model import CORNERS, IbisFile, IbisModel, IvTable, Remark, Waveform

__all__ = ["check_models"]

_Row = tuple[float, float | None, float | None, float | None]
_TITLES = {
    "pullup": "[Pullup]",
    "pulldown": "[Pulldown]",
    "gnd clamp": "[GND Clamp]",
    "power clamp": "[POWER Clamp]",
}


def check_models(file: IbisFile) -> None:
    """Add remarks about every model and component of a file."""
    for model in (*file.models.values(), *file.submodels.values()):
        _Check(file, model).run(is_submodel=model.name in file.submodels)
    for component in file.components.values():
        for pin in component.pins.values():
            plain = pin.model.upper() in ("POWER", "GND", "NC", "CIRCUITCALL")
            if not plain and not file.choices(pin.model):
                file.remarks.append(
                    Remark(
                        "caution",
                        component.line,
                        "[Pin]",
                        f"pin {pin.name}: there is no model {pin.model} in this file",
                    )
                )
        for pair in component.diff_pins:
            for name in (pair.positive, pair.negative):
                if name not in component.pins:
                    file.remarks.append(
                        Remark("caution", component.line, "[Diff Pin]", f"there is no pin {name}")
                    )
        wanted = component.package_model
        if wanted and wanted not in file.packages:
            file.remarks.append(
                Remark(
                    "caution",
                    component.line,
                    "[Package Model]",
                    f"{wanted} is not in this file; the values of [Package] are used",
                )
            )
    for selector in file.selectors.values():
        for name, _ in selector.models:
            if name not in file.models:
                file.remarks.append(
                    Remark("caution", 1, "[Model Selector]", f"there is no model {name}")
                )


class _Check:
    def __init__(self, file: IbisFile, model: IbisModel) -> None:
        self._file, self._model = file, model

    def _say(self, kind: str, line: int, keyword: str, text: str) -> None:
        self._file.remarks.append(Remark(kind, line, keyword, text, self._model.name))  # type: ignore[arg-type]

    def run(self, *, is_submodel: bool) -> None:
        model = self._model
        if not model.type:
            self._say("error", model.line, "[Model]", f"{model.name} has no Model_type")
        for name, table in model.tables.items():
            self._table(_TITLES[name], table)
        for waveform in model.waveforms:
            self._waveform(waveform)
        if not is_submodel:
            self._complete()
            self._units()

    def _complete(self) -> None:
        model = self._model
        if not model.drives:
            if model.numbers.get("vinh") is None and model.receives and not model.thresholds:
                self._say(
                    "caution", model.line, "[Model]", "no Vinl and Vinh; type them at the receiver"
                )
            return
        kind = model.type.lower()
        needs = ["pulldown"] if "drain" in kind or "sink" in kind else ["pullup", "pulldown"]
        if "source" in kind:
            needs = ["pullup"]
        for name in needs:
            if len(model.tables.get(name, IvTable(0)).rows) < 2:
                self._say(
                    "error",
                    model.line,
                    "[Model]",
                    f"a model of type {model.type} needs {_TITLES[name]}",
                )
        if model.ramp is None and not model.waveforms:
            self._say("error", model.line, "[Model]", "neither [Ramp] nor waveforms: no edges")
        if "voltage range" not in model.corners and "pullup reference" not in model.corners:
            self._say("error", model.line, "[Model]", "no [Voltage Range]")

    def _units(self) -> None:
        model = self._model
        c = model.corners.get("c_comp")
        if c is None or c.typ is None:
            self._say("caution", model.line, "C_comp", "not stated; taken as 0")
        elif not 1e-15 <= c.typ <= 200e-12:
            self._say(
                "caution", model.line, "C_comp", f"{c.typ:.3g} F is no usual capacitance of a die"
            )
        v = model.corners.get("voltage range")
        if v is not None and v.typ is not None and not 0.3 <= abs(v.typ) <= 30.0:
            self._say("caution", model.line, "[Voltage Range]", f"{v.typ:.3g} V is unusual")
        for name, table in model.tables.items():
            most = max((abs(r[1]) for r in table.rows if r[1] is not None), default=0.0)
            if most > 50.0:
                self._say(
                    "caution",
                    table.line,
                    _TITLES[name],
                    f"currents up to {most:.3g} A: wrong unit?",
                )
        for waveform in model.waveforms:
            if waveform.rows and waveform.rows[-1][0] > 1e-5:
                last = waveform.rows[-1][0]
                self._say(
                    "caution", waveform.line, "waveform", f"ends at {last:.3g} s: wrong unit?"
                )

    def _ordered(self, keyword: str, line: int, rows: list[_Row]) -> bool:
        """Bring rows in rising order of their first column; say what was done."""
        first = [r[0] for r in rows]
        if len(first) > 1 and all(b < a for a, b in itertools.pairwise(first)):
            rows.reverse()
            self._say("caution", line, keyword, "runs downwards; it was turned round")
            return True
        kept: list[_Row] = []
        twice = 0
        for row in rows:
            if kept and row[0] == kept[-1][0]:
                twice += 1
                continue
            if kept and row[0] < kept[-1][0]:
                self._say(
                    "error", line, keyword, f"its first column goes back at {row[0]:.6g}: unusable"
                )
                return False
            kept.append(row)
        if twice:
            self._say("caution", line, keyword, f"{twice} points stand twice; the first counts")
            rows[:] = kept
        return True

    def _missing(self, keyword: str, line: int, rows: list[_Row]) -> bool:
        holes = sum(1 for r in rows if r[1] is None)
        if holes:
            self._say("error", line, keyword, f"{holes} rows have NA in the typical column")
            return False
        for column, corner in enumerate(CORNERS[1:], start=2):
            none = sum(1 for r in rows if r[column] is None)
            if none:
                of = "all" if none == len(rows) else f"{none} of {len(rows)}"
                self._say(
                    "caution", line, keyword, f"NA at {corner} in {of} rows; typ stands in there"
                )
        return True

    def _table(self, keyword: str, table: IvTable) -> None:
        rows = table.rows
        if len(rows) < 2:
            self._say("error", table.line, keyword, "fewer than two rows")
            return
        if not (
            self._ordered(keyword, table.line, rows) and self._missing(keyword, table.line, rows)
        ):
            return
        size = max(abs(r[1]) for r in rows if r[1] is not None)
        for column, corner in enumerate(CORNERS, start=1):
            values = [v for r in rows if (v := r[column]) is not None]
            steps = [b - a for a, b in itertools.pairwise(values)]
            # Currents of all four tables fall or rise throughout; a dip is a fault of extraction.
            down = sum(1 for s in steps if s < -1e-4 * size)
            up = sum(1 for s in steps if s > 1e-4 * size)
            if min(up, down) > 0:
                self._say(
                    "caution", table.line, keyword, f"not monotonic at {corner}; used as it stands"
                )
                return

    def _waveform(self, waveform: Waveform) -> None:
        keyword = "[Rising Waveform]" if waveform.rising else "[Falling Waveform]"
        line = waveform.line
        if len(waveform.rows) < 2:
            self._say("error", line, keyword, "fewer than two rows")
            return
        if not (self._ordered(keyword, line, waveform.rows)):
            return
        self._missing(keyword, line, waveform.rows)
        fixture = waveform.fixture
        if fixture.r is None or fixture.r <= 0.0:
            self._say("error", line, keyword, "no R_fixture above 0")
        if fixture.v.typ is None:
            self._say("error", line, keyword, "no V_fixture")
        if fixture.inductance or fixture.r_dut or fixture.l_dut or fixture.c_dut:
            self._say(
                "caution", line, keyword, "L_fixture and the package in the fixture are left out"
            )
        first, last = waveform.rows[0][1], waveform.rows[-1][1]
        if first is not None and last is not None and (last > first) != waveform.rising:
            self._say("error", line, keyword, "goes the other way than its name says")
