"""The ways of tracing a picture that suit it, with a small picture of what comes of each."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray

from cutkey.core.colour.difference import rgb_of
from cutkey.core.engine.draw import prepared_picture
from cutkey.core.errors import BadInput
from cutkey.core.geometry.region import Region
from cutkey.core.memo import Memo
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.model.ways import Offer, offers
from cutkey.core.picture.apply import Prepared, prepare, reduced_after
from cutkey.core.steps.kind import Step
from cutkey.core.steps.square import Square
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import trace
from cutkey.core.trace.squaring import find_squaring
from cutkey.core.trace.ways import kind_of
from cutkey.worker.shown import FirstView, WaysView, WayView

#: Longest side of the picture that is traced for it, and of what is shown, px.
_TRACED, _SHOWN = 220, 112
#: So many ways are offered at most.
_MOST = 5


def ways_view(
    spec: GraphicSpec, source: Source, data: bytes, memo: Memo, tell: Callable[[float], None]
) -> WaysView:
    """Look at a picture and try the ways that suit it."""
    picture, ready = prepared_picture(spec, source, data, memo)
    kind, light = kind_of(ready.rgb)
    prepared: dict[tuple[Step, ...], Prepared] = {}
    ways = []
    sheet = None
    tried = offers(kind, light, spec.trace)
    if not any(isinstance(s, Square) for s in spec.trace.steps):
        found = find_squaring(ready.rgb)
        if found is not None:
            # What suits the sheet itself, once it is squared up.
            lying = replace(spec.trace, steps=(found.step, *spec.trace.steps))
            best = offers(*kind_of(prepare(picture, lying.steps).rgb), lying)[0]
            sheet = Offer("sheet", best.trace)
            tried = [sheet, *tried][:_MOST]
    for n, offer in enumerate(tried):
        tell(0.2 + 0.15 * n)
        steps = offer.trace.steps
        if steps not in prepared:
            prepared[steps] = prepare(picture, steps)
        # Squares of pixel art must not be blended.
        small = prepared[steps] if kind == "pixel art" else reduced_after(prepared[steps], _TRACED)
        try:
            made = trace(picture, offer.trace, spec.width_mm, source.name, spec.whole, small, proof=False)
        except BadInput:
            # This way leaves nothing of it.
            continue
        h, w = made.picture.shape[:2]
        ways.append(WayView(offer.id, _painted(made.regions, w, h)))
    return WaysView(kind, light, ways, None if sheet is None else sheet.trace)


def first_view(spec: GraphicSpec, source: Source, data: bytes, memo: Memo) -> FirstView:
    """Find the settings that a picture is first traced with."""
    picture, _ = prepared_picture(spec, source, data, memo)
    found = first_settings(picture, spec.width_mm, source.name, spec.whole)
    return FirstView(found.settings, found.kind, found.light, found.way, found.sheet, found.width_mm)


def _painted(regions: Sequence[Region], width: int, height: int) -> NDArray[np.uint8]:
    scale = _SHOWN / max(width, height)
    size = max(1, round(height * scale)), max(1, round(width * scale))
    # Twice as large, then averaged: the edges are smooth.
    out = np.zeros((2 * size[0], 2 * size[1], 4), np.uint8)
    for region in regions:
        rings = [
            np.round(shapely.get_coordinates(r) * (2 * scale)).astype(np.int32)
            for r in shapely.get_rings(shapely.get_parts(region.geometry))
        ]
        cv2.fillPoly(out, rings, (*rgb_of(region.colour), 255))
    return np.asarray(cv2.resize(out, size[::-1], interpolation=cv2.INTER_AREA), np.uint8)
