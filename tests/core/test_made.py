"""Made bodies and add-ons, against closed formulas."""

from __future__ import annotations

import math

import manifold3d as m3
import numpy as np
import pytest
import shapely

from cutkey.core.addons.border import Border
from cutkey.core.addons.channel import Channel
from cutkey.core.addons.half import Half
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.hollow import Hollow
from cutkey.core.addons.loop import Loop
from cutkey.core.addons.magnet import Magnet
from cutkey.core.addons.screw import ScrewHole
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.figure import FigureBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.bodies.polygon import PolygonBase
from cutkey.core.bodies.ring import RingBase
from cutkey.core.checks.addons import check_addons
from cutkey.core.checks.made import check_made
from cutkey.core.errors import BadInput
from cutkey.core.geometry.facets import find_facets
from cutkey.core.geometry.mesh import open_edges
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.shells import bodies_of
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.filament import BODY
from cutkey.core.model.placement import Copies
from cutkey.core.place.fit_out import fit_out

TOP = (0.0, 0.0, 1.0)


def test_made_bodies_have_their_volumes():
    """Prisms, rings and rims by closed formulas; a chamfer takes a mitred strip, a fillet a rolled one,
    off the edge."""
    corner = 4 - math.pi
    area = 80 * 60 - corner * 16
    assert PlateBase(80, 60, 3, 4).solid().volume() == pytest.approx(3 * area, rel=1e-4)
    assert CoinBase(50.8, 4, 0.635, 1.0).solid().volume() == pytest.approx(
        math.pi * (25.4**2 * 4 - 24.765**2), rel=1e-3
    )
    assert CoinBase(50.8, 4, 2, 1.0, both=True).solid().volume() == pytest.approx(
        math.pi * (25.4**2 * 4 - 2 * 23.4**2), rel=1e-3
    )
    assert RingBase(60, 40, 3).solid().volume() == pytest.approx(math.pi * (30**2 - 20**2) * 3, rel=2e-3)
    hexagon = PolygonBase(6, 60, 3).solid()
    assert hexagon.volume() == pytest.approx(
        3 * 2 * math.sqrt(3) * 30**2, rel=1e-9
    ) and hexagon.bounding_box()[4] == pytest.approx(30)
    # Pappus: the strip's section times the way of its centre of mass round the coin.
    cut = 2 * math.pi * (25 - 1 / 3) * 0.5
    assert CoinBase(50, 4, edge="chamfer", edge_mm=1).solid().volume() == pytest.approx(
        math.pi * 25**2 * 4 - cut, rel=1e-3
    )
    centre = (10 - 3 * math.pi) / (12 - 3 * math.pi)
    roll = (1 - math.pi / 4) * 2 * math.pi * (25 - (1 - centre))
    assert CoinBase(50, 4, edge="fillet", edge_mm=1).solid().volume() == pytest.approx(
        math.pi * 25**2 * 4 - roll, rel=1e-3
    )
    for body in (
        PlateBase(80, 60, 3, 4, "fillet", 1),
        PlateBase(40, 30, 3, 0, "chamfer", 1),
        PolygonBase(5, 40, 4, "fillet", 1),
    ):
        solid = body.solid()
        assert solid.status() == m3.Error.NoError and open_edges(mesh_of(solid)) == 0 and solid.genus() == 0
        assert 0.9 < solid.volume() / type(body)(*list(_values(body))[:-2]).solid().volume() < 1


def _values(body):
    return (getattr(body, f) for f in body.__struct_fields__)


def test_a_graphic_makes_its_own_body_or_backing():
    figure = shapely.MultiPolygon(
        [shapely.box(-20, -10, -5, 10), shapely.Point(8, 0).buffer(6) - shapely.Point(8, 0).buffer(3)]
    )
    assert FigureBase("g", 2.5).solid(figure).volume() == pytest.approx(2.5 * figure.area)
    backing = BackingBase("g", 4, 2).solid(figure)
    assert len(backing.decompose()) == 1 and backing.volume() > 2 * figure.buffer(3.9).area
    assert backing.slice(1.0).num_contour() == 1
    for bad in (RingBase(40, 50, 3), PlateBase(0, 10, 3), CoinBase(50, 4, 30, 1), PolygonBase(2)):
        with pytest.raises(BadInput):
            bad.solid()
    with pytest.raises(BadInput, match="empty"):
        FigureBase("g").solid(shapely.MultiPolygon())


def fitted(*features, base=None, offset=(0.0, 0.0), copies=None, normal=TOP):
    solid = (base or PlateBase(80, 60, 5, 0)).solid()
    mesh = mesh_of(solid)
    point = (0.0, 0.0, 5.0 if normal == TOP else 0.0)
    addons = [
        AddOn(str(k), f, point, normal, offset, 0.0, copies or Copies()) for k, f in enumerate(features)
    ]
    return fit_out([Part(BODY, solid)], solid, mesh, find_facets(mesh), addons), solid


def test_holes_screws_and_pockets_take_what_they_should():
    """Cylinders and a cone by closed formulas; a 20 x 3 mm magnet in a 5 mm back leaves 2 mm (common
    practice, no source)."""
    whole = 80 * 60 * 5
    took = lambda *f, **k: whole - fitted(*f, **k)[0].solid.volume()  # noqa: E731
    assert took(Hole(3.0)) == pytest.approx(math.pi * 1.5**2 * 5, rel=2e-3)
    assert took(Hole(3.0, 2.0), copies=Copies("ring", (4, 1)), offset=(20.0, 0.0)) == pytest.approx(
        4 * math.pi * 1.5**2 * 2, rel=2e-3
    )
    hole, head = 3.4 / 2, 6.72 / 2
    cone = math.pi * (head - hole) / 3 * (hole**2 + hole * head + head**2)
    assert took(ScrewHole("M3")) == pytest.approx(cone + math.pi * hole**2 * (5 - (head - hole)), rel=5e-3)
    assert took(ScrewHole("M4", countersunk=False)) == pytest.approx(math.pi * 2.25**2 * 5, rel=2e-3)
    result, _ = fitted(Magnet(20, 0, 3), normal=(0.0, 0.0, -1.0))
    assert whole - result.solid.volume() == pytest.approx(math.pi * 100 * 3, rel=2e-3)
    result, _ = fitted(Magnet(10, 20, 3, 0.1, roof=1.0))
    assert (
        whole - result.solid.volume() == pytest.approx(10.2 * 20.2 * 3) and len(result.solid.decompose()) == 2
    )


def said(*features, **how):
    result, bare = fitted(*features, **how)
    return [(f.title, f.severity, f.figure) for f in check_addons(result.spots, result.solid, bare, 0.2, 0.4)]


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
    lopsided = PlateBase(80, 60, 5, 0).solid() - m3.Manifold.cube((10, 10, 10)).translate((20, 0, 0))
    mesh = mesh_of(lopsided)
    half = fit_out(
        [Part(BODY, lopsided)],
        lopsided,
        mesh,
        find_facets(mesh),
        [AddOn("h", Half("right"), (0.0, -20.0, 5.0), TOP)],
    )
    assert (
        half.solid.volume() == pytest.approx(whole - 2 * 10 * 10 * 5, rel=1e-3)
        and len(half.solid.decompose()) == 1
    )
    with pytest.raises(BadInput, match="hollow"):
        fitted(Hollow(40, 1))


def said_on(solid, feature, point, offset=(0.0, 0.0)):
    """Findings of one add-on, and how many bodies there are."""
    mesh = mesh_of(solid)
    result = fit_out(
        [Part(BODY, solid)], solid, mesh, find_facets(mesh), [AddOn("0", feature, point, TOP, offset)]
    )
    return (
        [f.title for f in check_addons(result.spots, result.solid, solid, 0.2, 0.4)],
        len(bodies_of(result.solid)),
        result.solid,
    )


def cone(low: float, high: float) -> m3.Manifold:
    return m3.Manifold.cylinder(20, low, high, 96)


@pytest.mark.parametrize(
    ("solid", "height"),
    [
        (cone(30, 20), 20.0),
        (cone(20, 30), 20.0),
        (m3.Manifold.cylinder(3, 30, 30, 96) + cone(20, 20), 20.0),
        (PlateBase(80, 60, 10, 4, "fillet", 2).solid(), 10.0),
        (CoinBase(60, 10, 3, 1.0).solid(), 9.0),
    ],
    ids=["leaning in", "leaning out", "flange", "fillet", "coin with a rim"],
)
def test_hollows_leave_the_walls_and_the_floor_asked_for(solid, height):
    """Measured by the bare library: what the hollow took lies nowhere nearer to the outside than the wall
    (a ball swept round it)."""
    titles, bodies, hollowed = said_on(solid, Hollow(1.6, 1.0), (0.0, 0.0, height))
    assert titles == ["Add-ons"] and bodies == 1 and hollowed.volume() < 0.75 * solid.volume()
    taken = (solid - hollowed).trim_by_plane((0, 0, -1), -height + 2.0)
    for way in range(12):
        a = math.pi * way / 6
        for reach, z in ((1.5, 0.0), (0.0, -0.95)):
            moved = taken.translate((reach * math.cos(a), reach * math.sin(a), z))
            assert (moved - solid).volume() < 0.02 * taken.volume() / 50


def test_what_add_ons_leave_is_measured_on_the_finished_body():
    plate = PlateBase(80, 60, 5, 0).solid()
    bottom = (0.0, 0.0, -1.0)
    assert said(Magnet(20, 0, 3), normal=bottom) == [("Add-ons", "sound", 1.0)]
    assert [t for t, _, _ in said(Magnet(10, 20, 3, 0.1, roof=1.0))] == ["Closed pocket"]
    assert said(Magnet(20, 0, 4.8)) == [("Thin floor", "look at", pytest.approx(0.2))]
    assert said(Magnet(20, 0, 3), offset=(30.0, 0.0))[0][0] == "Thin wall"
    groove = plate - m3.Manifold.cube((10, 10, 2.5), True).translate((8, 0, 0.5))
    assert said_on(groove, Magnet(20, 0, 3), (-35.0, 0.0, 5.0))[0] == ["Thin floor"]
    # A loop off the body is loose; one that reaches into it is not.
    assert (
        said(Loop(5, 2), offset=(50.0, 0.0))[0][:2] == ("Loose piece", "stop")
        and said(Loop(5, 2), offset=(39.0, 0.0))[0][1] == "sound"
    )
    # Holes and countersinks go through the border over them; a channel under a rim of the body's own is a
    # tunnel, and told.
    result, _ = fitted(Border(12, 1.2), ScrewHole("M3"), offset=(32.0, 0.0))
    assert result.solid.genus() == 1 and all(
        s == "sound" for _, s, _ in said(Border(12, 1.2), ScrewHole("M3"), offset=(32.0, 0.0))
    )
    assert said_on(CoinBase(60, 6, 3, 1.0).solid(), Channel(30, (), 6, 2), (0.0, 0.0, 5.0))[0] == ["Covered"]
    assert said(ScrewHole("M10"))[0][0] == "Deep countersink"
    # Edges that were clamped, corners too, and a rim that its edge takes away.
    clamped = PlateBase(80, 60, 2, 40, "fillet", 5)
    assert [f.title for f in check_made(clamped, clamped.solid())] == [
        "Edge made smaller",
        "Corner made smaller",
    ]
    sharp = CoinBase(50, 6, 1.0, 1.0, edge="chamfer", edge_mm=1.5)
    assert [f.title for f in check_made(sharp, sharp.solid())] == ["Rim ends in an edge"]
    assert (
        check_made(CoinBase(50, 6, 2.0, 1.0), CoinBase(50, 6, 2.0, 1.0).solid()) == []
        and check_made(None, plate) == []
    )
