"""The assembly sheet: one page that shows which section goes where and what is in the kit."""

from __future__ import annotations

import io
from collections.abc import Sequence

import shapely
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4, landscape
from reportlab.pdfgen.canvas import Canvas

from cutkey.core.artwork.graphic import rings_of
from cutkey.core.kit.pieces import PrintUnit
from cutkey.core.split.cutting import Section
from cutkey.core.split.dowels import Joint
from cutkey.core.units import format_size

INK, RED, BLUE, PAPER, GREY = (HexColor(c) for c in ("#1E2A33", "#B5123E", "#2B4FB8", "#EFECE4", "#75797c"))
MM = 72 / 25.4


def sheet_pdf(
    title: str,
    sections: Sequence[Section],
    outlines: Sequence[tuple[str, shapely.Geometry]],
    units: Sequence[PrintUnit],
    joints: Sequence[Joint],
) -> bytes:
    """PDF, A4 landscape.

    Parameters
    ----------
    outlines : sequence of (section name, geometry)
        Plan view of every section in design mm.
    """
    buffer = io.BytesIO()
    w, h = landscape(A4)
    page = Canvas(buffer, pagesize=(w, h))
    page.setTitle(f"{title}: assembly sheet")
    page.setFillColor(INK)
    page.setFont("Helvetica-Bold", 15)
    page.drawString(14 * MM, h - 17 * MM, title)
    page.setFont("Helvetica", 9)
    page.setFillColor(GREY)
    page.drawString(14 * MM, h - 22 * MM, "Assembly sheet: seen from above; red: cuts, blue: dowels")
    _plan(page, outlines, joints, (14 * MM, 14 * MM, w - 100 * MM, h - 42 * MM))
    _list(page, units, joints, w - 80 * MM, h - 17 * MM)
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
        path = page.beginPath()
        for ring in rings_of(outline):
            points = [at(x, y) for x, y in ring.tolist()]
            path.moveTo(*points[0])
            for p in points[1:]:
                path.lineTo(*p)
            path.close()
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
        for centre in joint.centres:
            page.circle(*at(centre[0], centre[1]), 2.2, stroke=0, fill=1)


def _list(page: Canvas, units: Sequence[PrintUnit], joints: Sequence[Joint], x: float, y: float) -> None:
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
    y -= 6
    page.setFillColor(INK)
    for joint in joints:
        if y < 12 * MM:
            break
        page.drawString(
            x, y, f"{joint.letter}–{joint.letter}  {joint.name}: {len(joint.centres)} dowels, {joint.face_area:.0f} mm² to glue"
        )
        y -= 10
