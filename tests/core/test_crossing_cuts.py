"""Cuts that cross: keys of one where another passes.

Judged by booleans of the finished sections, at rest and moved in steps, which share nothing with the proofs.
"""

from __future__ import annotations

import json
from functools import cache
from itertools import combinations
from types import SimpleNamespace

import manifold3d as m3
import numpy as np
import pytest

from cutkey.cli.main import main
from cutkey.core.checks.at_rest import sections_share_nothing, shared_at_rest, things_of
from cutkey.core.checks.fit import check_fit
from cutkey.core.checks.joints import check_joints
from cutkey.core.checks.walls import check_walls
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.keys import set_keys
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.printer import Printer
from cutkey.core.split.joints import slides
from cutkey.core.split.split import split_design

BED = Printer(bed=(230.0, 230.0, 250.0))


def block(x, y, z, at=(0.0, 0.0, 0.0)):
    return m3.Manifold.cube((x, y, z)).translate((at[0] - x / 2, at[1] - y / 2, at[2]))


def torus():
    ring = m3.CrossSection.circle(60, 24).translate((150, 0))
    return m3.Manifold.revolve(ring, 48).translate((0, 0, 60))


ACROSS = (Cut("x", 0.0), Cut("y", 0.0))
LEVEL = (Cut("z", 150.0), *ACROSS[::-1])
DESIGNS = {
    "cube": (block(300, 300, 300), LEVEL),
    "channel": (block(460, 116, 266) - block(300, 60, 400, (0, -40, -10)), (Cut("x", 0.0), Cut("z", 133.0))),
    "slab": (block(420, 400, 30), ACROSS),
    "torus": (torus(), ACROSS[::-1]),
    "tower": (
        m3.Manifold.cylinder(300, 160, 160, 48)
        - m3.Manifold.cylinder(320, 120, 120, 48).translate((0, 0, 20)),
        LEVEL,
    ),
}


@cache
def split_of(name, kind):
    solid, cuts = DESIGNS[name]
    return split_design([Part("body", solid)], cuts, Keys(kind=kind), Labels(on=False), BED)


def worst_of_pushes(split, steps=24):
    """Most that movers and the rest share anywhere on the way home, mm3, the way taken in steps."""
    bounds = np.array([s.whole.bounding_box() for s in split.sections])
    far = float(np.linalg.norm(bounds[:, 3:].max(0) - bounds[:, :3].min(0)))
    worst = 0.0
    for step in split.assembly.steps:
        one, other = (
            m3.Manifold.batch_boolean([split.sections[n].whole for n in some], m3.OpType.Add)
            for some in (step.movers, step.fixed)
        )
        for off in np.r_[np.linspace(0.3, 20, steps // 2), np.linspace(21, far, steps // 2)]:
            moved = one.translate(tuple(-np.array(step.way) * off))
            worst = max(worst, float((moved ^ other).volume()))
    return worst


# Each body once or twice, the channel with dovetails is the one whose tongues met.
KITS = [
    ("cube", "bowtie"),
    ("cube", "dovetail"),
    ("channel", "dovetail"),
    ("slab", "bowtie"),
    ("torus", "screw"),
    ("tower", "bowtie"),
    ("tower", "dovetail"),
]


@pytest.mark.parametrize(("name", "kind"), KITS)
def test_kits_with_keys_from_the_back_come_out_where_cuts_cross(name, kind):
    split = split_of(name, kind)
    wholes = [s.whole for s in split.sections]
    assert max(float((a ^ b).volume()) for a, b in combinations(wholes, 2)) < 0.1
    assert not [
        f
        for f in (*check_joints(split, Labels(on=False)), *check_walls(split, Labels(on=False)))
        if f.severity == "stop"
    ]
    assert sum(len(s.movers) > 0 for s in split.assembly.steps) == len(split.sections) - 1
    assert worst_of_pushes(split) < 0.5


def test_dovetails_that_ask_for_two_ways_become_dowels_and_that_is_said():
    split = split_of("cube", "dovetail")
    kinds = {DESIGNS["cube"][1][j.cut].axis: {k.form.kind for k in j.keys} for j in split.joints}
    assert kinds == {"z": {"dowel"}, "x": {"dovetail"}, "y": {"dovetail"}}
    (told,) = [f for f in check_joints(split, Labels(on=False)) if f.title == "Keys changed"]
    assert told.severity == "look at"
    # Where one way does for all of them nothing is changed.
    assert split_of("channel", "dovetail").straightened == ()


def test_only_keys_that_slide_are_ever_changed():
    assert {kind for kind in set_keys() if slides(Keys(kind=kind))} == {"dovetail"}
    assert not slides(Keys(kind="auto")) and not slides(Keys(kind="none"))


def test_sections_and_keys_that_share_a_place_are_found():
    split = split_of("slab", "bowtie")
    assert shared_at_rest(things_of(split)) == []
    # One section moved by half a millimetre into the next; a key put where another section is solid.
    low = split.sections[0]
    moved = split._replace(
        sections=[low._replace(whole=low.whole.translate((0.5, 0, 0))), *split.sections[1:]]
    )
    shared = shared_at_rest(things_of(moved))
    names = {frozenset(f[:2]) for f in shared}
    assert any({low.name} < n and "key" not in " ".join(n) for n in names)
    (fine,) = sections_share_nothing.run(SimpleNamespace(split=split))
    told = list(sections_share_nothing.run(SimpleNamespace(split=moved)))
    assert fine.severity == "sound" and [f.severity for f in told] == ["stop"] * len(shared)
    # The most is in the seam that the section was moved over: half a millimetre of its whole face.
    assert told[0].place == pytest.approx((0.25, 100.0, 15.0), abs=0.01)
    joint = split.joints[0]
    key = joint.keys[0]._replace(v=joint.keys[0].v + 8.0)
    broken = split._replace(joints=[joint._replace(keys=(key, *joint.keys[1:])), *split.joints[1:]])
    assert any("key 1" in " ".join(f[:2]) for f in shared_at_rest(things_of(broken)))


@pytest.mark.parametrize(("side", "most"), [(260.0, 2), (440.0, 4)])
def test_magnets_are_no_more_than_the_weight_asks_for(side, most):
    """An eighth of a cube of 260 mm weighs 26.7 N and hangs on three faces: one pair of 10 mm holds 9.4 N."""
    printer = Printer(bed=(230.0, 230.0, 250.0))
    cuts = (Cut("z", side / 2), Cut("y", 0.0), Cut("x", 0.0))
    solid = block(side, side, side)
    split = split_design([Part("body", solid)], cuts, Keys(kind="magnet"), Labels(on=False), printer)
    load = 1.24e-6 * 9.81 * side**3 / 8 / 3
    assert (
        {len(j.keys) for j in split.joints}
        == {int(np.clip(np.ceil(load / (0.12 * np.pi * 25)), 2, 4))}
        == {most}
    )
    assert split.clashes() == []


def test_what_is_too_small_is_not_set_or_is_told():
    """Printed pins of less than 3 mm break; a corner that a cut leaves is hardly a section."""
    printer = Printer(bed=(230.0, 230.0, 250.0))
    for thick, sizes in ((10.0, {5.0, 4.0, 3.0}), (5.0, set())):
        bar = [Part("body", block(300, 40, thick))]
        split = split_design(bar, (Cut("x", 0.0),), Keys(kind="dowel"), Labels(on=False), printer)
        found = {k.form.size for j in split.joints for k in j.keys}
        assert found <= sizes and bool(found) == bool(sizes)
    tall = block(40, 40, 200) + block(60, 12, 12, (45, 0, 0))
    for at, tiny in ((0.0, False), (72.0, True)):
        split = split_design(
            [Part("body", tall)], (Cut("x", at),), Keys(kind="none"), Labels(on=False), printer
        )
        told = [f for f in check_fit(split.sections, printer) if f.title == "Tiny section"]
        assert bool(told) == tiny and all(f.severity == "look at" for f in told)


@pytest.mark.parametrize(("side", "missing"), [(30.0, False), (3.0, True)])
def test_a_name_without_room_is_told(side, missing):
    bar = [Part("body", block(300, side, side))]
    labels = Labels()
    split = split_design(bar, (Cut("x", 0.0),), Keys(kind="none"), labels, Printer(bed=(230.0, 230.0, 250.0)))
    titles = {f.title: f.severity for f in check_joints(split, labels)}
    assert (titles.get("Names missing") == "look at") == missing and ("Labels" in titles) != missing


def test_a_thin_ring_keeps_its_volume_in_a_file(tmp_path):
    """A wall of 0.3 mm: what single precision rounds off is more than a millionth of so little volume."""
    ring = m3.Manifold.cylinder(8, 100, 100, 96) - m3.Manifold.cylinder(10, 99.7, 99.7, 96).translate(
        (0, 0, -1)
    )
    mesh = mesh_of(ring.rotate((0, 0, 3.7)).translate((13.37, -7.1, 2.2)))
    (tmp_path / "ring.stl").write_bytes(stl_bytes(mesh.vertices, mesh.triangles, "ring"))
    out = tmp_path / "kit"
    words = ["split", str(tmp_path / "ring.stl"), "-o", str(out), "--bed", "235,235,250"]
    main([*words, "--report", str(tmp_path / "r.json")])
    report = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))
    (file,) = [f for f in report["findings"] if f["kind"] == "file"]
    assert file["severity"] == "sound" and 1e-6 < file["limit"] < 1e-4
