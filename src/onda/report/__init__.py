"""The release record: what was checked, by how much it holds, with pictures, as plain HTML."""

from onda.report.html import write_report

__all__ = ["write_report"]
