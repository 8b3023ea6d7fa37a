"""Fitted boundaries against exact geometry: shapes rendered by exact area coverage, as scikit-image's and
shapely's answers have it."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from bench.shapes import coverage, shapes, truth_of
from shapely import affinity
from skimage.draw import polygon2mask

from cutkey.core.trace.deviation import deviation
from cutkey.core.trace.linework import centre_lines
from cutkey.core.trace.partition import regions
from cutkey.core.trace.render import render_arcs


def painted(shape: shapely.Geometry, size: int) -> np.ndarray:
    """Black shape on white, every pixel by the exact area covered (shapely's intersection with each
    pixel)."""
    share = coverage(shape, size, size)
    return np.repeat(np.round(255 * (1 - share)).astype(np.uint8)[..., None], 3, 2)


def traced(shape: shapely.Geometry, size: int) -> tuple[shapely.Geometry, int]:
    found = regions(painted(shape, size), palette=[[255, 255, 255], [0, 0, 0]])
    return dict(found)[(0, 0, 0)], found.segments


@pytest.mark.parametrize("size", [32, 64, 128])
def test_shapes_are_met_to_hundredths_of_a_pixel(size):
    """Limits of the project; exact geometry from shapely."""
    means, corner_off = [], []
    for name, shape in shapes(size).items():
        got, pieces = traced(shape, size)
        mean, most, corners = truth_of(shape, got, size)
        means.append(mean)
        corner_off += corners
        # Letters of 26 px have features of two pixels.
        assert mean <= (0.04 if name.startswith("glyph") else 0.03) and most <= 0.5, (name, mean, most)
        if name == "disc":
            assert abs(got.area / shape.area - 1) < 0.002 and pieces <= 12
        if name.startswith("line"):
            assert abs(got.area / shape.area - 1) < 0.04, name
    assert np.mean(means) < 0.03 and np.mean(corner_off) < 0.1


def test_coverage_is_that_of_shapely_and_of_a_fine_raster():
    """The measuring rasteriser itself: exact areas from shapely, and scikit-image's polygon mask sampled
    16 x 16 finer."""
    shape = affinity.rotate(shapely.Point(12, 11).buffer(7) - shapely.box(9, 8, 13, 12), 20)
    share = coverage(shape, 24, 24)
    cells = shapely.box(
        *np.meshgrid(np.arange(24), np.arange(24)),
        *(g + 1 for g in np.meshgrid(np.arange(24), np.arange(24))),
    )
    assert share == pytest.approx(shapely.area(shapely.intersection(cells, shape)), abs=1e-6)
    outer = np.array(shape.exterior.coords)[:, ::-1] * 16 - 0.5
    inner = np.array(shape.interiors[0].coords)[:, ::-1] * 16 - 0.5
    fine = polygon2mask((384, 384), outer) & ~polygon2mask((384, 384), inner)
    assert np.abs(fine.reshape(24, 16, 24, 16).mean((1, 3)) - share).max() < 0.03


def test_a_partition_is_painted_by_exact_areas():
    """Against shapely's area of each region in each pixel."""
    rng = np.random.default_rng(2)
    places = shapely.MultiPoint(rng.uniform(0, 20, (7, 2)))
    cells = [
        c.intersection(shapely.box(0, 0, 20, 20))
        for c in shapely.voronoi_polygons(places, extend_to=shapely.box(0, 0, 20, 20)).geoms
    ]
    colours = rng.uniform(0, 255, (len(cells), 3))
    wanted = sum(coverage(c, 20, 20)[..., None] * k for c, k in zip(cells, colours, strict=True))
    arcs = [np.array(shapely.geometry.polygon.orient(c, -1).exterior.coords) for c in cells]
    # Each ring by itself, walked with its region on the left (y points down).
    got = render_arcs(arcs, colours, np.zeros_like(colours), (20, 20))
    assert np.abs(got - wanted).max() < 1e-3


def test_the_deviation_is_the_distance_by_which_a_boundary_was_moved():
    size, off = 64, 0.37
    shape = shapely.box(10.2, 9.7, 50.4, 48.1)
    moved = shapely.box(10.2 + off, 9.7, 50.4 + off, 48.1)
    frame = np.array(shapely.box(0, 0, size, size, ccw=False).exterior.coords)
    ring = np.array(shapely.geometry.polygon.orient(moved, -1).exterior.coords)
    white, black, none = [255.0] * 3, [0.0] * 3, [0.0] * 3
    found = deviation(
        painted(shape, size),
        [frame, ring],
        np.array([white, black]),
        np.array([none, white]),
        np.array([False, True]),
    )
    # Upright sides are off by what they were moved, level ones not at all.
    upright = np.abs(np.abs(found.places[:, 0] - (30.3 + off)) - 20.1) < 0.01
    inner = upright & (np.abs(found.places[:, 1] - 29) < 15)
    assert found.offs[inner] == pytest.approx(np.full(inner.sum(), off), abs=0.02)
    assert found.offs[~upright & (np.abs(found.places[:, 0] - 30) < 15)].max() < 0.01
    assert (
        found.most >= off - 0.02
        and min(abs(found.worst[0] - 10.2 - off), abs(found.worst[0] - 50.4 - off)) < 1
    )


def test_lines_come_back_with_their_width():
    """A drawn line of 6 px and a circle of 4 px: centre line and width within a fifth of a pixel."""
    line = shapely.LineString([(20, 30), (100, 60)]).buffer(3)
    ring = shapely.Point(60, 100).buffer(22, 64) - shapely.Point(60, 100).buffer(18, 64)
    found = sorted(centre_lines(shapely.union_all([line, ring])), key=lambda x: -x.width)
    assert [f.width for f in found] == pytest.approx([6, 4], abs=0.2)
    ends = found[0].points[[0, -1]]
    assert sorted(ends[:, 0]) == pytest.approx([20, 100], abs=0.7)
    assert np.hypot(*(found[1].points - (60, 100)).T) == pytest.approx(
        np.full(len(found[1].points), 20), abs=0.2
    )
    assert abs(math.dist(*ends) - math.dist((20, 30), (100, 60))) < 1


@pytest.mark.parametrize("degrees", [18, 30, 50])
def test_the_tip_of_a_sharp_notch_is_where_its_sides_meet(degrees):
    """Pixels beside an acute tip blend both of its sides; the exact coverage (checked above) still tells
    where it is."""
    tip, half = (33.37, 27.61), math.tan(math.radians(degrees / 2)) * 30
    shape = shapely.box(8.3, 12.2, 58.4, 51.7) - shapely.Polygon(
        [tip, (tip[0] - half, tip[1] + 30), (tip[0] + half, tip[1] + 30)]
    )
    mean, most, corners = truth_of(shape, traced(shape, 64)[0], 64)
    assert mean < 0.02
    assert most < 0.4
    assert np.mean(corners) < 0.1


def test_noise_is_not_polished_into_the_boundary():
    """In a noisy picture the pixels' last tenths are noise; following them would only make boundaries
    rough."""
    shape = shapes(128, "")["disc"]
    noise = np.random.default_rng(5).normal(0, 6, (128, 128, 1))
    noisy = np.clip(painted(shape, 128) + noise, 0, 255).astype(np.uint8)
    found = regions(noisy, palette=[[255, 255, 255], [0, 0, 0]])
    assert found.segments <= 16
    assert dict(found)[(0, 0, 0)].area == pytest.approx(shape.area, rel=0.005)
