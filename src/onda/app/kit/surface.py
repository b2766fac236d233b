"""The work surface of a stage: title, remark, buttons, then the content or a page in its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from onda.app.kit.veil import Veil
from onda.app.shell.fields import label
from onda.app.theme import Look

__all__ = ["Said", "Surface", "scrolled"]


class Said:
    """What a stage has to say at present: a problem, or a note."""

    def __init__(self) -> None:
        self._words = ""
        self.is_note = False
        self.actions: tuple[tuple[str, Callable[[], None]], ...] = ()

    def text(self) -> str:
        """The words."""
        return self._words

    def set(
        self,
        words: str,
        *,
        is_note: bool = False,
        actions: Sequence[tuple[str, Callable[[], None]]] = (),
    ) -> bool:
        """Say something else; whether it is something else."""
        other = (words, is_note) != (self._words, self.is_note) or bool(actions)
        self._words, self.is_note, self.actions = words, is_note, tuple(actions)
        return other


class Surface(QWidget):
    """A work surface.

    What is wrong, and what is to be said, has its place in the window's line of words.

    Signals
    -------
    told : what is said is something else
    """

    told = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 10, 14, 8)
        outer.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(10)
        self.title = label("", "title")
        self.remark = label("", "secondary")
        # Buttons keep their words; the remark gives way.
        self.remark.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head.addWidget(self.title)
        head.addWidget(self.remark, 1)
        self._tools = QWidget()
        self.buttons = QHBoxLayout(self._tools)
        self.buttons.setContentsMargins(0, 0, 0, 0)
        self.buttons.setSpacing(6)
        head.addWidget(self._tools)
        outer.addLayout(head)
        self.pages = QStackedWidget()
        self.content = QWidget()
        self.body = QVBoxLayout(self.content)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(6)
        self.pages.addWidget(self.content)
        outer.addWidget(self.pages, 1)
        self.veil = Veil(look, self.content)
        self.problem = Said()

    def what_is_shown(self) -> str:
        """Whose views these are, for titles of what is saved."""
        return self.title.text()

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

    def veil_over(self, widgets: Sequence[QWidget]) -> None:
        """What is covered while it shows another object, or an older state."""
        self.veil.cover(widgets)

    def show_page(self, page: QWidget | None) -> None:
        """Show a page in place of the content; None for the content."""
        if page is not None and self.pages.indexOf(page) < 0:
            self.pages.addWidget(page)
        self.pages.setCurrentWidget(page or self.content)
        self._tools.setVisible(page is None)

    @property
    def shows_content(self) -> bool:
        """Whether the content is shown, and no page in its place."""
        return self.pages.currentWidget() is self.content

    def tell(self, problem: str) -> None:
        """Say what is wrong, or that nothing is; a note stays."""
        if problem or not self.problem.is_note:
            self._say(problem)

    def note(self, words: str, actions: Sequence[tuple[str, Callable[[], None]]] = ()) -> None:
        """Say something that is not wrong, with what can be done about it."""
        if self.problem.set(words, is_note=bool(words), actions=actions):
            self.told.emit()

    def hush(self) -> None:
        """Take back whatever was said."""
        self._say("")

    def _say(self, words: str) -> None:
        if self.problem.set(words):
            self.told.emit()


def scrolled(content: QWidget) -> QScrollArea:
    """A vertical scroll area without a frame."""
    area = QScrollArea()
    area.setWidget(content)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
