"""Add-ons: holes, pockets, loops, rims and what else a made thing needs; a file each.

`kind.Feature` says what each file must give; `all_features` finds them.
"""

from __future__ import annotations

from cutkey.core.addons.kind import Feature
from cutkey.core.kinds import classes_of


def all_features() -> tuple[type[Feature], ...]:
    """Every kind of add-on, as menus list them."""
    return classes_of(__name__, Feature)
