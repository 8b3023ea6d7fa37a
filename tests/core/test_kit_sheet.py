"""The assembly sheet and its pictures."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import shapely

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.colours import check_regions, check_solids, gap_and_overlap
from cutkey.core.checks.thin import thin_places
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.pictures import ABOVE, AT_AN_ANGLE, View, picture_of
from cutkey.core.model.filament import BODY


def test_gaps_and_overlaps_between_colours_are_found():
    def graphic(*boxes):
        return Graphic(
            [Region(f"#00000{k}", shapely.multipolygons([b])) for k, b in enumerate(boxes)], 20, 10
        )

    fine = graphic(shapely.box(0, 0, 10, 10), shapely.box(10, 0, 20, 10))
    over = graphic(shapely.box(0, 0, 10.1, 10), shapely.box(10, 0, 20, 10))
    assert gap_and_overlap(fine) == (0, 0)
    assert gap_and_overlap(over)[1] == pytest.approx(1.0)
    assert check_regions([("fine", fine)])[0].severity == "sound"
    assert check_regions([("over", over)])[0].severity == "stop"
    a, b = PlateBase(10, 10, 2, 0).solid(), PlateBase(10, 10, 2, 0).solid().translate((9, 0, 0))
    assert check_solids([Part(BODY, a), Part("#000000", b)], a + b)[0].figure == pytest.approx(20)
    assert (
        check_solids([Part(BODY, a), Part("#000000", b.translate((1, 0, 0)))], a + b.translate((1, 0, 0)))[
            0
        ].severity
        == "sound"
    )


def test_thin_places_are_measured_and_corners_are_not_mistaken_for_them():
    neck = shapely.union_all(
        [shapely.box(0, 0, 5, 5), shapely.box(5, 2.4, 9, 2.65), shapely.box(9, 0, 14, 5)]
    )
    places = thin_places(neck, 0.4)
    assert len(places) == 1
    point, width = places[0]
    assert width == pytest.approx(0.25, abs=0.02) and 5 < point.x < 9
    assert thin_places(shapely.Polygon([(0, 0), (10, 0), (5, 9)]), 0.4) == []
    assert thin_places(shapely.box(0, 0, 8, 0.42), 0.4) == []


def test_pictures_show_what_is_in_front():
    """Spheres seen from anywhere, against the nearest of them on every line of sight by the quadratic
    formula."""
    rng = np.random.default_rng(8)
    balls = [(rng.uniform(-30, 30, 3), rng.uniform(6, 16)) for _ in range(14)]
    bodies = [(mesh_of(m3.Manifold.sphere(r, 96).translate(tuple(c))), "#808080") for c, r in balls]
    for view in (ABOVE, AT_AN_ANGLE, View(130, 15)):
        seen = picture_of(bodies, (160, 120), view)
        corners = np.concatenate([m.vertices for m, _ in bodies]) @ view.axes.T
        low, high = corners.min(0), corners.max(0)
        scale = min((160 - 8) / (high[0] - low[0]), (120 - 8) / (high[1] - low[1]))
        # Middles of the finer pixels that stand for the numbers of bodies.
        x, y = (np.arange(160) * 2 + 0.5) / 2, 120 - (np.arange(120) * 2 + 0.5) / 2
        x = (x - 80) / scale + (low[0] + high[0]) / 2
        y = (y - 60) / scale + (low[1] + high[1]) / 2
        depth = []
        for c, r in balls:
            u, v, w = view.axes @ c
            inside = r**2 - (x[None, :] - u) ** 2 - (y[:, None] - v) ** 2
            depth.append(np.where(inside > 0, w + np.sqrt(np.maximum(inside, 0)), -np.inf))
        wanted = np.where(np.isfinite(np.max(depth, 0)), np.argmax(depth, 0), -1)
        assert (wanted != seen.bodies).mean() < 0.012 and (
            (seen.rgba[..., 3] > 0) == (seen.bodies >= 0)
        ).mean() > 0.97
    assert not picture_of([], (40, 30)).rgba.any()


def test_a_view_is_a_rotation_and_a_crumb_of_a_body_is_drawn():
    for turn, tilt in ((0, 90), (-28, 52), (130, 15), (0, 0)):
        axes = View(turn, tilt).axes
        assert axes @ axes.T == pytest.approx(np.eye(3)) and np.linalg.det(axes) == pytest.approx(1)
    assert ABOVE.axes == pytest.approx(np.eye(3), abs=1e-12)
    # One behind another is not seen; side by side both are, each in its colour.
    low, high = (mesh_of(m3.Manifold.cube((20, 20, 4)).translate((0, 0, z))) for z in (0, 8))
    assert set(np.unique(picture_of([(low, "#ff0000"), (high, "#0000ff")], (60, 60)).bodies)) == {-1, 1}
    beside = mesh_of(m3.Manifold.cube((20, 20, 4)).translate((30, 0, 0)))
    seen = picture_of([(low, "#ff0000"), (beside, "#0000ff")], (120, 60))
    red, blue = (seen.rgba[(seen.bodies == n) & (seen.rgba[..., 3] == 255)].astype(int) for n in (0, 1))
    assert np.median(red, axis=0).tolist() == [255, 0, 0, 255] and np.median(blue, axis=0).tolist() == [
        0,
        0,
        255,
        255,
    ]
