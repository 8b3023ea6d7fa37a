"""Add-ons that meet the edge, one another, a cut or a mirror: each fault is said, and no more."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from cutkey.core.addons.border import Border
from cutkey.core.addons.channel import Channel
from cutkey.core.addons.half import Half
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.loop import Loop
from cutkey.core.addons.magnet import Magnet
from cutkey.core.addons.screw import ScrewHole
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.model.addon import AddOn
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Copies
from cutkey.core.model.printer import Printer

TITLES = {"Add-on missing", "Border too wide", "Thin neck", "Run into each other", "Cut through an add-on"}


def addon(feature, offset=(0.0, 0.0), point=None, id="a", **how):
    return AddOn(id, feature, point or (0.0, 0.0, 5.0), (0.0, 0.0, 1.0), offset, **how)


def told(*addons, **job):
    """Titles and severities of what is said of the add-ons of a plate of 80 x 50 x 5 mm."""
    kit = Evaluator({}).kit(Job(base=PLATE, addons=addons, **job))
    return {(f.title, f.severity) for f in kit.findings if f.title in TITLES}


PLATE = PlateBase(80, 50, 5, 4)
GRID = Copies("grid", (3, 2), (30.0, 30.0))


@pytest.mark.parametrize(
    ("feature", "inside", "outside"),
    [
        (Hole(), (30.0, 0.0), (43.0, 0.0)),
        (Hole(6.0, 2.0), (-30.0, 10.0), (-46.0, 10.0)),
        (Magnet(10.0, height=2.0), (20.0, 0.0), (50.0, 0.0)),
        (Magnet(10.0, height=2.0, roof=1.0), (20.0, 0.0), (50.0, 0.0)),
        (ScrewHole(), (30.0, 18.0), (30.0, 30.0)),
        (Channel(30.0, width=6.0), (0.0, 0.0), (0.0, 40.0)),
        (Channel(30.0, width=6.0, exit=False), (0.0, 0.0), (0.0, 40.0)),
    ],
)
def test_what_lies_beside_the_body_is_a_stop(feature, inside, outside):
    assert told(addon(feature, inside)) == set()
    assert told(addon(feature, outside)) == {("Add-on missing", "stop")}


def test_a_grid_tells_how_many_of_it_are_missing():
    kit = Evaluator({}).kit(Job(base=PLATE, addons=(addon(Hole(), copies=GRID),)))
    assert not [f for f in kit.findings if f.title == "Add-on missing"]
    kit = Evaluator({}).kit(Job(base=PlateBase(40, 50, 5, 4), addons=(addon(Hole(), copies=GRID),)))
    (found,) = [f for f in kit.findings if f.title == "Add-on missing"]
    assert found.severity == "look at" and found.figure == 4 and "4 of 6" in found.text


def test_a_hole_in_the_half_that_is_mirrored_away_is_told():
    half = addon(Half("left"), id="half")
    assert told(half, addon(Hole(), (-20.0, 0.0))) == set()
    assert told(half, addon(Hole(), (20.0, 0.0))) == {("Add-on missing", "stop")}


@pytest.mark.parametrize(
    ("width", "said"), [(2.0, set()), (23.5, set()), (25.0, {("Border too wide", "look at")})]
)
def test_a_border_leaves_a_field(width, said):
    """The plate is 50 mm deep: at 24.5 mm a strip of 1 mm would be left, at 25 nothing is."""
    assert told(addon(Border(width))) == said
    # A hole in the border is cut through it.
    assert told(addon(Border(width)), addon(Hole(), (10.0, 24.0), id="b")) - said <= {
        ("Thin neck", "look at")
    }


@pytest.mark.parametrize(("past", "said"), [(-1.0, set()), (2.4, set()), (4.45, {("Thin neck", "look at")})])
def test_a_loop_hangs_by_more_than_a_thread(past, said):
    """A ring of 9 mm, its middle 4.45 mm past the edge: it hangs by a chord of 1.34 mm."""
    assert told(addon(Loop(), (40.0 + past, 0.0), (39.0, 0.0, 5.0))) == said


def test_openings_that_run_together_are_told_and_steps_are_not():
    two = addon(Hole(6.0), id="b")
    assert told(addon(Hole(6.0), (5.0, 0.0)), two) == {("Run into each other", "look at")}
    assert told(addon(Hole(6.0), (7.5, 0.0)), two) == set()
    # A hole in the middle of a pocket pushes the magnet out again.
    assert told(addon(Magnet(10.0, height=2.0)), addon(Hole(3.0), id="b")) == set()
    assert told(addon(Magnet(10.0, height=2.0)), addon(Hole(3.0), (5.0, 0.0), id="b")) == {
        ("Run into each other", "look at")
    }


@pytest.mark.parametrize("feature", [Hole(4.0), ScrewHole("M4"), Magnet(8.0, height=2.0)])
@pytest.mark.parametrize(("cut", "crosses"), [(10.0, True), (11.7, True), (16.0, False)])
def test_a_cut_through_an_add_on_is_told(feature, cut, crosses):
    bed = Printer(bed=(70.0, 120.0, 100.0))
    job = {"cuts": (Cut("x", cut),), "printer": bed, "keys": Keys(kind="dowel")}
    said = told(addon(feature, (10.0, 0.0)), **job)
    assert said == ({("Cut through an add-on", "look at")} if crosses else set())
    # A cut that is limited to the other section passes beside it.
    far = replace(Cut("y", 0.0), inside=(-30.0, 10.0, 2.0))
    both = told(addon(feature, (25.0, 0.0)), **{**job, "cuts": (Cut("x", 0.0), far)})
    assert both == set()
