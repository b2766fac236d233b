"""The strip of a link's parts, and below it the fields of the one that is open."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.kit.editor import Editor
from onda.app.kit.subject import Subject
from onda.app.stages.eyes.channel_fields import ChannelFields
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.listener_fields import ListenerFields
from onda.app.stages.eyes.part_fields import PartFields
from onda.app.stages.eyes.sender_fields import SenderFields
from onda.app.stages.eyes.strip import Strip, boxes_of
from onda.app.theme import Look
from onda.project.links.link import Link
from onda.project.model import Design

__all__ = ["Parts"]

_MOST = 250


class Parts(QWidget):
    """Strip and fields; `again` is called where what may run here has changed."""

    def __init__(
        self,
        look: Look,
        document: Document,
        editor: Editor,
        subject: Subject,
        link: Callable[[], Link | None],
        again: Callable[[], None],
        hand: LinkHand,
        ask_response: Callable[[], None],
    ) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.strip = Strip(look)
        layout.addWidget(self.strip)
        self.transmitter = SenderFields(look, document, editor, subject, link, again)
        self.channel = ChannelFields(look, editor, link, hand)
        self.receiver = ListenerFields(look, document, editor, subject, link, again, ask_response)
        self._pages: dict[str, PartFields] = {
            "sender": self.transmitter, "channel": self.channel, "listener": self.receiver,
        }  # fmt: skip
        self._stack = QStackedWidget()
        for page in self._pages.values():
            self._stack.addWidget(page)
        self.drawer = QScrollArea()
        self.drawer.setWidgetResizable(True)
        self.drawer.setFrameShape(QFrame.Shape.NoFrame)
        self.drawer.setWidget(self._stack)
        self.drawer.hide()
        layout.addWidget(self.drawer)
        self.strip.part_chosen.connect(self._open)

    def _open(self, part: str) -> None:
        self.drawer.setVisible(bool(part))
        if part:
            for key, page in self._pages.items():
                # A stack is else as high as its highest page.
                policy = QSizePolicy.Policy.Preferred if key == part else QSizePolicy.Policy.Ignored
                page.setSizePolicy(QSizePolicy.Policy.Preferred, policy)
            self._stack.setCurrentWidget(self._pages[part])
            self._fit()

    def _fit(self) -> None:
        """As high as the open part needs, within reason."""
        page = self._stack.currentWidget()
        if page is not None:
            self.drawer.setFixedHeight(min(page.sizeHint().height() + 14, _MOST))

    def show_link(self, design: Design, link: Link) -> None:
        """Show the parts of a link."""
        self.strip.show_boxes(boxes_of(design, link))
        self.transmitter.show_link(link)
        self.channel.show_link(link)
        self.receiver.show_link(link)
        self._fit()
