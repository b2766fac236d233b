"""What is in device files, read in the background and remembered while the stage is there."""

from __future__ import annotations

from collections.abc import Callable

from onda.app.kit.subject import Subject
from onda.errors import OndaError
from onda.project.files import Content, content_of
from onda.studies.devices.device_file import DEVICE_FILE, DeviceFileInputs, DeviceSummary

__all__ = ["DeviceShelf"]


class DeviceShelf:
    """Summaries of device files by their hash; `arrived` is told when one comes."""

    def __init__(self, subject: Subject, arrived: Callable[[], None]) -> None:
        self._subject, self._arrived = subject, arrived
        self._known: dict[str, DeviceSummary | None] = {}

    def summary(self, file: str) -> DeviceSummary | None:
        """What is in a file, None while it is read or where it cannot be."""
        try:
            content = content_of(self._subject.design.device_file(file))
        except (OndaError, KeyError):
            return None
        if content.sha256 not in self._known:
            self._known[content.sha256] = None
            self.read(content, lambda _: self._arrived(), lambda _: None)
        return self._known[content.sha256]

    def read(
        self,
        content: Content,
        then: Callable[[DeviceSummary], None],
        fail: Callable[[str], None],
    ) -> None:
        """Read a file, then do something with what is in it."""

        def arrived(summary: DeviceSummary) -> None:
            self._known[content.sha256] = summary
            then(summary)

        self._subject.ask(
            f"device-file-{content.sha256[:8]}",
            DEVICE_FILE,
            lambda: DeviceFileInputs(content),
            arrived,
            fail,
        )
