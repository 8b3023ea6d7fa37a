"""Outlines on the pages of a PDF."""

from __future__ import annotations

from collections.abc import Callable

import shapely
from reportlab.pdfgen.canvas import Canvas
from reportlab.pdfgen.pathobject import PDFPathObject

from cutkey.core.artwork.graphic import rings_of

#: One millimetre in points, the unit of a page.
MM = 72 / 25.4
Place = Callable[[float, float], tuple[float, float]]


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
