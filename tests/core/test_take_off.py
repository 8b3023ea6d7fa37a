"""The last ways out: what was placed taken off, and two mends at once."""

from __future__ import annotations

import trimesh
from bench.quality_jobs import random_job
from msgspec.structs import replace
from tests.core.test_mends import FAULTS, plate
from tests.known import known

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.mends import mends_of
from cutkey.core.model.placement import Depth


def test_whatever_was_placed_and_stops_a_kit_can_be_taken_off_last_of_all():
    job, sources = FAULTS["bridges"][0]
    evaluator = known(sources)
    (stop,) = [f for f in evaluator.kit(job).findings if f.severity == "stop"]
    *others, last = mends_of(job, stop)
    assert (
        [m.id for m in others] == ["bridges", "leave a floor"]
        and last.id == "take off"
        and last.rank > max(m.rank for m in others)
    )
    assert "Shapes is no longer laid there" in last.cost(job, stop)
    bare = last.apply(job, stop)
    assert bare.placements == () and not [f for f in evaluator.kit(bare).findings if f.severity == "stop"]
    # Where another way holds it is not taken; what is only to be looked at is never taken off.
    assert len(mended(job, evaluator, costly=True).job.placements) == 1
    look, files = FAULTS["widen"][0]
    (thin,) = [f for f in known(files).kit(look).findings if f.mend == "widen"]
    assert "take off" not in {m.id for m in mends_of(look, thin)}


def test_what_stands_over_a_recess_hangs_in_the_air_and_two_mends_do_what_neither_does():
    """A raised disc on a plate that is sunk around it by another graphic; trimesh counts the pieces."""
    job, sources = plate(
        '<circle cx="27" cy="27" r="20" fill="#2040a0"/>', Depth("recessed", 1.0), width=30.0
    )
    disc, more = plate('<circle cx="27" cy="27" r="6" fill="#c03020"/>', Depth("raised", 0.8), width=12.0)
    placed = replace(disc.placements[0], id="disc")
    job = replace(
        job,
        graphics=(*job.graphics, *disc.graphics),
        sources=(*job.sources, *disc.sources),
        placements=(*job.placements, placed),
    )
    evaluator = Evaluator({**sources, **more})
    mesh = mesh_of(evaluator.design(job).whole)
    assert len(trimesh.Trimesh(mesh.vertices, mesh.triangles).split(only_watertight=False)) == 2
    (air,) = [f for f in evaluator.kit(job).findings if f.severity == "stop"]
    assert air.title == "In the air" and air.of == "disc" and mends_of(job, air)[-1].id == "take off"
    # Sunk twice as deep as the plate is thick, as inlays: only a floor and bodies together hold it.
    seed, files = random_job(89)
    found = mended(seed, known(files), costly=True)
    assert any("leave a floor under it and print colours as bodies" in what for what in found.done)
    assert not [f for f in found.left if f.severity == "stop"]
