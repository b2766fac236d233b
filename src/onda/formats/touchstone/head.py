"""What stands before the numbers of a Touchstone file: option line and keywords."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import numpy as np

from onda.errors import InputError

__all__ = ["Head"]

_UNITS = {"HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9}


@dataclass(slots=True)
class Head:
    """What stands before the data."""

    name: str
    unit: float = 1e9
    parameter: str = "S"
    form: str = "MA"
    r: float = 50.0
    version: int = 1
    ports: int | None = None
    order: str | None = None
    count: int | None = None
    reference: list[float] = field(default_factory=list)
    matrix: str = "full"
    noise_count: int = 0
    mixed: str = ""
    option_seen: bool = False

    def fail(self, what: str, line: int | None = None, remedy: str | None = None) -> InputError:
        """An error that names the file and the line."""
        return InputError(what, file=self.name, line=line, remedy=remedy)

    def option(self, words: list[str], line: int) -> None:
        """Read the option line; later ones are passed over, as the standard lets."""
        if self.option_seen:
            return
        self.option_seen = True
        k = 0
        while k < len(words):
            word = words[k].upper()
            if word in _UNITS:
                self.unit = _UNITS[word]
            elif word in ("S", "Y", "Z", "G", "H"):
                self.parameter = word
            elif word in ("RI", "MA", "DB"):
                self.form = word
            elif word == "R":
                values = []
                while k + 1 < len(words) and _is_number(words[k + 1]):
                    k += 1
                    values.append(float(words[k]))
                if not values or min(values) <= 0 or not np.isfinite(values).all():
                    raise self.fail("R without a resistance above 0", line)
                self.r = values[0]
                # Some instruments write one for each port.
                self.reference = values if len(values) > 1 else []
            elif word in ("OHM", "OHMS"):
                pass
            else:
                raise self.fail(
                    f"{words[k][:20]!r} does not belong in the option line",
                    line,
                    "As in: # GHz S RI R 50",
                )
            k += 1

    def keyword(self, body: str, line: int, *, in_data: bool) -> str:
        """Read a line of version 2 that begins with a bracket; its keyword in small letters."""
        found = re.fullmatch(r"\[([^\]]*)\](.*)", body)
        if found is None:
            raise self.fail("a keyword without its closing bracket", line)
        keyword, rest = found[1].strip().lower(), found[2].strip()
        if keyword == "version":
            if not rest.startswith("2"):
                raise self.fail(f"version {rest[:10]!r} is not known", line)
            self.version = 2
        elif keyword in ("number of ports", "number of frequencies", "number of noise frequencies"):
            # Looked at by its length first: thousands of digits make no number at all.
            if not rest.isdecimal() or len(rest) > 12 or not 0 < int(rest) < 10**7:
                raise self.fail(f"[{found[1]}] needs a number above 0", line)
            value = int(rest)
            if keyword == "number of ports":
                self.ports = value
            elif keyword == "number of frequencies":
                self.count = value
            else:
                self.noise_count = value
        elif keyword == "two-port data order":
            if rest not in ("12_21", "21_12"):
                raise self.fail(f"order {rest[:10]!r} is neither 12_21 nor 21_12", line)
            self.order = rest
        elif keyword == "reference":
            self.reference += self.numbers(rest, line) if rest else []
        elif keyword == "matrix format":
            if rest.lower() not in ("full", "lower", "upper"):
                raise self.fail(f"matrix format {rest[:10]!r} is not known", line)
            self.matrix = rest.lower()
        elif keyword == "mixed-mode order":
            self.mixed = rest
        elif (
            keyword
            not in (
                "network data",
                "noise data",
                "end",
                "begin information",
                "end information",
            )
            and not in_data
        ):
            raise self.fail(f"keyword [{found[1][:30]}] is not known", line)
        return keyword

    def numbers(self, body: str, line: int) -> list[float]:
        """Numbers of a line of words."""
        try:
            values = [float(w) for w in body.replace(",", " ").split()]
        except ValueError:
            bad = next((w for w in body.split() if not _is_number(w)), body[:20])
            raise self.fail(f"{bad[:30]!r} is no number", line) from None
        if not all(np.isfinite(values)):
            raise self.fail("a value that is not finite", line)
        return values


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
