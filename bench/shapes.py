"""Shapes with exact geometry, their exact area coverage, and how far a trace of them is off."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import shapely
from shapely import affinity

FONT = Path(__file__).parent.parent / "src/cutkey/app/assets/fonts/Barlow-Bold.ttf"


def disc(x: float, y: float, r: float) -> shapely.Polygon:
    """A circle as 2880 sides."""
    a = np.arange(2880) * 2 * np.pi / 2880
    return shapely.Polygon(np.c_[x + r * np.cos(a), y + r * np.sin(a)])


def glyph(letter: str, size: int) -> shapely.Geometry:
    """A letter of the shipped font over four fifths of a picture, by fontTools' outlines."""
    from cutkey.core.lettering.text import TextLook, text_area

    shape = text_area(FONT.read_bytes(), letter, TextLook(100.0), 0.005)
    x0, y0, x1, y1 = shape.bounds
    scale = 0.8 * size / max(x1 - x0, y1 - y0)
    return affinity.affine_transform(
        shape, [scale, 0, 0, -scale, size / 2 - scale * (x0 + x1) / 2, size / 2 + scale * (y0 + y1) / 2]
    )


def shapes(size: int, letters: str = "R&S") -> dict[str, shapely.Geometry]:
    """Disc, ring, squares, star, rounded rectangle, thin lines and glyphs at a random sub-pixel place."""
    r = random.Random(1000 + size)
    x, y = size / 2 + r.uniform(-0.5, 0.5), size / 2 + r.uniform(-0.5, 0.5)
    s = float(size)
    angle = np.arange(10) * np.pi / 5 + 0.3
    radius = np.where(np.arange(10) % 2, 0.17, 0.43) * s
    q = 0.12 * s
    out: dict[str, shapely.Geometry] = {
        "disc": disc(x, y, 0.38 * s),
        "ring": disc(x, y, 0.40 * s) - disc(x, y, 0.25 * s),
        "square 17": affinity.rotate(shapely.box(x - 0.3 * s, y - 0.3 * s, x + 0.3 * s, y + 0.3 * s), 17),
        "square 0": shapely.box(x - 0.31 * s, y - 0.31 * s, x + 0.31 * s, y + 0.31 * s),
        "star": shapely.Polygon(np.c_[x + radius * np.cos(angle), y + radius * np.sin(angle)]),
        "rounded 11": affinity.rotate(
            shapely.box(x - 0.38 * s + q, y - 0.25 * s + q, x + 0.38 * s - q, y + 0.25 * s - q).buffer(
                q, quad_segs=360
            ),
            11,
            origin=(x, y),
        ),
    }
    for width in (1.5, 2, 3):
        for turn in (0, 17, 45):
            bar = shapely.box(x - 0.4 * s, y - width / 2, x + 0.4 * s, y + width / 2)
            out[f"line {width:g} at {turn}"] = affinity.rotate(bar, turn, origin=(x, y))
    for letter in letters:
        out[f"glyph {letter}"] = affinity.translate(
            glyph(letter, size), r.uniform(-0.5, 0.5), r.uniform(-0.5, 0.5)
        )
    return out


def coverage(shape: shapely.Geometry, height: int, width: int) -> np.ndarray:
    """Exact share of each pixel that a shape covers, (height, width)."""
    from cutkey.core.trace.render import render_arcs

    rings = [shapely.get_coordinates(r) for p in shapely.get_parts(shape) for r in _walked(p)]
    one = np.ones((len(rings), 1))
    return np.clip(render_arcs(rings, one, 0 * one, (height, width))[..., 0].astype(float), 0, 1)


def _walked(polygon: shapely.Polygon) -> list[shapely.LinearRing]:
    """Rings with the area on the left hand, y down."""
    turned = shapely.geometry.polygon.orient(polygon, -1)
    return [turned.exterior, *turned.interiors]


def truth_of(shape: shapely.Geometry, got: shapely.Geometry, size: int) -> tuple[float, float, list[float]]:
    """Mean and largest distance of a trace from the true boundary, and how far each true corner is
    missed, px."""
    there = shapely.points(shapely.get_coordinates(shapely.segmentize(got.boundary, 0.1)))
    back = shapely.points(shapely.get_coordinates(shapely.segmentize(shape.boundary, 0.1)))
    shapely.prepare([shape.boundary, got.boundary])
    off = shapely.distance(shape.boundary, there)
    corners = []
    for ring in shapely.get_rings(shapely.get_parts(shape)):
        xy = shapely.get_coordinates(ring)[:-1]
        a, b = xy - np.roll(xy, 1, 0), np.roll(xy, -1, 0) - xy
        turn = np.abs(
            (np.arctan2(b[:, 1], b[:, 0]) - np.arctan2(a[:, 1], a[:, 0]) + np.pi) % (2 * np.pi) - np.pi
        )
        corners += shapely.distance(got.boundary, shapely.points(xy[turn > np.radians(25)])).tolist()
    return float(off.mean()), float(max(off.max(), shapely.distance(got.boundary, back).max())), corners
