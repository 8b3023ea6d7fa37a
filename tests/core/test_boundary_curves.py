"""Boundaries as lines, arcs and Béziers: kept from the trace, found elsewhere, written, bent; against
closed forms and readers."""

from __future__ import annotations

import io
import math
import re

import ezdxf
import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from tests.known import known

from cutkey.cli.main import main
from cutkey.core.artwork.dxf_write import dxf_of
from cutkey.core.artwork.svg_write import svg_of
from cutkey.core.curves import bending
from cutkey.core.curves.elements import elements_of
from cutkey.core.curves.fitting import curves_of
from cutkey.core.curves.splitting import part_of
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.formats import drawings_of, read_drawing
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.pieces import ARC, CUBIC, LINE, bezier, points_of
from cutkey.core.geometry.region import Region
from cutkey.core.model.edits import add_graphic
from cutkey.core.model.frame import carried, scaling
from cutkey.core.model.job import Job, Source
from cutkey.core.model.table_edits import Bend, Delete
from cutkey.core.trace.faces import untied
from cutkey.demo.jobs import demo_job


@pytest.fixture(scope="module")
def cap():
    """A graphic of the demo that was traced, and its evaluator."""
    job, sources = demo_job("cap")
    evaluator = known(sources)
    return job, evaluator, evaluator.draw(job, job.graphics[0])


def commands(svg: str) -> str:
    return "".join(re.findall("[LAC]", "".join(re.findall(r' d="([^"]*)"', svg))))


def off(curves, regions) -> float:
    """Largest distance between curves and the boundaries they stand for, both ways."""
    points = points_of(curves.pieces, 0.0005, len(curves.closed))
    own = shapely.union_all([r.geometry.boundary for r in regions])
    lines = shapely.multilinestrings([shapely.linestrings(p) for p in points])
    ends = shapely.points(shapely.get_coordinates(own))
    return max(
        float(shapely.distance(lines, ends).max()),
        float(shapely.distance(own, shapely.points(np.concatenate(points))).max()),
    )


def test_what_the_trace_fitted_is_written_and_no_more(cap):
    """The drawing has the pieces that were fitted, each as what it is; a reader gets the regions back."""
    drawn = cap[2]
    curves = curves_of(drawn.graphic.regions, drawn.curves)
    assert len(curves.pieces) == drawn.trace.pieces
    assert off(curves, drawn.graphic.regions) < 0.0051
    svg = svg_of(curves, "bee")
    # Boundaries between two colours are written for both.
    inner = sum(len(r.chains) for r in curves.rings) / len(curves.closed)
    assert len(commands(svg)) <= 1.3 * drawn.trace.pieces * inner and set(commands(svg)) == set("LAC")
    for text, name in ((svg, "bee.svg"), (dxf_of(curves, "bee"), "bee.dxf")):
        back = read_drawing(text.encode(), name)
        assert back.notes == () and not back.open_lines and back.width_mm == pytest.approx(22, abs=0.01)
        scale = (22 / np.ptp(shapely.total_bounds([r.geometry for r in back.regions])[[0, 2]])) ** 2
        areas = {r.colour: r.geometry.area * scale for r in back.regions}
        for r in drawn.graphic.regions:
            assert areas[r.colour] == pytest.approx(r.geometry.area, rel=2e-3), (name, r.colour)


def ring(points) -> Region:
    return Region("#aa2200", shapely.MultiPolygon([shapely.Polygon(points)]))


@pytest.mark.parametrize(
    ("points", "expected"),
    [
        # A disc of 10 mm flattened to 0.005 mm: one arc, in two parts for the sake of its ends.
        (shapely.Point(3, 4).buffer(10, quad_segs=50).exterior.coords[:-1], {ARC: 2}),
        ([(0, 0), (30, 0), (30, 20), (0, 20)], {LINE: 4}),
        # A stadium: two sides, two half circles that go on smoothly.
        (
            shapely.LineString([(0, 0), (20, 0)]).buffer(5, quad_segs=30).exterior.coords[:-1],
            {LINE: 2, ARC: 2},
        ),
        # A regular 24-gon of 30 mm is no circle: its sides are 0.25 mm from it.
        (shapely.Point(0, 0).buffer(30, quad_segs=6).exterior.coords[:-1], {LINE: 24}),
    ],
    ids=["disc", "plate", "stadium", "polygon"],
)
def test_what_was_flattened_is_found_again(points, expected):
    curves = curves_of([ring(points)])
    elements = elements_of(*curves.of_ring(curves.rings[0]))
    found = {k: sum(e.kind == k for e in elements) for k in {e.kind for e in elements}}
    assert found == expected
    for e in elements:
        if e.kind == ARC:
            assert e.radius == pytest.approx(10 if len(elements) == 2 else 5, abs=0.003)
    assert off(curves, [ring(points)]) < 0.01


def test_neighbours_share_their_curves_to_the_last_digit():
    left = shapely.Polygon([(0, 0), (10, 0), (10, 10), (0, 10)]).difference(
        shapely.Point(10, 5).buffer(3, quad_segs=30)
    )
    right = shapely.Polygon([(10, 0), (20, 0), (20, 10), (10, 10)]).union(
        shapely.Point(10, 5).buffer(3, quad_segs=30)
    )
    regions = [
        Region("#000000", shapely.MultiPolygon([left])),
        Region("#ffffff", shapely.MultiPolygon([right])),
    ]
    curves = curves_of(regions)
    assert len(curves.closed) == 3 and not curves.closed.any()
    one, other = (curves.of_ring(r)[0] for r in curves.rings)
    shared = {c.tobytes() for c in one} & {np.ascontiguousarray(c[::-1, ::-1]).tobytes() for c in other[::1]}
    turned = {np.ascontiguousarray(c[::-1]).tobytes() for c in other}
    assert len({c.tobytes() for c in one} & turned) >= 4 and not shared - turned


def test_dxf_holds_arcs_and_splines_that_another_reader_measures():
    """Areas by ezdxf's own flattening (of polylines with bulges) against the closed form."""
    disc = Region("#2244aa", shapely.MultiPolygon([shapely.Point(0, 0).buffer(8, quad_segs=60)]))
    text = dxf_of(curves_of([disc]), "disc")
    document = ezdxf.read(io.StringIO(text))
    (outline,) = document.modelspace()
    assert outline.dxftype() == "LWPOLYLINE" and outline.closed and document.units == ezdxf.units.MM
    assert document.layers.get(outline.dxf.layer).rgb == (0x22, 0x44, 0xAA)
    path = ezdxf.path.make_path(outline)
    area = shapely.Polygon([(p.x, p.y) for p in path.flattening(0.0001)]).area
    assert area == pytest.approx(math.pi * 64, rel=1e-3)


def test_the_command_writes_dxf_and_refuses_what_it_does_not_write(cap, tmp_path, capsys, monkeypatch):
    monkeypatch.chdir(tmp_path)
    from cutkey.demo import pictures

    (tmp_path / "bee.png").write_bytes(pictures.png_bytes(pictures.bee()))
    assert main(["trace", "bee.png", "-o", "bee.dxf", "--width", "40"]) == 0
    assert {e.dxftype() for e in ezdxf.readfile("bee.dxf").modelspace()} >= {"SPLINE", "ARC"}
    assert main(["trace", "bee.png", "-o", "bee.ai"]) == 2
    assert "end its name in .svg or .dxf" in capsys.readouterr().err and not (tmp_path / "bee.ai").exists()


def bend_of(control, stretches) -> Bend:
    middle = [
        (
            bezier(control[s.pieces[0], None], np.array([0.5]))[0]
            if len(s.pieces) == 1
            else control[s.pieces[0], 3]
        )
        for s in stretches
    ]
    return Bend(
        first=tuple(tuple(control[s.pieces[0], 0].tolist()) for s in stretches),
        through=tuple(tuple(m.tolist()) for m in middle),
        last=tuple(tuple(control[s.pieces[-1], 3].tolist()) for s in stretches),
        curves=tuple(tuple(map(tuple, s.curve.tolist())) for s in stretches),
    )


def test_nodes_are_moved_for_all_that_meet_in_them(cap):
    """The node goes where it was put, curves by hand come back as they were given, neighbours still fit,
    the rest is as it was."""
    job, evaluator, drawn = cap
    before = curves_of(drawn.graphic.regions, drawn.curves)
    control, kind = before.pieces.control, before.pieces.kind
    nodes = bending.nodes_of(control)
    joint = next(n for n in nodes if len(n.ends) == 3)
    smooth = next(
        n for n in nodes if bending.is_smooth(control, n) and all(kind[k] == CUBIC for k, _ in n.ends)
    )
    whole = sum(r.geometry.area for r in drawn.graphic.regions)
    changes = {
        "joint": bending.with_node_at(control, kind, joint, (joint.place[0] + 0.2, joint.place[1] + 0.1)),
        "smooth": bending.with_node_at(control, kind, smooth, (smooth.place[0], smooth.place[1] + 0.05)),
        "out": bending.without_node(control, kind, smooth),
        "in": bending.with_node_in(control, smooth.ends[0][0], 0.5),
        "sharp": bending.made_sharp(control, kind, smooth),
        "pulled": bending.pulled(control, smooth.ends[0][0], 0.5, (smooth.place[0] + 0.1, smooth.place[1])),
    }
    for what, stretches in changes.items():
        spec = replace(job.graphics[0], edits=(bend_of(control, stretches),))
        after = evaluator.draw(replace(job, graphics=(spec, *job.graphics[1:])), spec)
        regions = after.graphic.regions
        assert after.notes == () and shapely.coverage_is_valid([r.geometry for r in regions]), what
        found = curves_of(regions, after.curves)
        ends = found.pieces.control[:, [0, 3]].reshape(-1, 2)
        for s in stretches:
            for p in s.curve[::3]:
                assert np.hypot(*(ends - p).T).min() < 1e-5, what
        more = {"out": -1, "in": 1}.get(what, 0)
        assert len(found.pieces) == len(control) + more, what
        if what == "in":
            assert sum(r.geometry.area for r in regions) == pytest.approx(whole, rel=1e-6)
    gone = replace(job.graphics[0], edits=(Delete(((0.0, 0.0),)), bend_of(control + 40, changes["joint"])))
    assert "finds no piece" in str(
        evaluator.draw(replace(job, graphics=(gone, *job.graphics[1:])), gone).notes[0]
    )
    moved = carried(bend_of(control, changes["out"]), scaling(2.0))
    assert np.allclose(moved.curves[0], 2 * changes["out"][0].curve) and moved.first[0] == pytest.approx(
        tuple(2 * control[changes["out"][0].pieces[0], 0])
    )


def test_handles_turn_together_and_corners_are_made_smooth():
    """A quarter circle by two cubics (kappa = 4/3 tan(pi/16), L. Dokken et al., CAGD 7 (1990) 33-41) and
    a side."""
    kappa = 4 / 3 * math.tan(math.pi / 16)
    at = [np.array([math.cos(a), math.sin(a)]) for a in (0, math.pi / 4, math.pi / 2)]
    way = [np.array([-p[1], p[0]]) for p in at]
    control = np.array(
        [[a, a + kappa * u, b - kappa * v, b] for a, u, b, v in zip(at, way, at[1:], way[1:], strict=False)]
    )
    control = np.concatenate([control, [np.linspace(at[2], at[0] * 0, 4)]])
    kind = np.array([CUBIC, CUBIC, LINE], np.int8)
    nodes = {n.place: n for n in bending.nodes_of(control)}
    middle = nodes[tuple(at[1])]
    assert bending.is_smooth(control, middle) and not bending.is_smooth(control, nodes[tuple(at[2])])
    to = tuple(at[1] + np.array([0.0, 0.3]))
    together = {
        s.pieces[0]: s.curve for s in bending.with_handle_at(control, kind, middle, (1, 0), to, alone=False)
    }
    assert together[1][1] == pytest.approx(to) and together[0][2] == pytest.approx(at[1] - (0, kappa))
    assert [s.pieces for s in bending.with_handle_at(control, kind, middle, (1, 0), to, alone=True)] == [(1,)]
    (bent,) = bending.made_smooth(control, kind, nodes[tuple(at[2])])
    assert (
        bent.pieces == (1,)
        and bent.curve[2, 0] == pytest.approx(0.0)
        and bent.curve[2, 1] == pytest.approx(1 + kappa)
    )
    (one,) = bending.without_node(control, kind, middle)
    away = np.abs(np.hypot(*bezier(np.repeat(one.curve[None], 33, 0), np.linspace(0, 1, 33)).T) - 1)
    assert away.max() < 0.02
    k, _, distance = bending.nearest_on(control, (0.8, 0.8))
    assert k in (0, 1) and distance == pytest.approx(math.sqrt(1.28) - 1, abs=1e-3)
    assert np.allclose(bending.pulled(control, 0, 0.5, (2.0, 1.0))[0].curve[[0, 3]], control[0][[0, 3]])


def test_little_loops_are_cut_off_and_nothing_else():
    line = np.array([[0, 0], [4, 0], [5, 1], [4, 1], [4.5, -1], [9, -1.0]])
    mended = untied(line)
    assert (
        shapely.LineString(mended).is_simple and len(mended) == 5 and (mended[[0, -1]] == line[[0, -1]]).all()
    )
    assert untied(line[:2]) is not None and untied(mended) is mended
    knot = line * 50
    assert untied(knot) is knot


def test_no_boundary_of_the_demo_sign_goes_back_to_pixel_edges():
    job, sources = demo_job("sign")
    drawn = known(sources).draw(job, job.graphics[0])
    steps = 0
    for region in drawn.graphic.regions:
        for r in shapely.get_rings(shapely.get_parts(region.geometry)):
            d = np.diff(shapely.get_coordinates(r), axis=0)
            turn = np.abs(np.diff(np.arctan2(d[:, 1], d[:, 0])))
            steps += int(
                ((np.abs(turn - math.pi / 2) < 1e-9) | (np.abs(turn - 3 * math.pi / 2) < 1e-9)).sum()
            )
    # Right angles of its own; along pixel edges there would be thousands.
    assert steps < 100


def test_a_drawing_is_bent_too_and_its_curves_are_found():
    """A disc of a drawing, read as points: found as one circle, flattened for its size, a node moved, the
    rest stays round."""
    data = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40"><circle cx="20" cy="20" r="15"'
        b' fill="#2040a0"/></svg>'
    )
    source = Source(digest_bytes(data), "disc.svg", "drawing")
    job, spec = add_graphic(Job(name="Disc"), source, 30.0)
    counts = []
    for width in (30.0, 300.0):
        evaluator = Evaluator({source.digest: data})
        drawn = evaluator.draw(job, replace(spec, width_mm=width))
        counts.append(shapely.get_num_coordinates(drawn.graphic.regions[0].geometry))
        # 0.005 mm at the size it is made, however large, and the bulge of the drawing's own arcs (300 mm from
        # 30 units).
        chord = shapely.get_coordinates(drawn.graphic.regions[0].geometry)
        middle = np.hypot(*((chord[1:] + chord[:-1]) / 2).T)
        assert width / 2 - middle.min() < 0.0075, width
    assert counts[1] > 2.5 * counts[0]
    evaluator = Evaluator({source.digest: data})
    drawn = evaluator.draw(job, spec)
    curves = curves_of(drawn.graphic.regions, drawn.curves)
    one, other = elements_of(*curves.of_ring(curves.rings[0]))
    assert (
        one.kind == other.kind == ARC
        and one.radius == pytest.approx(15, abs=0.003)
        and abs(one.sweep + other.sweep) == pytest.approx(2 * math.pi)
    )
    node = max(bending.nodes_of(curves.pieces.control), key=lambda n: n.place[0])
    stretches = bending.with_node_at(
        curves.pieces.control, curves.pieces.kind, node, (node.place[0] + 3.0, node.place[1])
    )
    bent = replace(spec, edits=(bend_of(curves.pieces.control, stretches),))
    after = evaluator.draw(replace(job, graphics=(bent,)), bent).graphic.regions[0].geometry
    assert (
        after.bounds[2] == pytest.approx(18.0, abs=0.3)
        and after.bounds[0] == pytest.approx(-15, abs=0.01)
        and after.area > math.pi * 225 + 10
    )


def test_splines_of_the_written_dxf_are_the_beziers(cap):
    """Each spline through ezdxf's own construction tool against the Bézier it stands for."""
    drawn = cap[2]
    curves = curves_of(drawn.graphic.regions, drawn.curves)
    document = ezdxf.read(io.StringIO(dxf_of(curves, "bee")))
    wanted = {c.round(6).tobytes() for c in curves.pieces.control[curves.pieces.kind == CUBIC]}
    wanted |= {c[::-1].round(6).tobytes() for c in curves.pieces.control[curves.pieces.kind == CUBIC]}
    splines = [e for e in document.modelspace() if e.dxftype() == "SPLINE"]
    assert splines and {layer.dxf.name for layer in document.layers} >= {
        f"colour {c.lstrip('#')}" for c in curves.colours
    }
    for spline in splines[:40]:
        points = np.array(spline.control_points)[:, :2]
        tool, count = spline.construction_tool(), (len(points) - 1) // 3
        for k in range(count):
            piece = points[3 * k : 3 * k + 4]
            assert piece.round(6).tobytes() in wanted
            middle = np.array(tool.point((k + 0.5) / count * tool.max_t))[:2]
            assert middle == pytest.approx(bezier(piece[None], np.array([0.5]))[0], abs=1e-6)


def test_pieces_of_beziers_are_the_beziers():
    """De Casteljau's pieces against the curve itself."""
    control = np.array([[0, 0], [1, 3], [4, 3], [5, -1.0]])
    for a, b in ((0.0, 1.0), (0.2, 0.7), (0.0, 0.3), (0.6, 1.0)):
        part = part_of(control, a, b)
        t = np.linspace(0, 1, 9)
        there = bezier(np.repeat(control[None], 9, 0), a + (b - a) * t)
        assert bezier(np.repeat(part[None], 9, 0), t) == pytest.approx(there, abs=1e-12)
    (stretch,) = bending.with_node_in(control[None], 0, 0.4)
    assert len(stretch.curve) == 7 and stretch.curve[3] == pytest.approx(
        bezier(control[None], np.array([0.4]))[0]
    )
    assert bending.made_straight(control[None], 0)[0].curve[1] == pytest.approx(
        control[0] + (control[3] - control[0]) / 3
    )


@pytest.mark.parametrize("loop", [3, 4, 8, 40])
def test_chains_whose_ends_are_one_place_have_curves(loop):
    """A disc in a region touches the edge between two others; and rings name one point twice on end."""
    a = np.arange(loop) * 2 * np.pi / loop + np.pi
    ring = np.c_[1 + np.cos(a), np.sin(a)]
    ring[0] = 0.0, 0.0
    left = shapely.Polygon([(-9, -9), (0, -9), (0, 0), (0, 0), (0, 9), (-9, 9)])
    outer = [(0, -9), (9, -9), (9, -9), (9, 9), (0, 9), (0, 0)]
    right = shapely.Polygon(outer, [[*ring[::-1], ring[-1]]])
    disc = shapely.Polygon([*ring, ring[0], ring[0]])
    regions = [
        Region("#" + 6 * str(n), shapely.multipolygons([g])) for n, g in enumerate((left, right, disc))
    ]
    curves = curves_of(regions)
    control = [curves.of_ring(r)[0] for r in curves.rings]
    # Every ring closes; written and read again as a drawing, every region has its area.
    assert all(np.allclose(c[:, 3], np.roll(c[:, 0], -1, axis=0)) for c in control)
    written = drawings_of(Graphic(regions, 18.0, 18.0), "meeting")
    read = read_drawing(written[".svg"], "meeting.svg")
    areas = np.sort([r.geometry.area for r in read.regions])
    meant = np.sort([g.area for g in (left, right, disc)])
    assert areas / areas.sum() == pytest.approx(meant / meant.sum(), abs=1e-4)
    assert len(written[".dxf"]) > 100
