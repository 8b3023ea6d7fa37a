"""The outlines of add-ons on their face, about their place."""

from __future__ import annotations

import math

import numpy as np
import shapely

from cutkey.core.areas import grown
from cutkey.core.relief.features import CLEARANCE, HEAD, Channel, Feature, Hole, Loop, Magnet, ScrewHole

#: Straight pieces of a quarter circle.
QUARTER = 24


def disc(diameter: float) -> shapely.Geometry:
    """A circle, circumscribed, so that what is to fit does fit."""
    return shapely.Point(0, 0).buffer(diameter / 2 / math.cos(math.pi / 4 / QUARTER), quad_segs=QUARTER)


def pocket(magnet: Magnet) -> shapely.Geometry:
    """What a magnet needs: a disc or a rectangle, its clearance included."""
    wide, long = magnet.width + 2 * magnet.clearance, magnet.length + 2 * magnet.clearance
    return shapely.box(-wide / 2, -long / 2, wide / 2, long / 2) if magnet.length > 0 else disc(wide)


def groove(channel: Channel, face: shapely.Geometry) -> shapely.Geometry:
    """A channel along its path; one with an exit goes on past the edge of the face."""
    path = list(channel.path)
    if len(path) < 2:
        path = [(-channel.length / 2, 0.0), (channel.length / 2, 0.0)]
    line = shapely.LineString(path)
    if channel.exit:
        (x0, y0), (x1, y1) = path[-2:]
        far = max(np.ptp(np.array(face.bounds).reshape(2, 2), axis=0).max(), 1.0) * 2
        size = math.hypot(x1 - x0, y1 - y0) or 1.0
        line = shapely.LineString([*path, (x1 + (x1 - x0) / size * far, y1 + (y1 - y0) / size * far)])
    return grown(line, channel.width / 2, cap_style="flat", join_style="mitre")


def footprint(feature: Feature, face: shapely.Geometry) -> shapely.Geometry:
    """What an add-on covers of its face, about its place; nothing of what goes by the whole face and has no place of its own."""
    if isinstance(feature, Hole):
        return disc(feature.diameter)
    if isinstance(feature, ScrewHole):
        return disc(HEAD[feature.size] if feature.countersunk else CLEARANCE[feature.size])
    if isinstance(feature, Loop):
        return disc(feature.hole + 2 * feature.wall).difference(disc(feature.hole))
    if isinstance(feature, Magnet):
        return pocket(feature)
    if isinstance(feature, Channel):
        return groove(feature, face)
    return shapely.Polygon()
