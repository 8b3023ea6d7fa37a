"""The ways of colour of a job: changes by height, inlays, and what each way costs."""

from __future__ import annotations

from typing import TYPE_CHECKING, get_args

from msgspec.structs import replace

from cutkey.core.colouring.bodies import filament_of, level_faces
from cutkey.core.colouring.costs import cost_of, with_inlays
from cutkey.core.colouring.heights import Ground, Laying, plan_heights
from cutkey.core.colouring.inlays import Inlays, floors_of, plan_inlays
from cutkey.core.colouring.sharing import at_once, let_in_instead, merged
from cutkey.core.digest import digest
from cutkey.core.model.colouring import Cost, Heights, Offer, Rung, Way
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job
from cutkey.core.words import colouring as say

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def laid_of(evaluator: Evaluator, job: Job) -> list[Laying]:
    """What the ways of colour have to know of the placed graphics."""
    return [
        Laying(
            p,
            job.graphic(p.graphic).name,
            evaluator.site(job, p),
            evaluator.draw(job, job.graphic(p.graphic)).graphic,
        )
        for p in job.placements
    ]


def _key(evaluator: Evaluator, way: str, job: Job) -> str:
    """Digest of everything a way of colour depends on."""
    graphics = [evaluator.graphic_key(job, job.graphic(p.graphic)) for p in job.placements]
    names = [(g.id, g.name) for g in job.graphics]
    return digest(
        way,
        evaluator.body_key(job),
        job.placements,
        graphics,
        names,
        job.printer,
        job.rack,
        job.assignments,
        job.colouring,
    )


def by_height(evaluator: Evaluator, job: Job) -> Heights | None:
    """The plan of changes by height; None where colours are not printed so."""
    body = evaluator.body(job)
    if job.colouring.settled or not job.colouring.uses("heights") or body is None:
        return None
    job = _with_pockets(evaluator, job)

    def compute() -> Heights:
        ground = Ground(
            float(body.mesh.vertices[:, 2].min()),
            level_faces(body.mesh, body.facets),
            filament_of(job, BODY).name,
        )
        return plan_heights(
            laid_of(evaluator, job),
            ground,
            lambda colour: filament_of(job, colour).name,
            job.printer,
            job.colouring,
        )

    return evaluator.memo.get(_key(evaluator, "heights", job), compute)


def let_in(evaluator: Evaluator, job: Job) -> Inlays | None:
    """Pockets and pieces; None where colours are not let in."""
    if job.colouring.settled or not job.colouring.uses("inlays") or job.base is None:
        return None
    return evaluator.memo.get(
        _key(evaluator, "inlays", job),
        lambda: plan_inlays(laid_of(evaluator, job), job.printer, job.colouring),
    )


def printed(evaluator: Evaluator, job: Job) -> Job:
    """The job with the depths that its way of colour gives it, and the bands of a plan by height.

    The same where there is none.
    """
    if job.colouring.settled or (job.colouring.way == "bodies" and not job.colouring.ways):
        return job
    inlays = let_in(evaluator, job)
    floors = floors_of(inlays.inlays) if inlays is not None else ()
    plan, job = by_height(evaluator, job), _with_pockets(evaluator, job)
    if plan is None or not plan.stripes:
        return replace(job, colouring=replace(job.colouring, floors=floors, settled=True))
    bands = tuple(Rung(s.high, s.filament) for s in plan.stripes)
    if job.colouring.face_down:
        # Up the model the last to be printed comes first.
        bed = max(t.gets for t in plan.tops)
        bands = tuple(Rung(bed - s.low, s.filament) for s in reversed(plan.stripes))
    return replace(
        job,
        placements=plan.placements,
        colouring=replace(job.colouring, bands=bands, floors=floors, settled=True),
    )


def _with_pockets(evaluator: Evaluator, job: Job) -> Job:
    """The job with the pockets of its inlays in the place of what is let in."""
    inlays = let_in(evaluator, job)
    return replace(job, placements=inlays.placements) if inlays is not None and inlays.inlays else job


def costs(evaluator: Evaluator, job: Job) -> list[Cost]:
    """What each way of colour would cost a design, and the mix of them that is set.

    One for which there is no plan is left out.

    Parameters
    ----------
    evaluator : Evaluator
        Whose results are used.
    job : Job
    """
    out = []
    for way in (*get_args(Way), *(("mixed",) if job.colouring.ways else ())):
        one = job if way == "mixed" else replace(job, colouring=replace(job.colouring, way=way, ways=()))
        plan, inlays = evaluator.heights(one), evaluator.inlays(one)
        if (plan is not None and plan.trouble) or (
            inlays is not None and (inlays.trouble or not inlays.inlays)
        ):
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


def offers(evaluator: Evaluator, job: Job) -> list[Offer]:
    """What makes do with the filaments that the printer takes at once; nothing when all fit.

    Parameters
    ----------
    evaluator : Evaluator
        Whose results are used.
    job : Job
    """
    design = evaluator.design(job)
    filaments = evaluator.filaments(job)
    if design is None or not job.printer.loaded or len(at_once(job, filaments)) <= job.printer.loaded:
        return []
    out = []
    volumes: dict[str, float] = {}
    for part in design.parts:
        name = filaments[part.colour].name
        volumes[name] = volumes.get(name, 0.0) + float(part.solid.volume())
    one = merged(job, filaments, volumes)
    if one is not None:
        new = {a.colour: a.filament for a in one[0].assignments if a not in job.assignments}
        out.append(Offer(one[1], job.colouring, new))
    by = replace(job.colouring, way="heights", ways=())
    plan = evaluator.heights(replace(job, colouring=by))
    if plan is not None and plan.stripes:
        off = max((abs(t.gets - t.asked) for t in plan.tops), default=0.0)
        out.append(Offer(say.print_by_height(plan.changes, off), by, {}))
    inlays = evaluator.inlays(replace(job, colouring=replace(job.colouring, way="inlays", ways=())))
    pieces: dict[str, int] = {}
    for i in inlays.inlays if inlays is not None else ():
        pieces[i.colour] = pieces.get(i.colour, 0) + 1
    for mixed, names in let_in_instead(job, filaments, sorted(pieces, key=lambda c: pieces[c])):
        found = evaluator.inlays(mixed)
        if found is not None and not found.trouble and not found.kept:
            out.append(Offer(say.let_in_instead(names, len(found.inlays)), mixed.colouring, {}))
            break
    return out
