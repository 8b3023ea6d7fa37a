"""Reading the outlines of DXF drawings."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import shapely

from cutkey.core.artwork.dxf_text import TEXTS, set_text
from cutkey.core.artwork.outlines import Areas, Chains, chained, nested
from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.artwork.svg_read import MM_PER_PX, Drawing
from cutkey.core.colour.difference import hex_of
from cutkey.core.errors import BadInput
from cutkey.core.lettering.outline import Line
from cutkey.core.lettering.text import Lettering
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Millimetres of one drawing unit by $INSUNITS; a drawing without a unit is taken as millimetres, and it is
#: said.
_MM_OF = {
    1: 25.4,
    2: 304.8,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: 25.4e-6,
    9: 0.0254,
    10: 914.4,
    13: 1e-3,
    14: 100.0,
}
_CURVES = {"LINE", "ARC", "CIRCLE", "ELLIPSE", "LWPOLYLINE", "POLYLINE", "SPLINE", "HATCH", "SOLID", "TRACE"}
_FILLED = {"HATCH", "SOLID", "TRACE"}
#: Gaps in outlines up to this width are closed, mm; no printer shows them.
_GAP = 0.02
#: Between curves and their chords at the size the drawing states, px.
_FINE = 0.005 / MM_PER_PX


class _Found:
    """Lines and texts of a drawing, by colour, in CSS px."""

    def __init__(self, document: Any, scale: float, notes: list[Words], fine: float) -> None:
        self.lines: dict[str, list[Line]] = {}
        self.texts: dict[str, list[Line]] = {}
        self.lettering: list[Lettering] = []
        self.left: Counter[str] = Counter()  # what is left out
        self._document, self._scale, self._notes = document, scale, notes
        self._fine = fine / scale

    def take(self, entity: Any, colour: str) -> None:
        """Take an entity in, or count it among what is left out."""
        kind = entity.dxftype()
        if self._hidden(entity):
            self.left["entity that is hidden or on a layer that is off"] += 1
        elif kind in TEXTS:
            self._take_text(entity, colour)
        elif kind in _CURVES:
            self._take_curve(entity, colour)
        else:
            self.left[f"{kind} entity"] += 1

    def _hidden(self, entity: Any) -> bool:
        if entity.dxf.get("invisible", 0):
            return True
        layers = self._document.layers
        if entity.dxf.layer not in layers:
            return False
        layer = layers.get(entity.dxf.layer)
        return bool(
            layer.is_off()
            or layer.is_frozen()
            or not layer.dxf.get("plot", 1)
            or layer.dxf.name.lower() == "defpoints"
        )

    def _note(self, *notes: Words) -> None:
        self._notes += [n for n in notes if n not in self._notes]

    def _take_text(self, entity: Any, colour: str) -> None:
        from ezdxf.lldxf.const import DXFError

        try:
            text = set_text(entity, self._document, self._fine)
        except (TypeError, ValueError, ArithmeticError, DXFError):
            self.left["text that cannot be set"] += 1
            return
        self.lettering += text.lettering
        self._note(*text.notes)
        upright = (self._scale, -self._scale)
        outlines = [line._replace(points=line.points * upright) for line in text.outlines]
        self.texts.setdefault(colour, []).extend(outlines)

    def _take_curve(self, entity: Any, colour: str) -> None:
        from ezdxf import path
        from ezdxf.lldxf.const import DXFError

        try:
            paths = (
                path.make_path(entity).sub_paths()
                if entity.dxftype() != "HATCH"
                else list(path.from_hatch(entity))
            )
        except (TypeError, ValueError, DXFError):
            paths = []
        taken = False
        for one in paths:
            points = np.array([(v.x, v.y) for v in one.flattening(self._fine)], float) * (
                self._scale,
                -self._scale,
            )
            if len(points) > 1 and np.isfinite(points).all():
                self.lines.setdefault(colour, []).append(
                    Line(points, bool(one.is_closed) or entity.dxftype() in _FILLED)
                )
                taken = True
        if not taken:
            self.left[f"{entity.dxftype()} entity that cannot be drawn"] += 1


def read_dxf(data: bytes, name: str, flatness: float = 0.0) -> Drawing:
    """Closed outlines of a DXF file as regions, in CSS px, y down, at the size its units state.

    Lines and arcs that meet end to end are joined; outlines inside one another become holes. Lines that stay
    open are given too, so that they can be closed.

    Parameters
    ----------
    data : bytes
    name : str
        Of the file.
    flatness : float
        Between curves and their chords, as a share of the drawing's size; at the size it states no more than
        0.005 mm.

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
    drawing, size = _drawn(document, name, _FINE)
    # Made larger than it was drawn, its chords would be seen.
    return (
        drawing
        if flatness <= 0 or flatness * size > 0.7 * _FINE
        else _drawn(document, name, flatness * size)[0]
    )


def _drawn(document: Any, name: str, fine: float) -> tuple[Drawing, float]:
    """What a document draws, its curves within so many px, and its size, px."""
    unit = int(document.header.get("$INSUNITS", 0))
    notes = [] if unit in _MM_OF else [say.no_unit(name)]
    scale = _MM_OF.get(unit, 1.0) / MM_PER_PX
    found = _Found(document, scale, notes, fine)
    space: Any = document.modelspace()
    if not len(space):
        sheets = [layout for layout in document.layouts if layout.name != "Model" and len(layout)]
        if sheets:
            space = sheets[0]
            notes.append(say.sheet_was_read(space.name))
    for entity, colour in _flat_entities(space, document):
        found.take(entity, colour)
    lines, texts, lettering = found.lines, found.texts, found.lettering
    notes += [say.left_out(n, what) for what, n in found.left.items()]
    # Text within outlines of its own colour is cut out of them, as outlines within outlines are; any other
    # lies on top.
    for colour in [c for c in texts if c in lines]:
        lines[colour] += texts.pop(colour)
    lines.update(texts)
    if not lines:
        why = f" ({'; '.join(map(str, notes))})" if found.left else ""
        raise BadInput(
            f"{name} holds no lines that can be read{why}; save its outlines as lines, arcs or polylines."
        )
    everything = np.concatenate([line.points for each in lines.values() for line in each])
    size = max(float(np.ptp(everything, axis=0).max()), 1e-6)
    gap = min(_GAP / MM_PER_PX, 1e-3 * size)
    paints, left, chains, areas = [], [], [], []
    for colour, each in lines.items():
        chains.append(chained(each, 1e-5 * size, gap))
        left += chains[-1].open
        areas.append(nested(chains[-1].closed, gap))
        if not areas[-1].area.is_empty:
            paints.append(Paint(colour, areas[-1].area))
    notes += _said(chains, areas)
    regions = overlay(paints, 2e-7 * size) if paints else []
    open_lines = tuple(shapely.LineString(line.points) for line in left)
    if not regions:
        raise BadInput(
            f"{name} holds only open lines, {len(open_lines)} of them; close its outlines and save it again."
        )
    bounds = shapely.total_bounds([r.geometry for r in regions])
    return Drawing(
        regions, float(bounds[2] - bounds[0]) * MM_PER_PX, tuple(notes), open_lines, tuple(lettering)
    ), size


def _said(chains: Sequence[Chains], areas: Sequence[Areas]) -> list[Words]:
    """What was done to the outlines."""
    twice, gaps = sum(c.twice for c in chains) + sum(a.twice for a in areas), sum(c.gaps for c in chains)
    widest, overlapping = max(c.widest for c in chains) * MM_PER_PX, sum(a.overlapping for a in areas)
    out = []
    if twice:
        out.append(say.drawn_twice(twice))
    if gaps:
        out.append(say.gaps_closed(gaps, widest))
    if overlapping:
        out.append(say.outlines_joined(overlapping))
    return out


def _colour_of(entity: Any, document: Any, block: tuple[str, str] | None) -> str:
    """Colour of an entity: its own, its layer's or that of the block it is in.

    Black or white, which depends on the paper, is black.

    Parameters
    ----------
    block : (str, str), optional
        Colour and layer of the block.
    """
    from ezdxf.colors import aci2rgb

    if entity.rgb is not None:
        return hex_of(tuple(entity.rgb))
    aci = entity.dxf.get("color", 256)
    if aci == 0:
        return block[0] if block else "#000000"
    if aci == 256:
        # On layer 0 of a block an entity is on the layer of the block.
        name = block[1] if block and entity.dxf.layer == "0" else entity.dxf.layer
        if name not in document.layers:
            return "#000000"
        layer = document.layers.get(name)
        if layer.rgb is not None:
            return hex_of(tuple(layer.rgb))
        aci = layer.color
    return hex_of(aci2rgb(abs(aci))) if 0 < abs(aci) < 256 and abs(aci) != 7 else "#000000"


def _flat_entities(
    space: Any, document: Any, block: tuple[str, str] | None = None
) -> Iterator[tuple[Any, str]]:
    """Entities with blocks and arrays of blocks taken apart, and the colour of each."""
    for entity in space:
        colour = _colour_of(entity, document, block)
        if entity.dxftype() != "INSERT":
            yield entity, colour
            continue
        layer = block[1] if block and entity.dxf.layer == "0" else entity.dxf.layer
        for one in entity.multi_insert() if entity.mcount > 1 else (entity,):
            yield from _flat_entities(one.virtual_entities(), document, (colour, layer))
        for attribute in entity.attribs:
            yield attribute, _colour_of(attribute, document, (colour, layer))
