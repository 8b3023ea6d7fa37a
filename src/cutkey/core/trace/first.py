"""The settings that a picture is first traced with."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.errors import BadInput
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import Kind, offers
from cutkey.core.picture.apply import prepare
from cutkey.core.picture.read import Picture, reduced
from cutkey.core.trace.run import trace
from cutkey.core.trace.ways import kind_of

#: Kinds whose best way is taken at once; all others are traced in every colour.
_AT_ONCE: tuple[Kind, ...] = ("pixel art", "drawing on paper", "light on dark")
#: Longest side of the picture that is traced to see whether anything is left of it, px.
_SIDE = 480
#: A figure that covers less than this share of the picture is nothing.
_LEAST = 2e-4


class First(NamedTuple):
    """How a picture is first traced."""

    settings: TraceSettings
    kind: Kind
    way: str  # the id of the offer that was taken


def first_settings(picture: Picture, width_mm: float, name: str, whole: bool = False) -> First:
    """Return the settings for a picture that was just opened: the best way for its kind that leaves something of it.

    Parameters
    ----------
    picture : Picture
    width_mm : float
        Width of the graphic when made.
    name : str
        What to call the picture in messages.
    whole : bool
        The width is that of the whole picture, not of the figure in it.

    Returns
    -------
    First
        The plain settings where no way leaves anything: tracing with them says what is wrong.
    """
    plain = TraceSettings()
    rgb = prepare(picture, ()).rgb
    kind, uneven = kind_of(rgb) if picture.alpha is None else ("flat art", False)
    ways = [(o.id, o.trace) for o in offers(kind, uneven, plain)]
    if kind not in _AT_ONCE:
        ways = [("colours", plain), *(w for w in ways if w[1] != plain)]
    small = picture if kind == "pixel art" else reduced(picture, _SIDE)
    for way, settings in ways:
        try:
            made = trace(small, settings, width_mm, name, whole, proof=False)
        except BadInput:
            continue
        h, w = made.picture.shape[:2]
        if sum(r.geometry.area for r in made.regions) >= _LEAST * h * w:
            return First(settings, kind, way)
    return First(plain, kind, "colours")
