"""Proofs of a kit: patterns of keys that fit one way only, and an order in which it goes together."""

from __future__ import annotations

import math

import manifold3d as m3
import numpy as np
import pytest
import shapely
from tests.core.test_keys import GRID, PRINTER, made, sign

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.joints import check_joints
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.keys.kind import Key, form_of
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.filament import BODY
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.proofs.marks import Pattern, marks_of
from cutkey.core.split.proofs.one_way import clashes_of, prove
from cutkey.core.split.proofs.order import shifts_apart
from cutkey.core.split.setting.keying import with_keys
from cutkey.core.split.split import split_design


def pattern(
    joint: int, side: int, places, kind: str = "dowel", size: float = 4.0, sizes=None, signs=None
) -> Pattern:
    marks = []
    for n, (u, v) in enumerate(places):
        form = form_of(kind, Keys(), sizes[n] if sizes else size, 10.0, 30.0)
        marks.append(marks_of(form, complex(u, v), 0.0, -1, signs[n] if signs else 0)[0 if side < 0 else 1])
    return Pattern(joint, side, tuple(marks))


def both(joint: int, places, **more) -> list[Pattern]:
    return [pattern(joint, side, places, **more) for side in (-1, 1)]


def test_a_symmetric_pattern_is_refused_and_an_uneven_one_is_not():
    two = prove(both(0, [(0, 0), (40, 0)]))
    assert [round(abs(c.angle)) for c in two.clashes] == [180] and two.pairs == 3
    square = prove(both(0, [(0, 0), (30, 0), (30, 30), (0, 30)]))
    assert sorted(round(c.angle) % 360 for c in square.clashes) == [90, 180, 270]
    assert prove(both(0, [(0, 0), (40, 0), (25, 0)])).clashes == []
    # too nearly even: the play of the keys takes it up
    assert len(prove(both(0, [(0, 0), (40, 0), (20.3, 0)])).clashes) == 1
    assert prove(both(0, [(0, 0), (40, 0)], sizes=[4.0, 6.0])).clashes == []
    assert len(prove(both(0, [(0, 0)])).clashes) == 1 and math.isnan(
        prove(both(0, [(0, 0)])).clashes[0].angle
    )


def test_faces_of_other_joints_are_tried_in_every_turn_and_turned_over():
    scalene = [(0, 0), (40, 0), (25, 9)]
    rng = np.random.default_rng(3)
    for _ in range(20):
        angle, shift = rng.uniform(-math.pi, math.pi), complex(*rng.uniform(-50, 50, 2))
        for mirror in (False, True):
            z = [complex(-u if mirror else u, v) * np.exp(1j * angle) + shift for u, v in scalene]
            moved = both(1, [(p.real, p.imag) for p in z])
            found = prove([*both(0, scalene), *moved]).clashes
            # Turned, a near face fits the other's far one; mirrored, near fits near and far fits far.
            expected = (
                {((0, -1), (1, -1)), ((0, 1), (1, 1))} if mirror else {((0, -1), (1, 1)), ((0, 1), (1, -1))}
            )
            assert {(c.one, c.other) for c in found} == expected and all(c.over == mirror for c in found)
    other = [(0, 0), (43, 0), (25, 9)]
    assert prove([*both(0, scalene), *both(1, other)]).clashes == []
    # A part of a larger pattern fits it: its keys all find sockets.
    assert prove([*both(0, scalene), *both(1, [*scalene, (70, 3)])]).clashes


def test_direction_gender_and_poles_count():
    line = [(0, 0), (40, 0)]
    # Bow-ties from the back and dovetails cannot be turned about; two near faces side by side can, if the
    # distances are the same.
    tie = both(0, line, kind="bowtie", size=10.0)
    assert clashes_of(*tie) == [] and {
        c.over for c in prove([*tie, *both(1, line, kind="bowtie", size=10.0)]).clashes
    } == {True, False}
    tails = [*both(0, line, kind="dovetail", size=10.0), *both(1, line, kind="dovetail", size=10.0)]
    # Printed on one side only: near never fits near; far faces have only grooves, which hold nothing.
    assert {(c.one, c.other) for c in prove(tails).clashes} == {((0, -1), (1, 1)), ((0, 1), (1, -1))}
    tenons = prove(both(0, line, kind="tenon", size=8.0)).clashes
    assert [round(abs(c.angle)) for c in tenons] == [180]
    assert (
        len(clashes_of(*both(0, line, kind="magnet", signs=[1, 1]))) == 1
        and clashes_of(*both(0, line, kind="magnet", signs=[1, -1])) == []
    )


def test_a_kit_whose_joints_fit_one_another_is_told():
    parts = [Part(BODY, PlateBase(300, 100, 12, 0).solid())]
    hand = ((-30.0, 0.0), (30.0, 0.0), (10.0, 0.0))
    split = split_design(
        parts,
        [Cut("x", -50, hand=hand), Cut("x", 50, hand=hand)],
        Keys(kind="dowel"),
        Labels(on=False),
        PRINTER,
    )
    found = [f for f in check_joints(split, Labels(on=False)) if f.kind == "one way"]
    assert found and all(f.severity == "look at" for f in found) and any("way" in f.text for f in found)


# -- they go together
def test_a_dovetail_slides_in_from_one_side_only():
    parts = [Part(BODY, m3.Manifold.cube((160, 150, 12), True))]
    _, joints, keyed = made(parts, [Cut("x", 0.0)], Keys(kind="dovetail"))
    found = find_assembly(keyed.sections, joints)
    assert found.stuck == [] and found.steps[0].way == pytest.approx((0, 0, -1))
    # Swept the other way, pulled straight off, or sideways it runs into the groove.
    from cutkey.core.split.proofs.assembly import _Planner

    planner = _Planner(keyed.sections, joints)
    between = planner._between((1,), (0,))
    blocked = {
        w: planner._blocked((1,), (0,), between, np.array(w, float))
        for w in ((0, 0, 1), (0, 0, -1), (1, 0, 0), (0, 1, 0))
    }
    assert blocked[0, 0, 1] is None and all(
        "would run into" in str(blocked[w]) for w in blocked if w != (0, 0, 1)
    )
    assert joints[0].keys[0].form.of.ways == ((0.0, 1.0, 0.0),)


def test_sections_that_cannot_be_joined_are_refused():
    """A dovetail asks for a push along up, a tenon in the same face for one straight on."""
    parts = [Part(BODY, m3.Manifold.cube((160, 150, 12), True))]
    cutting, joints, _ = made(parts, [Cut("x", 0.0)], Keys(kind="dovetail"))
    form = form_of("tenon", Keys(), 6.0, 8.0, 12.0)
    both_kinds = joints[0]._replace(
        keys=(*joints[0].keys[:1], Key(form, 30.0, 0.0, joints[0].plane.lift(30.0, 0.0)))
    )
    keyed = with_keys(cutting, [both_kinds])
    found = find_assembly(keyed.sections, [both_kinds])
    assert found.steps == [] and found.stuck == [(0, 1)] and "ask for different ways" in str(found.why)
    split = split_design(parts, [Cut("x", 0.0)], Keys(kind="dovetail"), Labels(on=False), PRINTER)
    stopped = check_joints(split._replace(assembly=found), Labels(on=False))
    assert [f.severity for f in stopped if f.kind == "goes together"] == ["stop"]


def test_prongs_leave_one_by_one_and_a_hook_stays():
    gap = m3.Manifold.cube((60, 10, 12))
    comb = m3.Manifold.cube((90, 70, 12)) - gap.translate((30, 15, 0)) - gap.translate((30, 45, 0))
    _, joints, keyed = made([Part(BODY, comb)], [Cut("x", 25.0)], Keys(kind="dowel"))
    assert len(keyed.sections) == 2
    _, joints, keyed = made([Part(BODY, comb)], [Cut("x", 40.0)], Keys(kind="dowel"))
    found = find_assembly(keyed.sections, joints)
    assert len(keyed.sections) == 4 and len(found.steps) == 3 and found.stuck == []
    assert all(s.way == pytest.approx((-1, 0, 0)) for s in found.steps)
    # A head on a stem inside a claw: with dowels both ends must go straight on, which the other's grip
    # forbids.
    head = shapely.union_all([shapely.box(10, 38, 90, 52), shapely.box(90, 30, 110, 60)])
    claw = shapely.box(70, 15, 130, 75) - shapely.box(85, 27, 115, 63) - shapely.box(60, 35, 86, 55)
    arms = [shapely.box(10, 80, 130, 95), shapely.box(118, 70, 130, 85), shapely.box(0, 0, 20, 140)]
    gripped = [Part(BODY, prism(shapely.union_all([head, claw, *arms]), 0, 12))]
    _, joints, keyed = made(gripped, [Cut("x", 40.0)], Keys(kind="dowel"))
    stuck = find_assembly(keyed.sections, joints)
    assert len(keyed.sections) == 3 and len(joints) == 2 and all(j.keys for j in joints)
    assert stuck.stuck == [(0, 1, 2)] and "would run into" in str(stuck.why)
    # Glued without keys the head is laid in from above.
    _, joints, keyed = made(gripped, [Cut("x", 40.0)], Keys(kind="none"))
    free = find_assembly(keyed.sections, joints)
    assert free.stuck == [] and any(abs(s.way[2]) == 1 for s in free.steps)


def test_rows_are_joined_first_and_then_to_one_another():
    _, joints, keyed = made(sign(), GRID, Keys(kind="dowel"))
    found = find_assembly(keyed.sections, joints)
    names = [s.name for s in keyed.sections]
    last = found.steps[-1]
    assert (
        len(found.steps) == 5
        and {names[n][1] for n in last.movers} == {"1"}
        and {names[n][1] for n in last.fixed} == {"2"}
    )
    # With one socket drilled too shallow the push is not free any more.
    key, joint = joints[0].keys[0], joints[0]
    plug = joint.plane.raised(m3.Manifold.cylinder(4, 1.9, 1.9).translate((key.u, key.v, key.form.depth - 5)))
    number = joint.numbers[1]
    spoilt = [s._replace(whole=s.whole + plug) if n == number else s for n, s in enumerate(keyed.sections)]
    assert any("key 1 of" in str(found.why) or found.stuck for found in [find_assembly(spoilt, joints)])
    # Undone a step at a time, the last push first; everything apart at the end.
    start, half, end = (shifts_apart(6, found, share, 50.0) for share in (0.0, 0.2, 1.0))
    assert not start.any()
    assert np.ptp(half[:, 1]) == pytest.approx(50) and np.ptp(half[:, 0]) == 0
    for step in found.steps:
        assert np.linalg.norm(end[step.movers[0]] - end[step.fixed[0]]) > 40
