"""The plots of the Coupling stage by view."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from onda.app.plots.curves import Axis
from onda.app.stages.coupling.found_plots import (
    bit_words,
    chance_words,
    chanced,
    eye_words,
    eyed,
    folded,
    search_words,
    searched,
    wave_words,
    waved,
)
from onda.app.stages.coupling.plots import (
    Seen,
    Shown,
    arrival,
    arrival_words,
    heard_words,
    noise,
    pulses,
    spectra,
)

__all__ = ["PLOTS", "GroupPlot"]


@dataclass(frozen=True)
class GroupPlot:
    """A plot of the stage: its word, its axes, what it shows, the sentence over it, and the view
    whose study it needs where that is another one's."""

    title: str
    x: Axis
    y: Axis
    show: Callable[[Seen], Shown]
    words: Callable[[Seen], str] = heard_words
    needs: str = ""


PLOTS: dict[str, GroupPlot] = {
    "spectra": GroupPlot("Spectra", Axis("Frequency", "GHz"), Axis("Level", "dB"), spectra),
    "pulses": GroupPlot("Pulses", Axis("Time", "ns"), Axis("Voltage", "mV"), pulses),
    "noise": GroupPlot("Noise", Axis("Loss at half the rate", "dB"), Axis("Noise", "mV"), noise),
    "arrival": GroupPlot(
        "Arrival", Axis("Lane"), Axis("Moved by neighbours", "ps"), arrival, arrival_words
    ),
    "waves": GroupPlot("Waves", Axis("Time", "ns"), Axis("Voltage", "V"), waved, wave_words),
    "eye": GroupPlot("Eye", Axis("Time", "UI"), Axis("Voltage", "mV"), eyed, eye_words),
    "chance": GroupPlot(
        "Chance", Axis("Heard", "mV"), Axis("log10 of chance"), chanced, chance_words, needs="eye"
    ),
    "bits": GroupPlot("Bits", Axis("Time", "UI"), Axis("Voltage", "V"), folded, bit_words),
    "search": GroupPlot(
        "Holds",
        Axis("Distance", "µm"),
        Axis("Worst margin", "%"),
        searched,
        search_words,
    ),
}
"""By view."""
