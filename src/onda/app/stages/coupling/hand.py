"""What the Coupling stage does to the document."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.app.kit.editor import Editor
from onda.app.stages.coupling.in_view import GroupInView
from onda.errors import InputError
from onda.project.base import made, set_value
from onda.project.coupling.edits import (
    add_lane,
    add_piece,
    remove_lane,
    remove_piece,
    set_guard,
    set_length,
    set_spacing,
    set_vias,
    turn_lane,
    usual_vias,
)
from onda.project.coupling.group import Guard, LaneGroup
from onda.project.edits import replace_object
from onda.project.networks.edits import add_network
from onda.project.networks.network import GroupSource
from onda.project.paths.ends import ModelUse
from onda.project.quantities import Quantity, parse_quantity, quantity

__all__ = ["GroupHand"]


class GroupHand:
    """Edits of the group in view; what is refused is said on the work surface."""

    def __init__(self, editor: Editor, subject: GroupInView) -> None:
        self._editor, self._subject = editor, subject
        self._length = 0.0

    @property
    def _group(self) -> LaneGroup:
        return self._subject.present

    def _edit(self, what: str, change: Callable[[LaneGroup], LaneGroup]) -> bool:
        """Change the group; say on the surface what is refused."""
        return self._editor.attempt_put(what, lambda: change(self._group))

    def set(self, what: str, /, **changes: Any) -> None:
        """Change values; an entry says itself what is refused."""
        self._editor.put(what, set_value(self._group, **changes))

    def rename(self, name: str) -> None:
        """Another name."""
        self.set("Rename group", name=name)

    def choose_class(self, line_class: str) -> None:
        """Lanes of another class, each piece on a layer that it is routed on."""

        def change(group: LaneGroup) -> LaneGroup:
            found = self._editor.design.line_class(line_class)
            layers = [t.layer for t in found.on]
            pieces = tuple(
                p if p.layer in layers else set_value(p, layer=layers[0]) for p in group.pieces
            )
            return set_value(group, line_class=line_class, pieces=pieces)

        self._edit("Change class", change)

    # ---- pieces

    def choose_layer(self, layer: str) -> None:
        """The chosen piece on another layer."""
        piece = self._subject.piece

        def change(group: LaneGroup) -> LaneGroup:
            new = set_value(piece, layer=layer)
            return set_value(
                group, pieces=tuple(new if p.id == piece.id else p for p in group.pieces)
            )

        self._edit("Change layer", change)

    def put_length(self, q: Quantity) -> None:
        """Another length of the chosen piece."""
        self._editor.put("Change length", set_length(self._group, self._subject.piece.id, q))

    def put_spacing(self, q: Quantity, after: int | None = None) -> None:
        """Another distance between lanes of the chosen piece; between all of them for None."""
        new = set_spacing(self._group, self._subject.piece.id, q, after)
        self._editor.put("Change spacing", new)

    def drag_spacing(self, after: int, metres: float) -> None:
        """A lane is dragged; -1 for all distances."""
        q = quantity(metres, "length", "um", 3)
        piece = self._subject.piece.id
        place = None if after < 0 else after
        self._edit("Drag lane", lambda g: set_spacing(g, piece, q, place))

    def begin_drag(self) -> None:
        """A drag begins."""
        self._length = self._subject.piece.length.si
        self._editor.begin_gesture()

    def end_drag(self) -> None:
        """The drag ends."""
        self._editor.end_gesture()

    def drag_length(self, piece: str, share: float) -> None:
        """A piece is pulled to a share of the length that it had."""
        q = quantity(self._length * share, "length", "mm", 3)
        self._edit("Pull piece", lambda g: set_length(g, piece, q))

    def put_guard(self, typed: str) -> None:
        """Guards between the lanes: ``100 um``, ``100 um / 2 mm`` with their ties, or none."""
        plain = typed.strip().lower()
        guard = None
        if plain not in ("", "none"):
            width, _, pitch = typed.partition("/")
            guard = made(
                Guard,
                width=parse_quantity(width, "length", "um"),
                pitch=parse_quantity(pitch, "length", "mm") if pitch.strip() else None,
            )
        piece = self._subject.piece.id
        self._editor.put("Change guards", set_guard(self._group, piece, guard))

    def toggle_vias(self) -> None:
        """Lanes come to the chosen piece through vias, or no longer do."""
        piece = self._subject.piece

        def change(group: LaneGroup) -> LaneGroup:
            if piece.vias is not None:
                return set_vias(group, piece.id, None)
            return set_vias(group, piece.id, usual_vias(self._editor.design, group, piece.id))

        self._edit("Vias" if piece.vias is None else "Remove vias", change)

    def set_via(self, **changes: Any) -> None:
        """Change values of the chosen piece's vias."""
        piece = self._subject.piece
        if piece.vias is not None:
            new = set_vias(self._group, piece.id, set_value(piece.vias, **changes))
            self._editor.put("Change vias", new)

    def put_returns(self, typed: str) -> None:
        """Return vias of each lane, 0 to 8."""
        if not typed.strip().isdecimal() or len(typed.strip()) > 2:
            raise InputError(f"{typed[:20]!r} is no number of vias", remedy="0 to 8.")
        self.set_via(returns=int(typed))

    def put_rest(self, typed: str) -> None:
        """What back-drilling leaves of the stub; ``none`` where they are not back-drilled."""
        plain = typed.strip().lower()
        if plain in ("", "none"):
            self.set_via(back_drilled=False)
        else:
            self.set_via(back_drilled=True, rest=parse_quantity(typed, "length", "mm"))

    def put_open(self, typed: str) -> None:
        """Planes that are missing along the chosen piece: ``L4``, ``L2, L4`` or none."""
        plain = typed.strip()
        planes = () if plain.lower() in ("", "none") else tuple(plain.replace(",", " ").split())
        piece = self._subject.piece
        new = set_value(piece, open_planes=planes)
        pieces = tuple(new if p.id == piece.id else p for p in self._group.pieces)
        self._editor.put("Open planes", set_value(self._group, pieces=pieces))

    def take_split(self, width: float, gap: float, spacing: float) -> None:
        """The class with another width and gap on the piece's layer, all lanes a distance apart."""

        def act() -> None:
            group, piece, design = self._group, self._subject.piece, self._editor.design
            line_class = design.line_class(group.line_class)
            trace = line_class.trace_on(piece.layer)
            assert trace is not None
            values = {"width": quantity(width, "length", "um", 4)}
            if gap:
                values["gap"] = quantity(gap, "length", "um", 4)
            new = set_value(trace, **values)
            on = tuple(new if t.layer == piece.layer else t for t in line_class.on)
            project = replace_object(self._editor.project, set_value(line_class, on=on))
            apart = set_spacing(group, piece.id, quantity(spacing, "length", "um", 4))
            self._editor.make("Split the width anew", replace_object(project, apart))

        self._editor.run(act)

    def add_piece(self) -> None:
        """One piece more at the right."""
        self._add(coupled=True)

    def add_fan(self) -> None:
        """A fan-out at the right, where lanes do not see each other."""
        self._add(coupled=False)

    def _add(self, *, coupled: bool) -> None:
        def act() -> None:
            group, piece = add_piece(self._group, coupled=coupled)
            self._editor.put("Add piece", group)
            self._subject.choose_element(piece)

        self._editor.run(act)

    def remove_piece(self) -> None:
        """The chosen piece goes."""
        piece = self._subject.piece.id
        self._edit("Remove piece", lambda g: remove_piece(g, piece))

    # ---- lanes

    def turn(self, lane: str) -> None:
        """A lane drives the other way."""
        self._edit("Turn lane", lambda g: turn_lane(g, lane))

    def add_lane(self) -> None:
        """One lane more."""
        self._edit("Add lane", add_lane)

    def remove_lane(self) -> None:
        """The lane that is looked at goes."""
        lane = self._subject.lane
        self._edit("Remove lane", lambda g: remove_lane(g, lane))

    def rename_lane(self, name: str) -> None:
        """The lane that is looked at gets another name."""
        lane = self._subject.lane
        lanes = tuple(set_value(x, name=name) if x.id == lane else x for x in self._group.lanes)
        self.set("Rename lane", lanes=lanes)

    # ---- ends

    def put_end(self, which: str, typed: str) -> None:
        """Source or load of each conductor; "matched" for what the line is."""
        plain = typed.strip().lower()
        value = None if plain in ("", "matched") else parse_quantity(typed, "resistance", "ohm")
        if value is not None and value.si <= 0.0:
            raise InputError("an end must be above 0 ohm", remedy="Write matched for none.")
        self.set(f"Change {which}", **{which: value})

    def put_receiver(self, typed: str) -> None:
        """Bandwidth of the receivers; "usual" for three quarters of the rate."""
        plain = typed.strip().lower()
        value = None if plain in ("", "usual") else parse_quantity(typed, "frequency", "GHz")
        self.set("Change receiver", receiver=value)

    def choose_model(self, which: str, key: str) -> None:
        """Another model at all transmitters ("driver") or receivers ("listener"): ``file|model``,
        nothing for linear ones."""
        file, _, model = key.partition("|")
        use = made(ModelUse, file=file, model=model) if key else None
        values = {which: use} if use is not None else {which: None, f"{which}_pins": ()}
        self._edit("Choose model", lambda g: set_value(g, **values))

    def put_pins(self, which: str, typed: str) -> None:
        """Pins of all lanes in order at "driver" or "listener", as ``E0 E1 E2``; or none."""
        plain = typed.strip()
        pins = () if plain.lower() in ("", "none") else tuple(plain.replace(",", " ").split())
        self.set("Change pins", **{f"{which}_pins": pins})

    def choose_corner(self, corner: str) -> None:
        """Another corner of the models."""
        self._edit("Choose corner", lambda g: set_value(g, corner=corner))

    def as_network(self) -> None:
        """A network of the group, shown where networks are."""

        def act() -> None:
            group = self._group
            pair = self._editor.design.line_class(group.line_class).structure.differential
            project, ref = add_network(
                self._editor.project,
                group.name,
                GroupSource(group=group.id),
                lane="pair" if pair else "single",
                rate=group.rate,
            )
            self._editor.make("Group as network", project)
            self._subject.context.selection.show(ref)

        self._editor.run(act)
