"""Keys that align two sections: a file each, with their sizes, solids, ways in and wording.

`kind.KeyKind` says what each file must give. Those that are `shaped` are forms of a seam; the others are set
into a face.
"""

from __future__ import annotations

from functools import cache

from cutkey.core.keys.kind import KeyKind
from cutkey.core.kinds import classes_of


@cache
def all_keys() -> dict[str, KeyKind]:
    """Every kind by its id, as menus list them."""
    return {kind.id: kind() for kind in classes_of(__name__, KeyKind)}


def key_kind(id: str) -> KeyKind:
    """The kind with an id."""
    return all_keys()[id]


def set_keys() -> tuple[str, ...]:
    """Ids of keys that are set into a face."""
    return tuple(id for id, kind in all_keys().items() if not kind.shaped)


def seam_forms() -> tuple[str, ...]:
    """Ids of forms of a seam."""
    return tuple(id for id, kind in all_keys().items() if kind.shaped)
