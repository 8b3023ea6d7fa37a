"""Reading the outlines of DXF drawings."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from cutkey.core.artwork.dxf_text import TEXTS, set_text
from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.artwork.svg_read import MM_PER_PX, Drawing
from cutkey.core.colour.difference import hex_of
from cutkey.core.errors import BadInput
from cutkey.core.lettering.outline import Line, filled
from cutkey.core.lettering.text import Lettering

#: Millimetres of one drawing unit by $INSUNITS; a drawing without a unit is taken as millimetres, and it is said.
_MM_OF = {1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0, 8: 25.4e-6, 9: 0.0254, 10: 914.4, 13: 1e-3, 14: 100.0}
_CURVES = {"LINE", "ARC", "CIRCLE", "ELLIPSE", "LWPOLYLINE", "POLYLINE", "SPLINE", "HATCH"}


class _Found:
    """Lines and texts of a drawing, by colour, in CSS px."""

    def __init__(self, document: Any, scale: float, notes: list[str]) -> None:
        self.lines: dict[str, list[Line]] = {}
        self.texts: dict[str, list[Line]] = {}
        self.lettering: list[Lettering] = []
        self._document, self._scale, self._notes = document, scale, notes
        self._fine = 0.005 / MM_PER_PX / scale

    def take(self, entity: Any) -> None:
        """Take an entity in, or note that it is left out."""
        kind = entity.dxftype()
        if kind in TEXTS:
            self._take_text(entity)
        elif kind in _CURVES:
            self._take_curve(entity)
        else:
            self._note(f"{kind} entities are left out")

    def _note(self, *notes: str) -> None:
        self._notes += [n for n in notes if n not in self._notes]

    def _take_text(self, entity: Any) -> None:
        from ezdxf.lldxf.const import DXFError

        try:
            text = set_text(entity, self._document, self._fine)
        except (TypeError, ValueError, ArithmeticError, DXFError):
            self._note("a text that cannot be set is left out")
            return
        self.lettering += text.lettering
        self._note(*text.notes)
        upright = (self._scale, -self._scale)
        outlines = [line._replace(points=line.points * upright) for line in text.outlines]
        self.texts.setdefault(_colour_of(entity, self._document), []).extend(outlines)

    def _take_curve(self, entity: Any) -> None:
        from ezdxf import path
        from ezdxf.lldxf.const import DXFError

        try:
            paths = path.make_path(entity).sub_paths() if entity.dxftype() != "HATCH" else list(path.from_hatch(entity))
        except (TypeError, ValueError, DXFError):
            return
        for one in paths:
            points = np.array([(v.x, v.y) for v in one.flattening(self._fine)], float) * (self._scale, -self._scale)
            if len(points) > 1 and np.isfinite(points).all():
                self.lines.setdefault(_colour_of(entity, self._document), []).append(Line(points, bool(one.is_closed)))


def read_dxf(data: bytes, name: str) -> Drawing:
    """Closed outlines of a DXF file as regions, in CSS px, y down, at the size its units state.

    Lines and arcs that meet end to end are joined; outlines inside one another become holes. Lines that stay open are given
    too, so that they can be closed.

    Raises
    ------
    BadInput
        When it is no DXF drawing or holds no closed outline.
    """
    from ezdxf import recover
    from ezdxf.lldxf.const import DXFError

    try:
        document, _ = recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError, IndexError, AttributeError, KeyError):
        raise BadInput(f"{name} is not a DXF drawing that can be read; save it again as DXF R2010.") from None
    unit = int(document.header.get("$INSUNITS", 0))
    notes = [] if unit in _MM_OF else [f"{name} states no unit; its lengths were taken as millimetres"]
    scale = _MM_OF.get(unit, 1.0) / MM_PER_PX
    found = _Found(document, scale, notes)
    for entity in _flat_entities(document.modelspace()):
        found.take(entity)
    lines, texts, lettering = found.lines, found.texts, found.lettering
    # Text within outlines of its own colour is cut out of them, as outlines within outlines are; any other lies on top.
    for colour in [c for c in texts if c in lines]:
        lines[colour] += texts.pop(colour)
    lines.update(texts)
    if not lines:
        raise BadInput(f"{name} holds no lines that can be read; save its outlines as lines, arcs or polylines.")
    everything = np.concatenate([line.points for each in lines.values() for line in each])
    size = max(float(np.ptp(everything, axis=0).max()), 1e-6)
    paints, left = [], []
    for colour, each in lines.items():
        rings, rest = joined(each, 1e-5 * size)
        left += rest
        if rings:
            paints.append(Paint(colour, filled(rings, "evenodd")))
    regions = overlay(paints, 2e-7 * size) if paints else []
    open_lines = tuple(shapely.LineString(line.points) for line in left)
    if not regions:
        raise BadInput(f"{name} holds only open lines, {len(open_lines)} of them; close its outlines and save it again.")
    bounds = shapely.total_bounds([r.geometry for r in regions])
    return Drawing(regions, float(bounds[2] - bounds[0]) * MM_PER_PX, tuple(notes), open_lines, tuple(lettering))


def _colour_of(entity: Any, document: Any) -> str:
    """Colour of an entity by its index or its layer's; black or white, which depends on the paper, is black."""
    from ezdxf.colors import aci2rgb

    aci = entity.dxf.get("color", 7)
    if aci in (0, 256) and entity.dxf.layer in document.layers:
        aci = document.layers.get(entity.dxf.layer).color
    return hex_of(aci2rgb(aci)) if 0 < aci < 256 and aci != 7 else "#000000"


def _flat_entities(space: Any) -> Iterator[Any]:
    """Entities with blocks taken apart."""
    for entity in space:
        if entity.dxftype() == "INSERT":
            yield from _flat_entities(entity.virtual_entities())
            yield from entity.attribs
        else:
            yield entity


def joined(lines: list[Line], snap: float) -> tuple[list[Line], list[Line]]:
    """Lines chained end to end where their ends lie within `snap`: closed ones, and those that stay open."""
    closed = [line for line in lines if line.closed]
    loose = [line.points for line in lines if not line.closed]
    if not loose:
        return closed, []
    # Ends within reach of one another are moved to one place.
    ends = np.array([[p[0], p[-1]] for p in loose]).reshape(-1, 2)
    tree = shapely.STRtree(shapely.points(ends))
    pairs = tree.query(shapely.points(ends), predicate="dwithin", distance=snap)
    group = np.arange(len(ends))
    for a, b in pairs.T.tolist():
        group[a] = min(group[a], group[b])
    for k in range(len(group)):
        group[k] = group[group[k]]
    for k, p in enumerate(loose):
        p[0], p[-1] = ends[group[2 * k]], ends[group[2 * k + 1]]
    merged = shapely.get_parts(shapely.line_merge(shapely.multilinestrings([shapely.LineString(p) for p in loose if len(p) > 1])))
    for line in merged:
        points = shapely.get_coordinates(line)
        if (points[0] == points[-1]).all():
            closed.append(Line(points[:-1], True))
    rest = [Line(shapely.get_coordinates(g), False) for g in merged if not g.is_closed]
    return closed, rest
