"""Carrying out edits: regions in, regions out, with no gap between neighbours before or after."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity

from cutkey.core.artwork.outlines import chained
from cutkey.core.cleanup.joining import joined
from cutkey.core.cleanup.nodes import add_node, bent, delete_node, finds, move_nodes, straightened, stretches
from cutkey.core.cleanup.pieces import (
    GRID,
    Piece,
    Regions,
    on_boundary,
    pieces_at,
    pieces_of,
    plain,
    split,
    stacked,
)
from cutkey.core.cleanup.shapes import shape_area
from cutkey.core.cleanup.shaping import rounded, smoothed, widened
from cutkey.core.colour.difference import hex_of, rgb_of
from cutkey.core.geometry.areas import difference, intersection, sound
from cutkey.core.geometry.region import Region
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.outline import Line, filled
from cutkey.core.lettering.setting import Setting, set_text
from cutkey.core.model import table_edits as e
from cutkey.core.words.kind import Words

#: Curves given by hand are flattened within this, mm.
FLATNESS = 0.005


def apply_edits(
    regions: Sequence[Region],
    edits: Sequence[e.Edit],
    open_lines: Sequence[shapely.LineString] = (),
    missed: list[e.Edit] | None = None,
    told: list[Words] | None = None,
    fonts: Callable[[str], bytes] = font_bytes,
) -> Regions:
    """Regions after the edits that are on, in their order.

    An edit that finds no piece at its place changes nothing, and is added to `missed`. Region order is that
    of first appearance.

    Parameters
    ----------
    regions : sequence of Region
        mm about the middle of the graphic.
    edits : sequence of Edit
    open_lines : sequence of LineString
        Lines of a drawing that enclose nothing, mm.
    missed : list, optional
        Takes the edits that found no piece.
    told : list, optional
        Takes what is to be known of what some edits did.
    fonts : callable
        Gives the file of a font by its name.
    """
    out = list(regions)
    for edit in edits:
        if not edit.on:
            continue
        if missed is not None and _misses(out, edit):
            missed.append(edit)
        if isinstance(edit, e.CloseLines):
            out = _close_lines(out, edit, open_lines)
        elif isinstance(edit, e.AddText):
            out = _add_text(out, edit, fonts(edit.font))
        elif isinstance(edit, e.JoinNarrow):
            out = _join_narrow(out, edit, told)
        else:
            out = _DO[type(edit)](out, edit)
    return out


def _misses(regions: Sequence[Region], edit: e.Edit) -> bool:
    """Whether a place of an edit lies in no piece, or beside every boundary."""
    at = getattr(edit, "at", None)
    if at is not None:
        return any(not pieces_at(regions, (p,)) for p in at)
    places = on_boundary(edit)
    if not places:
        return False
    if not regions or (isinstance(edit, e.Bend) and any(finds(regions, *s) is None for s in stretches(edit))):
        return True
    size = float(
        np.ptp(np.reshape(shapely.total_bounds([r.geometry for r in regions]), (2, 2)), axis=0).max()
    )
    return not all(
        any(r.geometry.boundary.dwithin(shapely.Point(p), 0.05 * size) for r in regions) for p in places
    )


def _delete(regions: Regions, edit: e.Delete) -> Regions:
    return plain(split(regions, edit.at)[0])


def _keep(regions: Regions, edit: e.Keep) -> Regions:
    picked = split(regions, edit.at)[1]
    return plain(picked) if picked else regions


def _recolour(regions: Regions, edit: e.Recolour) -> Regions:
    picked = {p.wkb for _, p in pieces_at(regions, edit.at)}
    return plain([(edit.colour if p.wkb in picked else c, p) for c, p in pieces_of(regions)])


def _absorb(regions: Regions, edit: e.Absorb) -> Regions:
    rest, picked = split(regions, edit.at)
    for _, piece in picked:
        neighbour = _longest_neighbour(piece, rest)
        if neighbour is not None:
            rest.append((neighbour, piece))
    return plain(rest)


def _longest_neighbour(piece: shapely.Polygon, others: Sequence[Piece]) -> str | None:
    """Colour that shares most of a piece's boundary."""
    shared: dict[str, float] = {}
    for colour, other in others:
        if shapely.intersects(piece, other):
            shared[colour] = shared.get(colour, 0.0) + shapely.length(
                intersection(piece.boundary, other.boundary)
            )
    best = max(shared, key=lambda c: shared[c]) if shared else None
    return best if best is not None and shared[best] > 0 else None


def _part(regions: Regions, edit: e.Part) -> Regions:
    colours = {c for c, _ in pieces_at(regions, edit.at)}
    used = {r.colour for r in regions}
    out: list[Piece] = []
    for region in regions:
        parts = list(shapely.get_parts(region.geometry))
        if region.colour not in colours:
            out += [(region.colour, p) for p in parts]
            continue
        for k, piece in enumerate(sorted(parts, key=lambda p: -p.area)):
            colour = region.colour if k == 0 else _hair_off(region.colour, used)
            used.add(colour)
            out.append((colour, piece))
    return plain(out)


def _hair_off(colour: str, used: set[str]) -> str:
    """An unused colour that nobody can tell from this one."""
    r, g, b = rgb_of(colour)
    for step in range(1, 8):
        for dr in range(-step, step + 1):
            for dg in range(-step, step + 1):
                for db in range(-step, step + 1):
                    near = hex_of(
                        (min(255, max(0, r + dr)), min(255, max(0, g + dg)), min(255, max(0, b + db)))
                    )
                    if near not in used:
                        return near
    return colour


def _reshaped(
    regions: Regions,
    at: e.Points,
    change: Callable[[shapely.Polygon], shapely.Geometry],
    everything: bool = False,
) -> Regions:
    """Pieces changed in shape: they cover what they grow over.

    What they leave goes to the neighbour that touches it most.
    """
    rest, picked = ([], pieces_of(regions)) if everything else split(regions, at)
    if not picked:
        return regions
    changed = [(c, sound(change(p))) for c, p in picked]
    left: list[Piece] = []
    for (_, before), (_, after) in zip(picked, changed, strict=True):
        for gap in shapely.get_parts(sound(difference(before, after))):
            if gap.area > GRID:
                left += _to_neighbours(gap, before, rest)
    order = [r.colour for r in regions]
    done = stacked([*rest, *left, *changed])
    return sorted(done, key=lambda r: order.index(r.colour) if r.colour in order else len(order))


def _to_neighbours(gap: shapely.Polygon, before: shapely.Polygon, others: Sequence[Piece]) -> list[Piece]:
    """What a piece leaves goes to the neighbours along whose boundary it lies.

    Along the outside it stays empty.
    """
    outer = before.boundary
    shared: dict[str, list[shapely.Geometry]] = {}
    for colour, other in others:
        if shapely.intersects(before, other):
            edge = shapely.intersection(outer, other.boundary)
            if edge.length > 0:
                shared.setdefault(colour, []).append(edge)
    if not shared:
        return []
    everything = shapely.union_all([g for edges in shared.values() for g in edges])
    touching = {
        c: sum(float(g.length) for g in edges if g.dwithin(gap, 10 * GRID)) for c, edges in shared.items()
    }
    most = max(touching, key=lambda c: touching[c])
    if outer.difference(everything.buffer(10 * GRID)).length < 100 * GRID:
        return [(most, gap)] if touching[most] > 0 else []
    deep = float(shapely.distance(shapely.points(shapely.get_coordinates(gap)), outer).max()) + 10 * GRID
    out: list[Piece] = []
    rest: shapely.Geometry = gap
    for colour in sorted(shared, key=lambda c: -touching[c]):
        # Cut off square where the boundary with the neighbour ends.
        line = shapely.line_merge(shapely.multilinestrings(_lines_in(shared[colour])))
        band = shapely.buffer(line, deep, cap_style="flat", quad_segs=16)
        out += [
            (colour, p)
            for p in shapely.get_parts(sound(intersection(rest, band)))
            if p.geom_type == "Polygon" and p.area > GRID
        ]
        rest = sound(difference(rest, band))
    return out


def _lines_in(edges: Sequence[shapely.Geometry]) -> list[shapely.Geometry]:
    return [
        g
        for e in edges
        for g in shapely.get_parts(e)
        if g.geom_type in ("LineString", "LinearRing") and g.length > 0
    ]


def _fill_holes(regions: Regions, edit: e.FillHoles) -> Regions:
    return _reshaped(regions, edit.at, lambda p: shapely.Polygon(p.exterior))


def _offset(regions: Regions, edit: e.Offset) -> Regions:
    return _reshaped(
        regions, edit.at, lambda p: p.buffer(edit.mm, quad_segs=16, join_style="mitre", mitre_limit=3)
    )


def _widen(regions: Regions, edit: e.Widen) -> Regions:
    return _reshaped(regions, edit.at, lambda p: widened(p, edit.line), everything=not edit.at)


def _join_narrow(regions: Regions, edit: e.JoinNarrow, told: list[Words] | None) -> Regions:
    rest, picked = ([], pieces_of(regions)) if not edit.at else split(regions, edit.at)
    done = joined(picked, rest, edit.line)
    if told is not None and (says := done.told(edit.line)):
        told.append(says)
    order = [r.colour for r in regions]
    return sorted(
        stacked([*rest, *done.given, *done.pieces]),
        key=lambda r: order.index(r.colour) if r.colour in order else len(order),
    )


def _round(regions: Regions, edit: e.Round) -> Regions:
    return _reshaped(regions, edit.at, lambda p: rounded(p, edit.radius))


def _smooth(regions: Regions, edit: e.Smooth) -> Regions:
    return _reshaped(regions, edit.at, lambda p: smoothed(p, edit.mm))


def _cut(regions: Regions, edit: e.Cut) -> Regions:
    slit = shapely.LineString([edit.first, edit.second]).buffer(max(edit.width, 0.01) / 2, cap_style="flat")
    return stacked(
        [(c, g) for c, p in pieces_of(regions) for g in shapely.get_parts(sound(difference(p, slit)))]
    )


def _mirror(regions: Regions, edit: e.Mirror) -> Regions:
    a, b = np.array(edit.first), np.array(edit.second)
    length = float(np.hypot(*(b - a)))
    if length == 0 or not regions:
        return regions
    u = (b - a) / length
    v = np.array([-u[1], u[0]])
    far = 10 * float(
        np.abs(shapely.total_bounds([r.geometry for r in regions])).max() + np.abs([a, b]).max() + 1
    )
    half = shapely.Polygon([a - far * u, a + far * u, a + far * u + far * v, a - far * u + far * v])

    def reflect(xy: NDArray[np.float64]) -> NDArray[np.float64]:
        off = (xy - a) @ v
        # Points of the seam are their own mirror image, so both halves share them.
        off = np.where(np.abs(off) < 1e-9, 0.0, off)
        return np.asarray(xy - 2 * off[:, None] * v)

    kept = [(c, sound(intersection(p, half))) for c, p in pieces_of(regions)]
    kept = [(c, g) for c, g in kept if not g.is_empty]
    return stacked([*kept, *((c, sound(shapely.transform(g, reflect))) for c, g in kept)])


def _move(regions: Regions, edit: e.Move) -> Regions:
    ways = edit.by if len(edit.by) == len(edit.at) else edit.by[:1] * len(edit.at)
    moved: list[Piece] = []
    taken: list[e.Point] = []
    seen: set[bytes] = set()
    for at, (dx, dy) in zip(edit.at, ways, strict=True):
        for colour, piece in pieces_at(regions, (at,)):
            if piece.wkb not in seen:
                seen.add(piece.wkb)
                moved.append((colour, affinity.translate(piece, dx, dy)))
                taken.append(at)
    rest = pieces_of(regions) if edit.copy else split(regions, tuple(taken))[0]
    return stacked([*rest, *moved])


def _add_shape(regions: Regions, edit: e.AddShape) -> Regions:
    return _added(regions, edit.colour, shape_area(edit), edit.behind)


def _add_text(regions: Regions, edit: e.AddText, font: bytes) -> Regions:
    how = Setting(**{name: getattr(edit, name) for name in Setting._fields})
    area = set_text(font, edit.text, how)
    if area.is_empty:
        return regions
    return _added(regions, edit.colour, affinity.translate(area, *edit.centre), edit.behind)


def _added(regions: Regions, colour: str, area: shapely.Geometry, behind: bool) -> Regions:
    own = [(colour, p) for p in shapely.get_parts(area)]
    return stacked([*own, *pieces_of(regions)] if behind else [*pieces_of(regions), *own])


def _close_lines(regions: Regions, edit: e.CloseLines, open_lines: Sequence[shapely.LineString]) -> Regions:
    chains = chained([Line(shapely.get_coordinates(g), False) for g in open_lines], 0.0, edit.reach)
    closed = list(chains.closed)
    if edit.straight:
        closed += [Line(line.points, True) for line in chains.open if len(line.points) > 2]
    area = filled(closed, "evenodd")
    return _added(regions, edit.colour, area, True) if not area.is_empty else regions


_DO: dict[type, Callable[..., Any]] = {
    e.Delete: _delete,
    e.Keep: _keep,
    e.Recolour: _recolour,
    e.Absorb: _absorb,
    e.Part: _part,
    e.FillHoles: _fill_holes,
    e.Offset: _offset,
    e.Widen: _widen,
    e.Round: _round,
    e.Smooth: _smooth,
    e.Straighten: lambda r, x: straightened(r, x.first, x.second),
    e.MoveNode: lambda r, x: move_nodes(r, x.place, x.to, x.reach),
    e.AddNode: lambda r, x: add_node(r, x.place),
    e.DeleteNode: lambda r, x: delete_node(r, x.place),
    e.Bend: lambda r, x: bent(r, x, FLATNESS),
    e.Cut: _cut,
    e.Mirror: _mirror,
    e.Move: _move,
    e.AddShape: _add_shape,
}
