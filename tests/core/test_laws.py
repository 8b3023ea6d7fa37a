"""What must hold for every job: what was placed came out, shells are kept, what was built is told apart;
each broken on purpose too."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from scipy.spatial import ConvexHull

from cutkey.core.addons.half import Half
from cutkey.core.addons.loop import Loop
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.came_out import came_out, check_came_out
from cutkey.core.checks.colours import check_solids
from cutkey.core.checks.watertight import check_watertight
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.formats.stl import read_stl, stl_bytes
from cutkey.core.geometry.areas import area_of, coverage_union, difference, intersection, union
from cutkey.core.geometry.facets import find_facets
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.mesh import Mesh, open_edges, rounding_of, signed_volume, weld
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.shells import bodies_of, surfaces_lost
from cutkey.core.geometry.solid import mesh_of, solid_of
from cutkey.core.kit.pieces import HAIR, NO_VOLUME, as_written, of_its_own, section_unit
from cutkey.core.model.addon import AddOn
from cutkey.core.model.edits import add_graphic, add_source, place
from cutkey.core.model.filament import BODY, DEFAULT_RACK, Filament
from cutkey.core.model.job import Source
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.place.carve import carve
from cutkey.core.place.fit_out import fit_out
from cutkey.core.place.site import site_of
from cutkey.core.printing.piece import Piece
from cutkey.core.split.cutting import cut_into_sections
from cutkey.demo.jobs import demo_job

DOME = m3.Manifold.sphere(60, 900).trim_by_plane((0, 0, 1), 0)
#: Two colours that share an edge, and a loose dot.
REGIONS = [
    Region("#101010", shapely.multipolygons([shapely.box(-12, -8, 2, 8)])),
    Region("#d0a020", shapely.multipolygons([shapely.box(2, -8, 10, 8), shapely.Point(14, 0).buffer(1.5)])),
]
EMBLEM = Graphic(REGIONS, 27.5, 16.0)


def laid(solid, point, normal, mode="raised", follow="flat", mm=1.0):
    mesh = mesh_of(solid)
    placement = Placement("p", "g", point, normal, depths=(Depth(mode, mm),), follow=follow)
    site = site_of(
        mesh, find_facets(mesh), np.array(point, float), np.array(normal, float), follow, 30.0, (27.5, 16.0)
    )
    return carve([Part(BODY, solid)], EMBLEM, placement, site, solid), placement, site


# -- what was placed came out
@pytest.mark.parametrize("follow", ["flat", "project"])
@pytest.mark.parametrize("mode", ["raised", "recessed", "flush", "through"])
def test_a_graphic_comes_out_of_a_finely_meshed_dome(mode, follow):
    """203,000 triangles whose neighbours differ by less than half a degree: no face runs round them."""
    carved, placement, site = laid(DOME, (0.0, 0.0, 60.0), (0.0, 0.0, 1.0), mode, follow)
    found = came_out(DOME, carved.parts, EMBLEM, placement, site)
    assert [f.severity for f in check_came_out(found, carved.lies, "E")] == ["sound"]
    area = sum(r.geometry.area for r in REGIONS)
    own = sum(p.solid.volume() for p in carved.parts if p.colour != BODY)
    body = sum(p.solid.volume() for p in carved.parts if p.colour == BODY)
    if mode in ("raised", "flush"):
        assert own > 0.97 * area
        assert all(len(bodies_of(p.solid)) <= 2 for p in carved.parts)
    else:
        assert DOME.volume() - body > 0.97 * area * (1 if mode == "recessed" else 55)
        assert len(bodies_of(carved.whole)) == 1
    assert sum(p.solid.volume() for p in carved.parts) == pytest.approx(carved.whole.volume(), rel=1e-6)
    # Had it vanished, or half of it, that is a stop.
    lost = (
        [p for p in carved.parts if p.colour == BODY] if mode in ("raised", "flush") else [Part(BODY, DOME)]
    )
    told = check_came_out(came_out(DOME, lost, EMBLEM, placement, site), carved.lies, "E")
    assert told and all(f.severity == "stop" and f.kind == "came out" for f in told)


def test_one_lost_piece_is_missed_and_one_inside_another_colour_is_told():
    plate = PlateBase(60, 40, 4, 0).solid()
    carved, placement, site = laid(plate, (0.0, 0.0, 4.0), (0.0, 0.0, 1.0))
    dotless = [
        Part(p.colour, p.solid.trim_by_plane((-1, 0, 0), -11.5) if p.colour == "#d0a020" else p.solid)
        for p in carved.parts
    ]
    told = check_came_out(came_out(plate, dotless, EMBLEM, placement, site), carved.lies, "E")
    assert [f.severity for f in told] == ["stop"] and "1 of 2 pieces" in told[0].text
    again = carve(carved.parts, EMBLEM, placement, site, carved.whole)
    found = check_came_out(came_out(carved.whole, again.parts, EMBLEM, placement, site), again.lies, "E")
    assert all(f.severity == "sound" for f in found)  # the same colour is there already
    swapped = Graphic([Region(REGIONS[1].colour, REGIONS[0].geometry)], 14.0, 16.0)
    over = carve(carved.parts, swapped, placement, site, carved.whole)
    assert [
        f.title
        for f in check_came_out(came_out(carved.whole, over.parts, swapped, placement, site), over.lies, "E")
    ] == ["Covered by another colour"]


@pytest.mark.parametrize("sides", [720, 1440, 7200])
def test_faces_do_not_run_round_curves(sides):
    for single in (False, True):
        mesh = mesh_of(m3.Manifold.cylinder(50, 30, 30, sides))
        if single:
            mesh = Mesh(mesh.vertices.astype(np.float32).astype(float), mesh.triangles)
        facets = find_facets(mesh)
        area = np.sort(facets.area)[::-1]
        # a few strips within the bound at most
        assert area[:2] == pytest.approx(np.pi * 900, rel=1e-3) and area[2] < 55
    blended = find_facets(mesh_of(PlateBase(80, 60, 10, 4, "fillet", 5).solid()))
    assert np.sort(blended.area)[-2] == pytest.approx(70 * 50, rel=0.01)


def test_colour_bodies_that_overlap_or_leave_gaps_are_told():
    a, b = m3.Manifold.cube((10, 10, 2)), m3.Manifold.cube((10, 10, 2)).translate((10, 0, 0))
    whole = m3.Manifold.cube((20, 10, 2))
    assert check_solids([Part("x", a), Part("y", b)], whole)[0].severity == "sound"
    assert (
        check_solids([Part("x", a), Part("y", b.translate((-1, 0, 0)))], m3.Manifold.cube((19, 10, 2)))[
            0
        ].title
        == "Bodies overlap"
    )
    assert check_solids([Part("x", a)], whole)[0].title == "Bodies leave gaps"
    # As much too much as too little adds up, and is seen in the slices.
    assert (
        check_solids([Part("x", a), Part("y", b.translate((-1, 0, 0)))], whole)[0].title == "Bodies overlap"
    )


# -- every shell is kept
def cube(side: float, at=(0, 0, 0)) -> m3.Manifold:
    return m3.Manifold.cube((side, side, side), True).translate(at)


def soup(*shells: tuple[m3.Manifold, bool]) -> Mesh:
    """Shells in one mesh, some of them inside out."""
    vertices, triangles, n = [], [], 0
    for solid, inwards in shells:
        m = mesh_of(solid)
        vertices.append(m.vertices)
        triangles.append((m.triangles[:, ::-1] if inwards else m.triangles) + n)
        n += len(m.vertices)
    return Mesh(np.concatenate(vertices), np.concatenate(triangles))


@pytest.mark.parametrize(
    ("shells", "volume", "bodies", "said"),
    [
        ([(cube(10), True)], 1000, 1, "it was inside out and was turned"),
        ([(cube(10), False), (cube(6), True)], 784, 1, ""),
        ([(cube(10), False), (cube(6), True), (cube(2), False)], 792, 2, ""),
        ([(cube(10), True), (cube(6), False), (cube(2), True)], 792, 2, "it was inside out and was turned"),
        ([(cube(10), False), (cube(4, (20, 0, 0)), True)], 1064, 2, "a shell that was inside out was turned"),
        ([(cube(10), False), (cube(6), True), (cube(6), False), (cube(2), True)], 992, 1, ""),
        ([(cube(10), False), (cube(6), True), (cube(4), False), (cube(2), True)], 840, 2, ""),
        (
            [(cube(10), False), (cube(4), False)],
            936,
            1,
            "a shell inside another faced outwards and is a hollow now",
        ),
        (
            [(cube(10), False), (cube(10, (5, 0, 0)), False)],
            1500,
            1,
            "shells that cross one another were joined",
        ),
        (
            [(cube(10), False), (cube(10, (8, 0, 0)), True)],
            800,
            1,
            "shells that cross one another were joined",
        ),
        ([(cube(10), False), (cube(10), False)], 1000, 1, "shells that cross one another were joined"),
    ],
)
def test_shells_are_nested_by_what_lies_inside_what(shells, volume, bodies, said):
    """Volumes by counting cubes."""
    done: list[str] = []
    mesh = soup(*shells)
    solid = solid_of(mesh, "x", done)
    assert solid.volume() == pytest.approx(volume) and list(map(str, done)) == ([said] if said else [])
    assert surfaces_lost(mesh, solid) == 0
    if bodies == 2:
        assert len(bodies_of(solid)) == 2 and sum(b.volume() for b in bodies_of(solid)) == pytest.approx(
            volume
        )


def test_a_lost_ball_is_found_missing():
    mesh = soup((cube(10), False), (cube(6), True), (cube(2), False))
    assert surfaces_lost(mesh, solid_of(soup((cube(10), False), (cube(6), True)), "x")) == 1
    # Sections keep their hollows too.
    hollow = [cube(10) - cube(6), cube(4, (30, 0, 0)) - cube(2, (30, 0, 0))]
    sections = cut_into_sections([Part(BODY, m3.Manifold.compose(hollow))], [], apart=True).sections
    assert sorted(s.whole.volume() for s in sections) == pytest.approx([56, 784])


# -- files are judged as a stranger reads them
def strangers_open_edges(mesh: Mesh) -> int:
    return open_edges(weld(read_stl(stl_bytes(mesh.vertices, mesh.triangles, "x"), "x")))


@pytest.mark.parametrize("kind", ["half", "loop"])
def test_mirrored_halves_and_loops_on_slanted_edges_are_written_closed(kind):
    rng = np.random.default_rng(3)
    for _ in range(8):
        points = rng.uniform(-35, 35, (9, 2))
        outline = shapely.Polygon(points[ConvexHull(points).vertices])
        solid = prism(outline, 0, 3)
        mesh = mesh_of(solid)
        spot = outline.exterior.interpolate(rng.uniform(0, outline.exterior.length))
        middle = np.mean(np.reshape(outline.bounds, (2, 2)), axis=0)
        inner = spot.x * 0.97 + middle[0] * 0.03, spot.y * 0.97 + middle[1] * 0.03
        if kind == "half":
            addon = AddOn("a", Half("left"), (*outline.centroid.coords[0], 3.0), (0, 0, 1))
        else:
            addon = AddOn("a", Loop(), (*inner, 3.0), (0, 0, 1), (spot.x - middle[0], spot.y - middle[1]))
        fitted = fit_out([Part(BODY, solid)], solid, mesh, find_facets(mesh), [addon])
        assert len(fitted.parts) == 1
        section = cut_into_sections(fitted.parts, []).sections[0]
        unit = section_unit(section, {BODY: Filament("Fog", "#b9bcb8")})
        assert (
            strangers_open_edges(unit.pieces[0].mesh) == 0
            and check_watertight(unit.pieces)[0].severity == "sound"
        )


def test_a_colour_that_touches_itself_along_edges_is_parted_by_a_hair():
    squares = [
        prism(shapely.box(10 * i, 10 * j, 10 * i + 10, 10 * j + 10), 0, 2)
        for i in range(4)
        for j in range(4)
        if (i + j) % 2 == 0
    ]
    board = m3.Manifold.batch_boolean([prism(shapely.box(0, 0, 40, 40), -2, 0), *squares], m3.OpType.Add)
    mesh = mesh_of(board)
    assert strangers_open_edges(mesh) > 0
    section = cut_into_sections([Part(BODY, board)], []).sections[0]
    piece = section_unit(section, {BODY: Filament("Fog", "#b9bcb8")}).pieces[0]
    assert strangers_open_edges(piece.mesh) == 0 and piece.volume == pytest.approx(40 * 40 * 2 + 800 * 2)
    # Nine edges of 2 mm, a rod of twice the square of a hair each: what the file leaves out is known.
    assert 0 < piece.parted < 9 * 2.01 * 2 * HAIR**2
    assert signed_volume(piece.mesh) == pytest.approx(piece.written, abs=1e-5)


# -- one guarded door to the geometry library
def test_outlines_that_touch_and_cross_themselves_are_put_together():
    bow = shapely.Polygon([(0, 0), (10, 10), (10, 0), (0, 10)])
    eight = shapely.Polygon([(0, 0), (4, 0), (4, 4), (8, 4), (8, 8), (4, 8), (4, 4), (0, 4)])
    for whole, area in (
        (union([bow, shapely.box(20, 0, 30, 10)]), 150),
        (union([eight]), 32),
        (difference(shapely.box(0, 0, 10, 10), bow), 50),
    ):
        assert shapely.is_valid(whole) and whole.area == pytest.approx(area)
    assert intersection(bow, eight).area == pytest.approx(intersection(eight, bow).area)
    # Squares that overlap are no coverage, and are joined all the same.
    assert coverage_union([shapely.box(0, 0, 10, 10), shapely.box(5, 0, 15, 10)]).area == pytest.approx(150)
    rng = np.random.default_rng(5)
    for _ in range(60):
        star = shapely.Polygon(rng.integers(0, 12, (9, 2)).astype(float))
        found = union([star, *(shapely.Polygon(rng.integers(0, 12, (7, 2)) + 1e-7) for _ in range(3))])
        assert shapely.is_valid(found) and shapely.is_valid(intersection(found, star))
    ring = [np.array([(0.0, 0), (10, 0), (10, 10), (0, 10)]), np.array([(2.0, 2), (2, 8), (8, 8), (8, 2)])]
    assert area_of(ring).area == pytest.approx(64)


# what stands 0.4 high goes with the hole
@pytest.mark.parametrize("modes", [("through", "raised"), ("raised", "through")])
def test_a_graphic_that_takes_the_whole_model_away_is_refused_in_a_sentence(modes):
    """A square of 30 mm cut through a plate of 8 mm: before, nothing was left and a later step stumbled
    over it."""
    job, sources = demo_job("plate")
    square = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 30"><rect width="30" height="30"/></svg>'
    )
    source = Source(digest_bytes(square), "square.svg", "drawing")
    job = replace(job, base=PlateBase(8, 8, 3), placements=(), graphics=(), addons=(), cuts=())
    job, spec = add_graphic(add_source(job, source), source, 30.0)
    for mode in modes:
        job, _ = place(job, spec.id, (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), Depth(mode, 0.4))
    with pytest.raises(BadInput, match="Nothing is left of the model once Square is cut out of it"):
        Evaluator({**sources, source.digest: square}).kit(job)


@pytest.mark.parametrize(("mode", "deep"), [("through", 3.0), ("recessed", 1.0)])
def test_what_is_taken_out_is_taken_out_of_what_stands_there_too(mode, deep):
    """A square of 8 mm out of one of 20 mm that stands 2 mm high: before, the top 1.5 mm of it stayed, in
    the air."""
    job, sources = demo_job("plate")
    square = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 30"><rect width="30" height="30"/></svg>'
    )
    source = Source(digest_bytes(square), "square.svg", "drawing")
    job = replace(job, base=PlateBase(40, 40, 3, 0), placements=(), graphics=(), addons=(), cuts=())
    job, wide = add_graphic(add_source(job, source), source, 20.0)
    job, narrow = add_graphic(job, source, 8.0)
    job, _ = place(job, wide.id, (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), Depth("raised", 2.0))
    job, _ = place(job, narrow.id, (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), Depth(mode, 1.0))
    kit = Evaluator({**sources, source.digest: square}).kit(job)
    assert kit.design_volume == pytest.approx(40 * 40 * 3 + (20 * 20 - 8 * 8) * 2 - 8 * 8 * deep, rel=1e-6)
    assert [f.kind for f in kit.findings if f.severity == "stop"] == []


def test_an_empty_body_is_not_called_watertight():
    empty = Piece(
        "A1 Soot PLA", "A1", DEFAULT_RACK[0], Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int64)), 0.0
    )
    (found,) = check_watertight([empty])
    assert found.severity == "stop"


def test_what_rounding_takes_of_a_thin_sheet_is_within_what_is_allowed_for():
    rng = np.random.default_rng(2)
    off, allowed = [], []
    for _ in range(20):
        sheet = m3.Manifold.cube((120, 120, 0.05), True).refine(3).rotate(tuple(rng.uniform(0, 360, 3)))
        mesh = mesh_of(sheet.translate(tuple(rng.uniform(0, 200, 3))))
        written = as_written(mesh)
        off.append(abs(signed_volume(written) - float(sheet.volume())))
        allowed.append(rounding_of(written))
    # More than a thousandth of a cubic millimetre, never more than a surface that moves by half a step.
    assert max(off) > 2e-3 and all(o < a for o, a in zip(off, allowed, strict=True))
    assert max(allowed) < 2 * 1.01 * 120 * 120 * 1.6e-5


def test_shells_of_no_volume_go_and_voids_and_all_else_stay():
    hollow = m3.Manifold.cube((10, 10, 10)) - m3.Manifold.cube((6, 6, 6)).translate((2, 2, 2))
    side = NO_VOLUME ** (1 / 3)
    crumbs = [m3.Manifold.cube((f * side,) * 3).translate((20 + 5 * f, 0, 0)) for f in (0.97, 1.03)]
    left = of_its_own(m3.Manifold.compose([m3.Manifold.cube((10, 10, 10)), *crumbs]), 1e-6)
    assert sorted(s.volume() > 1 for s in left.decompose()) == [False, True]
    for some in ([hollow], [hollow, *crumbs]):
        kept = of_its_own(m3.Manifold.compose(some), 1e-6)
        assert kept.volume() == pytest.approx(1000 - 216, abs=1e-5)
