"""Preparation steps of a picture.

A file each, with what it holds, how it is carried out, and the tools that make one.

`kind.Step` says what each file must give; `all_steps` finds them.
"""

from __future__ import annotations

from cutkey.core.kinds import classes_of
from cutkey.core.steps.kind import Step


def all_steps() -> tuple[type[Step], ...]:
    """Every kind of step, as the menu lists them."""
    return classes_of(__name__, Step)
