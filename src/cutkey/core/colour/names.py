"""Everyday names of colours, and the filament that is nearest to one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from cutkey.core.colour.difference import difference, rgb_of

if TYPE_CHECKING:
    from cutkey.core.model.filament import Filament


def nearest_filament(colour: str, rack: Sequence[Filament]) -> tuple[int, float]:
    """Index of the filament nearest to ``colour`` and its CIEDE2000 difference."""
    return _nearest(colour, tuple(f.colour for f in rack))


@lru_cache(maxsize=4096)
def _nearest(colour: str, others: tuple[str, ...]) -> tuple[int, float]:
    d = difference(np.array(rgb_of(colour)), np.array([rgb_of(c) for c in others]))
    best = int(np.argmin(d))
    return best, float(d[best])


def plain_name(colour: str) -> str:
    """An everyday name for a colour: the nearest of a short list of colour words."""
    return [*_WORDS, *_BRIGHT][_nearest(colour, (*_WORDS.values(), *_BRIGHT.values()))[0]].removeprefix(
        "bright "
    )


_WORDS = {
    "black": "#1a1a1a",
    "white": "#fafafa",
    "grey": "#8a8a8a",
    "light grey": "#c8c8c8",
    "dark grey": "#4a4a4a",
    "red": "#c8281e",
    "dark red": "#7a1a1a",
    "orange": "#e87820",
    "amber": "#e0a32a",
    "yellow": "#f2d32b",
    "cream": "#f0e2c0",
    "brown": "#7a4a24",
    "light brown": "#b98a5a",
    "green": "#3c8a3c",
    "dark green": "#2f4a2a",
    "olive": "#6f7a35",
    "light green": "#a8cf8a",
    "teal": "#1f8a8a",
    "light blue": "#8cc0e6",
    "blue": "#2b5fb8",
    "dark blue": "#1c2a5e",
    "violet": "#6a3f9a",
    "pink": "#f0a0b8",
    "magenta": "#c02880",
}
#: Full colours of a screen, which lie far from those of filaments.
_BRIGHT = {
    "bright red": "#ff0000",
    "bright green": "#00ff00",
    "bright blue": "#0000ff",
    "bright yellow": "#ffff00",
    "bright orange": "#ff8000",
    "bright pink": "#ff80c0",
    "bright magenta": "#ff00ff",
    "bright teal": "#00ffff",
    "bright violet": "#8000ff",
}
