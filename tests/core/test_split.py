"""Beds, cuts and sections: what fits, what is cut and what is not, and that nothing is lost."""

from __future__ import annotations

import math
from itertools import pairwise

import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from shapely import affinity
from tests.known import known

from cutkey.core.checks.fit import check_fit
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import bounds_of, mesh_of
from cutkey.core.keys.kind import printed_overhang
from cutkey.core.kit.pieces import section_unit
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.filament import BODY, DEFAULT_RACK
from cutkey.core.model.printer import Printer
from cutkey.core.printing.pose import bed_area, pose_on_bed, takes
from cutkey.core.printing.resting import Wishes, resting
from cutkey.core.split.cutting import cut_into_sections, tiny
from cutkey.core.split.joints import find_joints
from cutkey.core.split.naming import cut_letters
from cutkey.core.split.plan import propose
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.setting.keying import with_keys
from cutkey.core.split.split import split_design
from cutkey.demo.jobs import demo_job

PRINTER = Printer(bed=(235, 235, 250), margin=5)


def block(*size: float) -> list[Part]:
    return [Part(BODY, m3.Manifold.cube(size))]


def volume(sections) -> float:
    return sum(p.solid.volume() for s in sections for p in s.parts)


# -- beds
def test_an_outline_is_laid_on_the_bed_at_any_angle():
    """The diagonal of a square of 225 mm takes a strip as long as geometry says: (225 sqrt 2 - 10) mm of
    10 mm width."""
    for length, fits in ((225 * math.sqrt(2) - 10.5, True), (225 * math.sqrt(2) - 9.5, False)):
        pose = pose_on_bed(shapely.box(3, 4, 3 + length, 14), PRINTER)
        assert (pose is not None) == fits
        if pose:
            laid = affinity.translate(
                affinity.rotate(shapely.box(3, 4, 3 + length, 14), pose.angle, origin=(0, 0)), pose.x, pose.y
            )
            assert bed_area(PRINTER).buffer(1e-6).covers(laid)
    # An L that only its true outline, not its box, lets lie beside a keep-out.
    angle = shapely.box(0, 0, 220, 60) | shapely.box(0, 0, 60, 220)
    blocked = Printer(bed=(235, 235, 250), margin=5, keep_out=((120, 120, 115, 115),))
    assert (
        pose_on_bed(angle, blocked) is not None and pose_on_bed(shapely.box(0, 0, 220, 220), blocked) is None
    )
    round_bed = Printer(bed=(250, 250, 200), margin=5, shape="round")
    assert pose_on_bed(shapely.Point(40, 9).buffer(119.9), round_bed) and not pose_on_bed(
        shapely.box(0, 0, 171, 171), round_bed
    )
    assert takes(round_bed, (169, 169, 200)) and not takes(round_bed, (169, 169, 201))


def test_a_section_larger_than_the_bed_stops_the_kit():
    found = check_fit(cut_into_sections(block(330, 100, 10), [], PRINTER).sections, PRINTER)
    assert (
        found[0].severity == "stop"
        and found[0].figure == pytest.approx(330)
        and found[0].mend == "propose cuts"
    )


# -- cutting
def test_names_and_letters_follow_the_drawing():
    cuts = [Cut("y", 10), Cut("x", 20), Cut("x", 10)]
    assert cut_letters(cuts) == ["C", "B", "A"]
    sections = cut_into_sections(block(30, 20, 5), cuts).sections
    assert [s.name for s in sections] == ["A1", "B1", "C1", "A2", "B2", "C2"]
    low, high = sections[0].bounds()
    assert low == pytest.approx([0, 10, 0]) and high == pytest.approx([10, 20, 5])
    assert [s.name for s in cut_into_sections(block(30, 20, 5), [Cut("z", 2)]).sections] == ["A1-1", "A1-2"]
    assert len(cut_into_sections(block(30, 20, 5), [Cut("x", 99.0), Cut("y", 10.0)]).sections) == 2


def test_a_cut_can_be_tilted_and_limited_to_one_section():
    # Tilted by 45 degrees about z through the middle of a square: two prisms over equal triangles.
    halves = cut_into_sections(block(40, 40, 5), [Cut("x", 20, tilt=45)]).sections
    assert [p.solid.volume() for s in halves for p in s.parts] == pytest.approx([4000, 4000])
    assert all(s.whole.num_tri() == 8 for s in halves)
    leaning = cut_into_sections(block(40, 40, 20), [Cut("x", 20, lean=30)]).sections
    top = [bounds_of(s.whole)[1][0] for s in leaning if bounds_of(s.whole)[0][0] < 1]
    assert max(top) == pytest.approx(20 + 10 * math.tan(math.radians(30)), abs=1e-9)
    # Limited: only the left column is divided.
    cuts = [Cut("x", 15), Cut("y", 20, inside=(5, 5, 2))]
    sections = cut_into_sections(block(40, 40, 5), cuts).sections
    assert [s.name for s in sections] == ["A1a", "A1b", "B1"]
    assert [round(p.solid.volume()) for s in sections for p in s.parts] == [1500, 1500, 5000]
    assert len(cut_into_sections(block(40, 40, 5), [Cut("y", 20, inside=(5, 5, 2))]).sections) == 2


def test_bodies_that_fall_apart_become_sections_and_colours_go_along():
    comb = (
        m3.Manifold.cube((30, 50, 8))
        - m3.Manifold.cube((20, 10, 8)).translate((10, 10, 0))
        - m3.Manifold.cube((20, 10, 8)).translate((10, 30, 0))
    )
    inlay = m3.Manifold.cube((30, 6, 1)).translate((0, 2, 7))
    sections = cut_into_sections([Part(BODY, comb - inlay), Part("#26241f", inlay)], [Cut("x", 12)]).sections
    assert [s.name for s in sections] == ["A1", "B1a", "B1b", "B1c"]
    assert [sorted(p.colour for p in s.parts) for s in sections] == [
        ["#26241f", BODY],
        [BODY],
        [BODY],
        ["#26241f", BODY],
    ]
    assert volume(sections) == pytest.approx(comb.volume(), rel=1e-12)


def islands(*places: tuple[float, float], size: float = 80) -> shapely.MultiPolygon:
    return shapely.MultiPolygon([shapely.box(x, y, x + size, y + size) for x, y in places])


def test_islands_that_fit_are_never_cut():
    figure = shapely.union_all([islands((0, 0), (90, 0), (180, 0), (270, 0)), shapely.box(0, 100, 350, 180)])
    parts = [Part(BODY, prism(figure, 0, 4))]
    sections = cut_into_sections(parts, [Cut("x", 130.0), Cut("x", 200.0)], PRINTER).sections
    # The long one is cut twice; both planes go through islands as well, which stay whole.
    assert len(sections) == 4 + 3 and volume(sections) == pytest.approx(figure.area * 4, rel=1e-12)
    whole = [s for s in sections if s.bounds()[1][1] < 90]
    assert len(whole) == 4 and all(s.size()[:2] == pytest.approx((80, 80)) for s in whole)
    forced = cut_into_sections(parts, [Cut("x", 130.0, inside=(120, 40, 2))], PRINTER).sections
    assert len(forced) == 6
    small = [Part(BODY, prism(islands((0, 0), (90, 0)), 0, 4))]
    assert (
        len(cut_into_sections(small, [], PRINTER).sections) == 1
        and len(cut_into_sections(small, [], PRINTER, apart=True).sections) == 2
    )


# -- seams with corners
PATH = ((-60.0, 0.0), (-40.0, 25.0), (30.0, 25.0), (50.0, -10.0))


def test_a_seam_with_corners_divides_along_all_of_its_pieces():
    art = m3.Manifold.cube((300, 100, 1), True).translate((0, 0, 4.5))
    parts = [Part(BODY, m3.Manifold.cube((400, 300, 8), True)), Part("#26241f", art)]
    cut = Cut("x", 10.0, path=PATH)
    cutting = cut_into_sections(parts, [cut])
    assert [s.name for s in cutting.sections] == ["A1", "B1"]
    assert volume(cutting.sections) == pytest.approx(400 * 300 * 8 + 300 * 100, rel=1e-12)
    # Near side by the shoelace formula: half of the plate and what the seam adds to it.
    corners = [(-200, -150), *((10 + n, u) for u, n in [(-150, 0.0), *PATH, (150, -10.0)]), (-200, 150)]
    assert cutting.sections[0].outline().area == pytest.approx(shapely.Polygon(corners).area, rel=1e-9)
    joints = find_joints(cutting, [cut], Keys())
    lengths = [math.dist(a, b) for a, b in pairwise([(-150, 0.0), *PATH, (150, -10.0)])]
    assert [j.area.bounds[2] - j.area.bounds[0] for j in joints] == pytest.approx(lengths, abs=0.01)
    # Places are counted along the seam: no two pieces share one.
    assert all(a.area.bounds[2] <= b.area.bounds[0] + 0.01 for a, b in pairwise(joints))
    assert {k.form.kind for j in joints for k in j.keys} == {"bowtie"} and not any(j.note for j in joints)
    keyed = with_keys(cutting, joints)
    assert volume(keyed.sections) + keyed.taken_out == pytest.approx(volume(cutting.sections), rel=1e-9)
    a, b = (s.whole for s in keyed.sections)
    assert (a ^ b).volume() < 1e-6 and a.min_gap(b, 1.0) == 0
    assert find_assembly(keyed.sections, joints).stuck == []


def test_what_a_seam_with_corners_cannot_do_is_told():
    plate = block(400, 300, 12)
    for kind, stuck in (("dovetail", False), ("dowel", True)):
        split = split_design(plate, [Cut("x", 200.0, path=PATH)], Keys(kind), Labels(on=False), PRINTER)
        assert bool(split.assembly.stuck) == stuck
        assert not stuck or "different ways" in str(split.assembly.why)
    crossing = Cut("x", 200.0, path=((-60.0, 0.0), (-59.0, 80.0), (-58.0, 0.0), (-57.5, 80.0), (-61.0, 40.0)))
    # corners are taken in the order of the seam, so it never crosses itself
    assert cut_into_sections(plate, [crossing]).sections
    # Limited to a section, tilted, and across y.
    cuts = [
        Cut("y", 150.0, tilt=10, path=((-50.0, 0.0), (0.0, 20.0), (50.0, 0.0))),
        Cut("x", 200.0, inside=(200, 250, 6), path=PATH),
    ]
    sections = cut_into_sections(plate, cuts).sections
    assert [s.name for s in sections] == ["A1a", "A1b", "A2"] and volume(sections) == pytest.approx(
        400 * 300 * 12, rel=1e-9
    )
    # A leaning cut has no corners.
    leaning = cut_into_sections(plate, [Cut("x", 200.0, lean=10, path=PATH)])
    assert all(s.whole.num_tri() <= 16 for s in leaning.sections) and len(leaning.courses[0]) == 1


# -- proposals
def fits_all(parts, plan, printer=PRINTER) -> int:
    sections = cut_into_sections(parts, plan.cuts, printer).sections
    assert len(sections) == plan.sections
    units = {}
    for s in sections if plan.how == "lying" else ():
        way = resting(mesh_of(s.whole), printer, Wishes())
        units[s.name] = section_unit(s, {BODY: DEFAULT_RACK[0]}, way.now.down)
    assert all(f.severity == "sound" for f in check_fit(sections, printer, units))
    return len(sections)


@pytest.mark.parametrize(
    ("size", "wanted"),
    [
        ((500, 300, 8), 6),
        ((225, 225, 250), 1),
        ((226, 225, 250), 2),
        ((100, 400, 600), 6),
        ((226, 200, 400), 2),
        ((300, 10, 8), 1),
    ],
)
def test_the_fewest_sections_that_fit(size, wanted):
    parts = block(*size)
    plans = propose(parts, PRINTER)
    assert fits_all(parts, plans[0]) == wanted
    for plan in plans:
        fits_all(parts, plan)


def test_a_bed_that_is_much_too_small_gets_no_plan():
    assert propose(block(500, 300, 8), Printer(bed=(12, 12, 12), margin=5)) == []


def test_a_curved_figure_needs_no_more_than_the_bound_of_its_box():
    t = np.linspace(0, 2 * np.pi, 240)[:-1]
    figure = shapely.Polygon(
        np.c_[226 * np.cos(t) * (1 + 0.15 * np.sin(5 * t)), 145 * np.sin(t) * (1 + 0.1 * np.cos(3 * t))]
    )
    figure = figure.difference(shapely.Point(60, 20).buffer(30))
    w, h = np.ptp(np.asarray(figure.exterior.coords), axis=0)
    assert w > 490 and h > 290
    parts = [Part(BODY, prism(figure, 0, 5))]
    best = propose(parts, PRINTER)[0]
    # Rows that are divided one by one save a section over the grid.
    assert fits_all(parts, best) <= 5 < math.ceil(w / 225) * math.ceil(h / 225)


def test_cuts_keep_off_lettering_holes_and_edges_of_the_form():
    plate = prism(shapely.box(0, 0, 400, 100) - shapely.Point(200, 50).buffer(8), 0, 6)
    letters = prism(
        shapely.MultiPolygon([shapely.box(x, 20, x + 14, 44) for x in (178, 186.5 + 20, 140, 230)]), 6, 7
    )
    parts = [Part(BODY, plate), Part("#26241f", letters)]
    best = propose(parts, PRINTER)[0]
    at = best.cuts[0].at
    assert len(best.cuts) == 1 and not 190 < at < 210
    assert not any(x < at < x + 14 for x in (178, 206.5, 140, 230))
    # Letters that are sunk are no colour; they count as well.
    groove = (np.array([195.0, 20, 5]), np.array([209.0, 44, 6]))
    bare = [Part(BODY, m3.Manifold.cube((400, 100, 6)))]
    assert abs(propose(bare, PRINTER)[0].cuts[0].at - 200) < 1
    assert not 195 < propose(bare, PRINTER, sunk=[groove])[0].cuts[0].at < 209
    step = m3.Manifold.cube((300, 80, 6)) + m3.Manifold.cube((150, 80, 30))
    assert abs(propose([Part(BODY, step)], PRINTER)[0].cuts[0].at - 150) > 3


def test_a_plan_that_leaves_a_tiny_section_comes_after_one_that_leaves_none():
    # Wherever one cut may lie it cuts the tip off the arm.
    post = m3.Manifold.cube((5, 5, 14)).translate((165, 38, 6))
    arm = m3.Manifold.cube((32, 5, 5)).translate((138, 38, 15))
    parts = [Part(BODY, m3.Manifold.cube((300, 80, 6)) + post + arm)]
    plans = propose(parts, Printer(bed=(160, 160, 160), margin=0))
    made = [cut_into_sections(parts, p.cuts).sections for p in plans]
    assert [any(tiny(s)) for s in made] == [False, True]
    assert [p.sections for p in plans] == [len(s) for s in made] == [3, 3] and len(plans[1].cuts) == 1


def test_a_job_is_cut_beside_its_sunk_lettering():
    job, files = demo_job("plate")
    evaluator = known(files)
    cut = evaluator.plans(replace(job, printer=Printer(bed=(90, 90, 90))))[0].cuts[0]
    letters = [(low[0], high[0]) for low, high in evaluator.sunk(job)]
    assert len(letters) == 8 and cut.axis == "x" and not any(low < cut.at < high for low, high in letters)
    read = evaluator.survey(job).reading(cut).words(True)
    assert (True, "keeps off figures", "figures") in [(w.good, str(w.says), w.about) for w in read]


def test_bodies_too_large_are_cut_by_themselves_and_pins_stay():
    figure = shapely.union_all(
        [islands((0, 0), (90, 0)), shapely.box(0, 100, 350, 180), shapely.box(0, 200, 420, 280)]
    )
    parts = [Part(BODY, prism(figure, 0, 4))]
    best = propose(parts, PRINTER)[0]
    assert fits_all(parts, best) == 6 and all(c.inside is not None for c in best.cuts)
    pin = Cut("x", 100.0, pinned=True)
    plan = propose(block(500, 200, 8), PRINTER, [pin])[0]
    assert pin in plan.cuts and fits_all(block(500, 200, 8), plan) == 3


def test_a_high_body_is_cut_into_levels_and_a_round_bed_is_taken_for_round():
    shell = m3.Manifold.cylinder(400, 70, 100, 96) - m3.Manifold.cylinder(396, 65, 95, 96).translate(
        (0, 0, 4)
    )
    parts = [Part(BODY, shell)]
    assert fits_all(parts, propose(parts, PRINTER)[0]) == 2
    round_bed = Printer(bed=(250, 250, 260), shape="round")
    plate = block(400, 300, 8)
    assert fits_all(plate, propose(plate, round_bed)[0], round_bed) == 6


def test_proposed_cuts_leave_room_for_keys_that_are_printed_on():
    parts, keys = block(449, 200, 20), Keys("tenon")
    assert propose(parts, PRINTER)[0].sections == 2
    over = printed_overhang(keys)
    best = propose(parts, PRINTER, overhang=over)[0]
    assert best.sections == 3
    for plan, good in ((best, True), (propose(parts, PRINTER)[0], False)):
        sections = split_design(parts, plan.cuts, keys, Labels(), PRINTER).sections
        assert all(f.severity == "sound" for f in check_fit(sections, PRINTER)) == good
        # The sections are longer than the stretches between the cuts by their tenons.
        assert (
            max(s.size()[0] for s in sections)
            > max(b - a for a, b in pairwise([0, *sorted(c.at for c in plan.cuts), 449])) + 2
        )
    # Loose keys ask for nothing.
    assert propose(parts, PRINTER, overhang=printed_overhang(Keys("dowel")))[0].sections == 2
