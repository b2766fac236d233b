"""Read IBIS files (open standard, versions 1.1 to 7.2, traditional models).

Forgiving of what real files contain, strict where meaning would be lost: everything doubtful is a
remark with its line, in two classes. An error belongs to the model that it spoils; the others of
the file stay of use.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from onda.errors import InputError
from onda.formats.ibis.checks import check_models
from onda.formats.ibis.model import (
    Component,
    Corners,
    DiffPin,
    Executable,
    IbisFile,
    IbisModel,
    IvTable,
    PackageModel,
    Pin,
    Ramp,
    Remark,
    Selector,
    TestData,
    Waveform,
)
from onda.formats.ibis.numbers import NOT_A_NUMBER, decode, number, ratio

__all__ = ["read_ibis"]

_LONGEST = 120
_TABLES = {
    "pullup": "pullup",
    "pulldown": "pulldown",
    "gnd clamp": "gnd clamp",
    "power clamp": "power clamp",
}
_CORNER_KEYWORDS = {
    "voltage range",
    "temperature range",
    "pullup reference",
    "pulldown reference",
    "power clamp reference",
    "gnd clamp reference",
    "external reference",
    "rgnd",
    "rpower",
    "rac",
    "cac",
}
_IGNORED = {
    "file rev", "date", "source", "notes", "disclaimer", "copyright", "manufacturer", "oem",
    "description", "number of pins", "model data", "end model data", "end package model", "end",
    "pin mapping", "end submodel", "number of sections", "on", "off", "alternate package models",
    "end alternate package models", "ttgnd", "ttpower", "composite current", "isso pu", "isso pd",
    "begin board description", "end board description", "voltage list", "interconnect model group",
    "end interconnect model group", "bus label", "die supply pads", "pin reference", "interface",
    "support file", "model rev", "driver schedule group", "initial delay", "repeater pin",
    "redistribution set", "switch group", "series pin mapping", "series switch groups",
    "merged pins", "end algorithmic model",
    "bandwidth", "c comp corner", "c comp model", "end c comp model", "clock pins",
}  # fmt: skip
_UNSUPPORTED = {
    "external model": "end external model",
    "external circuit": "end external circuit",
    "begin emd": "end emd",
}
_NOT_SIMULATED = {
    "driver schedule", "r series", "l series", "rl series", "c series", "lc series", "rc series",
    "series current", "series mosfet", "gnd pulse table", "power pulse table", "submodel spec",
    "circuit call", "node declarations", "electrical descriptors",
}  # fmt: skip
_KEYWORD = re.compile(r"\[([^\[\]]*)\](.*)", re.DOTALL)


def read_ibis(data: bytes, name: str = "model file") -> IbisFile:
    """Read a file.

    Raises
    ------
    InputError : it is not IBIS: no [IBIS Ver], or neither a model nor a component in it
    """
    text, remark = decode(data)
    reader = _Reader(name)
    if remark:
        reader.caution(1, "file", remark)
    reader.read(text)
    file = reader.file
    if not file.version:
        raise InputError(
            "no [IBIS Ver] keyword", file=name, line=1, remedy="Choose an .ibs file of a device."
        )
    if not file.models and not file.components:
        raise InputError(
            "neither a [Component] nor a [Model] in it",
            file=name,
            line=1,
            remedy="Ask for the whole file of the device.",
        )
    check_models(file)
    file.remarks.sort(key=lambda r: (r.line, r.kind))
    return file


class _Reader:
    """Walks through the lines; each keyword sets what the lines below it mean."""

    def __init__(self, name: str) -> None:
        self.file = IbisFile(name=name)
        self._line = 0
        self._keyword = "file"
        self._comment = "|"
        self._skip_to: str | None = None
        self._take: Callable[[list[str]], None] = self._nothing
        self._component: Component | None = None
        self._model: IbisModel | None = None
        self._package: PackageModel | None = None
        self._matrix, self._row, self._column, self._form = "", "", 0, "full"
        self._ramp: dict[str, dict[str, tuple[float, float]]] = {}
        self._test: TestData | None = None
        self._said: set[tuple[str, str]] = set()

    def error(self, line: int, keyword: str, text: str) -> None:
        self._remark("error", line, keyword, text)

    def caution(self, line: int, keyword: str, text: str) -> None:
        self._remark("caution", line, keyword, text)

    def _remark(self, kind: str, line: int, keyword: str, text: str) -> None:
        model = self._model.name if self._model is not None else ""
        self.file.remarks.append(Remark(kind, line, keyword, text, model))  # type: ignore[arg-type]

    def _once(self, text: str) -> None:
        """A caution that is said once for each model."""
        key = (self._model.name if self._model else "", text)
        if key not in self._said:
            self._said.add(key)
            self.caution(self._line, self._keyword, text)

    def read(self, text: str) -> None:
        long_lines = 0
        first_long = 0
        for self._line, raw in enumerate(text.splitlines(), start=1):
            if len(raw) > _LONGEST:
                long_lines += 1
                first_long = first_long or self._line
            body = raw.split(self._comment, 1)[0].strip()
            if not body:
                continue
            if body.startswith("["):
                self._on_keyword(body)
            elif self._skip_to is None:
                self._take(body.split())
        if long_lines:
            self._model = None
            self.caution(
                first_long,
                "file",
                f"{long_lines} lines longer than {_LONGEST} columns; all of each was read",
            )

    def _on_keyword(self, body: str) -> None:
        found = _KEYWORD.fullmatch(body)
        if found is None:
            self.error(self._line, body[:30], "a keyword without its closing bracket; left out")
            self._take = self._nothing
            return
        keyword = re.sub(r"[\s_]+", " ", found[1]).strip().lower()
        rest = found[2].strip()
        if self._skip_to is not None:
            if keyword == self._skip_to:
                self._skip_to = None
            return
        self._keyword = f"[{found[1].strip()}]"
        self._take = self._nothing
        if keyword in _UNSUPPORTED:
            self._skip_to = _UNSUPPORTED[keyword]
            if self._model is not None:
                self._model.external = True
            self.caution(
                self._line,
                self._keyword,
                "models in other languages are not run; the tables of this file are used",
            )
            return
        handler = getattr(self, "_kw_" + keyword.replace(" ", "_").replace("/", "_"), None)
        if handler is not None:
            handler(rest)
        elif keyword in _TABLES:
            self._begin_table(_TABLES[keyword])
        elif keyword in _CORNER_KEYWORDS:
            self._corner_keyword(keyword, rest.split())
        elif keyword in ("rising waveform", "falling waveform"):
            self._begin_waveform(keyword.startswith("rising"))
        elif keyword in ("resistance matrix", "inductance matrix", "capacitance matrix"):
            self._begin_matrix("l" if keyword[0] == "i" else keyword[0], rest)
        elif keyword in _NOT_SIMULATED:
            self._once("read over; this part of the model is not simulated")
        elif keyword not in _IGNORED:
            self._once("this keyword is not known; it and the lines below it are left out")

    def _nothing(self, words: list[str]) -> None:
        return

    # ---- head

    def _kw_ibis_ver(self, rest: str) -> None:
        if self.file.version:
            self.caution(self._line, self._keyword, "stands twice; the first counts")
            return
        self.file.version = rest.split()[0] if rest else "?"
        if not re.fullmatch(r"[1-7]\.[0-9]", self.file.version):
            self.caution(
                self._line, self._keyword, f"version {self.file.version} is not one of 1.1 to 7.2"
            )

    def _kw_file_name(self, rest: str) -> None:
        self.file.name = rest or self.file.name

    def _kw_comment_char(self, rest: str) -> None:
        # "#_char" names the new sign with its first character.
        if rest:
            self._comment = rest[0]

    # ---- component

    def _kw_component(self, rest: str) -> None:
        self._model, self._package = None, None
        name = rest or f"component at line {self._line}"
        if name in self.file.components:
            self.caution(self._line, self._keyword, f"{name} stands twice; the first counts")
            name = f"{name} ({self._line})"
        self._component = self.file.components[name] = Component(name, self._line)

    def _kw_manufacturer(self, rest: str) -> None:
        if self._component is not None and not self._component.manufacturer:
            self._component.manufacturer = rest

    def _kw_algorithmic_model(self, rest: str) -> None:
        if self._model is None:
            self.caution(self._line, self._keyword, "belongs to no model")
            return
        self._take = self._algorithmic_line

    def _algorithmic_line(self, words: list[str]) -> None:
        assert self._model is not None
        kind, _, side = words[0].lower().partition("_")
        if kind != "executable" or side not in ("", "tx", "rx"):
            return
        if len(words) != 4:
            self.caution(
                self._line, self._keyword, "an executable has a platform, a library, parameters"
            )
            return
        self._model.executables.append(Executable(words[1], words[2], words[3], side))

    def _kw_package(self, rest: str) -> None:
        self._take = self._package_line

    def _package_line(self, words: list[str]) -> None:
        if self._component is None:
            return
        key = words[0].lower()
        if key in ("r_pkg", "l_pkg", "c_pkg"):
            self._component.package[key[0]] = self._corners(words[1:])

    def _kw_package_model(self, rest: str) -> None:
        if self._component is not None:
            self._component.package_model = rest

    def _kw_pin(self, rest: str) -> None:
        columns = [w.lower() for w in rest.split()]
        order = [c for c in columns if c in ("r_pin", "l_pin", "c_pin")] or [
            "r_pin",
            "l_pin",
            "c_pin",
        ]

        def take(words: list[str]) -> None:
            if self._component is None:
                self.error(self._line, "[Pin]", "a pin before any [Component]; left out")
                return
            if len(words) < 3:
                self.error(self._line, "[Pin]", "a pin needs a name, a signal and a model")
                return
            values = {c: number(w) for c, w in zip(order, words[3:], strict=False)}
            if words[0] in self._component.pins:
                self.caution(self._line, "[Pin]", f"pin {words[0]} stands twice; the last counts")
            own = [values.get(c) for c in ("r_pin", "l_pin", "c_pin")]
            plain = [None if v is NOT_A_NUMBER else v for v in own]
            self._component.pins[words[0]] = Pin(words[0], words[1], words[2], *plain)

        self._take = take

    def _kw_diff_pin(self, rest: str) -> None:
        def take(words: list[str]) -> None:
            if self._component is None or len(words) < 2:
                return
            values = [number(w) for w in words[2:6]]
            plain = [None if v is NOT_A_NUMBER else v for v in values] + [None] * 4
            pair = DiffPin(words[0], words[1], plain[0], Corners(plain[1], plain[2], plain[3]))
            self._component.diff_pins.append(pair)

        self._take = take

    def _kw_model_selector(self, rest: str) -> None:
        self._model = None
        name = rest or f"selector at line {self._line}"
        self.file.selectors[name] = Selector(name, ())

        def take(words: list[str]) -> None:
            old = self.file.selectors[name]
            entry = (words[0], " ".join(words[1:]))
            self.file.selectors[name] = Selector(name, (*old.models, entry))

        self._take = take

    # ---- model

    def _kw_model(self, rest: str) -> None:
        self._begin_model(rest, self.file.models)

    def _kw_submodel(self, rest: str) -> None:
        self._begin_model(rest, self.file.submodels)

    def _begin_model(self, rest: str, where: dict[str, IbisModel]) -> None:
        self._package = None
        self._test = None
        name = rest.strip() or f"model at line {self._line}"
        model = IbisModel(name, self._line)
        self._model = model
        if name in where:
            self.caution(self._line, self._keyword, f"{name} stands twice; the first counts")
        else:
            where[name] = model
        self._take = self._model_line

    def _model_line(self, words: list[str]) -> None:
        model = self._model
        assert model is not None
        if "=" in "".join(words):
            words = " ".join(words).replace("=", " ").split()
        key = words[0].lower()
        if key == "model_type" or key == "submodel_type":
            model.type = " ".join(words[1:])
        elif key == "polarity" and len(words) > 1:
            model.polarity = words[1]
        elif key == "enable":
            return
        elif key.startswith("c_comp"):
            model.corners[key] = self._corners(words[1:])
        elif key in ("vinl", "vinh", "vmeas", "cref", "rref", "vref"):
            self._number(words, model.numbers)

    def _number(self, words: list[str], into: dict[str, float]) -> None:
        value = number(words[1]) if len(words) > 1 else NOT_A_NUMBER
        if value is None or value is NOT_A_NUMBER:
            self.caution(self._line, words[0], "no number beside it; left out")
        else:
            into[words[0].lower()] = value

    def _corner_keyword(self, keyword: str, words: list[str]) -> None:
        if self._model is not None:
            self._model.corners[keyword] = self._corners(words)

    def _corners(self, words: list[str]) -> Corners:
        values = [number(w) for w in words[:3]]
        plain = [None if v is NOT_A_NUMBER else v for v in values] + [None] * 3
        if not values or plain[0] is None:
            self.caution(self._line, self._keyword, "no typical value; left out")
        return Corners(plain[0], plain[1], plain[2])

    def _kw_model_spec(self, rest: str) -> None:
        def take(words: list[str]) -> None:
            if self._model is not None and len(words) > 1:
                self._model.spec[words[0].lower()] = self._corners(words[1:])

        self._take = take

    def _kw_receiver_thresholds(self, rest: str) -> None:
        def take(words: list[str]) -> None:
            words = " ".join(words).replace("=", " ").split()
            if self._model is None or len(words) < 2 or words[0].lower() == "reference_supply":
                return
            self._number(words, self._model.thresholds)

        self._take = take

    def _kw_add_submodel(self, rest: str) -> None:
        def take(words: list[str]) -> None:
            if self._model is not None:
                mode = words[1] if len(words) > 1 else "All"
                self._model.submodels.append((words[0], mode))

        self._take = take

    def _begin_table(self, name: str) -> None:
        if self._model is None:
            self.error(self._line, self._keyword, "a table outside any [Model]; left out")
            return
        table = IvTable(self._line)
        if name in self._model.tables:
            self.caution(self._line, self._keyword, "stands twice; the first counts")
        else:
            self._model.tables[name] = table
        self._take = self._rows_of(table.rows)

    def _rows_of(
        self, rows: list[tuple[float, float | None, float | None, float | None]]
    ) -> Callable[[list[str]], None]:
        def take(words: list[str]) -> None:
            values = [number(w) for w in words[:4]]
            values += [None] * (4 - len(values))
            if values[0] is None or any(v is NOT_A_NUMBER for v in values):
                self.error(self._line, self._keyword, f"{' '.join(words)[:40]!r} is no row")
                return
            rows.append((values[0], values[1], values[2], values[3]))

        return take

    def _begin_waveform(self, rising: bool) -> None:
        if self._model is None:
            self.error(self._line, self._keyword, "a waveform outside any [Model]; left out")
            return
        waveform = Waveform(self._line, rising)
        self._model.waveforms.append(waveform)
        rows = self._rows_of(waveform.rows)
        fields = {
            "c_fixture": "c",
            "l_fixture": "inductance",
            "r_dut": "r_dut",
            "l_dut": "l_dut",
            "c_dut": "c_dut",
        }

        def take(words: list[str]) -> None:
            if not words[0][0].isalpha() or words[0].upper() == "NA":
                rows(words)
                return
            words = " ".join(words).replace("=", " ").split()
            key = words[0].lower()
            value = number(words[1]) if len(words) > 1 else NOT_A_NUMBER
            if value is None or value is NOT_A_NUMBER:
                self.error(self._line, self._keyword, f"{words[0]} has no number")
            elif key == "r_fixture":
                waveform.fixture.r = value
            elif key in fields:
                setattr(waveform.fixture, fields[key], value)
            elif key.startswith("v_fixture"):
                corner = key[9:].strip("_") or "typ"
                old = waveform.fixture.v
                if corner in ("typ", "min", "max"):
                    kept = {"typ": old.typ, "min": old.min, "max": old.max} | {corner: value}
                    waveform.fixture.v = Corners(**kept)

        self._take = take

    def _kw_ramp(self, rest: str) -> None:
        self._ramp = {"rise": {}, "fall": {}}
        load = 50.0

        def take(words: list[str]) -> None:
            nonlocal load
            words = " ".join(words).replace("=", " ").split()
            key = words[0].lower()
            if key == "r_load" and len(words) > 1:
                value = number(words[1])
                load = value if isinstance(value, float) and value > 0 else load
            elif key in ("dv/dt_r", "dv/dt_f"):
                side = "rise" if key.endswith("r") else "fall"
                for corner, word in zip(("typ", "min", "max"), words[1:4], strict=False):
                    pair = ratio(word)
                    if pair is not None:
                        self._ramp[side][corner] = pair
                    elif word.upper() != "NA":
                        self.error(self._line, "[Ramp]", f"{word!r} is no dV/dt")
            if self._model is not None and self._ramp["rise"] and self._ramp["fall"]:
                self._model.ramp = Ramp(dict(self._ramp["rise"]), dict(self._ramp["fall"]), load)

        self._take = take

    # ---- packages

    def _kw_define_package_model(self, rest: str) -> None:
        self._model = None
        self._package = PackageModel(rest, self._line)
        self.file.packages[rest] = self._package

    def _kw_pin_numbers(self, rest: str) -> None:
        def take(words: list[str]) -> None:
            if self._package is not None:
                self._package.pins.append(words[0])

        self._take = take

    def _begin_matrix(self, kind: str, rest: str) -> None:
        self._matrix, self._row, self._column = kind, "", 0
        self._form = rest.lower().split("_", 1)[0] if rest else "full"
        if self._package is not None:
            self._package.entries[kind] = {}

    def _kw_row(self, rest: str) -> None:
        self._row, self._column = rest, 0
        self._take = self._matrix_line

    def _matrix_line(self, words: list[str]) -> None:
        package = self._package
        if package is None or self._row not in package.pins or self._matrix not in package.entries:
            self._once("a row for a pin that is not among [Pin Numbers]; left out")
            return
        entries = package.entries[self._matrix]
        if self._form == "sparse":
            pairs = [(words[0], words[1])] if len(words) > 1 else []
        else:
            start = package.pins.index(self._row) + self._column
            pairs = list(zip(package.pins[start:], words, strict=False))
            self._column += len(words)
        for pin, word in pairs:
            value = number(word)
            if value is None or value is NOT_A_NUMBER:
                self.error(self._line, self._keyword, f"{word!r} is no number")
            else:
                entries[self._row, pin] = value

    # ---- test data

    def _kw_test_load(self, rest: str) -> None:
        self._model, self._package = None, None
        load = self.file.test_loads.setdefault(rest, {})

        def take(words: list[str]) -> None:
            words = " ".join(words).replace("=", " ").split()
            value = number(words[1]) if len(words) > 1 else None
            if isinstance(value, float):
                load[words[0].lower()] = value

        self._take = take

    def _kw_test_data(self, rest: str) -> None:
        self._model, self._package = None, None
        self._test = TestData(rest, self._line)
        self.file.test_data.append(self._test)

        def take(words: list[str]) -> None:
            if self._test is not None and len(words) > 1:
                self._test.texts[words[0].lower()] = words[1]

        self._take = take

    def _kw_rising_waveform_near(self, rest: str) -> None:
        self._take = self._near(True)

    def _kw_falling_waveform_near(self, rest: str) -> None:
        self._take = self._near(False)

    def _near(self, rising: bool) -> Callable[[list[str]], None]:
        rows: list[tuple[float, float | None]] = []
        if self._test is not None:
            self._test.near[rising] = rows

        def take(words: list[str]) -> None:
            values = [number(w) for w in words[:2]]
            if len(values) == 2 and isinstance(values[0], float) and values[1] is not NOT_A_NUMBER:
                rows.append((values[0], values[1]))

        return take
