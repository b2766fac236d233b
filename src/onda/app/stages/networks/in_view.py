"""The network in view, the chosen piece of its chain, and what it is compared with."""

from __future__ import annotations

from onda.app.kit.context import Context
from onda.app.kit.subject import OneResult
from onda.errors import InputError
from onda.project.networks.network import ChainPiece, ChainSource, Network
from onda.studies.networks.model import NetworkModel
from onda.studies.networks.network import NetworkResult

__all__ = ["NetworkInView"]


class NetworkInView(OneResult[NetworkResult]):
    """The chosen network with its result, its model in time and its baseline."""

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.model: NetworkModel | None = None
        self.baseline: NetworkResult | None = None
        self.baseline_of = ""

    @property
    def network(self) -> Network | None:
        """The network in view, None where there is none."""
        found: Network | None = self.item
        return found

    @property
    def present(self) -> Network:
        """The network in view; raise `InputError` where there is none."""
        found = self.network
        if found is None:
            raise InputError("there is no network in view")
        return found

    @property
    def ports(self) -> int:
        """Number of its ports, 4 until it is known."""
        return len(self.result.ports) if self.result else len(self.present.order) or 4

    @property
    def present_order(self) -> tuple[int, ...]:
        """Order of its ports, written out."""
        return self.present.order or tuple(range(1, self.ports + 1))

    @property
    def piece(self) -> ChainPiece | None:
        """The chosen piece of its chain, else the first."""
        source = self.present.source
        if not isinstance(source, ChainSource):
            return None
        return next((p for p in source.pieces if p.id == self.element), source.pieces[0])

    @property
    def band(self) -> tuple[float | None, float | None]:
        """Lowest and highest impedance that are allowed along it, ohm."""
        limits = {r.measure: r for r in self.requirements}
        low, high = limits.get("profile_low"), limits.get("profile_high")
        return (
            low.at_least.si if low and low.at_least else None,
            high.at_most.si if high and high.at_most else None,
        )
