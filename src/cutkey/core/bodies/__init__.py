"""Made bodies: a file each.

`kind.MadeBody` says what each file must give; `all_bodies` finds them.
"""

from __future__ import annotations

from cutkey.core.bodies.kind import MadeBody
from cutkey.core.kinds import classes_of


def all_bodies() -> tuple[type[MadeBody], ...]:
    """Every kind of made body, as menus list them."""
    return classes_of(__name__, MadeBody)
