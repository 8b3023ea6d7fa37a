"""The ways of colour of a job: changes by height, inlays, and what each way costs."""

from __future__ import annotations

from typing import TYPE_CHECKING, get_args

from msgspec.structs import replace

from cutkey.core.colouring.bodies import filament_of, level_faces
from cutkey.core.colouring.costs import cost_of, with_inlays
from cutkey.core.colouring.heights import Ground, Laying, plan_heights
from cutkey.core.colouring.inlays import Inlays, plan_inlays
from cutkey.core.digest import digest
from cutkey.core.model.colouring import Cost, Heights, Rung, Way
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def laid_of(evaluator: Evaluator, job: Job) -> list[Laying]:
    """What the ways of colour have to know of the placed graphics."""
    return [
        Laying(p, job.graphic(p.graphic).name, evaluator.site(job, p), evaluator.draw(job, job.graphic(p.graphic)).graphic)
        for p in job.placements
    ]


def _key(evaluator: Evaluator, way: str, job: Job) -> str:
    """Digest of everything a way of colour depends on."""
    graphics = [evaluator.graphic_key(job, job.graphic(p.graphic)) for p in job.placements]
    names = [(g.id, g.name) for g in job.graphics]
    return digest(way, evaluator.body_key(job), job.placements, graphics, names, job.printer, job.rack, job.assignments, job.colouring)


def by_height(evaluator: Evaluator, job: Job) -> Heights | None:
    """The plan of changes by height; None where colours are not printed so."""
    body = evaluator.body(job)
    if job.colouring.way != "heights" or body is None:
        return None

    def compute() -> Heights:
        ground = Ground(float(body.mesh.vertices[:, 2].min()), level_faces(body.mesh, body.facets), filament_of(job, BODY).name)
        return plan_heights(laid_of(evaluator, job), ground, lambda colour: filament_of(job, colour).name, job.printer, job.colouring)

    return evaluator.memo.get(_key(evaluator, "heights", job), compute)


def let_in(evaluator: Evaluator, job: Job) -> Inlays | None:
    """Pockets and pieces; None where colours are not let in."""
    if job.colouring.way != "inlays" or job.base is None:
        return None
    return evaluator.memo.get(_key(evaluator, "inlays", job), lambda: plan_inlays(laid_of(evaluator, job), job.printer, job.colouring))


def printed(evaluator: Evaluator, job: Job) -> Job:
    """The job with the depths that its way of colour gives it, and the bands of a plan by height; the same where there is none."""
    inlays = let_in(evaluator, job)
    if inlays is not None:
        bare = replace(job, colouring=replace(job.colouring, way="bodies"))
        return replace(bare, placements=inlays.placements) if inlays.inlays else bare
    plan = None if job.colouring.bands else by_height(evaluator, job)
    if plan is None or not plan.stripes:
        return job
    bands = tuple(Rung(s.high, s.filament) for s in plan.stripes)
    return replace(job, placements=plan.placements, colouring=replace(job.colouring, bands=bands))


def costs(evaluator: Evaluator, job: Job) -> list[Cost]:
    """What each way of colour would cost a design; a way for which there is no plan is left out.

    Parameters
    ----------
    evaluator : Evaluator
        Whose results are used.
    job : Job
    """
    out = []
    for way in get_args(Way):
        one = replace(job, colouring=replace(job.colouring, way=way))
        plan, inlays = evaluator.heights(one), evaluator.inlays(one)
        if (plan is not None and plan.trouble) or (inlays is not None and (inlays.trouble or not inlays.inlays)):
            continue
        design = evaluator.design(one)
        if design is None:
            continue
        cost = cost_of(way, design.parts, evaluator.filaments(one), job.printer, job.colouring.flush, plan)
        if inlays is not None:
            solids = [(i.colour, i.solid(job.colouring.lead, job.printer.layer)) for i in inlays.inlays]
            cost = with_inlays(cost, solids, evaluator.filaments(one))
        out.append(cost)
    return out
