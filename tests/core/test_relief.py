"""Raised, recessed, flush, through: volumes against closed formulas."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace

from cutkey.core.checks.floor import check_floor
from cutkey.core.geometry.facets import facet_at, facet_near, find_facets
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part, joined_by_colour
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.filament import BODY
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.place.carve import carve, placed_regions
from cutkey.core.place.side import outermost_facing
from cutkey.core.place.site import Site


def lay(solid, graphic, normal, **how):
    mesh = mesh_of(solid)
    facets = find_facets(mesh)
    facet = facet_at(mesh, facets, outermost_facing(solid, mesh, facets, np.array(normal, float)))
    placement = replace(
        Placement("p", "g", tuple(facet.origin.tolist()), tuple(facet.normal.tolist())), **how
    )
    return {
        p.colour: p.solid
        for p in joined_by_colour(carve([Part(BODY, solid)], graphic, placement, Site("face", facet)).parts)
    }


TILTED = m3.Manifold.cube((60, 40, 12), True).rotate((33, -21, 57)).translate((11.3, -7.7, 5.1))


def up_of_tilted() -> np.ndarray:
    mesh = mesh_of(TILTED)
    facets = find_facets(mesh)
    return facets.normal[np.argmax(facets.area)]


@pytest.mark.parametrize("place", ["flat", "tilted"])
@pytest.mark.parametrize("mode", ["raised", "recessed", "flush", "through"])
def test_volume_of_each_way_to_meet_the_surface(mode, place, two_tone):
    solid = m3.Manifold.cube((60, 40, 12), True) if place == "flat" else TILTED
    normal = (0, 0, 1) if place == "flat" else up_of_tilted()
    parts = lay(solid, two_tone, normal, spin=31.0, offset=(3.0, -2.0), depths=(Depth(mode, 0.8),))
    body, area = 60 * 40 * 12, {"#e0a32a": 120.0, "#26241f": 80.0}
    if mode == "raised":
        assert parts[BODY].volume() == pytest.approx(body, rel=1e-9)
        for colour, a in area.items():
            assert parts[colour].volume() == pytest.approx(a * 0.8, rel=1e-6)
            assert (parts[colour] ^ parts[BODY]).volume() < 1e-9
    elif mode == "flush":
        assert sum(p.volume() for p in parts.values()) == pytest.approx(body, rel=1e-9)
        for colour, a in area.items():
            assert parts[colour].volume() == pytest.approx(a * 0.8, rel=1e-9)
            assert (parts[colour] ^ parts[BODY]).volume() < 1e-9
    else:
        assert set(parts) == {BODY}
        depth = 0.8 if mode == "recessed" else 12
        assert parts[BODY].volume() == pytest.approx(body - 200 * depth, rel=1e-9)
    assert all(len(p.decompose()) == 1 for p in parts.values())


def test_each_colour_has_its_own_depth(two_tone):
    rules = (Depth("raised", 1.0), Depth("flush", 0.6, "#26241f"))
    parts = lay(m3.Manifold.cube((60, 40, 12), True), two_tone, (0, 0, 1), depths=rules)
    assert parts["#e0a32a"].volume() == pytest.approx(120.0, rel=1e-6)
    assert parts["#26241f"].volume() == pytest.approx(48.0, rel=1e-9)
    assert parts["#26241f"].bounding_box()[5] == pytest.approx(6.0)


def test_what_runs_over_the_edge_is_trimmed_to_the_face(two_tone):
    """12 mm of the 20 mm wide graphic lie on the face; a hole in the face stays free."""
    solid = m3.Manifold.cube((60, 40, 12), True)
    parts = lay(solid, two_tone, (0, 0, 1), offset=(28.0, 0.0), depths=(Depth("raised", 1.0),))
    assert parts["#e0a32a"].volume() == pytest.approx(12 * 10, rel=1e-6)
    assert "#26241f" not in parts
    holed = solid - m3.Manifold.cylinder(40, 3, 3, 64, True)
    parts = lay(holed, two_tone, (0, 0, 1), depths=(Depth("raised", 1.0),))
    gone = shapely.Point(0, 0).buffer(3, 16).intersection(shapely.box(-10, -5, 2, 5)).area
    assert parts["#e0a32a"].volume() == pytest.approx(120 - gone, rel=2e-3)
    assert (parts["#e0a32a"] ^ m3.Manifold.cylinder(40, 2.99, 2.99, 64, True)).volume() < 1e-9


def test_the_mirror_and_the_spin_put_things_where_they_belong():
    """An L, placed on the top: its foot points to +x; mirrored to -x; a quarter turn puts it to +y."""
    foot = shapely.Polygon([(-2, -5), (8, -5), (8, -2), (1, -2), (1, 5), (-2, 5)])
    graphic = Graphic([Region("#26241f", shapely.multipolygons([foot]))], 10, 10)

    def centroid(**how):
        region = placed_regions(graphic, replace(Placement("p", "g", (0, 0, 0), (0, 0, 1)), **how))[0]
        assert shapely.is_valid(region.geometry) and region.geometry.area == pytest.approx(foot.area)
        return np.array(region.geometry.centroid.coords[0])

    plain = np.array(foot.centroid.coords[0])
    assert centroid() == pytest.approx(plain)
    assert centroid(mirror=True) == pytest.approx(plain * (-1, 1))
    assert centroid(spin=90.0) == pytest.approx((-plain[1], plain[0]))
    assert centroid(mirror=True, spin=90.0, offset=(5, 1)) == pytest.approx((-plain[1] + 5, -plain[0] + 1))


def test_a_through_cut_with_islands_leaves_the_islands(two_tone):
    ring = shapely.Point(0, 0).buffer(6, 64) - shapely.Point(0, 0).buffer(3, 64)
    graphic = Graphic([Region("#26241f", shapely.multipolygons([ring]))], 12, 12)
    body = lay(m3.Manifold.cube((60, 40, 4), True), graphic, (0, 0, 1), depths=(Depth("through"),))[BODY]
    assert body.volume() == pytest.approx(60 * 40 * 4 - ring.area * 4, rel=1e-9)
    assert len(body.decompose()) == 2


def test_a_sunken_field_is_found_from_a_point_above_it():
    solid = m3.Manifold.cube((40, 40, 10), True) - m3.Manifold.cube((20, 10, 2), True).translate((5, 0, 5))
    mesh = mesh_of(solid)
    facets = find_facets(mesh)
    number = facet_near(mesh, facets, np.array([5, 0, 4.0]), np.array([0, 0, 1.0]))
    assert facet_at(mesh, facets, number).area == pytest.approx(200)


@pytest.mark.parametrize(("mm", "left"), [(0.8, None), (3.6, None), (3.8, 0.2), (3.65, 0.35), (4.5, 0.0)])
def test_the_floor_under_a_pocket_is_measured(mm, left, two_tone):
    """A plate of 4 mm, layers of 0.2: two layers are wanted."""
    solid = m3.Manifold.cube((60, 40, 4), True).translate((0, 0, 2))
    mesh = mesh_of(solid)
    facets = find_facets(mesh)
    facet = facet_at(mesh, facets, outermost_facing(solid, mesh, facets, np.array([0, 0, 1.0])))
    placement = Placement(
        "p", "g", (0, 0, 4), (0, 0, 1), depths=(Depth("recessed", mm), Depth("raised", 9.0, "#26241f"))
    )
    found = check_floor(solid, two_tone, placement, Site("face", facet), "Mark", 0.2)
    assert [f.figure for f in found] == ([] if left is None else [pytest.approx(left, abs=1e-4)])
    if left == 0.0:
        assert "right through" in found[0].text
    # A hollow on the underside leaves less, and only there.
    hollow = solid - m3.Manifold.cube((6, 6, 3.1), True).translate((-6, 0, 1.4))
    deep = check_floor(
        hollow, two_tone, replace(placement, depths=(Depth("flush", 0.8),)), Site("face", facet), "Mark", 0.2
    )
    assert [f.figure for f in deep] == [pytest.approx(0.25, abs=1e-4)]
    assert -9.1 < deep[0].place[0] < -2.9 and abs(deep[0].place[1]) < 3.1
