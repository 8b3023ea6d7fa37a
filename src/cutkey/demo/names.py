"""Names of the demo jobs."""

from __future__ import annotations

from cutkey.core.errors import BadInput

NAMES = ("lid", "plate", "cap", "coin", "sign", "wall", "panel")


def known_demo(name: str) -> str:
    """The name of a demo job; "" is the jar lid.

    Raises
    ------
    BadInput
        When there is none of that name.
    """
    if name and name not in NAMES:
        raise BadInput(f"There is no demo called {name}; choose {', '.join(NAMES)}.")
    return name or "lid"
