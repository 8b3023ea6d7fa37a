"""Pieces of regions: found by a place, taken out, laid over one another again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from cutkey.core.artwork.overlay import Paint, as_multi, overlay
from cutkey.core.geometry.areas import coverage_union, sound
from cutkey.core.geometry.region import Region
from cutkey.core.model import table_edits as e

#: Outlines are noded on a grid this fine, mm.
GRID = 1e-6
Regions = list[Region]
Piece = tuple[str, shapely.Polygon]


def on_boundary(edit: e.Edit) -> e.Points:
    """Places of an edit that a boundary must run by."""
    if isinstance(edit, e.MoveNode | e.AddNode | e.DeleteNode):
        return (edit.place,)
    return (edit.first,) if isinstance(edit, e.Straighten) else edit.first if isinstance(edit, e.Bend) else ()


def pieces_at(regions: Sequence[Region], at: e.Points) -> list[Piece]:
    """The pieces that contain places, each once.

    Parameters
    ----------
    regions : sequence of Region
        mm.
    at : sequence of (float, float)
        mm.

    Returns
    -------
    list of (str, Polygon)
        The colour of each with its outline.
    """
    pieces = pieces_of(regions)
    if not pieces or not at:
        return []
    tree = shapely.STRtree([p for _, p in pieces])
    hits = tree.query(shapely.points(np.array(at, float)), predicate="intersects")[1]
    return [pieces[k] for k in dict.fromkeys(hits.tolist())]


def pieces_of(regions: Sequence[Region]) -> list[Piece]:
    """Every piece with its colour."""
    return [(r.colour, p) for r in regions for p in shapely.get_parts(r.geometry)]


def split(regions: Regions, at: e.Points) -> tuple[list[Piece], list[Piece]]:
    """Pieces not picked, and pieces picked."""
    picked = pieces_at(regions, at)
    # `get_parts` makes new polygons each time; they are recognised by their shape.
    chosen = {p.wkb for _, p in picked}
    return [(c, p) for c, p in pieces_of(regions) if p.wkb not in chosen], picked


def stacked(pieces: Sequence[Piece]) -> Regions:
    """A partition of pieces, later ones on top."""
    return overlay([Paint(c, sound(p)) for c, p in pieces], GRID)


def plain(pieces: Sequence[Piece]) -> Regions:
    """Pieces that are a partition already, put together by colour."""
    colours = dict.fromkeys(c for c, _ in pieces)
    return [
        Region(colour, as_multi(coverage_union([p for c, p in pieces if c == colour]))) for colour in colours
    ]
