"""Colours as loose inlays.

A pocket in the body, and a piece of its own that is printed in its filament and put in.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely
from msgspec.structs import replace
from shapely import affinity

from cutkey.core.colour.names import plain_name
from cutkey.core.colouring.heights import Laying, relief_of
from cutkey.core.colouring.numbers import DEEP, number_in, underneath
from cutkey.core.geometry.areas import grown, intersection, sound
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import face_to_model
from cutkey.core.geometry.primitives import prism, stepped_prism
from cutkey.core.geometry.solid import Solid
from cutkey.core.lettering.room import FLOOR
from cutkey.core.model.colouring import Colouring, Engraving
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.printer import Printer
from cutkey.core.place.carve import placed_regions, room_on
from cutkey.core.place.copies import instances
from cutkey.core.words import colouring as say
from cutkey.core.words.kind import Words

#: An inlay is nowhere narrower than so many nozzles, and fingers hold nothing that is smaller than so many mm
#: across.
NOZZLES, FINGERS = 2.0, 2.5
#: Turns that are tried, degrees; pieces of less than this share of a pocket rattle, and nobody takes them for
#: its own.
_TURN, _SHARE = 2.0, 0.93
#: Places of a rim that are looked at first.
_RIM = 72


class Inlay(NamedTuple):
    """A piece and its pocket."""

    number: int  # from 1
    placement: str
    name: str  # of the graphic and its colour
    colour: str
    pocket: shapely.Polygon  # as it is taken out of the body, mm on the face
    outline: shapely.Polygon  # of the piece
    deep: float  # of the pocket, mm
    thick: float  # of the piece
    let_in: float  # mm of the piece that lie under the face
    to_model: Float  # (3, 4) from mm on the face, z up from it, to the model
    # its number as it is read in the floor of the pocket; None without
    writing: shapely.Geometry | None = None

    def solid(self, lead: float, layer: float) -> Solid:
        """The piece as it lies on the bed, its lower edge taken off in steps of a layer."""
        steps = max(1, round(lead / layer)) if lead > 0 else 0
        edge = min(lead, 0.5 * self.thick)
        outlines = [
            (_smaller(self.outline, lead * (steps - k) / steps), edge * (k + 1) / steps) for k in range(steps)
        ]
        found = stepped_prism([o for o in (*outlines, (self.outline, self.thick)) if o[0] is not None], 0.0)
        if found.status() != m3.Error.NoError or found.is_empty():
            found = prism(self.outline, 0.0, self.thick)
        return underneath(found, self.writing) if self.writing is not None else found

    def in_place(self, lead: float, layer: float) -> Solid:
        """The piece in its pocket, on the model: its top where the maker wants it."""
        # On the floor it would lie lower by what the pocket is deeper; glue takes that up.
        return self.solid(lead, layer).translate((0, 0, -self.let_in)).transform(self.to_model)


def _smaller(outline: shapely.Polygon, mm: float) -> shapely.Polygon | None:
    """An outline made smaller; None where it falls apart, or a hole closes."""
    one = grown(outline, -mm, quad_segs=8)
    parts = [g for g in shapely.get_parts(one) if g.geom_type == "Polygon" and g.area > 0]
    return parts[0] if len(parts) == 1 and len(parts[0].interiors) == len(outline.interiors) else None


class Inlays(NamedTuple):
    """All inlays of a design."""

    inlays: tuple[Inlay, ...]
    placements: tuple[Placement, ...]  # with pockets in the place of what is let in
    trouble: Words | None = None
    kept: tuple[Words, ...] = ()  # what stays a body, and why


def plan_inlays(laid: Sequence[Laying], printer: Printer, colouring: Colouring) -> Inlays:
    """Pockets and pieces for a design.

    Parameters
    ----------
    laid : sequence of Laying
        The placed graphics.
    printer : Printer
    colouring : Colouring
    """
    found: list[Inlay] = []
    placements, kept = [], []
    for one in laid:
        if one.site.surface is not None and any(colouring.way_of(c) == "inlays" for c in one.colours):
            return Inlays((), (), say.inlays_need_a_flat_face(one.name))
        rules = []
        for colour in one.colours:
            rule = one.placement.depth_of(colour)
            relief = relief_of(rule, one.site)
            if relief is None or relief < 0 or colouring.way_of(colour) != "inlays":
                rules.append(replace(rule, colour=colour))
                continue
            let_in = rule.mm if rule.mode == "flush" else colouring.seat
            pieces = _pieces(one, colour, let_in, let_in + relief, colouring, printer)
            bad = [p for p in pieces if isinstance(p, shapely.Polygon)]
            if bad or not pieces:
                # A colour is let in as a whole, or not at all: half of it would be of another height.
                small = [p for p in bad if is_small(p, colouring.play, printer.nozzle)]
                says = say.too_narrow_to_be_put_in if len(small) < len(bad) else say.too_small_to_be_put_in
                kept.append(says(one.name, plain_name(colour), len(bad), len(pieces)))
                rules.append(replace(rule, colour=colour))
                continue
            found += [p for p in pieces if isinstance(p, Inlay)]
            rules.append(Depth("recessed", round(let_in + colouring.deeper, 6), colour))
        placements.append(replace(one.placement, depths=tuple(rules)))
    numbered = tuple(
        _written(p._replace(number=n), colouring, printer.nozzle) for n, p in enumerate(found, 1)
    )
    return Inlays(numbered, tuple(placements), None, tuple(kept))


def _written(inlay: Inlay, colouring: Colouring, nozzle: float) -> Inlay:
    if not colouring.numbered or inlay.thick < DEEP + FLOOR:
        return inlay
    return inlay._replace(writing=number_in(inlay.number, inlay.outline, colouring.lead, nozzle))


def floors_of(inlays: Sequence[Inlay]) -> tuple[Engraving, ...]:
    """What is engraved in the floors of pockets."""
    return tuple(
        Engraving(i.number, shapely.to_wkb(i.writing), i.deep, tuple(i.to_model.ravel().tolist()))
        for i in inlays
        if i.writing is not None
    )


def _pieces(
    one: Laying, colour: str, let_in: float, thick: float, colouring: Colouring, printer: Printer
) -> list[Inlay | shapely.Polygon]:
    """The pieces of a colour, on every copy; the pocket of one that cannot be printed or held."""
    out: list[Inlay | shapely.Polygon] = []
    for copy in instances(one.placement, one.site.middle):
        for region in placed_regions(one.graphic, copy):
            if region.colour != colour:
                continue
            area = sound(intersection(region.geometry, room_on(one.site, one.placement)))
            for pocket in shapely.get_parts(area):
                if pocket.geom_type != "Polygon" or pocket.area < 1e-3:
                    continue
                outline = piece_outline(pocket, colouring.play, printer.nozzle)
                if outline is None:
                    out.append(pocket)
                    continue
                name = f"{one.name}, {plain_name(colour)}"
                matrix = np.asarray(face_to_model(one.site.facet), float)
                deep = let_in + colouring.deeper
                out.append(
                    Inlay(0, one.placement.id, name, colour, pocket, outline, deep, thick, let_in, matrix)
                )
    return out


def piece_outline(pocket: shapely.Polygon, play: float, nozzle: float) -> shapely.Polygon | None:
    """The outline of a piece for a pocket; None when it could not be printed or held.

    All round it is smaller by the play; its outer corners are rounded by half a nozzle, since the pocket's
    inner corners are printed round.

    Parameters
    ----------
    pocket : Polygon
        mm.
    play, nozzle : float
        mm.
    """
    r = nozzle / 2
    # What falls apart when it is made smaller was held together by less than can be printed.
    small = _smaller(pocket, play + r)
    piece = grown(small, r, quad_segs=8) if small is not None else shapely.Polygon()
    if piece.geom_type != "Polygon" or piece.is_empty or len(piece.interiors) != len(pocket.interiors):
        return None
    return None if is_small(piece, 0.0, nozzle) else piece


def is_small(outline: shapely.Polygon, play: float, nozzle: float) -> bool:
    """Whether a piece, made smaller by the play, is too narrow all over to be printed or held.

    Parameters
    ----------
    outline : Polygon
        mm.
    play, nozzle : float
        mm.
    """
    wide = 2 * (float(shapely.maximum_inscribed_circle(outline, tolerance=0.02).length) - play)
    x0, y0, x1, y1 = outline.bounds
    return wide < NOZZLES * nozzle or max(x1 - x0, y1 - y0) - 2 * play < FINGERS


class Fit(NamedTuple):
    """A piece that goes into a pocket in a way that is not meant."""

    piece: int  # numbers of the inlays
    pocket: int
    turn: float  # degrees


def other_fits(inlays: Sequence[Inlay]) -> list[Fit]:
    """Pieces that can be put in turned, or into another's pocket; each pair once.

    A piece is turned about the middle of its area laid on that of the pocket, in steps. It is never turned
    over: its lower edge tells.

    Parameters
    ----------
    inlays : sequence of Inlay
    """
    out = []
    pieces = [_about_middle(i.outline) for i in inlays]
    turns = np.arange(0.0, 360.0, _TURN)
    spin = np.exp(1j * np.radians(turns))[:, None]
    for a, (piece, (own, rim, far)) in enumerate(zip(inlays, pieces, strict=True)):
        for b, (pocket, (other, _, reach)) in enumerate(zip(inlays, pieces, strict=True)):
            like = own.area / other.area >= _SHARE and own.area <= pocket.pocket.area
            if not like or far > reach * (2 - _SHARE) or abs(piece.thick - pocket.thick) > 0.3:
                continue
            m = pocket.outline.centroid
            room = affinity.translate(grown(pocket.pocket, 1e-6), -m.x, -m.y)
            shapely.prepare(room)
            # Some places of the rim tell most turns apart.
            at = rim[None] * spin
            good = shapely.contains_xy(room, at.real, at.imag).all(1)
            good &= (a != b) | ((turns >= 15) & (turns <= 345))
            found = [t for t in turns[good].tolist() if room.contains(affinity.rotate(own, t, origin=(0, 0)))]
            if found:
                # With its play it goes in at some turns beside one another: the middle of them is meant.
                run = [t for n, t in enumerate(found) if t - found[0] < (n + 0.5) * _TURN]
                out.append(Fit(piece.number, pocket.number, run[len(run) // 2]))
    return out


def _about_middle(outline: shapely.Polygon) -> tuple[shapely.Polygon, np.ndarray, float]:
    """An outline about the middle of its area.

    Places on its rim as complex numbers, and how far it reaches.
    """
    c = outline.centroid
    own = affinity.translate(outline, -c.x, -c.y)
    xy = shapely.get_coordinates(
        shapely.line_interpolate_point(own.exterior, np.arange(_RIM) / _RIM, normalized=True)
    )
    rim = xy[:, 0] + 1j * xy[:, 1]
    return own, rim, float(np.abs(rim).max())
