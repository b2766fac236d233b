"""What a margin rests on: which study made the number, when, and with which version."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime

from onda import __version__
from onda.studies.core.keys import fingerprint

__all__ = ["Evidence", "evidence_now"]


@dataclass(frozen=True, slots=True)
class Evidence:
    """How a result came about; `key` is the hash of its inputs, `sources` of the code."""

    key: str
    study: str
    when: str
    version: str
    sources: str

    def as_dict(self) -> dict[str, str]:
        """As plain text values."""
        return asdict(self)


def evidence_now(key: str, study: str) -> Evidence:
    """Evidence of a result that was made just now."""
    when = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    return Evidence(key, study, when, __version__, fingerprint())
