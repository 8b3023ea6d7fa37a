"""Edits: each takes a job and gives a new one."""

from __future__ import annotations

from typing import Literal

from msgspec.structs import replace

from cutkey.core.bodies.kind import MadeBody
from cutkey.core.model.cuts import Cut, JointKeys, Keys
from cutkey.core.model.filament import Filament
from cutkey.core.model.frame import Frame, between, carried, scaling
from cutkey.core.model.job import Assignment, GraphicSpec, Job, Source, new_id
from cutkey.core.model.placement import Depth, Offset, Placement
from cutkey.core.model.table_edits import Edit
from cutkey.core.model.tracing import TraceSettings

Point = tuple[float, float, float]


def add_source(job: Job, source: Source) -> Job:
    """Take a file in; the same bytes are kept once."""
    if any(s.digest == source.digest for s in job.sources):
        return job
    return replace(job, sources=(*job.sources, source))


def name_from(source: Source) -> str:
    """What a graphic is called after its file."""
    name = source.name.rsplit(".", 1)[0].replace("-", " ").replace("_", " ")
    return name[:1].upper() + name[1:]


def add_graphic(
    job: Job, source: Source, width_mm: float, trace: TraceSettings | None = None
) -> tuple[Job, GraphicSpec]:
    """Add a picture as a new graphic.

    Parameters
    ----------
    job : Job
    source : Source
    width_mm : float
    trace : TraceSettings, optional
        How it is traced; plainly when left out.
    """
    spec = GraphicSpec(new_id(), name_from(source), source.digest, width_mm, trace=trace or TraceSettings())
    return replace(add_source(job, source), graphics=(*job.graphics, spec)), spec


def change_graphic(job: Job, spec: GraphicSpec) -> Job:
    """Put a changed graphic in the place of the one with its id."""
    return replace(job, graphics=tuple(spec if g.id == spec.id else g for g in job.graphics))


def set_scale(job: Job, spec: GraphicSpec, width_mm: float) -> Job:
    """Give a graphic another width.

    Graphics registered on the same picture keep one scale and change with it, and so do their edits.
    """
    together = [
        g for g in job.graphics if g.id == spec.id or (spec.whole and g.whole and g.source == spec.source)
    ]
    for g in together:
        # Edits with a frame follow by themselves.
        edits = (
            g.edits
            if g.frame is not None
            else tuple(carried(e, scaling(width_mm / g.width_mm)) for e in g.edits)
        )
        job = change_graphic(job, replace(g, width_mm=width_mm, edits=edits))
    return job


def add_edit(job: Job, spec: GraphicSpec, edit: Edit, frame: Frame | None) -> Job:
    """One more edit of a graphic; `frame` is what mm mean in it now, and those made before are carried there.

    Parameters
    ----------
    job : Job
    spec : GraphicSpec
        Of the job.
    edit : Edit
    frame : Frame or None
        None while nothing is known of the graphic yet.
    """
    return change_graphic(
        job, replace(spec, edits=(*edits_now(spec, frame), edit), frame=frame or spec.frame)
    )


def edits_now(spec: GraphicSpec, frame: Frame | None) -> tuple[Edit, ...]:
    """Edits of a graphic in the mm that it has now.

    None for the frame leaves them in those they were made in.
    """
    if spec.frame is None or frame is None:
        return spec.edits
    way = between(spec.frame, frame)
    return tuple(carried(e, way) for e in spec.edits)


def another_of_source(job: Job, spec: GraphicSpec, whole_mm: float) -> tuple[Job, GraphicSpec]:
    """A second graphic of the same picture; both keep one scale and lie on one another as in the picture.

    `whole_mm` is the width of the whole prepared picture at the first graphic's scale.
    """
    first = replace(spec, whole=True, width_mm=whole_mm)
    twin = replace(first, id=new_id(), name=f"{spec.name} 2")
    job = change_graphic(job, first)
    return replace(job, graphics=(*job.graphics, twin)), twin


def remove_graphic(job: Job, id: str) -> Job:
    """Remove a graphic, its placements, and the body when that is made from it."""
    kept = tuple(g for g in job.graphics if g.id != id)
    made = isinstance(job.base, MadeBody) and job.base.from_graphic == id
    placements = tuple(p for p in job.placements if p.graphic != id)
    return replace(job, graphics=kept, placements=placements, base=None if made else job.base)


def place(
    job: Job,
    graphic: str,
    point: Point,
    normal: Point,
    depth: Depth | None = None,
    offset: Offset = (0.0, 0.0),
) -> tuple[Job, Placement]:
    """Lay a graphic on a face.

    Parameters
    ----------
    job : Job
    graphic : str
        Id of a graphic of the job.
    point, normal : (float, float, float)
        On the body and out of it, mm.
    depth : Depth, optional
        Of all its colours.
    offset : (float, float)
        Right and up from the middle of the face, mm.

    Returns
    -------
    (Job, Placement)
    """
    placement = Placement(new_id(), graphic, point, normal, offset, depths=(depth or Depth(),))
    return replace(job, placements=(*job.placements, placement)), placement


def change_placement(job: Job, placement: Placement) -> Job:
    """Put a changed placement in the place of the one with its id."""
    return replace(job, placements=tuple(placement if p.id == placement.id else p for p in job.placements))


def remove_placement(job: Job, id: str) -> Job:
    """Take a graphic off the model."""
    return replace(job, placements=tuple(p for p in job.placements if p.id != id))


def move_placement(job: Job, id: str, by: int) -> Job:
    """Place a graphic earlier (by -1) or later (by 1) than it was."""
    order = list(job.placements)
    at = next(k for k, p in enumerate(order) if p.id == id)
    placement = order.pop(at)
    order.insert(max(0, min(len(order), at + by)), placement)
    return replace(job, placements=tuple(order))


def set_depth(placement: Placement, depth: Depth) -> Placement:
    """A placement with one colour's depth rule replaced or added."""
    rules = [r for r in placement.depths if r.colour != depth.colour]
    return replace(placement, depths=(*rules, depth))


def change_cut(job: Job, number: int, cut: Cut) -> Job:
    """Put a changed cut in the place of the one with its number."""
    return replace(job, cuts=tuple(cut if i == number else c for i, c in enumerate(job.cuts)))


def remove_cut(job: Job, number: int) -> Job:
    """Delete a cut."""
    return replace(job, cuts=tuple(c for i, c in enumerate(job.cuts) if i != number))


def limit_cut(job: Job, number: int, place: Point | None) -> Job:
    """Limit a cut to the section a place lies in, or let it go through everything.

    Limited cuts come after the others.
    """
    cut = replace(job.cuts[number], inside=place)
    rest = [c for i, c in enumerate(job.cuts) if i != number]
    whole = [c for c in rest if c.inside is None]
    limited = [c for c in rest if c.inside is not None]
    return replace(job, cuts=(*whole, *limited, cut) if place is not None else (*whole, cut, *limited))


KeyScope = Literal["all", "cut", "joint"]


def set_keys(job: Job, keys: Keys, scope: KeyScope, number: int, place: tuple[float, float] | None) -> Job:
    """Give keys to all cuts, to the one with a number, or to its joint at a place only.

    The place is on the plane of the cut.

    Parameters
    ----------
    job : Job
    keys : Keys
    scope : str
        "all", "cut" or "joint".
    number : int
        Of the cut.
    place : (float, float) or None
        Of the joint.
    """
    if 0 <= number < len(job.cuts):
        cut = job.cuts[number]
        others = tuple(j for j in cut.joints if j.at != place)
        if scope == "joint" and place is not None:
            cut = replace(cut, joints=(*others, JointKeys(place, keys)))
        else:
            cut = replace(cut, joints=others, keys=keys if scope == "cut" else None)
        job = change_cut(job, number, cut)
    return replace(job, keys=keys) if scope == "all" else job


def change_filament(job: Job, old: Filament, new: Filament) -> Job:
    """Another filament in the place of one of the rack; what was printed with it goes on being so.

    Parameters
    ----------
    job : Job
    old : Filament
        Of the rack.
    new : Filament
        Under a name that no other has.
    """
    rack = tuple(new if f == old else f for f in job.rack)
    assignments = tuple(
        replace(a, filament=new.name) if a.filament == old.name else a for a in job.assignments
    )

    def named(name: str) -> str:
        return new.name if name == old.name else name

    c = job.colouring
    rungs = tuple(replace(r, filament=named(r.filament), under=named(r.under)) for r in c.rungs)
    colouring = replace(
        c, rungs=rungs, covers=tuple(replace(v, filament=named(v.filament)) for v in c.covers)
    )
    return replace(job, rack=rack, assignments=assignments, colouring=colouring)


def assign(job: Job, colour: str, filament: str) -> Job:
    """Print a colour with a filament of the rack."""
    return replace(
        job, assignments=(*(a for a in job.assignments if a.colour != colour), Assignment(colour, filament))
    )
