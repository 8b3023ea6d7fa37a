"""Cutting and dowels: conservation by closed formula, true clearance, no two sockets in each other's way."""

from __future__ import annotations

import itertools
import math

import manifold3d as m3
import numpy as np
import pytest
import shapely

from cutkey.core.check.fit import check_fit, check_keys
from cutkey.core.relief.carve import BODY, Part
from cutkey.core.solids.made import PlateBase, made_solid
from cutkey.core.solids.primitives import prism
from cutkey.core.solids.solid import bounds_of
from cutkey.core.split.cutting import cut_into_sections
from cutkey.core.split.dowels import dowel, drill, find_joints, socket
from cutkey.core.split.plan import cut_letters, propose_cuts
from cutkey.core.split.printer import Printer
from cutkey.core.split.settings import Cut, Keys

PRINTER = Printer(bed=(235, 235, 250), margin=5)


def polygon_area(radius: float, sides: int = 64) -> float:
    """Area of a regular polygon inscribed in a circle."""
    return sides / 2 * math.sin(2 * math.pi / sides) * radius**2


def test_the_fewest_sections_that_fit():
    for size, wanted in (((500, 300, 8), 6), ((225, 225, 250), 1), ((226, 225, 250), 2), ((100, 400, 600), 6), ((226, 200, 400), 4)):
        solid = m3.Manifold.cube(size)
        cuts = propose_cuts(*bounds_of(solid), PRINTER)
        sections = cut_into_sections([Part(BODY, solid)], cuts)
        # No plan can do with fewer than the volume of the box asks for.
        assert len(sections) == wanted >= np.prod(size) / np.prod(PRINTER.usable)
        assert all(f.severity == "sound" for f in check_fit(sections, PRINTER))
    unlike = Printer(bed=(310, 110, 100), margin=5)
    assert len(propose_cuts(np.zeros(3), np.array([95.0, 295.0, 50.0]), unlike)) == 0


def test_a_section_larger_than_the_bed_stops_the_kit():
    section = cut_into_sections([Part(BODY, m3.Manifold.cube((300, 100, 10)))], [])
    found = check_fit(section, PRINTER)
    assert found[0].severity == "stop" and found[0].figure == pytest.approx(300) and found[0].mend == "propose cuts"


def test_names_and_letters_follow_the_drawing():
    cuts = [Cut("y", 10), Cut("x", 20), Cut("x", 10)]
    assert [(c.axis, c.at, letter) for c, letter in cut_letters(cuts).items()] == [("x", 10, "A"), ("x", 20, "B"), ("y", 10, "C")]
    sections = cut_into_sections([Part(BODY, m3.Manifold.cube((30, 20, 5)))], cuts)
    assert [s.name for s in sections] == ["A1", "B1", "C1", "A2", "B2", "C2"]
    far_left = sections[0].bounds()
    assert far_left[0] == pytest.approx([0, 10, 0]) and far_left[1] == pytest.approx([10, 20, 5])
    levels = cut_into_sections([Part(BODY, m3.Manifold.cube((30, 20, 5)))], [Cut("z", 2)])
    assert [s.name for s in levels] == ["A1-1", "A1-2"]


@pytest.fixture(scope="module")
def kit():
    """A two-colour plate of 520 x 300 x 8 mm in six sections."""
    body, art = made_solid(PlateBase(520, 300, 8, 14)), prism(shapely.box(-200, -60, 210, 80), 8, 9.2)
    keys = Keys()
    cuts = [Cut("x", -86.7), Cut("x", 86.7), Cut("y", 0.0)]
    sections = cut_into_sections([Part(BODY, body), Part("#26241f", art)], cuts)
    joints = find_joints(sections, cuts, keys)
    return body.volume() + art.volume(), sections, joints, drill(sections, joints, keys), keys


def volume(sections) -> float:
    return sum(p.solid.volume() for s in sections for p in s.parts)


def test_sections_sockets_and_dowels_add_up_to_the_design(kit):
    """Sockets and dowels are prisms over regular 64-gons: n/2 sin(2 pi/n) r^2 L."""
    design, sections, joints, drilled, keys = kit
    count = sum(len(j.centres) for j in joints)
    assert volume(sections) == pytest.approx(design, rel=1e-12)
    one_socket = polygon_area(keys.diameter / 2 + keys.clearance) * 2 * (keys.depth + keys.end_gap)
    one_dowel = polygon_area(keys.diameter / 2) * 2 * keys.depth
    assert volume(drilled) + count * one_socket == pytest.approx(design, rel=1e-9)
    assert dowel(keys).volume() == pytest.approx(one_dowel, rel=1e-12)
    assert len(joints) == 7 and all(len(j.centres) >= 2 for j in joints)
    assert [f.severity for f in check_keys(joints, keys)] == ["sound"]


def test_sockets_lie_in_material_with_their_wall_and_apart_from_each_other(kit):
    _, sections, joints, _, keys = kit
    sockets = [(j, socket(c, j.cut, keys)) for j in joints for c in j.centres]
    for (_, a), (_, b) in itertools.combinations(sockets, 2):
        assert a.min_gap(b, 3.0) >= keys.wall - 1e-6
    whole = {s.name: m3.Manifold.batch_boolean([p.solid for p in s.parts], m3.OpType.Add) for s in sections}
    for joint, hole in sockets:
        inside = sum((whole[n] ^ hole).volume() for n in joint.sections)
        assert inside == pytest.approx(hole.volume(), rel=1e-9)


def test_the_clearance_is_what_was_stated(kit):
    """Facets of a 64-gon bring the gap down by cos(pi / 64)."""
    _, _, joints, _, keys = kit
    centre = joints[0].centres[0]
    hole = socket(centre, joints[0].cut, keys)
    pin = dowel(keys).translate((0, 0, -keys.depth)).rotate((0, 90, 0)).translate(centre)
    around = m3.Manifold.cube((60, 8, 8), True).translate(centre) - hole
    assert around.min_gap(pin, 1.0) == pytest.approx(keys.clearance * math.cos(math.pi / 64), abs=2e-3)


def test_where_there_is_no_room_it_is_said():
    thin = made_solid(PlateBase(300, 100, 3, 0))
    cuts = [Cut("x", 0.0)]
    sections = cut_into_sections([Part(BODY, thin)], cuts)
    joints = find_joints(sections, cuts, Keys())
    assert [len(j.centres) for j in joints] == [0] and joints[0].face_area == pytest.approx(300, rel=1e-6)
    found = check_keys(joints, Keys())
    assert found[0].severity == "look at" and "no room" in found[0].text
    assert drill(sections, joints, Keys()) == sections


def test_a_cut_beside_the_design_makes_no_section():
    sections = cut_into_sections([Part(BODY, m3.Manifold.cube((30, 20, 5)))], [Cut("x", 99.0), Cut("y", 10.0)])
    assert len(sections) == 2


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_dowels_cross_every_kind_of_cut(axis):
    solid = m3.Manifold.cube((60, 70, 80), True)
    cuts = [Cut(axis, 3.0)]
    keys = Keys()
    sections = cut_into_sections([Part(BODY, solid)], cuts)
    joints = find_joints(sections, cuts, keys)
    drilled = drill(sections, joints, keys)
    hole = polygon_area(keys.diameter / 2 + keys.clearance) * (keys.depth + keys.end_gap)
    for before, after in zip(sections, drilled, strict=True):
        lost = before.parts[0].solid.volume() - after.parts[0].solid.volume()
        assert lost == pytest.approx(hole * len(joints[0].centres), rel=1e-6)
    assert len(joints[0].centres) >= 2
