"""Why a scan of numbers ended: known to the scan and to its kernel."""

__all__ = ["BAD", "END", "FULL", "STOPPED"]

END, FULL, STOPPED, BAD = 0, 1, 2, 3
"""The data are over, the room is, a line of words began, or no number."""
