"""Study `bus_levelling`: a strobe of data beside the clock where both are heard."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from onda.engine.timing.strobed import Waveform
from onda.errors import NotPhysical, OndaError
from onda.studies.buses.case import strobe_waves
from onda.studies.buses.inputs import LevellingInputs, StrobeInputs
from onda.studies.core.study import Control, Study

__all__ = ["BUS_LEVELLING", "Levelled"]


@dataclass(frozen=True, slots=True)
class Levelled:
    """A strobe beside the clock.

    Attributes
    ----------
    late : s, how much later the clock comes than the strobe, both sent at once
    moved : s, by which the sender delays the strobe, a number of its steps
    room : s of what is allowed that is left once it is moved; infinite where nothing is asked, NaN
        without an answer
    failure : why there is none
    """

    lane: str
    lane_name: str
    operation: str
    operation_name: str
    corner: str
    late: float = math.nan
    moved: float = math.nan
    room: float = math.nan
    failure: str = ""

    @property
    def left(self) -> float:
        """Seconds that the clock still comes later than the moved strobe."""
        return self.late - self.moved

    def moved_by(self, moved: float) -> Levelled:
        """The same, its strobe moved by other steps."""
        allowed = self.room + abs(self.left)
        return replace(self, moved=moved, room=allowed - abs(self.late - moved))

    @property
    def state(self) -> str:
        """Whether it comes as near as is asked: "holds", "fails" or "unknown"."""
        if math.isnan(self.room):
            return "unknown"
        return "holds" if self.room >= 0.0 else "fails"


def _arrives(strobe: StrobeInputs) -> float:
    """When rising edges of a strobe in its swing come, s after they were sent."""
    time, both, leg = strobe_waves(strobe)
    unit = strobe.wave.unit_interval
    seen = leg if len(leg) else both
    # From rest at zero it rises at once: its one leg tells which edge is the first one.
    began = Waveform(time, seen).crossings(0.5 * float(seen.max() + seen.min()), 1)
    rises = Waveform(time, both).crossings(0.0, 1)
    rises = rises[rises < (strobe.wave.count - 1) * unit]
    if not len(began) or not len(rises):
        raise NotPhysical("strobe", "no rising edge", "one or more")
    last, near = float(rises[-1]), float(began[0])
    return last - 2.0 * unit * round((last - near) / (2.0 * unit))


def _run(inputs: LevellingInputs, _: Control) -> Levelled:
    named = (
        inputs.lane, inputs.lane_name, inputs.operation, inputs.operation_name, inputs.corner,
    )  # fmt: skip
    try:
        late = _arrives(inputs.clock) - _arrives(inputs.strobe)
    except OndaError as error:
        return Levelled(*named, failure=str(error))
    moved = inputs.step * round(late / inputs.step) if inputs.step > 0.0 else 0.0
    return Levelled(*named, late, moved, inputs.room - abs(late - moved))


BUS_LEVELLING: Study[LevellingInputs, Levelled] = Study(
    "bus_levelling", _run, Levelled, title="Strobe beside the clock"
)
