"""The settings that a picture is first traced with."""

from __future__ import annotations

from typing import NamedTuple

from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.geometry.graphic import box_of
from cutkey.core.imaging.prepare import put_on_paper
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import Kind, Light, offers
from cutkey.core.picture.apply import Prepared, prepare, reduced_after
from cutkey.core.picture.pixels import is_pixel_art
from cutkey.core.picture.read import Picture
from cutkey.core.steps.kind import Step
from cutkey.core.trace.run import SMALL, Figure, Trace, figure_of, trace
from cutkey.core.trace.squaring import find_squaring
from cutkey.core.trace.ways import kind_of

#: Kinds whose best way is taken at once; all others are traced in every colour.
_AT_ONCE: tuple[Kind, ...] = ("pixel art", "drawing on paper", "light on dark")
#: Kinds in which a soft gradient is one colour at once, and what is noted where there is one.
_DRAWN: tuple[Kind, ...] = ("flat art", "line art")
_IN_STEPS = "gradient in steps"
#: What light or press did that is undone at once.
_UNDONE_AT_ONCE: tuple[Light, ...] = ("shadow", "glare", "halftone")
#: A sheet is squared up at once when so much of its sides can be seen.
_SURE = 0.85
#: Longest side of the picture that is traced to see whether anything is left of it, px.
_SIDE = 480
#: A way is tried on the picture itself where its longer side has at most so many px.
_SMALL = 1000
#: A figure that covers less than this share of the picture is nothing; one tone that covers more is none
#: either.
_LEAST, _MOST = 2e-4, 0.98


class First(NamedTuple):
    """How a picture is first traced."""

    settings: TraceSettings
    kind: Kind  # of the picture, or of the sheet in it
    light: Light  # what it did to it
    way: str  # the id of the offer that was taken
    sheet: str | None = None  # name of the sheet that was squared up, "" for one that is not known
    width_mm: float | None = None  # of the figure, where the sheet tells it
    figure: Figure | None = None  # what is known of the picture, for tracing it with these settings


def first_settings(picture: Picture, width_mm: float, name: str, whole: bool = False) -> First:
    """Return the settings for a picture that was just opened.

    It is the best way for its kind that leaves something of it.

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
    squaring = find_squaring(rgb) if picture.alpha is None else None
    if squaring is not None and squaring.seen >= _SURE:
        plain = replace(plain, steps=(squaring.step,))
        rgb = prepare(picture, plain.steps).rgb
    else:
        squaring = None
    kind, light = kind_of(rgb) if picture.alpha is None else (_kind_of_transparent(picture), "even")
    ways = [(o.id, o.trace) for o in offers(kind, light, plain)]
    # A squared-up sheet was lit by a lamp or a window, and its light is evened at once.
    undone = light in _UNDONE_AT_ONCE or (squaring is not None and light == "uneven")
    if kind not in _AT_ONCE and not undone:
        ways = [("colours", plain), *(w for w in ways if w[1] != plain)]
    prepared: dict[tuple[Step, ...], Prepared] = {}
    for way, settings in ways:
        if settings.steps not in prepared:
            prepared[settings.steps] = prepare(picture, settings.steps)
        ready = prepared[settings.steps]
        figure = made = None
        if _is_looked_at_whole(picture, settings):
            figure = _whole(picture, ready, settings, width_mm, whole)
            if figure is None:
                continue
        if figure is None or squaring is not None:
            # Most leave something at a small size already; a sheet is only a part of its picture.
            sides = (2 * _SIDE,) if squaring else (_SIDE // 2, _SIDE)
            tries = (_tried(picture, ready, settings, s, width_mm, name, whole) for s in sides)
            made = next(filter(None, tries), None)
            if made is None:
                continue
        looked_at = figure or made
        assert looked_at is not None
        notes = looked_at.notes
        if kind in _DRAWN and way == "colours" and any(n.code == _IN_STEPS for n in notes):
            way, settings, figure = "gradients", replace(settings, join_gradients=True), None
        width = None
        if made is not None and squaring is not None and squaring.size_mm is not None:
            x0, _, x1, _ = box_of(made.regions)
            share = 1.0 if whole else (x1 - x0) / made.picture.shape[1]
            width = round(squaring.size_mm[0] * share, 2)
        sheet = None if squaring is None else squaring.sheet
        # The lines of a small picture are looked at more closely when it is traced.
        known = figure if width is None and max(picture.rgb.shape[:2]) > SMALL else None
        return First(settings, kind, light, way, sheet, width, known)
    return First(plain, kind, light, "colours")


def _is_looked_at_whole(picture: Picture, settings: TraceSettings) -> bool:
    """Whether a way is tried on the picture as it is, not on a reduced one.

    A line is told otherwise in a reduced picture. In a large one it is wide, and the small one will do.
    """
    return settings.mode != "pixels" and _SIDE // 2 < max(picture.rgb.shape[:2]) <= _SMALL


def _whole(
    picture: Picture, ready: Prepared, settings: TraceSettings, width_mm: float, whole: bool
) -> Figure | None:
    """Return what a way makes of the picture as it is, None when that is next to nothing."""
    try:
        figure = figure_of(picture, settings, width_mm, "", whole, ready)
    except BadInput:
        return None
    return figure if _is_something(figure.share, settings) else None


def _is_something(share: float, settings: TraceSettings) -> bool:
    """Whether so much of a picture is a figure; one tone over everything is as little as nothing."""
    return share >= _LEAST and not (settings.mode == "threshold" and share > _MOST)


def _kind_of_transparent(picture: Picture) -> Kind:
    """Return the kind of a picture whose ground is stated: it is lit by nobody, and on no paper."""
    assert picture.alpha is not None
    return "pixel art" if is_pixel_art(put_on_paper(picture.rgb, picture.alpha)) else "flat art"


def _tried(
    picture: Picture,
    ready: Prepared,
    settings: TraceSettings,
    side: int,
    width_mm: float,
    name: str,
    whole: bool,
) -> Trace | None:
    """Return the trace of a reduced picture, or None when it leaves next to nothing."""
    small = ready if settings.mode == "pixels" else reduced_after(ready, side)
    try:
        made = trace(picture, settings, width_mm, name, whole, small, proof=False)
    except BadInput:
        return None
    h, w = made.picture.shape[:2]
    share = sum(r.geometry.area for r in made.regions) / (h * w)
    return made if _is_something(share, settings) else None
