"""Graphics that follow curved surfaces, against the exact surfaces and against VTK's distances."""

from __future__ import annotations

import math

import manifold3d as m3
import numpy as np
import pytest
import shapely
from shapely import affinity
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkFiltersCore import vtkImplicitPolyDataDistance

from cutkey.core.checks.lie import check_lie
from cutkey.core.errors import BadInput
from cutkey.core.geometry.facets import find_facets
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import Part, joined_by_colour
from cutkey.core.geometry.rays import thickness_behind
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import mesh_of, solid_as_is
from cutkey.core.model.filament import BODY
from cutkey.core.model.placement import Copies, Depth, Placement
from cutkey.core.place.carve import carve
from cutkey.core.place.copies import instances
from cutkey.core.place.drape import drape
from cutkey.core.place.site import place_facing, site_of
from cutkey.core.place.surface import surface_at

UP = np.array([0.0, 0.0, 1.0])


def star(radius: float = 20.0) -> shapely.Polygon:
    a = np.arange(10) * np.pi / 5 + np.pi / 2
    points = np.c_[np.cos(a), np.sin(a)] * np.where(np.arange(10) % 2, 0.45 * radius, radius)[:, None]
    return shapely.Polygon(points) - shapely.Point(0, 0).buffer(0.2 * radius)


def on_top(solid: m3.Manifold, outward, least: float) -> np.ndarray:
    """Points spread over the faces of a draped solid that look outward and lie at least so high;
    `outward` gives height and normal."""
    mesh = mesh_of(solid)
    t = mesh.vertices[mesh.triangles]
    rng = np.random.default_rng(0)
    cross = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
    area = np.linalg.norm(cross, axis=1)
    k = rng.choice(len(t), 30_000, p=area / area.sum())
    points = np.einsum("nk,nkd->nd", rng.dirichlet([1, 1, 1], len(k)), t[k])
    height, normal = outward(points)
    facing = ((cross[k] / area[k, None]) * normal).sum(1) > 0.8
    return height[facing & (height > least)]


def of_sphere(points):
    r = np.linalg.norm(points, axis=1)
    return r - 60, points / r[:, None]


def of_cylinder(points):
    r = np.hypot(points[:, 0], points[:, 1])
    return r - 40, np.c_[points[:, :2] / r[:, None], np.zeros(len(r))]


@pytest.mark.parametrize("where", [(0, 0), (30, 20), (50, 0)])
def test_the_height_on_a_sphere_is_even_along_its_normal(where):
    """In the middle, off centre, and where it runs over the silhouette; exact sphere of 60 mm radius."""
    mesh = mesh_of(m3.Manifold.sphere(60, 400))
    surface = surface_at(mesh, 60 * UP, UP, 60)
    found = drape([affinity.translate(star(), *where)], [(-0.1, 1.2)], surface)[0]
    heights = on_top(found.solid, of_sphere, 0.6)
    assert np.quantile(heights, 0.01) >= 1.19 and np.quantile(heights, 0.99) <= 1.21
    assert found.folded == 0 and found.solid.volume() > 0
    assert (found.missed > 50) == (where == (50, 0)) and (found.steep > 100) == (where == (50, 0))


def test_wrapping_keeps_arc_length_and_height():
    """A cylinder of 40 mm and a cone, standing and lying; exact arc lengths."""
    for solid, place, normal in (
        (m3.Manifold.cylinder(80, 40, 40, 400), (40, 0, 40), (1, 0, 0)),
        (m3.Manifold.cylinder(80, 40, 25, 400), (32.5, 0, 40), (80, 0, 15)),
        (m3.Manifold.cylinder(80, 25, 40, 400).rotate((90, 0, 0)), (0, -40, 32.5), (0, -15, 80)),
    ):
        out = np.array(normal, float) / np.linalg.norm(normal)
        surface = surface_at(mesh_of(solid), np.array(place, float), out, 40, wrap=True)
        for a, b in (((-20, 0), (20, 0)), ((0, -20), (0, 20)), ((-15, -15), (15, 15))):
            laid = surface.lay(np.linspace(a, b, 4001)).points
            assert np.linalg.norm(np.diff(laid, axis=0), axis=1).sum() == pytest.approx(
                math.dist(a, b), rel=1e-3
            )
    surface = surface_at(
        mesh_of(m3.Manifold.cylinder(80, 40, 40, 400)),
        np.array([40.0, 0, 40]),
        np.array([1.0, 0, 0]),
        40,
        wrap=True,
    )
    heights = on_top(drape([star()], [(-0.1, 1.2)], surface)[0].solid, of_cylinder, 0.6)
    assert np.quantile(heights, 0.01) >= 1.19 and np.quantile(heights, 0.99) <= 1.21
    # Right way up: the graphic's right runs counter-clockwise as seen from above, as it does for who stands
    # before it.
    right = surface.lay(np.array([[1.0, 0.0]])).points[0]
    assert right[1] > 0.9


def bumpy() -> m3.Manifold:
    """A lumpy pebble of about 50 mm radius, its bumps under 1 mm high and 6 to 10 mm wide."""
    ball = mesh_of(m3.Manifold.sphere(50, 240))
    v = ball.vertices
    lumps = 0.5 * np.sin(v[:, 0] * 0.9) * np.sin(v[:, 1] * 0.8) + 0.35 * np.sin(v[:, 2] * 1.1 + v[:, 0] * 0.5)
    return m3.Manifold(m3.Mesh64(v * (1 + lumps / 50)[:, None], ball.triangles.astype(np.uint64)))


def distances(mesh, points: np.ndarray) -> np.ndarray:
    """Signed distances of points from a mesh, above 0 outside."""
    poly, places, cells = vtkPolyData(), vtkPoints(), vtkCellArray()
    places.SetData(numpy_to_vtk(mesh.vertices, deep=True))
    cells.SetData(
        3, numpy_to_vtkIdTypeArray(np.ascontiguousarray(mesh.triangles.ravel(), np.int64), deep=True)
    )
    poly.SetPoints(places)
    poly.SetPolys(cells)
    measure, out = vtkImplicitPolyDataDistance(), numpy_to_vtk(np.zeros(len(points)), deep=True)
    measure.SetInput(poly)
    measure.FunctionValue(numpy_to_vtk(points, deep=True), out)
    return vtk_to_numpy(out).copy()


def test_a_bumpy_surface_keeps_its_height_without_folds():
    """Distances from the mesh by VTK."""
    body = bumpy()
    mesh = mesh_of(body)
    surface = surface_at(mesh, 50 * UP, UP, 22)
    found = drape([star()], [(-0.1, 1.2)], surface)[0]
    assert found.folded == 0 and found.missed < 1e-6
    top = mesh_of(found.solid)
    t = top.vertices[top.triangles]
    cross = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
    upward = cross[:, 2] > 0.5 * np.linalg.norm(cross, axis=1)
    middle = t.mean(1)[upward]
    away = distances(mesh, middle[::7])
    assert np.quantile(away[away > 0.5], 0.01) >= 1.1
    assert not (body + found.solid).is_empty() and len((body + found.solid).decompose()) == 1


def placed(solid, regions, placement):
    mesh = mesh_of(solid)
    site = site_of(
        mesh,
        find_facets(mesh),
        np.array(placement.point),
        np.array(placement.normal),
        placement.follow,
        40.0,
        (30.0, 24.0),
    )
    whole = shapely.union_all([r.geometry for r in regions])
    x0, y0, x1, y1 = whole.bounds
    carved = carve([Part(BODY, solid)], Graphic(regions, x1 - x0, y1 - y0), placement, site)
    return {p.colour: p.solid for p in joined_by_colour(carved.parts)}, carved, site


HALVES = [
    Region("#e0a32a", shapely.MultiPolygon([shapely.box(-15, -12, 3.3, 12)])),
    Region("#1e1e1e", shapely.MultiPolygon([shapely.box(3.3, -12, 15, 12)])),
]


def test_a_disc_raised_on_a_sphere_is_a_segment_of_its_shell():
    """Volume of a spherical shell over a solid angle, 2 pi (1 - cos) (R2^3 - R1^3) / 3."""
    ball = m3.Manifold.sphere(60, 600)
    surface = surface_at(mesh_of(ball), 60 * UP, UP, 20)
    found = drape([shapely.Point(0, 0).buffer(15, quad_segs=90)], [(-0.1, 1.2)], surface)[0].solid - ball
    angle = 2 * math.pi * (1 - math.sqrt(1 - (15 / 60) ** 2))
    assert found.volume() == pytest.approx(angle * (61.2**3 - 60**3) / 3, rel=5e-3)


@pytest.mark.parametrize("follow", ["project", "wrap", "flat", "auto"])
def test_body_and_flush_inlays_are_the_model(follow):
    """On a cylinder, each way: nothing lost, nothing shared (volumes of the solids themselves)."""
    solid = m3.Manifold.cylinder(80, 40, 40, 200)
    where = Placement(
        "p", "g", (40.0, 0.0, 40.0), (1.0, 0.0, 0.0), depths=(Depth("flush", 0.8),), follow=follow
    )
    parts, _, site = placed(solid, HALVES, where)
    assert site.way == {"project": "project", "wrap": "wrap", "flat": "straight", "auto": "wrap"}[follow]
    assert set(parts) == {BODY, "#e0a32a", "#1e1e1e"}
    assert sum(p.volume() for p in parts.values()) == pytest.approx(solid.volume(), rel=1e-9)
    names = list(parts)
    for i, a in enumerate(names):
        for b in names[i + 1 :]:
            assert (parts[a] ^ parts[b]).volume() < 1e-9 * solid.volume()


def test_recessed_floor_follows_and_straight_top_is_flat():
    """A wrapped pocket takes a shell of 0.8 mm away (closed formula); laid straight, the top lies in one
    plane and bites everywhere."""
    solid = m3.Manifold.cylinder(80, 40, 40, 400)
    where = Placement(
        "p", "g", (40.0, 0.0, 40.0), (1.0, 0.0, 0.0), depths=(Depth("recessed", 0.8),), follow="wrap"
    )
    parts, _, _ = placed(solid, HALVES, where)
    shell = 24 * (30 / 40) / 2 * (40**2 - 39.2**2)
    assert solid.volume() - parts[BODY].volume() == pytest.approx(shell, rel=2e-3)
    tall = Placement(
        "p", "g", (40.0, 0.0, 40.0), (1.0, 0.0, 0.0), depths=(Depth("raised", 1.0),), follow="flat"
    )
    parts, carved, site = placed(solid, HALVES, tall)
    raised = parts["#e0a32a"] + parts["#1e1e1e"]
    assert raised.bounding_box()[3] == pytest.approx(41.0, abs=1e-9)
    # Segment of the circle between the chord plane and the arc, added to a slab of 1 mm.
    half = 15.0
    cap = half * math.sqrt(40**2 - half**2) + 40**2 * math.asin(half / 40) - 2 * half * 40
    assert raised.volume() == pytest.approx(24 * (30 * 1.0 - cap), rel=2e-3)
    assert len((raised + parts[BODY]).decompose()) == 1
    found = check_lie(carved.lies, site, tall, "Mark")
    assert {f.title for f in found} == {"Tall at the side"} and max(f.figure for f in found) == pytest.approx(
        1 + 40 - math.sqrt(40**2 - 15**2), abs=0.02
    )


def test_a_flat_face_is_told_from_the_facets_of_a_curve():
    """A twelve-sided prism has faces, a round one of 64 sides has none; a dome is projected on, and
    nothing is wrapped round it."""
    for sides, way in ((12, "face"), (64, "wrap")):
        solid = m3.Manifold.cylinder(80, 40, 40, sides).rotate((0, 0, 180 / sides))
        near = Placement("p", "g", (40.0, 0.0, 40.0), (1.0, 0.0, 0.0))
        assert placed(solid, HALVES, near)[2].way == way
    dome = m3.Manifold.sphere(60, 200)
    at, out = place_facing(mesh_of(dome), np.array([1.0, 0, 0]))
    assert at == pytest.approx([60, 0, 0], abs=0.05) and thickness_behind(dome, at, out) == pytest.approx(
        120, rel=1e-3
    )
    assert placed(dome, HALVES, Placement("p", "g", tuple(at), tuple(out)))[2].way == "project"
    with pytest.raises(BadInput, match="no cylinder or cone"):
        placed(dome, HALVES, Placement("p", "g", tuple(at), tuple(out), follow="wrap"))


def test_copies_level_and_margin():
    """Four copies in a ring, a mirrored pair, a figure level with the rim, and what is kept clear of the
    edge."""
    tray = m3.Manifold.cylinder(6, 30, 30, 200) - m3.Manifold.cylinder(6, 26, 26, 200).translate((0, 0, 3))
    mark = [Region("#e0a32a", shapely.MultiPolygon([shapely.box(-2, -1, 2, 1)]))]
    where = Placement(
        "p", "g", (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), offset=(15.0, 0.0), depths=(Depth("level", 0.0),)
    )
    ring = instances(
        Placement(
            "p", "g", (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), offset=(15.0, 0.0), copies=Copies("ring", (4, 1))
        )
    )
    assert [tuple(np.round(p.offset, 9)) for p in ring] == [(15, 0), (0, 15), (-15, 0), (0, -15)] and ring[
        1
    ].spin == 90
    pair = Placement("p", "g", (5.0, 10.0, 2.0), (0, 0, 1), offset=(5, 2), spin=30, copies=Copies("pair"))
    one, other = instances(pair)
    assert other.offset == (-5, 2) and other.mirror and other.spin == -one.spin
    # On a face off the model's middle the twin is mirrored at the model's.
    assert instances(pair, 6.0)[1].offset == (7, 2)
    lopsided = m3.Manifold.cube((40, 20, 3)) - m3.Manifold.cube((30, 30, 3)).translate((-20, -5, 2))
    on_step, _, site = placed(
        lopsided, [Region("#e0a32a", shapely.MultiPolygon([shapely.box(-1, -1, 1, 1)]))], pair
    )
    assert site.middle == pytest.approx(20 - site.facet.origin[0]) and site.rim == pytest.approx(
        3 - site.facet.origin[2]
    )
    assert on_step
    grid = instances(Placement("p", "g", (0, 0, 3), (0, 0, 1), copies=Copies("grid", (3, 2), (10, 6))))
    assert [p.offset for p in grid] == [(-10, -3), (0, -3), (10, -3), (-10, 3), (0, 3), (10, 3)]
    parts, _, _ = placed(tray, mark, where)
    assert parts["#e0a32a"].bounding_box()[5] == pytest.approx(6.0, abs=1e-9) and parts[
        "#e0a32a"
    ].volume() == pytest.approx(8 * 3)
    far = Placement(
        "p",
        "g",
        (0.0, 0.0, 3.0),
        (0.0, 0.0, 1.0),
        offset=(24.0, 0.0),
        depths=(Depth("raised", 1.0),),
        margin=1.5,
    )
    parts, carved, site = placed(tray, mark, far)
    kept = parts["#e0a32a"].bounding_box()
    assert kept[3] == pytest.approx(24.5, abs=0.01) and carved.lies[0].draped.missed == pytest.approx(
        3.0, abs=0.1
    )
    assert [f.title for f in check_lie(carved.lies, site, far, "Mark")] == ["Trimmed"]


def coil(radius=30.0, thick=7.0, pitch=18.0, turns=3, along=160, around=24):
    """A wire in turns that lie over one another: seen from the side its surface jumps from turn to turn."""
    a, th = np.linspace(0, 2 * np.pi * turns, along), 2 * np.pi * np.arange(around) / around
    out = np.c_[np.cos(a), np.sin(a), 0 * a]
    middle = radius * out + np.c_[0 * a, 0 * a, pitch * a / (2 * np.pi)]
    wire = middle[:, None] + thick * (np.cos(th)[:, None] * out[:, None] + np.sin(th)[:, None] * UP)
    i, j = (v.ravel() for v in np.meshgrid(np.arange(along - 1), np.arange(around), indexing="ij"))
    k = (j + 1) % around
    corners = i * around + j, (i + 1) * around + j, (i + 1) * around + k, i * around + k
    ends, ring = along * around + np.arange(2), np.arange(around)
    last = (along - 1) * around
    faces = [np.stack([corners[0], *corners[n : n + 2]], 1) for n in (1, 2)]
    faces += [np.stack([0 * ring + ends[0], ring, (ring + 1) % around], 1)]
    faces += [np.stack([0 * ring + ends[1], last + (ring + 1) % around, last + ring], 1)]
    points, triangles = np.concatenate([wire.reshape(-1, 3), middle[[0, -1]]]), np.concatenate(faces)
    solid = solid_as_is(Mesh(points, triangles))
    return solid if solid.volume() > 0 else solid_as_is(Mesh(points, triangles[:, ::-1]))


def test_a_surface_that_jumps_is_laid_out_in_few_triangles_and_closed():
    """Refined by the distance in space alone, edges over a jump were halved to the end: 368,924 triangles."""
    mesh = mesh_of(coil())
    at, normal = place_facing(mesh, np.array([1.0, 0, 0.3]) / np.hypot(1.0, 0.3))
    site = site_of(mesh, find_facets(mesh), at, normal, "project", 30.0, (40.0, 40.0))
    for draped in site.tools([shapely.box(-20, -20, 3, 20), shapely.box(3, -20, 20, 20)], [(-0.8, 0.5)] * 2):
        assert draped.solid.status() == m3.Error.NoError and draped.solid.volume() > 0
        assert draped.solid.num_tri() < 80_000


def test_outlines_that_touch_themselves_give_closed_solids_on_a_curve():
    """A ring whose hole touches its edge, and two lobes that meet in a point, as traces have them."""
    mesh = mesh_of(m3.Manifold.sphere(40, 96))
    site = site_of(
        mesh, find_facets(mesh), np.array([0, 0, 40.0]), np.array([0, 0, 1.0]), "project", 20.0, (20, 20)
    )
    ring = shapely.Polygon([(-8, -8), (8, -8), (8, 8), (-8, 8)], [[(-8, 0), (0, -3), (3, 3), (-3, 5)]])
    lobes = shapely.MultiPolygon(
        [shapely.Polygon([(-9, 9), (0, 12), (-9, 15)]), shapely.Polygon([(0, 12), (9, 9), (9, 15)])]
    )
    for area in (ring, lobes):
        (draped,) = site.tools([area], [(-0.4, 0.4)])
        assert draped.solid.status() == m3.Error.NoError
        # Thickened as much inwards as outwards, a shell has the volume of its middle: more than its shadow.
        assert draped.solid.volume() == pytest.approx(0.8 * area.area, rel=0.08)
        assert draped.solid.volume() > 0.8 * area.area
