"""Names engraved on cut faces: section and joint, and the poles of magnets; hidden once the sections are together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from shapely import affinity

from cutkey.core.artwork.fonts import font_bytes
from cutkey.core.artwork.text import TextLook, text_area
from cutkey.core.solids.primitives import prism
from cutkey.core.solids.solid import Solid
from cutkey.core.split.forms import FROM_BACK, MOUTH
from cutkey.core.split.joints import Joint
from cutkey.core.split.settings import Labels

FONT = "Barlow Bold"
#: Thinnest stroke of its capitals and figures as a share of their height, measured by opening.
STROKE = 0.14
#: A groove narrower than this times the nozzle closes, common practice, no source.
OPEN = 1.2
#: Material left around the writing, mm.
EDGE = 0.8


class Label(NamedTuple):
    """Writing on a cut face."""

    section: int
    joint: int
    text: str
    height: float  # of its capitals, mm
    place: tuple[float, float]  # its middle, on the plane of the cut
    area: shapely.Geometry  # the writing in plane coordinates
    solid: Solid


class Engraved(NamedTuple):
    """What is written, and where there was no room for it."""

    labels: list[Label]
    missing: list[tuple[int, int]]  # joint and side

    def solids(self) -> dict[int, list[Solid]]:
        """What to take out of each section."""
        out: dict[int, list[Solid]] = {}
        for label in self.labels:
            out.setdefault(label.section, []).append(label.solid)
        return out


def engrave(joints: Sequence[Joint], names: Sequence[str], labels: Labels, nozzle: float) -> Engraved:
    """Find room for the names on both faces of every joint.

    The height is lowered where there is too little room, down to what the nozzle can still print.
    """
    out, missing = [], []
    for number, joint in enumerate(joints):
        free = joint.area.buffer(-EDGE)
        for key in joint.keys:
            w, h = key.form.half
            low, high = (-1e3, key.form.height) if key.form.kind in FROM_BACK else (-h, h)
            free = free.difference(shapely.box(key.u - w - EDGE, key.v + low - EDGE, key.u + w + EDGE, key.v + high + EDGE))
        for side, section in zip((-1, 1), joint.numbers, strict=True):
            found = _placed(f"{names[section]} {joint.letter}", free, side, labels.height, OPEN * nozzle / STROKE, joint.area.centroid)
            if found is None:
                missing.append((number, side))
                continue
            text, height, place, area = found
            out.append(Label(section, number, text, height, place, area, _sunk(joint, area, side, labels.depth)))
            out += _poles(joint, number, side, section, free.difference(shapely.box(*area.bounds).buffer(EDGE)), labels, nozzle)
    return Engraved(out, missing)


def _poles(joint: Joint, number: int, side: int, section: int, free: shapely.Geometry, labels: Labels, nozzle: float) -> list[Label]:
    """N or S beside every magnet: the pole that faces out of the section."""
    out = []
    for key in joint.keys:
        if key.form.kind != "magnet":
            continue
        text = "N" if key.sign * -side > 0 else "S"
        spot = shapely.Point(key.u, key.v)
        near = free.intersection(spot.buffer(key.form.size / 2 + 2 * labels.height))
        found = _placed(text, near, side, min(labels.height, 4.0), OPEN * nozzle / STROKE, spot)
        if found is not None:
            out.append(Label(section, number, text, found[1], found[2], found[3], _sunk(joint, found[3], side, labels.depth)))
            free = free.difference(shapely.box(*found[3].bounds).buffer(EDGE))
    return out


def _sunk(joint: Joint, area: shapely.Geometry, side: int, depth: float) -> Solid:
    return joint.plane.raised(prism(area, *((-depth, MOUTH) if side < 0 else (-MOUTH, depth))))


def _placed(
    text: str, free: shapely.Geometry, side: int, height: float, least: float, aim: shapely.Point
) -> tuple[str, float, tuple[float, float], shapely.Geometry] | None:
    """Writing as one reads it looking at the face, as near to a place as there is room."""
    if free.is_empty:
        return None
    shapely.prepare(free)
    while height >= least - 1e-9:
        area = text_area(font_bytes(FONT), text, TextLook(height), 0.02)
        x0, y0, x1, y1 = area.bounds
        w, h = (x1 - x0) / 2, (y1 - y0) / 2
        left, low, right, high = free.bounds
        if right - left >= 2 * w and high - low >= 2 * h:
            us, vs = np.linspace(left + w, right - w, 80), np.linspace(low + h, high - h, 24)
            gu, gv = (g.ravel() for g in np.meshgrid(us, vs))
            inside = shapely.covers(free, shapely.box(gu - w, gv - h, gu + w, gv + h))
            if inside.any():
                gu, gv = gu[inside], gv[inside]
                k = int(np.argmin(np.hypot(gu - aim.x, gv - aim.y)))
                u, v = float(gu[k]), float(gv[k])
                # The far section is looked at from the other side of the plane, where right is left.
                flip = 1.0 if side < 0 else -1.0
                placed = affinity.affine_transform(area, [flip, 0, 0, 1, u - flip * (x0 + x1) / 2, v - (y0 + y1) / 2])
                return text, height, (u, v), shapely.orient_polygons(placed)
        height = height * 0.85 if height * 0.85 >= least else (least if height > least * 1.001 else 0.0)
    return None
