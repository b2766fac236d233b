"""Fixtures that are unlike their halves are doubted until the halves follow them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from onda.engine.networks.algebra import cascade
from onda.formats.touchstone.write import write_touchstone
from onda.project.files import Content, keep
from onda.studies.core.study import Control
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import ChainItem, FileItem, HalfItem, NetworkInputs, PieceItem
from onda.studies.networks.network import NETWORK
from tests.engine.test_unlossed import F, chain

LOSS = {"df": 0.01, "skin": 1e-3}
DEVICE = chain(((42.0, 0.02),), **LOSS)


def fixture(z: float) -> np.ndarray:
    return chain(((z, 0.04),), **LOSS)


def read(s: np.ndarray, name: str) -> NetworkInputs:
    text = write_touchstone(F[1:], s[1:], np.array([50.0]))
    item = FileItem(Content(f"{name}.s2p", keep(text)))
    return NetworkInputs(name, item, False, (), (), (0.0, 0.0), (), 50.0, 0.0, 0.0)


def bare(z_left: float, z_right: float, *, follow: bool) -> NetworkInputs:
    """The device in fixtures of two impedances, less halves of a 2x through of 50 ohm."""
    through = read(cascade(fixture(50.0), fixture(50.0)[:, ::-1, ::-1]), "2x")
    around = cascade(fixture(z_left), DEVICE, fixture(z_right)[:, ::-1, ::-1])
    measured = read(around, "measured")

    def half(side: str) -> PieceItem:
        item = HalfItem(through, side, measured if follow else None)
        network = replace(through, name=f"{side} half", source=item)
        return PieceItem(side, network.name, network, False, True, ())

    pieces = (half("left"), PieceItem("m", "measured", measured, False, False, ()), half("right"))
    return replace(measured, name="bare", source=ChainItem(pieces))


def test_fixtures_alike_are_taken_as_they_are() -> None:
    assert build_network(bare(50.0, 50.5, follow=False)).doubts == ()


def test_unlike_ones_are_doubted_until_they_are_followed() -> None:
    plain = NETWORK.run(bare(55.0, 49.9, follow=False), Control())
    (doubt,) = (d for d in plain.doubts if "impedance" in d)
    assert "the fixture in measured is +10.0% off the impedance of left half" in doubt
    assert "about 0.1 of |S11| is the fixtures'; let the halves follow measured" in doubt
    followed = build_network(bare(55.0, 49.9, follow=True))
    assert followed.doubts == ()
    some = followed.frequency < 30e9
    assert np.abs(followed.s - DEVICE[1:])[some].max() < 0.03
    assert np.abs(plain.s - DEVICE[1:])[some].max() > 0.08


def test_a_chain_in_a_chain_passes_its_doubt_on() -> None:
    inner = bare(55.0, 50.0, follow=False)
    outer = replace(inner, source=ChainItem((PieceItem("c", "c", inner, False, False, ()),)))
    assert build_network(outer).doubts == build_network(inner).doubts != ()
