"""What is set and measured of a link beside its eyes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.shell.choices import Choices
from onda.app.shell.fields import Heading, NumberRows, TextField, label
from onda.app.shell.form import Form
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.typed import corners_words
from onda.app.theme import Look
from onda.project.links.link import Link

__all__ = ["LinkInspector"]


class LinkInspector(QWidget):
    """Fields of the link itself, numbers, the worst case; `play()` sends it along its path."""

    def __init__(
        self, look: Look, document: Document, hand: LinkHand, play: Callable[[], None]
    ) -> None:
        super().__init__()
        self._hand = hand
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        layout.addWidget(label("Link", "title"))
        self.name = TextField("Name", hand.rename)
        layout.addWidget(self.name)
        self.choices = Choices(look)
        layout.addWidget(self.choices)
        self.typed = TextField("Typed", hand.set_typed, width=142)
        self.bits = TextField("Bits", hand.set_bits, width=96)
        self.error_rate = TextField("Error rate", hand.set_error_rate, width=96)
        self.corners = TextField("Corners", hand.set_corners, width=142)
        for field in (self.typed, self.bits, self.error_rate, self.corners):
            field.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
            layout.addWidget(field)
        self.form = Form(look, document)
        layout.addWidget(self.form)
        self.measured = Heading("Measured")
        layout.addWidget(self.measured)
        self.numbers = NumberRows(look)
        layout.addWidget(self.numbers)
        layout.addWidget(Heading("Worst case"))
        self.pattern = label("", "secondary", wrap=True)
        layout.addWidget(self.pattern)
        self.play = QPushButton("Play in Paths")
        self.play.setToolTip("Send these bits along the path, through its devices, and look at it")
        self.play.clicked.connect(lambda: play())
        layout.addWidget(self.play)
        self.note = label("", "secondary", wrap=True)
        layout.addWidget(self.note)
        layout.addStretch(1)

    def show_link(self, link: Link) -> None:
        """Show the fields of a link."""
        self.name.show_text(link.name)
        self.choices.set_specs(self._hand.choices(link))
        is_typed = bool(link.typed.strip())
        self.typed.setVisible(is_typed)
        self.typed.show_text(link.typed)
        self.bits.show_text(str(link.bits))
        self.error_rate.show_text(f"{link.error_rate:g}")
        corners = link.mask.corners if link.mask is not None else ()
        self.corners.setVisible(bool(corners))
        self.corners.show_text(corners_words(corners))
        self.form.set_specs(self._hand.fields(link))
        self.play.setVisible(link.modulation == "nrz" and link.path is not None)
