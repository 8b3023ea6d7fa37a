"""The ways of tracing a picture that suit it, with a small picture of what comes of each."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from msgspec.structs import replace

from cutkey.core.engine.draw import figure_key, prepared_picture
from cutkey.core.geometry.arrays import U8
from cutkey.core.imaging.size import at_most
from cutkey.core.memo import Memo
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.model.ways import Offer, offers
from cutkey.core.picture.apply import Prepared, prepare
from cutkey.core.steps.kind import Step
from cutkey.core.steps.square import Square
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.squaring import find_squaring
from cutkey.core.trace.trying import ranked, try_way
from cutkey.core.trace.ways import agreeing_looks, kind_of
from cutkey.worker.shown import FirstView, WaysView, WayView

#: Longest side of the small picture of a way, px.
_SHOWN = 112
#: So many ways are offered at most.
_MOST = 5


def ways_view(
    spec: GraphicSpec, source: Source, data: bytes, memo: Memo, line_mm: float, tell: Callable[[float], None]
) -> WaysView:
    """Look at a picture and try the ways that suit it; a printed line has the width `line_mm`."""
    picture, ready = prepared_picture(spec, source, data, memo)
    kind, light = kind_of(ready.rgb)
    prepared: dict[tuple[Step, ...], Prepared] = {}
    sheet = None
    offered = offers(kind, light, spec.trace)
    if not any(isinstance(s, Square) for s in spec.trace.steps):
        found = find_squaring(ready.rgb)
        if found is not None:
            # What suits the sheet itself, once it is squared up.
            lying = replace(spec.trace, steps=(found.step, *spec.trace.steps))
            best = offers(*kind_of(prepare(picture, lying.steps).rgb), lying)[0]
            sheet = Offer("sheet", best.trace)
            offered = [sheet, *offered][:_MOST]
    tried = []
    for n, offer in enumerate(offered):
        tell(0.2 + 0.15 * n)
        steps = offer.trace.steps
        if steps not in prepared:
            prepared[steps] = prepare(picture, steps)
        tried.append(try_way(picture, offer, prepared[steps], spec.width_mm, spec.whole, line_mm))
    # A way that leaves nothing is none.
    ways = [
        WayView(t.offer.id, _shown(t.image), t.explained, t.colours, t.pieces, t.thin)
        for t in ranked([t for t in tried if t is not None])
    ]
    looks = agreeing_looks(ready.rgb, kind)
    return WaysView(kind, looks, light, ways, None if sheet is None else sheet.trace)


def first_view(spec: GraphicSpec, source: Source, data: bytes, memo: Memo) -> FirstView:
    """Find the settings that a picture is first traced with."""
    picture, _ = prepared_picture(spec, source, data, memo)
    found = first_settings(picture, spec.width_mm, source.name, spec.whole)
    if found.figure is not None:
        memo.put(figure_key(spec, found.settings), found.figure)
    return FirstView(found.settings, found.kind, found.light, found.way, found.sheet, found.width_mm)


def _shown(image: U8) -> U8:
    """A small picture of a way; few squares are shown as squares."""
    if max(image.shape[:2]) >= _SHOWN:
        return at_most(image, _SHOWN)
    scale = _SHOWN / max(image.shape[:2])
    return np.asarray(cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_NEAREST), np.uint8)
