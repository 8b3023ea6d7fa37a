"""The sheets of the window: a folder each, with a file ``sheet`` that has one subclass of `base.Sheet`.

They are found by looking into this folder; tabs, menus and keys follow from what each says of itself.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from cutkey.app.sheets.base import Sheet


@cache
def all_sheets() -> tuple[type[Sheet], ...]:
    """Every sheet, in the order of the work."""
    from cutkey.app.sheets.base import Sheet

    found = []
    for folder in pkgutil.iter_modules(__path__):
        if folder.ispkg:
            module = importlib.import_module(f"{__name__}.{folder.name}.sheet")
            found += [
                v
                for v in vars(module).values()
                if isinstance(v, type) and issubclass(v, Sheet) and v.__module__ == module.__name__
            ]
    return tuple(sorted(found, key=lambda s: s.rank))
