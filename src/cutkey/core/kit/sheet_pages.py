"""Pages of the assembly sheet: what each part is, what lies on each bed, and every push as a drawing."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas
from shapely import affinity

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.pictures import picture_of
from cutkey.core.model.printer import Printer
from cutkey.core.paper.pdf import (
    GREY,
    INK,
    MM,
    Place,
    fitted,
    head,
    outline_path,
    put_picture,
    size_of,
    width_of,
    wrapped,
    write,
)
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.sides import side_name
from cutkey.core.split.cutting import Section
from cutkey.core.split.proofs.order import Assembly, Step, direction
from cutkey.core.units import format_mm, format_size

_PAPER, _PALE, _MOVED = HexColor("#EFECE4"), HexColor("#C9C6BD"), HexColor("#D9E0F2")
#: Panels of a page, across and down, and room between them, points.
_ACROSS, _DOWN, _ROOM = 4, 3, 5 * MM
#: Pixels of a picture to a point, and how far apart a push is drawn, as a share of the drawing.
_FINE, _APART = 2.5, 0.12


class Panels:
    """Boxes side by side, page after page."""

    def __init__(self, page: Canvas, title: str, line: str, across: int = _ACROSS, down: int = _DOWN) -> None:
        self.page, self._title, self._line = page, title, line
        self._across, self._down, self._next = across, down, 0

    def next(self) -> tuple[float, float, float, float]:
        """Left, bottom, width and height of the next one, points."""
        w, h = size_of(self.page)
        each = self._across * self._down
        if self._next % each == 0:
            self.page.showPage()
            head(self.page, self._title, self._line if self._next == 0 else f"{self._line}, continued")
        column, row = self._next % each % self._across, self._next % each // self._across
        self._next += 1
        wide = (w - 28 * MM - (self._across - 1) * _ROOM) / self._across
        high = (h - 42 * MM - (self._down - 1) * _ROOM) / self._down
        return 14 * MM + column * (wide + _ROOM), h - 30 * MM - (row + 1) * high - row * _ROOM, wide, high


def parts_pages(
    page: Canvas, title: str, units: Sequence[PrintUnit], spots: Sequence[Spot], order: Mapping[str, int]
) -> None:
    """A picture of every part with its number, size, filaments, weight and bed.

    Parameters
    ----------
    page : Canvas
    title : str
    units : sequence of PrintUnit
    spots : sequence of Spot
        Where the copies lie.
    order : mapping
        Numbers of units by name.
    """
    panels = Panels(page, title, "Parts, in the order in which they are put together")
    for unit in sorted(units, key=lambda u: order[u.name]):
        x, y, w, h = panels.next()
        beds = sorted({s.load + 1 for s in spots if units[s.unit] is unit})
        count = f"{unit.copies} × " if unit.copies > 1 else ""
        write(
            page, x, y + h - 10, wrapped(f"{order[unit.name]}: {count}{unit.name}", 10, w, True)[0], 10, True
        )
        grams = sum(p.filament.grams(p.volume) for p in unit.pieces) * unit.copies
        on = f"bed {', '.join(map(str, beds))}" if beds else ""
        lines = [
            f"{format_size(unit.size, 1)} mm, {format_mm(grams, 0 if grams >= 10 else 1)} g if solid, {on}"
        ]
        lines += [
            ", ".join(dict.fromkeys(p.filament.name for p in unit.pieces))
            + ("" if unit.stands else f", {side_name(unit.down)}")
        ]
        text = [part for line in lines for part in wrapped(line, 7.5, w)][:4]
        for n, line in enumerate(reversed(text)):
            write(page, x, y + 2 + 9 * n, line, 7.5, colour=GREY)
        box = (x, y + 4 + 9 * len(text), w, h - 20 - 9 * len(text))
        bodies = [(Mesh(_points_of(unit, p.mesh), p.mesh.triangles), p.filament.colour) for p in unit.pieces]
        picture = picture_of(bodies, (round(_FINE * box[2]), round(_FINE * box[3])), margin=2)
        put_picture(page, picture.rgba, box)


def _points_of(unit: PrintUnit, mesh: Mesh) -> Float:
    """Points of a piece the way up in which it is seen when it is put together.

    What stands higher than it is wide lies on its side.
    """
    points = unit.assembled(mesh.vertices)
    x, y, z = np.ptp(points, axis=0)
    return points if z <= max(x, y) else points[:, [2, 0, 1]]


def beds_pages(
    page: Canvas, title: str, units: Sequence[PrintUnit], spots: Sequence[Spot], printer: Printer
) -> None:
    """Every bed load in plan, true to scale.

    Parameters
    ----------
    page : Canvas
    title : str
    units : sequence of PrintUnit
    spots : sequence of Spot
    printer : Printer
    """
    bx, by, _ = printer.bed
    bed = (
        shapely.Point(bx / 2, bx / 2).buffer(bx / 2, quad_segs=48)
        if printer.shape == "round"
        else shapely.box(0, 0, bx, by)
    )
    panels = Panels(page, title, f"Bed loads of {printer.name}, seen from above, lower edge in front", 3, 2)
    for load in sorted({s.load for s in spots}):
        x, y, w, h = panels.next()
        mine = [s for s in spots if s.load == load]
        used = list(dict.fromkeys(p.filament for s in mine for p in units[s.unit].pieces))
        write(page, x, y + h - 10, f"Bed {load + 1}", 10, True)
        at, scale = fitted((x, y + 12, w, h - 28), bed.bounds)
        page.setLineWidth(0.8)
        page.setStrokeColor(INK)
        page.drawPath(outline_path(page, bed, at), fill=0, stroke=1)
        page.setLineWidth(0.4)
        for px, py, kw, kd in printer.keep_out:
            page.setFillColor(_PALE)
            page.drawPath(outline_path(page, shapely.box(px, py, px + kw, py + kd), at), fill=1, stroke=0)
        for spot in mine:
            _unit_on_bed(page, units[spot.unit], spot, at, scale)
        left = x
        for filament in used:
            if left + 10 + width_of(filament.name, 7) > x + w:
                break
            page.setFillColor(HexColor(filament.colour))
            page.setStrokeColor(GREY)
            page.rect(left, y + 1, 6, 6, stroke=1, fill=1)
            write(page, left + 9, y + 1.5, filament.name, 7, colour=GREY)
            left += 18 + width_of(filament.name, 7)


def _unit_on_bed(page: Canvas, unit: PrintUnit, spot: Spot, at: Place, scale: float) -> None:
    turned = affinity.rotate(unit.outline, spot.angle, origin=(0, 0)) if spot.angle else unit.outline
    outline = affinity.translate(turned, spot.x, spot.y)
    page.setFillColor(_PAPER)
    page.setStrokeColor(INK)
    page.drawPath(outline_path(page, outline, at), fill=1, stroke=1, fillMode=0)
    _named(page, outline, unit.name, at, scale)


def _named(
    page: Canvas, outline: shapely.Geometry, name: str, at: Place, scale: float, most: float = 12.0
) -> None:
    """A name in the widest place of an outline, where it has room."""
    circle = shapely.maximum_inscribed_circle(outline, tolerance=0.5)
    room = 2 * float(circle.length) * scale
    size = min(most, 0.9 * room / max(0.3, width_of(name, 1.0, True)), 0.8 * room)
    if size >= 4:
        x, y = at(*circle.coords[0])
        write(page, x, y - 0.35 * size, name, size, True, align="middle")


def steps_pages(
    page: Canvas,
    title: str,
    sections: Sequence[Section],
    outlines: Mapping[str, shapely.Geometry],
    assembly: Assembly,
) -> None:
    """Every push as a drawing with an arrow.

    Parameters
    ----------
    page : Canvas
    title : str
    sections : sequence of Section
    outlines : mapping
        Of sections by name, where they are in the end, seen from above, mm.
    assembly : Assembly
    """
    panels = Panels(page, title, "Put together in this order; what is pushed is blue", 3, 3)
    for n, step in enumerate(assembly.steps, 1):
        x, y, w, h = panels.next()
        for most in (len(sections), 4):
            to, what = (_some([sections[k].name for k in group], most) for group in (step.fixed, step.movers))
            words = wrapped(f"{n}.  {what} to {to}, {direction(step.way)}", 8.5, w, True)
            if len(words) <= 2:
                break
        words = words[:2]
        for k, line in enumerate(words):
            write(page, x, y + h - 9 - 10 * k, line, 8.5, True)
        _push(page, sections, outlines, step, (x, y, w, h - 14 - 10 * len(words)))


def _some(names: Sequence[str], most: int) -> str:
    """Names, of many the first ones and how many there are."""
    return " + ".join(names) if len(names) <= most else f"{' + '.join(names[: most - 1])} + … ({len(names)})"


def _push(
    page: Canvas,
    sections: Sequence[Section],
    outlines: Mapping[str, shapely.Geometry],
    step: Step,
    box: tuple[float, float, float, float],
) -> None:
    fixed = [outlines[sections[k].name] for k in step.fixed if sections[k].name in outlines]
    movers = [
        (sections[k].name, outlines[sections[k].name]) for k in step.movers if sections[k].name in outlines
    ]
    if not fixed or not movers:
        return
    x0, y0, x1, y1 = shapely.total_bounds([*fixed, *(m for _, m in movers)]).tolist()
    flat = math.hypot(step.way[0], step.way[1])
    far = _APART * max(x1 - x0, y1 - y0)
    away = (-step.way[0] / flat * far, -step.way[1] / flat * far) if flat > 0.3 else (0.0, 0.0)
    moved = [(name, affinity.translate(m, *away)) for name, m in movers]
    at, scale = fitted(box, shapely.total_bounds([*fixed, *(m for _, m in moved)]).tolist())
    page.setLineWidth(0.5)
    page.setStrokeColor(INK)
    for k in step.fixed:
        name = sections[k].name
        if name in outlines:
            page.setFillColor(_PAPER)
            page.drawPath(outline_path(page, outlines[name], at), fill=1, stroke=1, fillMode=0)
            _named(page, outlines[name], name, at, scale)
    for name, outline in moved:
        page.setFillColor(_MOVED)
        page.setLineWidth(0.9)
        page.drawPath(outline_path(page, outline, at), fill=1, stroke=1, fillMode=0)
        _named(page, outline, name, at, scale)
    whole = shapely.union_all([m for _, m in moved])
    centre = whole.centroid
    if flat > 0.3:
        # In the gap, from the edge that goes ahead.
        way = step.way[0] / flat, step.way[1] / flat
        ahead = max(
            (
                float((x - centre.x) * way[0] + (y - centre.y) * way[1])
                for x, y in shapely.get_coordinates(whole)
            ),
            default=0.0,
        )
        _arrow(page, at(centre.x + ahead * way[0], centre.y + ahead * way[1]), way, 0.92 * far * scale)
    else:
        px, py = at(centre.x, centre.y)
        page.setLineWidth(1.2)
        page.circle(px, py - 14, 5, stroke=1, fill=0)
        if step.way[2] < 0:
            # Pushed away from whoever looks: the feathers of an arrow; towards: its point.
            page.line(px - 3.5, py - 17.5, px + 3.5, py - 10.5)
            page.line(px - 3.5, py - 10.5, px + 3.5, py - 17.5)
        else:
            page.setFillColor(INK)
            page.circle(px, py - 14, 1.5, stroke=0, fill=1)


def _arrow(page: Canvas, start: tuple[float, float], way: tuple[float, float], length: float) -> None:
    tip = start[0] + way[0] * length, start[1] + way[1] * length
    side = -way[1], way[0]
    page.setLineWidth(1.4)
    page.setStrokeColor(INK)
    page.setFillColor(INK)
    page.line(*start, tip[0] - way[0] * 5, tip[1] - way[1] * 5)
    path = page.beginPath()
    path.moveTo(*tip)
    for s in (1, -1):
        path.lineTo(tip[0] - way[0] * 8 + s * side[0] * 3.5, tip[1] - way[1] * 8 + s * side[1] * 3.5)
    path.close()
    page.drawPath(path, fill=1, stroke=0)
