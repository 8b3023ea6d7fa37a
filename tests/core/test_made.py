"""Made bodies and add-ons, against closed formulas."""

from __future__ import annotations

import math

import manifold3d as m3
import numpy as np
import pytest
import shapely

from cutkey.core.check.addons import check_addons
from cutkey.core.errors import BadInput
from cutkey.core.relief.features import AddOn, Border, Channel, Half, Hole, Hollow, Loop, Magnet, ScrewHole
from cutkey.core.relief.fit_out import fit_out
from cutkey.core.relief.placement import Copies
from cutkey.core.solids.facets import find_facets
from cutkey.core.solids.made import BackingBase, CoinBase, FigureBase, PlateBase, PolygonBase, RingBase, made_solid
from cutkey.core.solids.mesh import open_edges
from cutkey.core.solids.solid import mesh_of

TOP = (0.0, 0.0, 1.0)


def test_made_bodies_have_their_volumes():
    """Prisms, rings and rims by closed formulas; a chamfer takes a mitred strip, a fillet a rolled one, off the edge."""
    corner = 4 - math.pi
    area = 80 * 60 - corner * 16
    assert made_solid(PlateBase(80, 60, 3, 4)).volume() == pytest.approx(3 * area, rel=1e-4)
    assert made_solid(CoinBase(50.8, 4, 0.635, 1.0)).volume() == pytest.approx(math.pi * (25.4**2 * 4 - 24.765**2), rel=1e-3)
    assert made_solid(CoinBase(50.8, 4, 2, 1.0, both=True)).volume() == pytest.approx(math.pi * (25.4**2 * 4 - 2 * 23.4**2), rel=1e-3)
    assert made_solid(RingBase(60, 40, 3)).volume() == pytest.approx(math.pi * (30**2 - 20**2) * 3, rel=2e-3)
    hexagon = made_solid(PolygonBase(6, 60, 3))
    assert hexagon.volume() == pytest.approx(3 * 2 * math.sqrt(3) * 30**2, rel=1e-9) and hexagon.bounding_box()[4] == pytest.approx(30)
    # Pappus: the strip's section times the way of its centre of mass round the coin.
    cut = 2 * math.pi * (25 - 1 / 3) * 0.5
    assert made_solid(CoinBase(50, 4, edge="chamfer", edge_mm=1)).volume() == pytest.approx(math.pi * 25**2 * 4 - cut, rel=1e-3)
    centre = (10 - 3 * math.pi) / (12 - 3 * math.pi)
    roll = (1 - math.pi / 4) * 2 * math.pi * (25 - (1 - centre))
    assert made_solid(CoinBase(50, 4, edge="fillet", edge_mm=1)).volume() == pytest.approx(math.pi * 25**2 * 4 - roll, rel=1e-3)
    for body in (PlateBase(80, 60, 3, 4, "fillet", 1), PlateBase(40, 30, 3, 0, "chamfer", 1), PolygonBase(5, 40, 4, "fillet", 1)):
        solid = made_solid(body)
        assert solid.status() == m3.Error.NoError and open_edges(mesh_of(solid)) == 0 and solid.genus() == 0
        assert 0.9 < solid.volume() / made_solid(type(body)(*list(_values(body))[:-2])).volume() < 1


def _values(body):
    return (getattr(body, f) for f in body.__struct_fields__)


def test_a_graphic_makes_its_own_body_or_backing():
    figure = shapely.MultiPolygon([shapely.box(-20, -10, -5, 10), shapely.Point(8, 0).buffer(6) - shapely.Point(8, 0).buffer(3)])
    assert made_solid(FigureBase("g", 2.5), figure).volume() == pytest.approx(2.5 * figure.area)
    backing = made_solid(BackingBase("g", 4, 2), figure)
    assert len(backing.decompose()) == 1 and backing.volume() > 2 * figure.buffer(3.9).area
    assert backing.slice(1.0).num_contour() == 1
    for bad in (RingBase(40, 50, 3), PlateBase(0, 10, 3), CoinBase(50, 4, 30, 1), PolygonBase(2)):
        with pytest.raises(BadInput):
            made_solid(bad)
    with pytest.raises(BadInput, match="empty"):
        made_solid(FigureBase("g"), shapely.MultiPolygon())


def fitted(*features, base=None, offset=(0.0, 0.0), copies=None, normal=TOP):
    solid = made_solid(base or PlateBase(80, 60, 5, 0))
    mesh = mesh_of(solid)
    point = (0.0, 0.0, 5.0 if normal == TOP else 0.0)
    addons = [AddOn(str(k), f, point, normal, offset, 0.0, copies or Copies()) for k, f in enumerate(features)]
    return fit_out(solid, mesh, find_facets(mesh), addons), addons


def test_holes_screws_and_pockets_take_what_they_should():
    """Cylinders and a cone by closed formulas; a 20 x 3 mm magnet in a 5 mm back leaves 2 mm (common practice, no source)."""
    whole = 80 * 60 * 5
    took = lambda *f, **k: whole - fitted(*f, **k)[0].solid.volume()  # noqa: E731
    assert took(Hole(3.0)) == pytest.approx(math.pi * 1.5**2 * 5, rel=2e-3)
    assert took(Hole(3.0, 2.0), copies=Copies("ring", (4, 1)), offset=(20.0, 0.0)) == pytest.approx(4 * math.pi * 1.5**2 * 2, rel=2e-3)
    hole, head = 3.4 / 2, 6.72 / 2
    cone = math.pi * (head - hole) / 3 * (hole**2 + hole * head + head**2)
    assert took(ScrewHole("M3")) == pytest.approx(cone + math.pi * hole**2 * (5 - (head - hole)), rel=5e-3)
    assert took(ScrewHole("M4", countersunk=False)) == pytest.approx(math.pi * 2.25**2 * 5, rel=2e-3)
    result, addons = fitted(Magnet(20, 0, 3), normal=(0.0, 0.0, -1.0))
    assert whole - result.solid.volume() == pytest.approx(math.pi * 100 * 3, rel=2e-3) and result.floors["0"] == pytest.approx(2, abs=0.02)
    assert check_addons(addons, result.floors, 0.2) == []
    result, addons = fitted(Magnet(10, 20, 3, 0.1, roof=1.0))
    assert whole - result.solid.volume() == pytest.approx(10.2 * 20.2 * 3) and len(result.solid.decompose()) == 2
    assert [f.title for f in check_addons(addons, result.floors, 0.2)] == ["Closed pocket"]
    result, addons = fitted(Magnet(20, 0, 4.8))
    assert [f.title for f in check_addons(addons, result.floors, 0.2)] == ["Thin floor"]


def test_rims_loops_hollows_channels_and_halves():
    whole = 80 * 60 * 5
    rim = 80 * 60 - 76 * 56
    assert fitted(Border(2, 1.2))[0].solid.volume() == pytest.approx(whole + rim * 1.2)
    assert fitted(Hollow(2, 1))[0].solid.volume() == pytest.approx(whole - 76 * 56 * 4)
    channel = fitted(Channel(path=((-30.0, 0.0), (20.0, 0.0)), width=10, depth=3))[0].solid.volume()
    assert channel == pytest.approx(whole - 70 * 10 * 3)
    assert fitted(Channel(50, (), 10, 3, exit=False))[0].solid.volume() == pytest.approx(whole - 50 * 10 * 3)
    loop, _ = fitted(Loop(5, 2), offset=(39.0, 0.0))
    assert loop.solid.bounding_box()[3] == pytest.approx(43.5, abs=0.05) and loop.solid.genus() == 1
    pair, _ = fitted(Hole(4.0), offset=(15.0, 10.0), copies=Copies("pair"))
    assert pair.solid.genus() == 2
    cross = pair.solid.slice(2.5)
    centres = sorted(np.mean(r, axis=0)[0] for r in cross.to_polygons() if len(r) > 8)
    assert centres == pytest.approx([-15, 15], abs=1e-6)
    lopsided = made_solid(PlateBase(80, 60, 5, 0)) - m3.Manifold.cube((10, 10, 10)).translate((20, 0, 0))
    mesh = mesh_of(lopsided)
    half = fit_out(lopsided, mesh, find_facets(mesh), [AddOn("h", Half("right"), (0.0, -20.0, 5.0), TOP)])
    assert half.solid.volume() == pytest.approx(whole - 2 * 10 * 10 * 5, rel=1e-3) and len(half.solid.decompose()) == 1
    with pytest.raises(BadInput, match="hollow"):
        fitted(Hollow(40, 1))
