"""Loose inlays: does each go into its pocket, with the play that was asked, and into no other?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colouring.inlays import Inlay, other_fits
from cutkey.core.geometry.areas import area_of, grown, intersection, sound
from cutkey.core.geometry.solid import Solid
from cutkey.core.model.finding import Finding
from cutkey.core.words import colouring as say

#: Play is met within this, mm.
_OFF = 0.01


@check(36)
def inlays_go_in(c: Context) -> Iterator[Finding]:
    """Every inlay has its pocket and its play.

    Measured on the finished body and on the piece as it is written.
    """
    if c.inlays is None:
        return
    if c.inlays.trouble:
        yield Finding("inlays", "stop", say.no_inlays(c.inlays.trouble), mend="as bodies")
        return
    for says in c.inlays.kept:
        yield Finding("inlays", "look at", says)
    if not c.inlays.inlays:
        yield Finding("inlays", "look at", say.nothing_can_be_let_in())
        return
    units = {u.name: u for u in c.kit.units}
    least, tight, count = np.inf, [], 0
    walls: dict[tuple[str, float], shapely.Geometry] = {}
    for inlay in c.inlays.inlays:
        piece = units[f"Inlay {inlay.number}"].pieces[0].mesh
        key = inlay.placement, inlay.let_in
        if key not in walls:
            walls[key] = _walls(inlay, c.design.whole)
        play = _play(inlay, walls[key], piece.vertices[:, :2])
        least = min(least, play)
        count += 1
        if play < c.job.colouring.play - _OFF:
            tight.append((inlay, play))
    near = _nearest_two(c.inlays.inlays)
    if near < 2 * c.job.colouring.play - _OFF:
        yield Finding(
            "inlays", "stop", say.inlays_touch(near), "", round(near, 3), 2 * c.job.colouring.play, "mm"
        )
    for inlay, play in tight[:3]:
        says = say.inlay_is_tight(inlay.number, inlay.name, play)
        yield Finding("inlays", "stop", says, inlay.name, round(play, 3), c.job.colouring.play, "mm")
    if not tight:
        says = say.inlays_go_in(count, least)
        yield Finding(
            "inlays", "sound", says, figure=round(float(least), 3), limit=c.job.colouring.play, unit="mm"
        )
    yield from _confused(c)
    yield from _numbered(c)
    yield from _over_seams(c)


def _walls(inlay: Inlay, whole: Solid) -> shapely.Geometry:
    """The body half way between the floor of a pocket and the face, in the coordinates of the face."""
    turn = inlay.to_model[:, :3].T
    there = whole.transform(np.c_[turn, -turn @ inlay.to_model[:, 3]])
    return area_of(there.slice(-inlay.let_in / 2).to_polygons())


def _play(inlay: Inlay, walls: shapely.Geometry, points: np.ndarray) -> float:
    """Least distance of a piece's outline from the walls of its pocket, mm.

    Below 0 where it does not go in.
    """
    x0, y0, x1, y1 = inlay.outline.bounds
    near = sound(shapely.clip_by_rect(walls, x0 - 1, y0 - 1, x1 + 1, y1 + 1))
    # The written piece lies with the corner of its box at the origin.
    outline = shapely.points(np.unique(points - points.min(0) + (x0, y0), axis=0))
    shapely.prepare(near)
    inside = shapely.intersects(near, outline)
    if inside.any():
        return -float(shapely.distance(outline[inside], near.boundary).max())
    return float(shapely.distance(outline, near).min()) if not near.is_empty else 1.0


def _nearest_two(inlays: Sequence[Inlay]) -> float:
    """Least distance of two inlays on one face, mm."""
    least = np.inf
    for key in {(i.placement, i.let_in) for i in inlays}:
        outlines = np.array([i.outline for i in inlays if (i.placement, i.let_in) == key], object)
        tree = shapely.STRtree(outlines)
        a, b = tree.query(outlines, predicate="dwithin", distance=1.0)
        if (a < b).any():
            least = min(least, float(shapely.distance(outlines[a[a < b]], outlines[b[a < b]]).min()))
    return float(least)


def _numbered(c: Context) -> Iterator[Finding]:
    """Numbers that there was no room for."""
    assert c.inlays is not None
    if not c.job.colouring.numbered:
        return
    none = [i.number for i in c.inlays.inlays if i.writing is None]
    floors = [
        i.number for i in c.inlays.inlays if i.writing is not None and i.number not in c.design.numbered
    ]
    count = len(c.inlays.inlays)
    if none:
        yield Finding(
            "inlays", "look at", say.inlays_without_a_number(none, count), figure=float(len(none)), limit=0.0
        )
    if floors:
        yield Finding(
            "inlays", "look at", say.pockets_without_a_number(floors), figure=float(len(floors)), limit=0.0
        )
    if not none and not floors:
        yield Finding("inlays", "sound", say.inlays_are_numbered(count))


def _over_seams(c: Context) -> Iterator[Finding]:
    """Inlays whose pocket lies in several sections."""
    assert c.inlays is not None
    if len(c.split.sections) < 2:
        return
    over = []
    for inlay in c.inlays.inlays:
        # What stands round the pocket half way down, in each section.
        round_it = grown(inlay.pocket, 0.05)
        turn = inlay.to_model[:, :3].T
        shift = np.c_[turn, -turn @ inlay.to_model[:, 3]]
        low, high = np.array(inlay.pocket.bounds).reshape(2, 2)
        corners = np.array([(x, y, -inlay.let_in / 2) for x in (low[0], high[0]) for y in (low[1], high[1])])
        places = corners @ inlay.to_model[:, :3].T + inlay.to_model[:, 3]
        names = []
        for section in c.split.sections:
            a, b = section.bounds()
            if (a <= places.max(0) + 0.1).all() and (b >= places.min(0) - 0.1).all():
                walls = area_of(section.whole.transform(shift).slice(-inlay.let_in / 2).to_polygons())
                if intersection(walls, round_it).area > 1e-3:
                    names.append(section.name)
        if len(names) > 1:
            over.append((inlay.number, names))
    if over:
        yield Finding("inlays", "look at", say.inlays_over_seams(over), figure=float(len(over)), limit=0.0)


def _confused(c: Context) -> Iterator[Finding]:
    """Inlays that go in turned, or into another's pocket."""
    assert c.inlays is not None
    by_number = {i.number: i for i in c.inlays.inlays}
    fits = other_fits(c.inlays.inlays)
    wrong = [f for f in fits if by_number[f.piece].colour != by_number[f.pocket].colour]
    turned = sorted({f.piece for f in fits if f.piece == f.pocket})
    if wrong:
        says = say.inlays_can_be_mixed_up([(f.piece, f.pocket) for f in wrong])
        yield Finding("inlays", "look at", says, figure=float(len(wrong)), limit=0.0)
    if turned:
        yield Finding("inlays", "sound", say.inlays_go_in_turned(turned), figure=float(len(turned)))
