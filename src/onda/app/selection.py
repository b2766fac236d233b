"""What the user looks at: stage, object, element. Not part of the project, so not undone."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

__all__ = ["STAGES", "Selection", "StageInfo"]

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class StageInfo:
    """A stage of the course."""

    id: str
    title: str
    promise: str
    ready: bool


STAGES: tuple[StageInfo, ...] = (
    StageInfo("stackup", "Stackup", "Laminates, copper and plane order for every class.", True),
    StageInfo("lines", "Lines", "One cross-section at a time: impedance, delay, loss.", True),
    StageInfo("paths", "Paths", "A net from driver to receivers, anywhere along it.", True),
    StageInfo(
        "coupling",
        "Coupling",
        "Lines and pairs side by side: near-end and far-end crosstalk in time and frequency, and "
        "the spacing that brings it under its limit.",
        False,
    ),
    StageInfo(
        "networks",
        "Networks",
        "S-parameters from files and from other stages: checked, put in order, joined to a "
        "channel, held against limits in frequency and in time.",
        True,
    ),
    StageInfo("eyes", "Eyes", "The eye at the receiver, with its mask and margins.", True),
    StageInfo(
        "buses",
        "Buses",
        "Every signal, operation and corner of a memory bus with its set-up and hold margin, and "
        "why the worst one is the worst.",
        False,
    ),
    StageInfo(
        "board",
        "Board",
        "The real layout cut into pieces: impedance along every net, reference planes where it "
        "really runs, and the rule checks that need no models.",
        False,
    ),
    StageInfo(
        "heat",
        "Heat",
        "Supply current, board temperature, and what both do to the traces and to the eye.",
        False,
    ),
    StageInfo(
        "fields",
        "Fields",
        "A small piece of board in three dimensions and time, variants on one scale.",
        False,
    ),
    StageInfo(
        "captures",
        "Captures",
        "Measured waveforms: clock recovery, eyes, bathtubs, decoded packets.",
        False,
    ),
    StageInfo(
        "release",
        "Release",
        "Every requirement of the board with its margin, its evidence, and who waived it.",
        False,
    ),
)


class Selection(QObject):
    """Stage in view, object chosen in each stage, element chosen in the object.

    Signals
    -------
    stage_changed, subject_changed, element_changed, hover_changed
    """

    stage_changed = pyqtSignal(str)
    subject_changed = pyqtSignal(str)
    element_changed = pyqtSignal(str)
    hover_changed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.stage = "paths"
        self._subjects: dict[str, str] = {}
        self._elements: dict[str, str] = {}
        self.hovered = ""

    @property
    def subject(self) -> str:
        """Object chosen in the present stage, empty where there is none."""
        return self._subjects.get(self.stage, "")

    def subject_of(self, stage: str) -> str:
        """Object chosen in a stage."""
        return self._subjects.get(stage, "")

    @property
    def element(self) -> str:
        """Element chosen in the present object (a layer, a resistor, ...)."""
        return self._elements.get(f"{self.stage}/{self.subject}", "")

    def go(self, stage: str) -> None:
        """Change the stage."""
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit(stage)

    def choose(self, subject: str, stage: str | None = None) -> None:
        """Choose an object, in the present stage unless another is named."""
        stage = stage or self.stage
        if self._subjects.get(stage) != subject:
            self._subjects[stage] = subject
            if stage == self.stage:
                self.subject_changed.emit(subject)

    def choose_element(self, element: str) -> None:
        """Choose an element of the present object."""
        key = f"{self.stage}/{self.subject}"
        if self._elements.get(key) != element:
            self._elements[key] = element
            self.element_changed.emit(element)

    def hover(self, element: str) -> None:
        """Light up an element in all views; empty for none."""
        if self.hovered != element:
            self.hovered = element
            self.hover_changed.emit(element)
