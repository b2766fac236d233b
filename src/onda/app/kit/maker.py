"""A page on which an object is made from a few decisions, or which says what has to come first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from onda.app.kit.surface import scrolled
from onda.app.shell.chips import Chips
from onda.app.shell.fields import ChoiceBox, Entry, claims_escape, label
from onda.app.theme import Look
from onda.project.model import Project
from onda.project.recipe import Decision, Recipe, defaults, several

__all__ = ["Aside", "MakerPage"]

_WIDE = 460


@dataclass(frozen=True, slots=True)
class Aside:
    """Another way to get such an object: its words, and what it does."""

    title: str
    act: Callable[[], None]


class MakerPage(QWidget):
    """Decisions of a recipe in rows, with a sentence to each.

    Signals
    -------
    made(kind, answers) : all was decided
    left : nothing is to be made
    first_wanted(kind) : something else has to be made first
    """

    made = pyqtSignal(str, object)
    left = pyqtSignal()
    first_wanted = pyqtSignal(str)

    def __init__(self, look: Look, recipes: Sequence[Recipe], asides: Sequence[Aside]) -> None:
        super().__init__()
        self._look = look
        self._recipes = {r.kind: r for r in recipes}
        self._asides = asides
        self._kind = next(iter(self._recipes))
        self._project: Project | None = None
        self._decided: dict[str, str] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        content = QWidget()
        self._layout = QVBoxLayout(content)
        self._layout.setContentsMargins(24, 14, 24, 14)
        self._layout.setSpacing(8)
        outer.addWidget(scrolled(content))
        self.kinds = Chips([(r.kind, r.title) for r in recipes], "What is made")
        self.kinds.setVisible(len(recipes) > 1)
        self.kinds.chosen.connect(self._turn)
        self._layout.addWidget(self.kinds)
        self.sentence = label("", "", wrap=True)
        self.sentence.setMaximumWidth(620)
        self._layout.addWidget(self.sentence)
        self._rows = QWidget()
        self._layout.addWidget(self._rows)
        self.problem = label("", "error", wrap=True)
        self.problem.setMaximumWidth(620)
        self._layout.addWidget(self.problem)
        self._layout.addLayout(self._buttons())
        self._layout.addStretch(1)
        self.entries: dict[str, QWidget] = {}

    def _buttons(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        self.make = QPushButton("Make it")
        self.make.setObjectName("primary")
        self.make.clicked.connect(lambda: self._done())
        line.addWidget(self.make)
        for aside in self._asides:
            button = QPushButton(aside.title)
            button.clicked.connect(lambda _, act=aside.act: act())
            line.addWidget(button)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(lambda: self.left.emit())
        line.addWidget(self.cancel)
        line.addStretch(1)
        return line

    @property
    def recipe(self) -> Recipe:
        """What is being made."""
        return self._recipes[self._kind]

    @property
    def answers(self) -> dict[str, str]:
        """Every decision as it stands."""
        assert self._project is not None
        return defaults(self.recipe, self._project, self._decided)

    def begin(self, project: Project, *, can_leave: bool) -> None:
        """Begin anew: nothing is decided yet."""
        self._decided.clear()
        self.problem.setText("")
        self.cancel.setVisible(can_leave)
        self.follow(project)
        first = next(iter(self.entries.values()), None)
        if first is not None:
            first.setFocus()

    def follow(self, project: Project) -> None:
        """The project is another one; what was decided stays."""
        self._project = project
        self._build()

    def wait(self, words: str) -> None:
        """Say that something is on its way; nothing can be changed meanwhile."""
        self.problem.setText("")
        self.sentence.setText(words)
        for widget in (self._rows, self.make, self.kinds):
            widget.setEnabled(False)

    def refuse(self, words: str) -> None:
        """Say why it is not made."""
        self._enable()
        self.problem.setText(words)

    def _enable(self) -> None:
        self.sentence.setText(self.recipe.sentence)
        for widget in (self._rows, self.make, self.kinds):
            widget.setEnabled(True)

    def _turn(self, kind: str) -> None:
        self._kind = kind
        self._decided.clear()
        self.problem.setText("")
        self._build()

    def _build(self) -> None:
        assert self._project is not None
        self._enable()
        lack = self.recipe.lacks(self._project)
        if lack is not None:
            self.sentence.setText(lack[0])
            self.make.setText("Begin there")
        else:
            self.make.setText("Make it")
        old = self._rows
        had = next((key for key, entry in self.entries.items() if entry.hasFocus()), "")
        self._rows = QWidget()
        self._layout.replaceWidget(old, self._rows)
        old.hide()
        old.deleteLater()
        grid = QGridLayout(self._rows)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(7)
        grid.setColumnStretch(2, 1)
        self.entries = {}
        answers = self.answers if lack is None else {}
        for k, decision in enumerate(self.recipe.decisions if lack is None else ()):
            if not decision.asked(answers):
                continue
            entry = self._entry(decision, answers)
            entry.setAccessibleName(decision.title)
            entry.setToolTip(decision.help)
            self.entries[decision.key] = entry
            name = label(decision.title)
            help_ = label(decision.help, "secondary", wrap=True)
            help_.setMaximumWidth(_WIDE)
            grid.addWidget(name, k, 0)
            grid.addWidget(entry, k, 1)
            grid.addWidget(help_, k, 2)
        if had in self.entries:
            self.entries[had].setFocus()

    def _entry(self, decision: Decision, answers: dict[str, str]) -> QWidget:
        assert self._project is not None
        key, present = decision.key, answers[decision.key]
        if decision.way == "choice":
            box = ChoiceBox(self._look, 190)
            for option, words in decision.options(self._project, answers):
                box.addItem(words, option)
            box.setCurrentIndex(box.findData(present))
            box.activated.connect(lambda _: self.decide(key, str(box.currentData())))
            return box
        if decision.way == "choices":
            return self._several(decision, answers)
        edit = Entry()
        edit.setFixedWidth(190)
        edit.setText(present)
        if decision.way == "quantity":
            edit.setObjectName("mono")
        edit.textEdited.connect(lambda typed: self._typed(key, typed))
        edit.editingFinished.connect(lambda: self._asks_more())
        edit.returnPressed.connect(self._done)
        return edit

    def _asks_more(self) -> bool:
        """Ask what follows from what was typed, and no more what does not matter now; whether that
        is something else than before."""
        answers = self.answers
        if [d.key for d in self.recipe.decisions if d.asked(answers)] == list(self.entries):
            return False
        self._build()
        return True

    def _several(self, decision: Decision, answers: dict[str, str]) -> QWidget:
        assert self._project is not None
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        chosen = several(answers[decision.key])
        boxes: list[tuple[str, QCheckBox]] = []

        def changed() -> None:
            self._decided[decision.key] = ", ".join(k for k, b in boxes if b.isChecked())

        for k, (option, words) in enumerate(decision.options(self._project, answers)):
            box = QCheckBox(words)
            box.setChecked(option in chosen)
            box.toggled.connect(lambda _: changed())
            boxes.append((option, box))
            grid.addWidget(box, k // 3, k % 3)
        if boxes:
            holder.setFocusProxy(boxes[0][1])
        return holder

    def _typed(self, key: str, typed: str) -> None:
        self._decided[key] = typed

    def decide(self, key: str, answer: str) -> None:
        """Decide something; what follows from it is shown anew."""
        self._decided[key] = answer
        self._build()

    def type(self, key: str, typed: str) -> None:
        """Type an answer, as a user does."""
        entry = self.entries[key]
        assert isinstance(entry, QLineEdit)
        entry.setText(typed)
        entry.textEdited.emit(typed)

    def _done(self) -> None:
        assert self._project is not None
        lack = self.recipe.lacks(self._project)
        if lack is not None:
            self.first_wanted.emit(lack[1])
            return
        if self._asks_more():
            return
        self.made.emit(self._kind, dict(self._decided))

    def event(self, event: QEvent | None) -> bool:
        if event is not None and claims_escape(event) and self.cancel.isVisible():
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: object) -> None:
        """Escape leaves, where there is somewhere to go."""
        if getattr(event, "key", lambda: None)() == Qt.Key.Key_Escape and self.cancel.isVisible():
            self.left.emit()
