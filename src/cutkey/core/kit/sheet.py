"""The assembly sheet: one page that shows which section goes where and what is in the kit."""

from __future__ import annotations

import io
from collections.abc import Sequence

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from cutkey.core.artwork.pdf import MM, begin_sheet, outline_path
from cutkey.core.kit.pieces import PrintUnit
from cutkey.core.split.assembly import Assembly
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.units import format_size

INK, RED, BLUE, PAPER, GREY = (HexColor(c) for c in ("#1E2A33", "#B5123E", "#2B4FB8", "#EFECE4", "#75797c"))


def sheet_pdf(
    title: str,
    sections: Sequence[Section],
    units: Sequence[PrintUnit],
    joints: Sequence[Joint],
    assembly: Assembly,
    hardware: Sequence[tuple[str, int]],
) -> bytes:
    """PDF, A4 landscape: the plan of the sections, what is in the kit, and in which order it goes together."""
    outlines = [(u.name, shapely.transform(u.outline, lambda p, u=u: p + np.array(u.origin[:2]))) for u in units if not u.is_key]
    buffer = io.BytesIO()
    line = "Assembly sheet: seen from above; red: cuts, blue: keys"
    page, w, h = begin_sheet(buffer, f"{title}: assembly sheet", title, line)
    _plan(page, outlines, joints, (14 * MM, 14 * MM, w - 100 * MM, h - 42 * MM))
    below = _list(page, units, joints, hardware, w - 80 * MM, h - 17 * MM)
    _steps(page, sections, assembly, w - 80 * MM, below)
    page.showPage()
    page.save()
    return buffer.getvalue()


def _plan(
    page: Canvas, outlines: Sequence[tuple[str, shapely.Geometry]], joints: Sequence[Joint], box: tuple[float, float, float, float]
) -> None:
    left, bottom, width, height = box
    x0, y0, x1, y1 = shapely.union_all([g for _, g in outlines]).bounds
    scale = min(width / max(x1 - x0, 1e-6), height / max(y1 - y0, 1e-6))
    shift = (left + (width - (x1 - x0) * scale) / 2, bottom + (height - (y1 - y0) * scale) / 2)

    def at(x: float, y: float) -> tuple[float, float]:
        return shift[0] + (x - x0) * scale, shift[1] + (y - y0) * scale

    for name, outline in outlines:
        path = outline_path(page, outline, at)
        page.setFillColor(PAPER)
        page.setStrokeColor(RED)
        page.setLineWidth(0.8)
        page.drawPath(path, fill=1, stroke=1, fillMode=0)
        cx, cy = at((outline.bounds[0] + outline.bounds[2]) / 2, (outline.bounds[1] + outline.bounds[3]) / 2)
        page.setFillColor(INK)
        page.setFont("Helvetica-Bold", 16)
        page.drawCentredString(cx, cy - 5, name)
    page.setFillColor(BLUE)
    for joint in joints:
        for key in joint.keys:
            page.circle(*at(key.centre[0], key.centre[1]), 2.2, stroke=0, fill=1)


def _list(
    page: Canvas, units: Sequence[PrintUnit], joints: Sequence[Joint], hardware: Sequence[tuple[str, int]], x: float, y: float
) -> float:
    page.setFillColor(INK)
    page.setFont("Helvetica-Bold", 10)
    page.drawString(x, y, "In this kit")
    y -= 14
    page.setFont("Helvetica", 8)
    for unit in units:
        head = f"{unit.copies} × {unit.name}" if unit.copies > 1 else unit.name
        page.setFillColor(INK)
        page.drawString(x, y, f"{head}   {format_size(unit.size)} mm")
        y -= 10
        for piece in unit.pieces if not unit.is_key else []:
            page.setFillColor(HexColor(piece.filament.colour))
            page.rect(x + 4, y, 6, 6, stroke=0, fill=1)
            page.setFillColor(GREY)
            page.drawString(x + 14, y, piece.filament.name)
            y -= 9
        if y < 30 * MM:
            page.drawString(x, y, "... and more, see report.json")
            break
    page.setFillColor(INK)
    for name, count in hardware:
        page.drawString(x, y, f"{count} × {name} (to buy)")
        y -= 10
    y -= 6
    for joint in sorted(joints, key=lambda j: (len(j.letter), j.letter)):
        if y < 12 * MM:
            break
        kinds = sorted({k.form.described() for k in joint.keys})
        text = (
            f"{joint.letter}–{joint.letter}  {joint.name}: {len(joint.keys)} × {', '.join(kinds)}" if kinds else f"{joint.name}: glue only"
        )
        page.drawString(x, y, f"{text}, {joint.glue_area:.0f} mm² to glue")
        y -= 10
    return y


def _steps(page: Canvas, sections: Sequence[Section], assembly: Assembly, x: float, y: float) -> None:
    """The order of assembly."""
    if not assembly.steps or y < 24 * MM:
        return
    y -= 8
    page.setFont("Helvetica-Bold", 10)
    page.drawString(x, y, "Put together in this order")
    page.setFont("Helvetica", 8)
    for n, step in enumerate(assembly.steps):
        y -= 11
        if y < 12 * MM:
            page.drawString(x, y, "... and more, see report.json")
            return
        to, what = (" + ".join(sections[k].name for k in group) for group in (step.fixed, step.movers))
        page.drawString(x, y, f"{n + 1}.  {what} to {to}, {direction(step.way)}")


def direction(way: Sequence[float]) -> str:
    """A push in words, as seen on the plan."""
    names = (("to the left", "to the right"), ("towards you", "away from you"), ("down", "up"))
    k = max(range(3), key=lambda i: abs(way[i]))
    return names[k][way[k] > 0]
