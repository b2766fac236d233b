"""The work surface of a stage: title, remark, buttons, then the content."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from onda.app.shell.fields import label

__all__ = ["Surface", "scrolled"]


class Surface(QWidget):
    """A work surface: title, remark, buttons, then the content; a line where something is wrong."""

    def __init__(self) -> None:
        super().__init__()
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(16, 10, 14, 8)
        self.body.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(10)
        self.title = label("", "title")
        self.remark = label("", "secondary")
        head.addWidget(self.title)
        head.addWidget(self.remark, 1)
        self.buttons = QHBoxLayout()
        self.buttons.setSpacing(6)
        head.addLayout(self.buttons)
        self.body.addLayout(head)
        self.problem: QLabel = label("", "error", wrap=True)
        self.problem.hide()
        self.body.addWidget(self.problem)

    def show_head(self, title: str, remark: str) -> None:
        """Title and remark."""
        self.title.setText(title)
        self.remark.setText(remark)

    def add_button(
        self, title: str, act: Callable[[], None], *, primary: bool = False, tip: str = ""
    ) -> QPushButton:
        """A button at the right of the title."""
        button = QPushButton(title)
        if primary:
            button.setObjectName("primary")
        button.setToolTip(tip)
        button.clicked.connect(lambda: act())
        self.buttons.addWidget(button)
        return button

    def tell(self, problem: str) -> None:
        """Say what is wrong, or nothing."""
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))


def scrolled(content: QWidget) -> QScrollArea:
    """A vertical scroll area without a frame."""
    area = QScrollArea()
    area.setWidget(content)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
