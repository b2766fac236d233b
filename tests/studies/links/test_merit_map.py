"""The map of settings, against links that are set so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.engine.links.chain import Chain
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.quantities import parse_quantity, quantity
from onda.studies.core.study import Control
from onda.studies.links.inputs import LinkInputs, link_inputs
from onda.studies.links.link import LINK
from onda.studies.links.merit_map import LINK_MAP, SETTINGS, LinkMap, MapInputs, settings_of


def map_of(inputs: LinkInputs, across: str, up: str) -> LinkMap:
    return LINK_MAP.run(MapInputs(inputs, across, up), Control())


@pytest.mark.parametrize("link", ["jl3", "up1"])
def test_every_place_is_the_figure_of_a_link_that_is_set_so(project, link) -> None:
    own = project.design.link(link)
    found = map_of(link_inputs(project.design, own), "behind", "before")
    assert found.merit_db.shape == (len(found.up_values), len(found.across_values))
    # The gain stays what it was found to be without the taps.
    listener = own.listener
    if listener.gains:
        inputs = link_inputs(project.design, own)
        chain = LINK.run(replace(inputs, compare=False), Control()).chain
        gain = quantity(settings_of(chain)["gain"], "loss", "dB", 9)
        listener = set_value(listener, gain=gain)
    for i, j in ((11, 20), (13, 12), (15, 25)):
        before, behind = float(found.up_values[i]), float(found.across_values[j])
        taps = (before, 1.0 - abs(before) - abs(behind), behind)
        sender = set_value(own.sender, taps=taps, main=1, setting="given")
        one = set_value(own, sender=sender, listener=listener)
        result = LINK.run(
            replace(link_inputs(project.design, one, fine=False), compare=False), Control()
        )
        assert found.merit_db[i, j] == pytest.approx(result.merit.db, abs=1e-6)


def test_the_best_is_the_largest_and_the_chosen_is_the_links_own(project) -> None:
    own = project.design.link("jl3")
    inputs = link_inputs(project.design, own)
    found = map_of(inputs, "behind", "before")
    assert found.best[2] == found.merit_db.max()
    i = int(np.argmin(np.abs(found.up_values - found.best[1])))
    j = int(np.argmin(np.abs(found.across_values - found.best[0])))
    assert found.merit_db[i, j] == found.best[2]
    result = LINK.run(replace(inputs, compare=False, fine=False), Control())
    assert found.chosen[2] == pytest.approx(result.merit.db)
    assert found.falls > 0.0
    # A link at the best of its map has no better one on it.
    taps = (found.best[1], 1.0 - abs(found.best[1]) - abs(found.best[0]), found.best[0])
    there = set_value(own, sender=set_value(own.sender, taps=taps, main=1))
    again = map_of(link_inputs(project.design, there), "behind", "before")
    assert again.chosen[2] == pytest.approx(again.best[2])
    assert again.chosen[:2] == pytest.approx(again.best[:2])


def test_gains_go_across_too_with_usual_poles_where_there_are_none(project) -> None:
    own = project.design.link("jl0")
    found = map_of(link_inputs(project.design, own), "behind", "gain")
    assert found.up_values[0] == -12.0
    j = int(np.argmin(np.abs(found.across_values)))
    listener = set_value(
        own.listener,
        gain=parse_quantity("-6 dB", "loss"),
        zero=quantity(0.25 * own.symbols_per_second, "frequency", "GHz", 9),
        poles=tuple(
            quantity(k * own.symbols_per_second, "frequency", "GHz", 9) for k in (0.25, 1.0)
        ),
    )
    sender = set_value(own.sender, taps=(0.0, 1.0, 0.0), main=1, setting="given")
    one = set_value(own, listener=listener, sender=sender)
    result = LINK.run(
        replace(link_inputs(project.design, one, fine=False), compare=False), Control()
    )
    i = int(np.argmin(np.abs(found.up_values + 6.0)))
    assert found.across_values[j] == pytest.approx(0.0, abs=1e-12)
    assert found.merit_db[i, j] == pytest.approx(result.merit.db, abs=1e-4)


def test_settings_of_a_chain() -> None:
    chain = Chain(taps=(0.1, -0.05, 0.7, -0.2), main=2, gain=0.5)
    assert settings_of(chain) == pytest.approx({"before": -0.05, "behind": -0.2, "gain": -6.0206})
    assert settings_of(Chain()) == {"before": 0.0, "behind": 0.0, "gain": 0.0}


@pytest.mark.parametrize(("across", "up"), [("behind", "behind"), ("behind", "colour"), ("", "")])
def test_maps_that_cannot_be(project, across, up) -> None:
    inputs = link_inputs(project.design, project.design.link("jl0"))
    with pytest.raises(InputError, match="a map over") as told:
        map_of(inputs, across, up)
    assert all(name in str(told.value) for name in SETTINGS)
