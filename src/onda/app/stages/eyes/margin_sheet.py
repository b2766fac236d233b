"""What stands on the sheet of an operating margin: names, units, and what is typed for them."""

from __future__ import annotations

from dataclasses import dataclass

from onda.errors import InputError
from onda.project.quantities import format_si, parse_quantity
from onda.studies.links.margin import MarginTerms

__all__ = ["SHEET", "SheetRow"]


@dataclass(frozen=True, slots=True)
class SheetRow:
    """A parameter: its words, its name, its dimension ("" for a plain number) and what is added
    behind a plain one."""

    words: str
    name: str
    dimension: str = ""
    unit: str = ""

    def shown(self, terms: MarginTerms) -> str:
        """Its value, as it can be typed again."""
        value = getattr(terms, self.name)
        if isinstance(value, tuple):
            return " ".join(self._one(v) for v in value)
        return self._one(value)

    def _one(self, value: float) -> str:
        if self.dimension:
            return format_si(value, self.dimension, digits=4)
        # Not a zero with a sign.
        value = value + 0.0
        return f"{value:.6g}{f' {self.unit}' if self.unit else ''}".replace("-", "\u2212")

    def read(self, typed: str, terms: MarginTerms) -> tuple[float, ...]:
        """What was typed, in SI; raise `InputError` where it is no such value."""
        now = getattr(terms, self.name)
        plain = typed.strip().replace("\u2212", "-")
        if isinstance(now, tuple):
            parts = plain.replace(",", " ").split()
            if self.dimension:
                # Numbers and their units by turns, where a blank stands between.
                parts = [p.strip() for p in plain.split(",")] if "," in plain else _joined(parts)
        else:
            parts = [plain]
        if not any(parts):
            raise InputError(f"{self.words}: nothing typed", remedy=f"As in {self.shown(terms)}.")
        return tuple(self._read_one(p, terms) for p in parts if p)

    def _read_one(self, part: str, terms: MarginTerms) -> float:
        if self.dimension:
            return parse_quantity(part, self.dimension).si
        try:
            return float(part.removesuffix(self.unit).strip() if self.unit else part)
        except ValueError:
            raise InputError(
                f"{part[:20]!r} is no number", remedy=f"As in {self.shown(terms)}."
            ) from None


def _joined(parts: list[str]) -> list[str]:
    """Numbers with the words behind them."""
    out: list[str] = []
    for part in parts:
        if out and not any(c.isdigit() for c in part):
            out[-1] += f" {part}"
        else:
            out.append(part)
    return out


SHEET = (
    SheetRow("Device, C_d", "capacitance", "capacitance"),
    SheetRow("Package, z_p", "package_length", "length"),
    SheetRow("Package, Z_c", "package_z", "resistance"),
    SheetRow("Package, C_p", "board_capacitance", "capacitance"),
    SheetRow("Ends, R_d", "device", "resistance"),
    SheetRow("Receiver filter, f_r", "receiver", "frequency"),
    SheetRow("Taps before, c(\u22121)", "before"),
    SheetRow("Taps behind, c(1)", "behind"),
    SheetRow("Main tap, at least", "least_main"),
    SheetRow("Gains, g_DC", "gains"),
    SheetRow("Zero, f_z", "zero", "frequency"),
    SheetRow("Poles, f_p", "poles", "frequency"),
    SheetRow("Amplitude, A_v", "victim", "voltage"),
    SheetRow("Far ones, A_fe", "far", "voltage"),
    SheetRow("Near ones, A_ne", "near", "voltage"),
    SheetRow("Feedback, N_b", "decisions"),
    SheetRow("Its limit, b_max", "tap_limit"),
    SheetRow("Random, sigma_RJ", "random", "", "UI"),
    SheetRow("Two places, A_DD", "dual_dirac", "", "UI"),
    SheetRow("Noise, V\u00b2/Hz", "noise"),
    SheetRow("Transmitter, SNR_TX", "snr", "", "dB"),
    SheetRow("Level mismatch, R_LM", "level_ratio"),
    SheetRow("Error ratio, DER_0", "error_ratio"),
    SheetRow("Edge, T_r", "rise", "time"),
)
"""In the order of the sheet; symbol rate and number of levels are the link's own."""
