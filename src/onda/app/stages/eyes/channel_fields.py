"""The channel of a link: what it runs over, what disturbs it, which edges its path has."""

from __future__ import annotations

from collections.abc import Callable

from onda.app.kit.editor import Editor
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.stages.eyes.link_fields import LinkHand
from onda.app.stages.eyes.part_fields import PartFields
from onda.app.stages.eyes.typed import read_whole
from onda.app.theme import Look
from onda.project.base import set_value
from onda.project.links.link import Link

__all__ = ["ChannelFields"]


class ChannelFields(PartFields):
    """Fields of the channel."""

    def __init__(
        self, look: Look, editor: Editor, link: Callable[[], Link | None], hand: LinkHand
    ) -> None:
        super().__init__(editor, link, 2)
        self._hand = hand
        self.choices = Choices(look)
        self.place(0, self.choices)
        self.lane = self.field(1, "Lane", hand.set_lane, "1")
        self.near = self.field(1, "The other way", self._put_near, "none")
        self.more = Choices(look)
        self.place(1, self.more)
        self.fill_up()

    def _set(self, what: str, **changes: object) -> None:
        self.editor.run(lambda: self.editor.put(what, set_value(self.present, **changes)))

    def _put_near(self, typed: str) -> None:
        plain = typed.strip().lower()
        words = [] if plain in ("", "none") else plain.replace(",", " ").split()
        lanes = tuple(
            read_whole(w, "lane", "Lanes count from 1, as 2, 3; none for none.") for w in words
        )
        self.editor.put("Change lanes", set_value(self.present, near=lanes))

    def show_link(self, link: Link) -> None:
        """Show the channel of a link."""
        self.choices.set_specs([self._hand.channel_choice(link)])
        self.lane.setVisible(link.network is not None)
        self.lane.show_text(str(link.lane))
        self.near.setVisible(link.network is not None)
        self.near.show_text(", ".join(map(str, link.near)) or "none")
        specs = []
        if link.path is None:
            specs.append(
                ChoiceSpec(
                    "Other lanes",
                    (("yes", "disturb"), ("no", "are left out")),
                    "yes" if link.crosstalk else "no",
                    lambda key: self._set("Crosstalk", crosstalk=key == "yes"),
                )
            )
        else:
            specs.append(
                ChoiceSpec(
                    "Edges",
                    (("typed", "as typed in Paths"), ("devices", "of its devices")),
                    "devices" if link.devices else "typed",
                    lambda key: self._set("Change edges", devices=key == "devices"),
                )
            )
        self.more.set_specs(specs)
