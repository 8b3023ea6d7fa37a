"""Keys lie in material and let sections join one way only, also where keys end in the air; pushes off are
looked at along every line."""

from __future__ import annotations

import itertools
import math

import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from shapely import affinity
from tests.known import known

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.walls import check_walls
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.keys.kind import form_of
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.filament import BODY
from cutkey.core.model.printer import Printer
from cutkey.core.split.outlines import Slivers
from cutkey.core.split.plan import propose
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.proofs.beside import fits_beside
from cutkey.core.split.proofs.marks import Pattern, marks_of
from cutkey.core.split.proofs.one_way import prove
from cutkey.core.split.proofs.overlap import Motions, Outline, boxes_cover, common_of, may_cover
from cutkey.core.split.proofs.sweep import passes_through
from cutkey.core.split.setting.forms import solids_of, with_wall
from cutkey.core.split.split import split_design
from cutkey.demo.jobs import demo_job

PLATE = PlateBase(400, 200, 20, 0).solid()
Z, X = np.array([0.0, 0, 1]), np.array([1.0, 0, 0])


def riddled() -> m3.Manifold:
    """A plate with screw holes all along its middle."""
    hole = m3.Manifold.cylinder(60, 2.2, 2.2, 32, True)
    spots = [(x, y, 10) for x in np.arange(-30, 31, 7.3) for y in np.arange(-90, 91, 13.1)]
    return m3.Manifold.batch_boolean([PLATE, *(hole.translate(s) for s in spots)], m3.OpType.Subtract)


BODIES = {
    "screw holes": riddled(),
    "cavity": PLATE - m3.Manifold.cube((30, 150, 12), True).translate((20, 0, 10)),
}


@pytest.mark.parametrize("kind", ["dowel", "tenon", "bowtie", "magnet"])
@pytest.mark.parametrize("body", BODIES)
def test_sockets_keep_their_wall_all_round_and_behind_their_ends(body, kind):
    """The section less what is near the socket's skin, by the bare library: an exact offset of the socket
    must be filled."""
    solid = BODIES[body]
    split = split_design([Part(BODY, solid)], [Cut("x", 0.0)], Keys(kind), Labels(on=False), Printer())
    joint = split.joints[0]
    assert joint.keys and [f.severity for f in check_walls(split, Labels(on=False))] == ["sound"]
    for key in joint.keys:
        if kind in ("dowel", "magnet"):
            deep = key.form.reach[0] + key.form.wall - 0.05
            grown = m3.Manifold.cylinder(deep, key.form.half[0] + key.form.wall - 0.05, -1, 48)
            for side in (1, -1):
                rod = grown.transform(
                    np.array([[0, 0, side, 0.0], [1, 0, 0, key.centre[1]], [0, side, 0, key.centre[2]]])
                )
                assert (rod - solid).volume() < 1e-3 * rod.volume()


def test_a_key_set_by_hand_over_a_slot_is_measured():
    slotted = PLATE - m3.Manifold.cube((14, 6, 30), True).translate((10, 40, 10))
    hand = ((-60.0, 0.0), (40.0, 0.0))
    split = split_design(
        [Part(BODY, slotted)], [Cut("x", 0.0, hand=hand)], Keys("dowel", 6.0), Labels(on=False), Printer()
    )
    found = check_walls(split, Labels(on=False))
    assert (
        [f.severity for f in found] == ["look at"]
        and "comes out of the material" in found[0].text
        and found[0].figure == 0
    )
    assert "too little material" in str(split.joints[0].note)
    forced = split._replace(joints=[split.joints[0]._replace(by_hand=False)])
    assert [f.severity for f in check_walls(forced, Labels(on=False))] == ["stop"]


def test_what_must_be_filled_is_the_socket_grown_by_its_wall():
    """Steiner: volume of a convex body grown by a ball, against the grown rod of a dowel."""
    form = form_of("dowel", Keys(), 6.0, 0.0, 20.0)
    near, far = with_wall(form, 3.0, 1.0)
    r, deep, w = form.half[0], form.reach[0], form.wall
    cylinder = np.pi * (r + w) ** 2 * deep + np.pi * r**2 * w + np.pi**2 / 2 * r * w**2 + 2 * np.pi / 3 * w**3
    assert near.volume() == pytest.approx(cylinder, rel=0.02) and far.volume() == pytest.approx(
        near.volume(), rel=1e-6
    )
    assert (solids_of(form, 3.0, 1.0).near_socket.trim_by_plane((0, 0, -1), 0.01) - near).volume() < 1e-6


# -- one way only
def pattern(joint: int, side: int, length: float, places, size: float = 6.0) -> Pattern:
    form = form_of("dowel", Keys(), size, 0.0, 12.0)
    marks = tuple(marks_of(form, complex(p, 0), 0.0, -1, 0)[0 if side < 0 else 1] for p in places)
    return Pattern(joint, side, marks, Outline(shapely.box(-length / 2, -6, length / 2, 6)))


@pytest.mark.parametrize(
    ("length", "places", "fits"),
    [
        # moved by 48 one key is in the other's socket, the other 22 mm beside the face, 52 of 100 covered
        (100, (-24, 24), True),
        (100, (-40, 40), False),  # moved by 80 only a fifth would be covered
        (100, (-26, 26), False),
    ],
)
def test_a_key_beside_the_other_face_is_no_obstacle(length, places, fits):
    near, far = pattern(0, -1, length, places), pattern(0, 1, length, places)
    found = [w for w in fits_beside(near, far, False) if abs(w[0]) < 1]
    assert bool(found) == fits and all(abs(abs(s) - 48) < 1 for _, s in found)


def test_what_faces_may_have_in_common_is_never_less_than_what_they_have():
    """Bounds against the areas that shapely finds, over random faces with holes and parts and motions."""
    rng = np.random.default_rng(7)
    told, within = 0, []
    for _ in range(40):
        faces = []
        for _ in range(2):
            spots = shapely.points(rng.uniform(-60, 60, (rng.integers(2, 7), 2)))
            solid = shapely.union_all(shapely.buffer(spots, rng.uniform(5, 30), quad_segs=3))
            faces.append(Outline(solid.difference(shapely.Point(0, 0).buffer(rng.uniform(0.1, 20)))))
        angles = rng.uniform(-180, 180, 60)
        shifts = rng.uniform(-150, 150, 60) + 1j * rng.uniform(-150, 150, 60)
        motions = Motions.of(angles, shifts)
        turned = [
            affinity.translate(affinity.rotate(faces[1].area, a, origin=(0, 0)), s.real, s.imag)
            for a, s in zip(angles, shifts, strict=True)
        ]
        common = shapely.area(shapely.intersection(faces[0].area, turned))
        # Lines are made plainer by 0.05 mm first.
        slack = 0.05 * (faces[0].area.length + faces[1].area.length)
        for bound in (boxes_cover, may_cover):
            assert (bound(*faces, motions) >= common - slack).all()
        may = may_cover(*faces, motions)
        within.append((may - common_of(*faces, motions)) / max(f.mm2 for f in faces))
        told += int((common > slack).sum())
    assert told > 400 and np.quantile(np.concatenate(within), 0.9) < 0.25


def test_kits_are_keyed_so_that_nothing_but_mates_fits_even_beside():
    parts = [Part(BODY, PlateBase(520, 300, 8, 14).solid())]
    cuts = [Cut("x", -86.7), Cut("x", 60.0), Cut("y", 0.0)]
    split = split_design(parts, cuts[:2], Keys("dowel"), Labels(on=False), Printer())
    assert split.proof.clashes == [] and all(len(j.keys) >= 2 for j in split.joints)
    # Where it does not work out, the joint says so.
    more = split_design(parts, cuts, Keys("dowel"), Labels(on=False), Printer())
    guilty = {n for c in more.proof.clashes for n in (c.one[0], c.other[0])}
    assert not guilty or any("fit another way" in str(more.joints[n].note) for n in guilty)
    # With the same pattern on two faces it is told.
    twin = [p._replace(joint=9) for p in split.joints[0].patterns(0)]
    assert prove([*split.joints[0].patterns(0), *twin]).clashes


# -- pushes
def test_pushes_are_free_or_not_however_thin_what_is_in_the_way():
    def box(size, at) -> m3.Manifold:
        return m3.Manifold.cube(size).translate(at)

    base, shelf, post = (
        box((10, 10, 1), (0, 0, 0)),
        box((10, 10, 0.2), (0, 0, 7.35)),
        box((1, 10, 8), (10, 0, 0)),
    )
    leaf = box((10, 10, 0.2), (0, 0, 1))
    assert passes_through(leaf, base + shelf + post, Z) and not passes_through(leaf, base, Z)
    low = box((10, 10, 5), (0, 0, 0)) + box((5, 10, 5), (0, 0, 5))
    high = box((5, 10, 5), (5, 0, 5)) + box((5, 10, 10), (10, 0, 0))
    assert not passes_through(high, low, Z) and passes_through(low, high, Z)
    assert not passes_through(high, low, X) and passes_through(low, high, X)
    pin, plate = (
        m3.Manifold.cylinder(5, 3, 3, 64),
        box((20, 20, 5), (-10, -10, 0)) - m3.Manifold.cylinder(9, 3.1, 3.1, 64).translate((0, 0, -1)),
    )
    assert not passes_through(pin, plate, Z) and passes_through(pin, plate, X)


def test_bridges_of_the_joints_are_tried_as_partings():
    """Four bars in a row of which the outer two joints want another way than the middle one."""
    bars = [Part(BODY, m3.Manifold.cube((160, 40, 40)))]
    split = split_design(
        bars, [Cut("x", v) for v in (40.0, 80.0, 120.0)], Keys("dowel"), Labels(on=False), Printer()
    )
    order = find_assembly(split.sections, split.joints)
    assert order.stuck == [] and len(order.steps) == 3
    # Nothing tells on which side of the cuts they lie: only the joints themselves part them, the middle one
    # first.
    blind = [
        s._replace(sides={0: -1, 1: 1} if n % 2 else {0: 1, 1: -1}) for n, s in enumerate(split.sections)
    ]
    assert find_assembly(blind, split.joints).stuck == []


# -- proposals
def test_a_cut_goes_through_a_figure_only_where_none_in_reach_spares_it():
    """The demo sign: its lengthwise cut keeps off the bee and its leaves."""
    job, sources = demo_job("sign")
    evaluator = known(sources)
    plan, survey = evaluator.plans(job)[0], evaluator.survey(job)
    lengthwise = next(c for c in plan.cuts if c.axis == "y" and c.inside is None)
    met = survey.reading(lengthwise)
    assert met.crossing < 1 and met.slivers == 0 and met.keys >= 4 and -80 < lengthwise.at < 80


def test_slivers_are_not_proposed_and_tenons_count_across_their_cut_only():
    wedge = shapely.Polygon([(0, 0), (100, 0), (100, 40), (0, 40.3)])
    assert Slivers(wedge, 1, 0.44).left(40.05) and not Slivers(wedge, 1, 0.44).left(30.0)
    # 200 long and as wide as the bed: tenons across x need room along x, none along y.
    bar = [Part(BODY, m3.Manifold.cube((200, 110, 20)))]
    printer = Printer(bed=(120.0, 120.0, 100.0), margin=5.0)
    plan = propose(bar, printer, overhang=8.0)[0]
    assert {c.axis for c in plan.cuts} == {"x"} and plan.sections == 2 and prism(wedge, 0, 1).volume() > 0
    assert all(100 <= c.at <= 102 for c in plan.cuts) or len(plan.cuts) == 1


@pytest.mark.parametrize("kind", ["dowel", "tenon", "magnet"])
def test_many_broad_faces_alike_fit_one_way_only(kind):
    """A cube in eight: twelve faces that are all the same square."""
    cuts = [Cut(a, 0.0) for a in "xyz"]
    split = split_design(
        [Part(BODY, m3.Manifold.cube((200, 200, 200), True))], cuts, Keys(kind), Labels(on=False), Printer()
    )
    assert (
        [j.note for j in split.joints] == [None] * 12 and split.clashes() == [] and not split.assembly.stuck
    )
    # Magnets are no more than hold what hangs on them.
    least = 2 if kind == "magnet" else 3
    assert all(least <= len(j.keys) <= 4 for j in split.joints)
    # Where no pattern is left that fits one way only, keys still keep off one another.
    small = split_design(
        [Part(BODY, m3.Manifold.cube((60, 60, 60), True))], cuts[:2], Keys(kind), Labels(on=False), Printer()
    )
    for joint in small.joints:
        for p, q in itertools.combinations(joint.keys, 2):
            assert math.hypot(p.u - q.u, p.v - q.v) > 2 * max(p.form.half) + p.form.wall
    assert not [f for f in check_walls(small, Labels(on=False)) if f.severity == "stop"]


def test_the_cuts_proposed_for_the_demo_sign_fit_one_way_only():
    job, sources = demo_job("sign")
    evaluator = known(sources)
    best = evaluator.plans(replace(job, cuts=()))[0]
    split = evaluator.split(replace(job, cuts=best.cuts))
    assert [j.note for j in split.joints] == [None] * len(split.joints) and split.clashes() == []
