"""The stages of the course, in the order of work: one entry each.

A stage's class and its libraries are loaded when it is first looked at.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Any

__all__ = ["FIRST", "STAGES", "START", "StageInfo", "stage_of"]


@dataclass(frozen=True, slots=True)
class StageInfo:
    """A stage: what it is called, what it promises, what it shows, and where its class is.

    Attributes
    ----------
    list_title : of the list of its objects
    kinds : of the objects that it shows; stands_for : kinds whose margins its buoy shows, where
        they are others
    where : ``module:Class``, empty for a stage that is not built yet
    takes : patterns of the names of files that it takes
    """

    id: str
    title: str
    promise: str
    list_title: str = ""
    kinds: tuple[str, ...] = ()
    where: str = ""
    takes: tuple[str, ...] = ()
    stands_for: tuple[str, ...] = ()

    @property
    def judged(self) -> tuple[str, ...]:
        """Kinds whose margins its buoy shows."""
        return self.stands_for or self.kinds

    @property
    def ready(self) -> bool:
        """Whether it is built."""
        return bool(self.where)

    def load(self) -> Any:
        """Its class."""
        module, _, name = self.where.partition(":")
        return getattr(import_module(module), name)


_HERE = "onda.app.stages"
STAGES: tuple[StageInfo, ...] = (
    StageInfo(
        "stackup",
        "Stackup",
        "Laminates, copper and plane order for every class.",
        "Zones",
        ("material", "layer"),
        f"{_HERE}.stackup.stage:StackupStage",
        ("*.xml", "*.cvg", "*.ipc2581", "*.csv"),
        # The build is as good as the impedances that it gives.
        stands_for=("line",),
    ),
    StageInfo(
        "lines",
        "Lines",
        "One cross-section at a time: impedance, delay, loss.",
        "Line classes",
        ("line", "shielded", "sheet_line"),
        f"{_HERE}.lines.stage:LinesStage",
    ),
    StageInfo(
        "paths",
        "Paths",
        "A net from driver to receivers, anywhere along it.",
        "Paths",
        ("path",),
        f"{_HERE}.paths.stage:PathsStage",
        ("*.ibs",),
    ),
    StageInfo(
        "coupling",
        "Coupling",
        "Lines and pairs side by side: near-end and far-end crosstalk in time and frequency, and "
        "the spacing that brings it under its limit.",
        "Groups",
        ("group",),
        f"{_HERE}.coupling.stage:CouplingStage",
    ),
    StageInfo(
        "networks",
        "Networks",
        "S-parameters from files and from other stages: checked, put in order, joined to a "
        "channel, held against limits in frequency and in time.",
        "Networks",
        ("network",),
        f"{_HERE}.networks.stage:NetworksStage",
        ("*.s[0-9]*p", "*.ts", "*.h5", "*.hdf5"),
    ),
    StageInfo(
        "eyes",
        "Eyes",
        "The eye at the receiver, with its mask and margins.",
        "Links",
        ("link",),
        f"{_HERE}.eyes.stage:EyesStage",
    ),
    StageInfo(
        "buses",
        "Buses",
        "Every signal, operation and corner of a memory bus with its set-up and hold margin, and "
        "why the worst one is the worst.",
        "Buses",
        ("bus",),
        f"{_HERE}.buses.stage:BusesStage",
    ),
    StageInfo(
        "board",
        "Board",
        "The real layout cut into pieces: impedance along every net, reference planes where it "
        "really runs, and the rule checks that need no models.",
    ),
    StageInfo(
        "heat",
        "Heat",
        "Supply current, board temperature, and what both do to the traces and to the eye.",
    ),
    StageInfo(
        "fields",
        "Fields",
        "A small piece of board in three dimensions and time, variants on one scale.",
    ),
    StageInfo(
        "captures",
        "Captures",
        "Measured waveforms: clock recovery, eyes, bathtubs, decoded packets.",
    ),
    StageInfo(
        "release",
        "Release",
        "Every requirement of the board with its margin, its evidence, and who waived it.",
    ),
)
START, FIRST = "paths", "stackup"
"""The stages that a window opens on: with a board that was begun, and with an empty one."""


def stage_of(kind: str, stages: tuple[StageInfo, ...] | None = None) -> StageInfo:
    """The stage that shows objects of a kind, among all or among some."""
    return next(s for s in (STAGES if stages is None else stages) if kind in s.kinds)
