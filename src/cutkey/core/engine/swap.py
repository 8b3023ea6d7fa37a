"""Another picture for a graphic, another body for a job.

What was decided stays as far as it still makes sense, and the rest is said.

Light: the window uses it on what it shows; nothing here computes geometry.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import product
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from cutkey.core.bodies.kind import MadeBody
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.colour.names import plain_name
from cutkey.core.model.accepted import Accepted
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_source, change_graphic, name_from
from cutkey.core.model.job import Assignment, GraphicSpec, Job, Source
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.table_edits import AddText
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Colours nearer than this, CIEDE2000, are the same colour made anew; no source, tried on the demo's pictures
#: saved as JPEG.
SAME = 14.0
#: A colour as unlike another as this takes its place only when it has about its share of the area, and about
#: its place.
_UNLIKE = 45.0
Vector = tuple[float, float, float]


class Shade(NamedTuple):
    """A colour of a graphic.

    Its share of the figure, and where the middle of it lies, as parts of width and height from the middle.
    """

    colour: str
    share: float
    middle: tuple[float, float]


class Box(NamedTuple):
    """Lower and upper corner of a body, mm."""

    low: Vector
    high: Vector


class Swapped(NamedTuple):
    """A job with another picture or body, and what could not be kept."""

    job: Job
    said: list[Words]


def match_colours(old: Sequence[Shade], new: Sequence[Shade]) -> dict[str, str]:
    """The old colour whose rules each new colour takes: by colour first, then by area and place.

    A new colour that is like none is not in the answer, and each old colour is taken once.
    """
    if not old or not new:
        return {}
    d = difference(
        np.array([rgb_of(s.colour) for s in new])[:, None],
        np.array([rgb_of(s.colour) for s in old])[None],
    )
    matched: dict[str, str] = {}
    _take(matched, old, new, d, SAME)
    share = np.array([[abs(np.log((n.share + 0.01) / (o.share + 0.01))) for o in old] for n in new])
    away = np.array(
        [[np.hypot(n.middle[0] - o.middle[0], n.middle[1] - o.middle[1]) for o in old] for n in new]
    )
    # A factor of two in area weighs like a third of the figure in place, or like half of what makes colours
    # unlike.
    _take(matched, old, new, share / np.log(2) + away / 0.33 + 2 * d / _UNLIKE, 2.5)
    return matched


def _take(
    matched: dict[str, str], old: Sequence[Shade], new: Sequence[Shade], cost: np.ndarray, most: float
) -> None:
    """Pair the cheapest first, each once."""
    for pays, n, o in sorted((float(cost[n, o]), n, o) for n, o in product(range(len(new)), range(len(old)))):
        if pays > most:
            return
        if new[n].colour not in matched and old[o].colour not in matched.values():
            matched[new[n].colour] = old[o].colour


def with_source(job: Job, id: str, source: Source, same_frame: bool, width: float) -> Swapped:
    """A graphic of another picture, with its rule of size; depths and filaments still go by the old colours.

    Parameters
    ----------
    same_frame : bool
        The new picture has the size of the old one in pixels: then it is the same picture made anew, and
        places in it mean what they meant.
    width : float
        Width of the old figure as it was, mm: what is kept when the width was that of the whole picture and
        others share it.
    """
    spec, said = job.graphic(id), list[Words]()
    trace = spec.trace
    if not same_frame:
        kept = tuple(s for s in trace.steps if not s.local)
        if len(kept) < len(trace.steps):
            said.append(say.steps_not_taken_over(len(trace.steps) - len(kept)))
        if spec.edits:
            said.append(say.edits_not_taken_over(len(spec.edits)))
        if trace.threshold is not None or trace.thresholds:
            said.append(say.threshold_not_taken_over())
        trace = replace(trace, steps=kept, threshold=None, thresholds=())
    if trace.palette or trace.merges:
        said.append(say.colours_not_taken_over())
    trace = replace(trace, palette=(), merges=(), names=())
    # A name that came from the file goes with it; one that was given stays.
    name = name_from(source) if spec.name == name_from(job.source(spec.source)) else spec.name
    spec = replace(spec, source=source.digest, trace=trace, name=name)
    if not same_frame:
        others = any(g.id != id and g.whole and g.source == job.graphic(id).source for g in job.graphics)
        if spec.whole and others:
            said.append(say.scale_not_taken_over())
        spec = replace(
            spec, edits=(), frame=None, whole=False, width_mm=width if spec.whole else spec.width_mm
        )
    return Swapped(_without_unused(change_graphic(add_source(job, source), spec)), said)


def with_matches(
    job: Job, id: str, matches: Mapping[str, str], before: Job, colours: Sequence[str] = ()
) -> Job:
    """Give what was decided of old colours on to the new ones that take their place.

    Depths, filaments, ways of colour, names, and findings that were accepted.

    Parameters
    ----------
    matches : mapping
        New colour to old colour.
    before : Job
        The job with the old picture: its rules are the ones that are given on.
    colours : sequence of str
        That the old picture had; ways of printing those that are gone go too.
    """
    placements = []
    for placement in job.placements:
        if placement.graphic == id:
            was = next(p for p in before.placements if p.id == placement.id)
            placement = replace(placement, depths=_renamed(was, matches))
        placements.append(placement)
    # Another graphic may be of an old colour too; its filament stays.
    gone = {*matches.values(), *colours} if len(job.graphics) == 1 else set()
    kept = [a for a in before.assignments if a.colour not in matches and a.colour not in gone]
    moved = [
        Assignment(new, a.filament)
        for new, old in matches.items()
        for a in before.assignments
        if a.colour == old
    ]
    names = dict(before.graphic(id).trace.names)
    spec = job.graphic(id)
    named = tuple((new, names[old]) for new, old in matches.items() if old in names)
    ways = [w for w in before.colouring.ways if w.colour not in matches and w.colour not in gone]
    ways += [
        replace(w, colour=n) for n, old in matches.items() for w in before.colouring.ways if w.colour == old
    ]
    job = change_graphic(job, replace(spec, trace=replace(spec.trace, names=named)))
    return replace(
        job,
        placements=tuple(placements),
        assignments=(*kept, *moved),
        colouring=replace(job.colouring, ways=tuple(ways)),
        accepted=tuple(
            d for decision in before.accepted for d in _decided_anew(decision, before, id, spec.name, matches)
        ),
    )


def _decided_anew(
    decision: Accepted, before: Job, id: str, name: str, matches: Mapping[str, str]
) -> list[Accepted]:
    """A decision with the new names of its graphic and its colour; none where its colour has no successor."""
    mine = {p.id for p in before.placements if p.graphic == id}
    if decision.of not in mine:
        return [decision]
    if decision.piece == before.graphic(id).name:
        decision = replace(decision, piece=name)
    if not decision.colour:
        return [decision]
    return [replace(decision, colour=new) for new, old in matches.items() if old == decision.colour]


def not_given_on(before: Job, id: str, colours: Sequence[str], matches: Mapping[str, str]) -> list[Words]:
    """Return what was decided of colours that none of the new picture takes the place of.

    Parameters
    ----------
    before : Job
        With the old picture.
    id : str
        Of the graphic.
    colours : sequence of str
        That the old picture had.
    matches : mapping
        New colour to old colour.
    """
    left = [c for c in colours if c not in matches.values()]
    laid = [p for p in before.placements if p.graphic == id]
    deep = [c for c in left if any(d.colour == c for p in laid for d in p.depths)]
    printed = [c for c in left if before.assigned(c)]
    ways = [c for c in left if any(w.colour == c for w in before.colouring.ways)]
    ids = {p.id for p in laid}
    decided = [d for d in before.accepted if d.of in ids and d.colour in left]
    out = []
    if deep:
        out.append(say.depths_not_taken_over([plain_name(c) for c in deep]))
    if printed:
        out.append(say.filaments_not_taken_over([plain_name(c) for c in printed]))
    if ways:
        out.append(say.ways_not_taken_over([plain_name(c) for c in ways]))
    if decided:
        out.append(say.accepted_not_taken_over(len(decided)))
    return out


def _renamed(placement: Placement, matches: Mapping[str, str]) -> tuple[Depth, ...]:
    rest = tuple(r for r in placement.depths if r.colour == "")
    own = {r.colour: r for r in placement.depths if r.colour}
    return (*rest, *(replace(own[old], colour=new) for new, old in matches.items() if old in own))


def carried_to(job: Job, old: Box, new: Box) -> Swapped:
    """A job whose body lies in another box.

    What lay on the old body lies on the same side, in the same part of the new one.

    Places go with their share of the box; graphics keep their size, and keep to the middle of a face they
    were in the middle of.
    """
    o, n = (np.array(b, float) for b in (old, new))
    scale = (n[1] - n[0]) / np.maximum(o[1] - o[0], 1e-9)
    said: list[Words] = []
    if np.allclose(scale, 1, atol=1e-9) and np.allclose(o, n, atol=1e-9):
        return Swapped(job, said)

    def place(p: Vector) -> Vector:
        x, y, z = (float(v) for v in n[0] + (np.array(p) - o[0]) * scale)
        return x, y, z

    placements = tuple(
        replace(p, point=place(p.point), offset=_along(p.offset, p.normal, scale)) for p in job.placements
    )
    addons = tuple(
        replace(a, point=place(a.point), offset=_along(a.offset, a.normal, scale)) for a in job.addons
    )
    cuts = tuple(_carried_cut(c, place, o, n, scale) for c in job.cuts)
    if any(c.hand for c in job.cuts):
        said.append(say.keys_set_anew())
    if any(c.path for c in job.cuts):
        said.append(say.seams_stretched())
    return Swapped(replace(job, placements=placements, addons=addons, cuts=cuts), said)


def _along(offset: tuple[float, float], normal: Vector, scale: np.ndarray) -> tuple[float, float]:
    """An offset on a face, stretched as the face is; right and up of a face as `facets.axes_of` has them."""
    from cutkey.core.geometry.facets import axes_of

    right, up = axes_of(np.asarray(normal, float) / np.linalg.norm(normal))
    u, v = (float(np.linalg.norm(axis * scale)) for axis in (right, up))
    return round(offset[0] * u, 6), round(offset[1] * v, 6)


def _carried_cut(
    cut: Cut, place: Callable[[Vector], Vector], o: np.ndarray, n: np.ndarray, scale: np.ndarray
) -> Cut:
    k = "xyz".index(cut.axis)
    # Planes cross their axis at the middle of the design.
    at = round(float(n[0][k] + (cut.at - o[0][k]) * scale[k]), 3)
    across, up = (
        float(scale[1] if cut.axis == "x" else scale[0]),
        float(scale[1] if cut.axis == "z" else scale[2]),
    )
    joints = tuple(replace(j, at=(round(j.at[0] * across, 3), round(j.at[1] * up, 3))) for j in cut.joints)
    path = tuple((round(u * across, 3), round(d * float(scale[k]), 3)) for u, d in cut.path)
    inside = place(cut.inside) if cut.inside is not None else None
    return replace(cut, at=at, path=path, inside=inside, joints=joints, hand=())


def made_from(job: Job, id: str) -> bool:
    """Whether the body is made from a graphic."""
    return isinstance(job.base, MadeBody) and job.base.from_graphic == id


def _without_unused(job: Job) -> Job:
    """Sources that nothing uses any more go; undo brings them back with the job that used them."""
    used = {g.source for g in job.graphics} | {getattr(job.base, "source", "")}
    fonts = {e.font for g in job.graphics for e in g.edits if isinstance(e, AddText)}
    return replace(
        job,
        sources=tuple(s for s in job.sources if s.digest in used or (s.kind == "font" and s.name in fonts)),
    )


def spec_of(job: Job, id: str) -> GraphicSpec | None:
    """The graphic with an id, None when there is none."""
    return next((g for g in job.graphics if g.id == id), None)
