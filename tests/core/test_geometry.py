"""The small pieces the trace and the solids stand on, against numpy, scipy, trimesh and closed formulas."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
import trimesh
from scipy import ndimage
from tests.conftest import checker, png
from tests.core.test_trace import rendered

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.errors import BadInput
from cutkey.core.geometry.facets import axes_of, find_facets
from cutkey.core.geometry.graphic import measure, rings_of, to_size
from cutkey.core.geometry.mesh import Mesh, face_normals, signed_volume, weld
from cutkey.core.geometry.primitives import rod, rounded_rectangle
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.background import background_mask, border_label
from cutkey.core.picture.labels import label_pixels, nearest_colour
from cutkey.core.picture.read import read_picture
from cutkey.core.picture.specks import components
from cutkey.core.split.setting.places import from_the_back, grid_in, spread
from cutkey.core.steps.crop import Crop
from cutkey.core.steps.invert import Invert
from cutkey.core.trace.corners import fit_lines, intersections
from cutkey.core.trace.offsets import crack_offsets
from cutkey.core.trace.partition import regions
from cutkey.core.trace.run import trace


def test_a_line_is_fitted_as_numpys_principal_axis():
    rng = np.random.default_rng(8)
    angles = np.linspace(0, math.pi, 7)[:-1]
    d = np.stack([np.cos(angles), np.sin(angles)], 1)
    points = rng.uniform(-5, 5, (6, 30, 1)) * d[:, None] + rng.normal(0, 0.05, (6, 30, 2)) + (3, -2)
    lines = fit_lines(points)
    for k, p in enumerate(points):
        _, sizes, axes = np.linalg.svd(p - p.mean(0))
        assert abs(lines.direction[k] @ axes[0]) == pytest.approx(1, abs=1e-9)
        assert lines.rms[k] == pytest.approx(sizes[1] / math.sqrt(30), rel=1e-6)
        assert lines.direction[k] @ (p[-1] - p[0]) > 0
    one = fit_lines(np.array([[[0, 0], [4.0, 4]], [[0, 0], [4.0, 4]]]))
    other = fit_lines(np.array([[[0, 4.0], [4, 0]], [[0, 1.0], [4, 5]]]))
    met = intersections(one, other)
    assert met[0] == pytest.approx([2, 2]) and np.isnan(met[1]).all()


def test_a_crack_moves_by_the_blend_across_it():
    """A vertical edge at x = 4.3: the pixel it crosses holds 0.3 of the left colour."""
    palette = np.array([[0, 0, 0], [200, 100, 50]], np.float32)
    share = np.clip(4.3 - np.arange(9), 0, 1)[None, :, None]
    pixels = np.repeat(palette[0] * share + palette[1] * (1 - share), 5, 0).astype(np.float32)
    labels = np.where(share[..., 0] > 0.5, 0, 1).repeat(5, 0).astype(np.int32)
    x = np.full(5, 3)
    offsets, sure = crack_offsets(pixels, labels, palette, np.arange(5), x, 0, 1)
    assert sure.all()
    assert x + 1 + offsets == pytest.approx(np.full(5, 4.3), abs=1e-5)


def test_three_colours_meet_where_they_were_drawn():
    """A junction of three regions at (61.4, 66.7), drawn by resvg."""
    c = (61.4, 66.7)
    body = (
        f'<rect width="128" height="128" fill="#e0a32a"/><path d="M{c[0]} {c[1]}L128 20V128H40Z"'
        f' fill="#26241f"/><path d="M{c[0]} {c[1]}L40 128H0V0H30Z" fill="#4f6b35"/>'
    )
    found = [g for _, g in regions(rendered(body))]
    assert len(found) == 3 and shapely.coverage_is_valid(found)
    shared = set.intersection(*({tuple(p) for p in shapely.get_coordinates(g).tolist()} for g in found))
    assert len(shared) == 1
    assert math.dist(shared.pop(), c) < 0.25


def test_pieces_are_those_of_scipy():
    labels = np.random.default_rng(3).integers(0, 4, (40, 60)).astype(np.int32)
    piece, area, owner = components(labels)
    count = sum(ndimage.label(labels == k)[1] for k in range(4))
    assert len(area) == len(owner) == count and area.sum() == labels.size
    assert (owner[piece] == labels).all()
    for k in range(count):
        assert ndimage.label(piece == k)[1] == 1


def test_blended_pixels_go_to_a_neighbour_and_never_to_a_third_colour():
    """Half-way between black and white lies a grey that is in the palette too: along the edge it must not
    appear."""
    palette = np.array([[0, 0, 0], [255, 255, 255], [128, 128, 128]], np.uint8)
    rgb = np.zeros((20, 40, 3), np.uint8)
    rgb[:, 15:] = 255
    rgb[:, 14] = 120
    rgb[:, 30:] = 128
    assert nearest_colour(rgb, palette)[0, 14] == 2
    soft = label_pixels(np.where(rgb == 120, np.uint8(100), rgb), palette)
    assert set(np.unique(soft[:, :28])) == {0, 1} and (soft[:, 31:] == 2).all()


def test_an_edge_that_passes_through_a_third_colour_does_not_become_it():
    """Between white and amber an edge pixel may look like the cream that is elsewhere in the picture."""
    palette = np.array([[255, 255, 255], [224, 163, 42], [239, 228, 198]], np.uint8)
    rgb = np.full((24, 40, 3), 255, np.uint8)
    rgb[:, 14:] = palette[1]
    rgb[:, 13] = (247, 232, 202)
    rgb[:, 30:] = palette[2]
    labels = label_pixels(rgb, palette)
    assert set(np.unique(labels[:, :28])) == {0, 1} and (labels[:, 31:] == 2).all()
    # A thin line that is truly cream stays.
    rgb[:, 20:22] = palette[2]
    assert (label_pixels(rgb, palette)[:, 20:22] == 2).all()


def test_background_by_border_and_everywhere():
    labels = np.zeros((20, 30), np.int32)
    labels[5:15, 5:25] = 1
    labels[8:12, 10:15] = 0
    assert border_label(labels) == 0
    assert border_label(labels, labels == 1) == -1
    assert background_mask(labels, 0).sum() == 600 - 200
    assert background_mask(labels, 0, touching_only=False).sum() == 600 - 200 + 20


def test_crop_and_invert_change_the_trace_and_not_the_source():
    picture = read_picture(png(checker(100)), "p")
    before = picture.rgb.copy()
    half = trace(picture, TraceSettings(steps=(Crop((0.5, 0.0), (1.0, 1.0)),)), 40)
    assert [r.colour for r in half.regions] == ["#e0a32a"] and half.picture.shape == (100, 50, 3)
    turned = trace(picture, TraceSettings(steps=(Invert(),)), 40)
    assert {r.colour for r in turned.regions} == {"#e1e1e1", "#1f5cd5"}
    assert (picture.rgb == before).all()
    dots = np.full((40, 40, 3), 255, np.uint8)
    dots[10:15, 10:15] = dots[30:35, 20:25] = 0
    with pytest.raises(BadInput, match="only specks smaller than 400"):
        trace(read_picture(png(dots), "dots.png"), TraceSettings(despeckle_mm2=400.0), 20, "dots.png")


def test_a_graphic_keeps_its_proportion_and_its_shared_points():
    left, right = shapely.box(10, 20, 30, 60), shapely.box(30, 20, 50, 60)
    graphic = to_size(
        [Region("#000000", shapely.multipolygons([left])), Region("#ffffff", shapely.multipolygons([right]))],
        25.4,
    )
    assert (graphic.width, graphic.height) == (25.4, pytest.approx(25.4))
    a, b = (set(map(tuple, rings_of(r.geometry)[0].tolist())) for r in graphic.regions)
    assert len(a & b) == 2
    found = measure(graphic)
    assert [m.area for m in found] == pytest.approx([12.7 * 25.4] * 2) and found[
        0
    ].narrowest == pytest.approx(12.7, abs=0.01)


def test_meshes_agree_with_trimesh():
    body = trimesh.creation.icosphere(2, 10)
    mesh = weld(body.triangles)
    assert len(mesh.vertices) == len(body.vertices) and signed_volume(mesh) == pytest.approx(
        body.volume, rel=1e-9
    )
    normals, areas = face_normals(Mesh(np.asarray(body.vertices), np.asarray(body.faces)))
    assert normals == pytest.approx(body.face_normals, abs=1e-9) and areas == pytest.approx(body.area_faces)
    box = trimesh.creation.box((3, 4, 5)).subdivide().subdivide()
    facets = find_facets(Mesh(np.asarray(box.vertices), np.asarray(box.faces)))
    assert sorted(facets.area) == pytest.approx(sorted([12, 12, 15, 15, 20, 20]))
    # Twelve edges, each cut in four by subdividing twice.
    assert len(facets.edges) == 12 * 4
    assert len(find_facets(mesh_of(PlateBase(10, 10, 2, 3).solid())).edges) > 8


def test_made_shapes_have_their_area():
    assert rounded_rectangle(30, 20, 4).area == pytest.approx(600 - (4 - math.pi) * 16, rel=1e-3)
    assert rounded_rectangle(30, 20, 0).area == 600
    assert rounded_rectangle(30, 20, 99).bounds == pytest.approx((-15, -10, 15, 10))
    assert PlateBase(30, 20, 5, 4).solid().volume() == pytest.approx(5 * rounded_rectangle(30, 20, 4).area)
    assert rod(3, 10).volume() == pytest.approx(10 * 32 * math.sin(2 * math.pi / 64) * 9)


@pytest.mark.parametrize(
    ("normal", "right", "up"),
    [
        ((0, 0, 1), (1, 0, 0), (0, 1, 0)),
        ((0, -1, 0), (1, 0, 0), (0, 0, 1)),
        ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
        ((0, 0, -1), (-1, 0, 0), (0, 1, 0)),
    ],
)
def test_a_face_is_the_right_way_up_for_the_model(normal, right, up):
    r, u = axes_of(np.array(normal, float))
    assert r == pytest.approx(right) and u == pytest.approx(up)
    assert np.cross(r, u) == pytest.approx(normal)


def test_places_are_spread_as_far_as_the_room_allows():
    def places(room: shapely.Geometry, count: int = 4) -> np.ndarray:
        grid = grid_in(room)
        return grid[spread(grid, count, 10.0)]

    assert np.ptp(places(shapely.box(0, 0, 300, 4))[:, 0]) > 290
    assert [len(places(shapely.box(0, 0, w, 4))) for w in (30, 5)] == [3, 1] and len(
        places(shapely.Polygon())
    ) == 0
    ring = shapely.Point(0, 0).buffer(50) - shapely.Point(0, 0).buffer(45)
    assert all(shapely.intersects_xy(ring.buffer(0.01), x, y) for x, y in places(ring))
    # From the back of a plate with a hole: nowhere over the hole, and not where the wall over the key would
    # be missing.
    plate = shapely.box(0, 0, 100, 8) - shapely.box(40, 0, 60, 3)
    found = from_the_back(plate, plate, 4.0, 5.0, 1.0)
    assert (
        found[:, 1].max() == pytest.approx(0, abs=1e-6)
        and found[:, 0].min() == pytest.approx(5)
        and found[:, 0].max() == pytest.approx(95)
    )
    assert (
        not ((found[:, 0] > 35.1) & (found[:, 0] < 64.9)).any()
        and len(from_the_back(plate, plate, 4.0, 7.5, 1.0)) == 0
    )
    # Where another key has the back, none is let in above that either.
    free = plate - shapely.box(70, 0, 80, 2)
    left = from_the_back(plate, free, 4.0, 5.0, 1.0)
    assert len(left) and not ((left[:, 0] > 65.1) & (left[:, 0] < 84.9)).any() and left[:, 1].max() < 1e-6
