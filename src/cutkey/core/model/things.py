"""Edits of what lies on the model, graphics and add-ons alike.

Moved, taken away, doubled, carried to another job.
"""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from cutkey.core.model.edits import add_source, set_scale
from cutkey.core.model.job import Job, new_id
from cutkey.core.model.placement import Offset


def posed(job: Job, id: str, offset: Offset, spin: float, factor: float = 1.0) -> Job:
    """Something moved and turned on its face; a graphic sized by a factor.

    Parameters
    ----------
    job : Job
    id : str
        Of a placement or an add-on.
    offset : (float, float)
        Right and up on its face, mm.
    spin : float
        degrees.
    factor : float
        Of its size; graphics only.
    """
    placements = tuple(replace(p, offset=offset, spin=spin) if p.id == id else p for p in job.placements)
    addons = tuple(replace(a, offset=offset, spin=spin) if a.id == id else a for a in job.addons)
    job = replace(job, placements=placements, addons=addons)
    placement = next((p for p in placements if p.id == id), None)
    if placement is not None and factor != 1:
        spec = job.graphic(placement.graphic)
        job = set_scale(job, spec, round(spec.width_mm * factor, 6))
    return job


def removed(job: Job, ids: Collection[str]) -> Job:
    """Graphics taken off the model, and add-ons taken away."""
    placements = tuple(p for p in job.placements if p.id not in ids)
    return replace(job, placements=placements, addons=tuple(a for a in job.addons if a.id not in ids))


def part_of(job: Job, ids: Collection[str]) -> Job:
    """A job of nothing but some of what lies on the model, with the pictures it needs."""
    placements = tuple(p for p in job.placements if p.id in ids)
    used = {p.graphic for p in placements}
    return graphics_of(
        replace(job, placements=placements, addons=tuple(a for a in job.addons if a.id in ids)), used
    )


def graphics_of(job: Job, ids: Collection[str]) -> Job:
    """A job of nothing but some graphics, and of what its placements and add-ons are.

    With the pictures they need.
    """
    graphics = tuple(g for g in job.graphics if g.id in ids)
    digests = {g.source for g in graphics}
    sources = tuple(s for s in job.sources if s.digest in digests)
    return Job(
        name=job.name, sources=sources, graphics=graphics, placements=job.placements, addons=job.addons
    )


def joined(job: Job, part: Job, by: Offset = (0.0, 0.0)) -> tuple[Job, tuple[str, ...]]:
    """A part of a job taken into a job, each thing `by` mm beside where it was.

    Gives the new things' ids too.

    A graphic that the job has already is laid once more; any other comes with its picture. Without things to
    lay, the graphics themselves are taken in anew.
    """
    for source in part.sources:
        job = add_source(job, source)
    renamed: dict[str, str] = {}
    graphics = list(job.graphics)
    for spec in part.graphics:
        if part.placements and spec in job.graphics:
            renamed[spec.id] = spec.id
            continue
        renamed[spec.id] = new_id()
        graphics.append(replace(spec, id=renamed[spec.id]))

    def beside(offset: Offset) -> Offset:
        return round(offset[0] + by[0], 4), round(offset[1] + by[1], 4)

    placements = [
        replace(p, id=new_id(), graphic=renamed[p.graphic], offset=beside(p.offset)) for p in part.placements
    ]
    addons = [replace(a, id=new_id(), offset=beside(a.offset)) for a in part.addons]
    made = replace(
        job,
        graphics=tuple(graphics),
        placements=(*job.placements, *placements),
        addons=(*job.addons, *addons),
    )
    return made, (*(p.id for p in placements), *(a.id for a in addons)) or tuple(renamed.values())
