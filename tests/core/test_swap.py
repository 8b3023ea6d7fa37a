"""Another picture or another body for a finished job: what was decided goes with it, and what cannot is
said."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from tests.known import known

from cutkey.core.addons.loop import Loop
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.engine.swap import (
    Box,
    Shade,
    carried_to,
    match_colours,
    not_given_on,
    with_matches,
    with_source,
)
from cutkey.core.model.accepted import Accepted
from cutkey.core.model.addon import AddOn
from cutkey.core.model.colouring import Colouring, OwnWay
from cutkey.core.model.cuts import Cut, JointKeys
from cutkey.core.model.job import Assignment, GraphicSpec, Job, Source
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.table_edits import Delete
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.validate import problem_of
from cutkey.core.steps.crop import Crop
from cutkey.core.steps.denoise import Denoise
from cutkey.core.steps.light import EvenLight
from cutkey.demo.jobs import demo_job

OLD = Source("a" * 64, "old.png", "picture")
NEW = Source("b" * 64, "new-one.png", "picture")
MIDDLE = (0.0, 0.0)


def job_of(**changes: object) -> Job:
    steps = (EvenLight(), Crop(first=(0, 0), second=(0.5, 0.5)), Denoise())
    trace = TraceSettings(steps=steps, threshold=0.4, palette=("#111111",), names=(("#111111", "soot"),))
    spec = GraphicSpec("g", "Old", OLD.digest, 60.0, trace, edits=(Delete(((1.0, 1.0),)),))
    depths = (Depth("raised", 2.0), Depth("recessed", 0.4, "#111111"), Depth("flush", 0.6, "#e0a32a"))
    placed = Placement("p", "g", (0, 0, 4), (0, 0, 1), offset=(5.0, 0.0), depths=depths)
    job = Job(
        sources=(OLD,),
        graphics=(spec,),
        placements=(placed,),
        assignments=(Assignment("#111111", "Soot PLA"),),
        **changes,
    )  # type: ignore[arg-type]
    assert not problem_of(replace(job, base=PlateBase()))
    return job


@pytest.mark.parametrize(
    ("old", "new", "matches"),
    [
        # The same colours from another scan: by colour, whatever their places.
        (["#1f1e19", "#be8a23", "#cbc2a8"], ["#efe4c6", "#e5a92c", "#211b1d"], {2: 0, 1: 1, 0: 2}),
        # Nothing alike in a second picture of one colour more: black stays black, the red is new.
        (["#111111", "#e0a32a"], ["#c02020", "#101015", "#dfa530"], {1: 0, 2: 1}),
        ([], ["#112233"], {}),
    ],
)
def test_colours_are_matched_by_colour_first(old, new, matches):
    shades = [[Shade(c, 1 / len(side), MIDDLE) for c in side] for side in (old, new)]
    assert match_colours(*shades) == {new[n]: old[o] for n, o in matches.items()}


def test_unlike_colours_are_matched_by_area_and_place():
    """A badge in other colours: the field is the field, the star in its middle the star."""
    old = [
        Shade("#1c2a5e", 0.8, (0, 0)),
        Shade("#e0a32a", 0.15, (0.3, 0.3)),
        Shade("#f5f5f5", 0.05, (-0.3, -0.3)),
    ]
    new = [
        Shade("#2f6f4a", 0.82, (0, 0)),
        Shade("#f0e8c0", 0.05, (-0.3, -0.3)),
        Shade("#c06a3a", 0.13, (0.3, 0.3)),
    ]
    assert match_colours(old, new) == {"#2f6f4a": "#1c2a5e", "#f0e8c0": "#f5f5f5", "#c06a3a": "#e0a32a"}
    # A small dot elsewhere is nobody's heir.
    assert match_colours(old[:1], [Shade("#d02020", 0.01, (0.5, 0.5))]) == {}


def test_another_picture_keeps_what_was_decided_and_says_what_it_cannot():
    job = job_of()
    swapped = with_source(job, "g", NEW, False, 60.0)
    spec = swapped.job.graphics[0]
    assert (spec.id, spec.source, spec.width_mm, spec.name) == ("g", NEW.digest, 60.0, "New one")
    assert (
        spec.trace.steps == (EvenLight(), Denoise())
        and spec.trace.threshold is None
        and not spec.trace.palette
        and not spec.edits
    )
    assert swapped.job.sources == (NEW,)
    told = "; ".join(map(str, swapped.said))
    assert (
        "1 preparation step that belongs" in told
        and "1 edit" in told
        and "threshold" in told
        and "colours" in told
    )
    done = with_matches(swapped.job, "g", {"#151515": "#111111", "#3355aa": "#e0a32a"}, job)
    depths = {d.colour: (d.mode, d.mm) for d in done.placements[0].depths}
    assert depths == {"": ("raised", 2.0), "#151515": ("recessed", 0.4), "#3355aa": ("flush", 0.6)}
    assert done.placements[0].offset == (5.0, 0.0)
    assert done.assignments == (Assignment("#151515", "Soot PLA"),) and done.graphics[0].trace.names == (
        ("#151515", "soot"),
    )
    # Settled otherwise: the rules of the job before are given on, not those of the first try.
    other = with_matches(done, "g", {"#3355aa": "#111111"}, job)
    assert {d.colour: d.mode for d in other.placements[0].depths} == {"": "raised", "#3355aa": "recessed"}
    # The same picture made anew, as large in pixels: places in it mean what they meant.
    again = with_source(job, "g", NEW, True, 60.0)
    assert (
        again.job.graphics[0].edits == job.graphics[0].edits
        and again.job.graphics[0].trace.steps == job.graphics[0].trace.steps
    )


def test_ways_of_colour_and_accepted_findings_go_with_their_colour_or_are_told():
    """One of two colours has a successor: what was decided of it goes along, of the other it is said."""
    of = "thin", "Too thin to print", "Old", "p"
    decided = (
        Accepted(*of, "#111111", 0.1, "it is a shadow"),
        Accepted(*of, "#e0a32a", 0.2, "fine"),
        Accepted("floor", "Thin floor", "Old", "p", "", 0.1, "fine"),
        Accepted("keys", "Joint A-A", "A1", "", "", 1.0, "glued"),
    )
    ways = (OwnWay("#111111", "inlays"), OwnWay("#e0a32a", "heights"))
    job = job_of(accepted=decided, colouring=Colouring(ways=ways))
    matches = {"#151515": "#111111"}
    old = ["#111111", "#e0a32a"]
    done = with_matches(with_source(job, "g", NEW, False, 60.0).job, "g", matches, job, old)
    assert done.colouring.ways == (OwnWay("#151515", "inlays"),)
    assert {(d.piece, d.colour, d.reason) for d in done.accepted} == {
        ("New one", "#151515", "it is a shadow"),
        ("New one", "", "fine"),
        ("A1", "", "glued"),
    }
    told = "; ".join(map(str, not_given_on(job, "g", old, matches)))
    assert (
        all(w in told for w in ("depth", "way of printing", "an accepted finding")) and "filament" not in told
    )
    assert not_given_on(job, "g", old, {**matches, "#d0a020": "#e0a32a"}) == []
    (lost,) = not_given_on(
        replace(job, placements=(), accepted=(), colouring=Colouring()), "g", ["#111111"], {}
    )
    assert "filament" in str(lost)


def test_another_graphic_of_the_same_colour_keeps_its_filament():
    job = job_of()
    job = replace(job, graphics=(*job.graphics, replace(job.graphics[0], id="h")))
    done = with_matches(with_source(job, "g", NEW, False, 60.0).job, "g", {"#151515": "#111111"}, job)
    assert done.assigned("#111111") == "Soot PLA" and done.assigned("#151515") == "Soot PLA"


def test_a_graphic_that_shared_its_scale_keeps_its_own_size():
    job = job_of()
    first = replace(job.graphics[0], whole=True, width_mm=100.0)
    job = replace(job, graphics=(first, replace(first, id="h")))
    swapped = with_source(job, "g", NEW, False, 37.5)
    assert (
        swapped.job.graphics[0].width_mm == 37.5
        and not swapped.job.graphics[0].whole
        and swapped.job.graphics[1] == job.graphics[1]
    )
    assert "common scale" in "; ".join(map(str, swapped.said)) and swapped.job.sources == (OLD, NEW)


def test_what_lay_on_a_body_lies_on_the_same_side_and_part_of_another():
    own = JointKeys((10.0, 2.0))
    cuts = (
        Cut("x", 10.0, joints=(own,), path=((-5.0, 2.0),), hand=((1.0, 1.0),)),
        Cut("y", 0.0, inside=(10.0, -5.0, 2.0)),
    )
    loop = AddOn("l", Loop(), (0, 20, 4), (0, 0, 1), offset=(0.0, 20.0))
    job = job_of(cuts=cuts, addons=(loop,))
    old, new = Box((-40, -20, 0), (40, 20, 4)), Box((0, 0, 0), (40, 60, 8))
    done = carried_to(job, old, new)
    assert done.job.addons[0].point == pytest.approx((20, 60, 8)) and done.job.addons[
        0
    ].offset == pytest.approx((0, 30))
    assert done.job.placements[0].point == pytest.approx((20, 30, 8)) and done.job.placements[
        0
    ].offset == pytest.approx((2.5, 0))
    assert [c.at for c in done.job.cuts] == pytest.approx([25.0, 30.0]) and done.job.cuts[
        1
    ].inside == pytest.approx((25, 22.5, 4))
    assert done.job.cuts[0].joints[0].at == (15.0, 4.0)
    assert not done.job.cuts[0].hand and "set by hand" in str(done.said[0])
    assert carried_to(job, old, old) == (job, [])


def test_a_loop_on_a_backing_stays_at_its_edge_when_the_picture_is_another():
    """The whole way: a backing with a loop, another picture of other proportions, measured on the solid."""
    job, sources = demo_job("cap")
    evaluator = known(sources)
    spec = job.graphics[0]
    base = BackingBase(spec.id)
    bare = replace(job, base=base, addons=(), placements=(), cuts=())
    body = evaluator.body(bare)
    high = body.mesh.vertices.max(0)
    loop = AddOn("l", Loop(), (0.0, 0.0, float(high[2])), (0, 0, 1), offset=(0.0, float(high[1]) + 1.0))
    with_loop = replace(bare, addons=(loop,))
    grown = evaluator.body(with_loop)
    assert grown.mesh.vertices[:, 1].max() > high[1] + 2
    half = replace(
        bare,
        graphics=tuple(replace(g, width_mm=g.width_mm / 2) if g.id == spec.id else g for g in bare.graphics),
    )
    small = evaluator.body(half)
    boxes = [Box(tuple(m.mesh.vertices.min(0)), tuple(m.mesh.vertices.max(0))) for m in (body, small)]
    moved = carried_to(replace(half, addons=(loop,)), *boxes)
    fitted = evaluator.body(moved.job)
    assert len(fitted.solid.decompose()) == 1
    assert fitted.mesh.vertices[:, 1].max() > small.mesh.vertices[:, 1].max() + 2
