"""The link as boxes from transmitter to receiver."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.project.coupling.group import LaneGroup
from onda.project.links.link import Link
from onda.project.networks.network import Network
from onda.project.paths.path import Path
from onda.project.quantities import format_si

__all__ = ["Chain"]


class Chain(QWidget):
    """The link as boxes from transmitter to receiver."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._boxes: list[tuple[str, str]] = []
        self.setFixedHeight(36)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 36)

    def show_path(self, path: Path) -> None:
        """Show the path's parts."""
        boxes = [(path.driver.name, format_si(path.driver.edge.si, "time", digits=2) + " edge")]
        boxes += [e.brief for e in path.elements]
        boxes.append((path.receiver.name, "sampler"))
        self._boxes = boxes
        self.update()

    def show_network(self, network: Network, link: Link) -> None:
        """Show the network and what stands at its ends."""
        launch = link.launch
        edge = "fastest edge"
        if launch.edge is not None:
            edge = format_si(launch.edge.si, "time", digits=2) + " edge"
        swing = format_si(launch.high.si - launch.low.si, "voltage", digits=2)
        lane = f"lane {link.lane}"
        self._boxes = [(f"launch, {swing}", edge), (network.name, lane), ("matched", "sampler")]
        self.update()

    def show_group(self, group: LaneGroup, link: Link) -> None:
        """Show the lane and what stands at its ends."""
        lane = next(x for x in group.lanes if x.id == link.group_lane)
        swing = format_si(2.0 * group.far.si, "voltage", digits=2)
        edge = format_si(group.rise.si, "time", digits=2) + " edge"
        others = f"{lane.name} among {len(group.lanes)}"
        self._boxes = [
            (f"transmitter, {swing}", edge),
            (group.name, others),
            ("receiver", "sampler"),
        ]
        self.update()

    def show_pulse(self, name: str) -> None:
        """Show the file that says what a symbol becomes."""
        self._boxes = [("a symbol", "whole swing"), (name, "pulse"), ("receiver", "sampler")]
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        n = max(len(self._boxes), 1)
        gap = 8.0
        width = (self.width() - 2 - gap * (n - 1)) / n
        painter.setPen(pen(t.secondary, 1.2))
        painter.drawLine(4, 18, self.width() - 4, 18)
        for i, (upper, lower) in enumerate(self._boxes):
            rect = QRectF(1 + i * (width + gap), 1, width, 33)
            last = i == n - 1
            painter.setPen(pen(t.sea if last else t.hairline, 1.4))
            painter.setBrush(QColor(t.sea_tint if last else t.sheet))
            painter.drawRoundedRect(rect, 6, 6)
            center = Qt.AlignmentFlag.AlignHCenter
            painter.setFont(look.font(11, bold=last))
            text(painter, rect.adjusted(3, 2, -3, -16), upper, t.ink, center)
            painter.setFont(look.font(11))
            text(painter, rect.adjusted(3, 16, -3, -2), lower, t.secondary, center)
        painter.end()
