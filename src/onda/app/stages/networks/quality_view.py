"""Whether a network can be trusted: what was measured of it, where it breaks, what helps."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.studies.networks.model import NetworkModel
from onda.studies.networks.network import NetworkResult, Quality, level_of

__all__ = ["QualityView", "findings"]

_REMEDIES = (
    ("reciprocal", "Make reciprocal", "The mean of both directions"),
    ("causal", "Resample causally", "An even grid from DC, nothing before time 0"),
    ("passive", "Make passive", "Singular values above 1 brought to 1"),
)
_GOOD, _FAIR, _BAD = "good", "fair", "bad"


def findings(result: NetworkResult) -> list[tuple[str, str, str, str]]:
    """What was looked at: (what, found, verdict "good", "fair" or "bad", what it means)."""
    q = result.mended
    out = []
    worst = {
        "passivity": f"largest gain {q.worst_gain:.4f} at {_at(q, q.gain)}",
        "reciprocity": f"largest difference {q.unlike.max():.2g} at {_at(q, q.unlike)}",
        "causality": "share of turning that is clockwise" + _unheard(q),
    }
    grade = {"good": _GOOD, "acceptable": _FAIR, "inconclusive": _FAIR, "poor": _BAD}
    for name, words in worst.items():
        percent = getattr(q, name)
        level = level_of(name, percent)
        out.append((name.capitalize(), f"{percent:.2f} %, {level}", grade[level], words))
    turn = q.points_per_turn
    if math.isfinite(turn):
        verdict = _GOOD if turn >= 8 else _FAIR if turn >= 4 else _BAD
        words = f"steps of {q.step / 1e6:.4g} MHz, {q.delay * 1e9:.3g} ns through"
        out.append(("Points in an echo's turn", f"{turn:.1f}", verdict, words))
    out.append(_range(result, q))
    first = q.first / 1e6
    if q.first == 0.0:
        out.append(("DC", "in the data", _GOOD, ""))
    else:
        reach = q.first / q.step if q.step else 1.0
        verdict = _GOOD if reach <= 2.0 else _FAIR if reach <= 10.0 else _BAD
        out.append(("DC", f"starts at {first:.4g} MHz", verdict, "DC by extrapolation"))
    if result.better_order:
        order = ", ".join(map(str, result.better_order))
        out.append(
            (
                "Port order",
                "looks wrong",
                _BAD,
                f"by way through and arrival it is {order}, left then right",
            )
        )
    else:
        out.append(("Port order", "fits", _GOOD, result.order_words))
    return out


def _unheard(q: Quality) -> str:
    """Entries that causality says nothing of."""
    count = len(q.unheard)
    if not count:
        return ""
    names = ", ".join(f"S{row + 1}{column + 1}" for row, column in q.unheard[:3])
    more = f" and {count - 3} more" if count > 3 else ""
    return f"; {names}{more} left out, too small to hear above noise"


def _range(result: NetworkResult, q: Quality) -> tuple[str, str, str, str]:
    found = f"{q.first / 1e6:.4g} MHz to {q.last / 1e9:.4g} GHz"
    if result.rate <= 0:
        return "Range", found, _FAIR, "state the data rate to judge it"
    share = q.last / result.rate
    verdict = _GOOD if share >= 1.0 else _FAIR if share >= 0.75 else _BAD
    return "Range", found, verdict, f"{share:.2f} of the rate of {result.rate / 1e9:.6g} GBd"


def _at(q: Quality, curve: np.ndarray) -> str:
    return f"{q.frequency[int(np.argmax(curve))] / 1e9:.3g} GHz"


class QualityView(QWidget):
    """Findings, where they break, remedies, and the model in time.

    Signals
    -------
    remedy_wanted(name), model_wanted()
    """

    remedy_wanted = pyqtSignal(str)
    model_wanted = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        columns = (
            Column("Looked at", 1.1),
            Column("Found", 1.2),
            Column("Verdict", 0.5),
            Column("Where, how", 2.2),
        )
        self.ledger = Ledger(look, "Quality", columns)
        self.ledger.setMinimumHeight(164)
        layout.addWidget(self.ledger, 2)
        row = QHBoxLayout()
        row.addWidget(label("Remedies", "heading"))
        self.remedies: dict[str, QPushButton] = {}
        for key, words, tip in _REMEDIES:
            button = QPushButton(words)
            button.setObjectName("chip")
            button.setCheckable(True)
            button.setToolTip(f"{tip}; the file stays as it is")
            button.clicked.connect(lambda _, key=key: self.remedy_wanted.emit(key))
            row.addWidget(button)
            self.remedies[key] = button
        self.model = QPushButton("Fit a model in time")
        self.model.setToolTip("The model that circuits use: what arrives after each delay")
        self.model.clicked.connect(lambda: self.model_wanted.emit())
        row.addWidget(self.model)
        row.addStretch(1)
        layout.addLayout(row)
        self.sentence = label("", "", wrap=True)
        layout.addWidget(self.sentence)
        plots = QHBoxLayout()
        plots.setSpacing(10)
        self.plots: dict[str, CurvePlot] = {}
        for key, words in (
            ("gain", "Largest singular value"),
            ("unlike", "Largest difference of two directions"),
            ("against", "Turning against the clock, share"),
        ):
            column = QVBoxLayout()
            column.setSpacing(0)
            plot = CurvePlot(look, Axis("Frequency", "GHz"), Axis(words), axis_width=50)
            column.addWidget(plot, 1)
            plots.addLayout(column, 1)
            self.plots[key] = plot
        layout.addLayout(plots, 3)

    def show_result(
        self, result: NetworkResult, remedies: tuple[str, ...], model: NetworkModel | None
    ) -> None:
        """Show a result with the remedies that are applied."""
        t = self._look.t
        inks = {_GOOD: t.holds, _FAIR: t.tight_ink, _BAD: t.fails}
        self.ledger.set_rows(
            [
                LedgerRow(what, (what, found, verdict, words), ((2, inks[verdict]),))
                for what, found, verdict, words in findings(result)
            ]
        )
        for key, button in self.remedies.items():
            button.setChecked(key in remedies)
        for key, plot in self.plots.items():
            curves = []
            sets = [("as read", result.quality, t.secondary)]
            if remedies:
                sets.append(("mended", result.mended, t.sea))
            for name, quality, color in sets if len(sets) > 1 else [("now", result.mended, t.sea)]:
                values = getattr(quality, key)
                curves.append(Curve(name, quality.frequency / 1e9, values, color, 1.6))
            limits = [Limit(1.0, "passive below 1")] if key == "gain" else []
            plot.show_curves(curves, limits)
        words = []
        if remedies:
            words.append(f"Remedies moved no entry by more than {result.change:.2g}.")
        if model is not None:
            words.append(
                f"Model in time of {model.size}: within "
                f"{model.error:.2g} of every entry, largest gain {model.gain:.4f} in the band, "
                f"{model.gain_above:.4f} above it."
            )
        self.sentence.setText(" ".join(words))
        self.sentence.setVisible(bool(words))
