"""The plan of changes by height of a job, and what each way of colour costs."""

from __future__ import annotations

from typing import TYPE_CHECKING, get_args

from msgspec.structs import replace

from cutkey.core.colouring.bodies import filament_of, level_faces
from cutkey.core.colouring.costs import cost_of
from cutkey.core.colouring.heights import Ground, Laying, plan_heights
from cutkey.core.model.colouring import Cost, Heights, Way
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job
from cutkey.core.results import Body

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def planned_heights(evaluator: Evaluator, job: Job, body: Body) -> Heights:
    """The plan for a job, whose body is known.

    Parameters
    ----------
    evaluator : Evaluator
        Whose results are used.
    job : Job
    body : Body
    """
    laid = [
        Laying(p, job.graphic(p.graphic).name, evaluator.site(job, p), evaluator.draw(job, job.graphic(p.graphic)).graphic.colours())
        for p in job.placements
    ]
    ground = Ground(float(body.mesh.vertices[:, 2].min()), level_faces(body.mesh, body.facets), filament_of(job, BODY).name)
    return plan_heights(laid, ground, lambda colour: filament_of(job, colour).name, job.printer, job.colouring)


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
        plan = evaluator.heights(one)
        design = evaluator.design(one) if plan is None or plan.stripes else None
        if design is not None:
            out.append(cost_of(way, design.parts, evaluator.filaments(one), job.printer, job.colouring.flush, plan))
    return out
