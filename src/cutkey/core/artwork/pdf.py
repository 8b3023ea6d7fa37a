"""Outlines on the pages of a PDF."""

from __future__ import annotations

from collections.abc import Callable
from typing import BinaryIO

import shapely
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4, landscape
from reportlab.pdfgen.canvas import Canvas
from reportlab.pdfgen.pathobject import PDFPathObject

from cutkey.core.artwork.graphic import rings_of

#: One millimetre in points, the unit of a page.
MM = 72 / 25.4
Place = Callable[[float, float], tuple[float, float]]


def begin_sheet(buffer: BinaryIO, title: str, heading: str, line: str) -> tuple[Canvas, float, float]:
    """A page, A4 landscape, with its heading and a line below; also its width and height in points."""
    w, h = landscape(A4)
    page = Canvas(buffer, pagesize=(w, h))
    page.setTitle(title)
    page.setFillColor(HexColor("#1E2A33"))
    page.setFont("Helvetica-Bold", 15)
    page.drawString(14 * MM, h - 17 * MM, heading)
    page.setFont("Helvetica", 9)
    page.setFillColor(HexColor("#75797c"))
    page.drawString(14 * MM, h - 22 * MM, line)
    return page, w, h


def outline_path(page: Canvas, outline: shapely.Geometry, at: Place) -> PDFPathObject:
    """All rings of an outline; `at` brings mm of the drawing to points of the page."""
    path = page.beginPath()
    for ring in rings_of(outline):
        points = [at(x, y) for x, y in ring.tolist()]
        path.moveTo(*points[0])
        for p in points[1:]:
            path.lineTo(*p)
        path.close()
    return path
