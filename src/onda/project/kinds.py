"""Every kind of object in a design, and what follows from the table for all of them alike."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from onda.errors import InputError
from onda.project.base import check_unique
from onda.project.build.kinds import BUILD_KINDS
from onda.project.build.stackup import Stackup
from onda.project.buses.kinds import BUS_KINDS
from onda.project.coupling.kinds import GROUP_KINDS
from onda.project.file_reference import DeviceFile
from onda.project.kind import Kind, Mention, Objects, Ref
from onda.project.lines.kinds import LINE_KINDS
from onda.project.links.kinds import LINK_KINDS
from onda.project.networks.kinds import NETWORK_KINDS
from onda.project.paths.kinds import PATH_KINDS

__all__ = ["KINDS", "check_design", "find", "kind_of", "kinds_by_field", "objects_in", "users_of"]

KINDS: dict[str, Kind] = {
    k.key: k
    for k in (
        *BUILD_KINDS,
        *LINE_KINDS,
        Kind("file", "device file", "device_files", DeviceFile),
        *PATH_KINDS,
        *LINK_KINDS,
        *NETWORK_KINDS,
        *GROUP_KINDS,
        *BUS_KINDS,
    )
}


class _Objects:
    """The objects of a design by kind and id, each kind looked through on first need."""

    def __init__(self, design: object) -> None:
        self._design = design
        self._by_id: dict[str, dict[str, Any]] = {}

    @property
    def stackup(self) -> Stackup:
        """The build."""
        found: Stackup = self._design.stackup  # type: ignore[attr-defined]
        return found

    def get(self, kind: str, identifier: str) -> Any:
        known = self._by_id.get(kind)
        if known is None:
            items = KINDS[kind].items(self._design)
            known = self._by_id[kind] = {item.id: item for item in items}
        return known.get(identifier)

    def all(self, kind: str) -> tuple[Any, ...]:
        return KINDS[kind].items(self._design)


def objects_in(design: object) -> Objects:
    """The objects of a design by kind and id."""
    return _Objects(design)


def check_design(
    design: object, changed: Iterable[str] | None = None, before: object | None = None
) -> None:
    """Raise `ValueError` where an id is there twice or something refers to what is not there.

    Parameters
    ----------
    changed : fields that are others than in a design that was checked before; only their lists and
        what refers to them are looked at. None looks at all.
    before : that design; of lists only the objects that are others than in it, and those that
        refer to them, are looked at
    """
    touched = {k.key for k in KINDS.values() if _is_touched(k, changed)}
    objects = _Objects(design)
    for space in dict.fromkeys(k.space or k.key for k in KINDS.values() if k.key in touched):
        same = [k for k in KINDS.values() if (k.space or k.key) == space]
        title = "line" if len(same) > 1 else same[0].title
        check_unique(title, (item.id for k in same for item in k.items(design)))
    new = _news(touched, design, before)
    for kind in KINDS.values():
        if kind.key not in touched and touched.isdisjoint(kind.needs):
            continue
        for item in kind.items(design):
            mentions = _mentions(kind, item)
            own = (Ref(kind.key, item.id), *(m.ref for m in mentions))
            if new is not None and new.isdisjoint(own):
                continue
            for mention in mentions:
                if objects.get(mention.kind, mention.id) is None:
                    raise ValueError(_missing(kind, item.id, mention))
            kind.check(item, objects)


def _news(touched: set[str], design: object, before: object | None) -> set[Ref] | None:
    """Objects that are new, others, or gone; None where that does not tell what to look at."""
    if before is None or any(not KINDS[key].listed for key in touched):
        # Parts of the build are looked at by position too.
        return None
    out: set[Ref] = set()
    for key in touched:
        old, now = ({x.id: x for x in KINDS[key].items(d)} for d in (before, design))
        out |= {Ref(key, i) for i in old.keys() | now.keys() if old.get(i) is not now.get(i)}
    return out


_told: dict[int, tuple[object, tuple[Mention, ...]]] = {}
_MOST_TOLD = 20_000


def _mentions(kind: Kind, item: Any) -> tuple[Mention, ...]:
    """What a frozen object refers to, worked out once."""
    known = _told.get(id(item))
    if known is None or known[0] is not item:
        if len(_told) > _MOST_TOLD:
            _told.clear()
        known = _told[id(item)] = item, tuple(kind.refers(item))
    return known[1]


def _is_touched(kind: Kind, changed: Iterable[str] | None) -> bool:
    return changed is None or kind.field.split(".", 1)[0] in changed


def _missing(kind: Kind, identifier: str, mention: Mention) -> str:
    part = f", {mention.part}" if mention.part else ""
    what = KINDS[mention.kind].title
    return f"{kind.title} {identifier}{part}: there is no {what} {mention.id!r}"


def kind_of(item: object) -> Kind:
    """The kind that an object is of."""
    return next(k for k in KINDS.values() if k.listed and isinstance(item, k.model))


def kinds_by_field() -> dict[str, Kind]:
    """Kinds with a list of their own, by the field of the design that holds it."""
    return {k.field: k for k in KINDS.values() if k.listed}


def find(design: object, ref: Ref) -> Any:
    """The object that a reference means; raise `InputError` where it is not there."""
    kind = KINDS.get(ref.kind)
    found = next((x for x in kind.items(design) if x.id == ref.id), None) if kind else None
    if found is None:
        title = kind.title if kind else ref.kind
        raise InputError(f"there is no {title} {ref.id!r}")
    return found


def users_of(design: object, ref: Ref) -> Iterator[Any]:
    """Objects that refer to one, in the order of the table."""
    for kind in KINDS.values():
        for item in kind.items(design):
            if any(mention.ref == ref for mention in kind.refers(item)):
                yield item
