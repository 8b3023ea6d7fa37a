"""On paper: the template at 1:1, tiled, and the sheet that shows which number goes where."""

from __future__ import annotations

import io
import math

from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from cutkey.core.geometry.areas import union
from cutkey.core.paper.pdf import (
    GREY,
    INK,
    MM,
    SIZES,
    Flow,
    Place,
    begin_sheet,
    fitted,
    outline_path,
    width_of,
    write,
)
from cutkey.core.spacers.setting_out import SettingOut

BLUE, WASH, PAPER = (HexColor(c) for c in ("#2B4FB8", "#DDE3F5", "#EFECE4"))
#: Edge a printer leaves white, and how far neighbouring pages overlap, mm.
EDGE, OVERLAP = 8.0, 12.0


def tiles(setting: SettingOut, paper: str) -> tuple[list[tuple[float, float]], tuple[float, float]]:
    """Lower left corners of the pages' windows in the design, and the size of a window; mm.

    Row by row from the far left.
    """
    w, h = (v / MM - 2 * EDGE for v in SIZES[paper])
    x0, y0, x1, y1 = union([o for _, o in setting.islands]).bounds
    columns = max(1, math.ceil((x1 - x0 - OVERLAP) / (w - OVERLAP)))
    rows = max(1, math.ceil((y1 - y0 - OVERLAP) / (h - OVERLAP)))
    # What is left over is shared out on both sides.
    left = (x0 + x1) / 2 - (columns * (w - OVERLAP) + OVERLAP) / 2
    low = (y0 + y1) / 2 - (rows * (h - OVERLAP) + OVERLAP) / 2
    return [
        (left + c * (w - OVERLAP), low + r * (h - OVERLAP))
        for r in reversed(range(rows))
        for c in range(columns)
    ], (w, h)


def template_pdf(title: str, setting: SettingOut, paper: str) -> bytes:
    """Outlines at 1:1 over as many pages as it takes.

    Crosses at the corners of the overlaps lie on one another.
    """
    windows, (w, h) = tiles(setting, paper)
    columns = len({round(x, 3) for x, _ in windows})
    buffer = io.BytesIO()
    page = Canvas(buffer, pagesize=SIZES[paper])
    page.setTitle(f"{title}: template at 1:1")
    for n, (left, low) in enumerate(windows):
        page.saveState()
        clip = page.beginPath()
        clip.rect(EDGE * MM, EDGE * MM, w * MM, h * MM)
        page.clipPath(clip, stroke=0, fill=0)

        def at(x: float, y: float, left: float = left, low: float = low) -> tuple[float, float]:
            return (EDGE + x - left) * MM, (EDGE + y - low) * MM

        _draw(page, setting, at, fill=False)
        # Crosses stand in the middle of the overlaps, at the same places of the design on every page that
        # shows them.
        for cx in (left + OVERLAP / 2, left + w - OVERLAP / 2):
            for cy in (low + OVERLAP / 2, low + h - OVERLAP / 2):
                _cross(page, *at(cx, cy))
        page.restoreState()
        row, column = divmod(n, columns)
        text = f"{title}   page {n + 1} of {len(windows)}: row {row + 1}, column {column + 1}"
        text += "   print at 100 %, no scaling   this line is 50 mm:"
        write(page, EDGE * MM, 3.2 * MM, text, 7, colour=GREY)
        x = EDGE * MM + width_of(text, 7) + 2 * MM
        page.setStrokeColor(INK)
        page.setLineWidth(0.8)
        page.line(x, 4 * MM, x + 50 * MM, 4 * MM)
        page.showPage()
    page.save()
    return buffer.getvalue()


def setting_out_pdf(title: str, setting: SettingOut, paper: str = "A4") -> bytes:
    """Landscape, as many pages as the order takes.

    Islands with their names, spacers with their numbers, and the order.
    """
    buffer = io.BytesIO()
    line = "Seen from the front; blue: numbered spacers, taken off once everything sticks"
    page, w, h = begin_sheet(buffer, f"{title}: setting out", f"{title}: setting out", line, paper)
    x0, y0, x1, y1 = union([o for _, o in setting.islands]).bounds
    at, _ = fitted((14 * MM, 14 * MM, w - 96 * MM, h - 42 * MM), (x0, y0, x1, y1))
    _draw(page, setting, at, fill=True)
    flow = Flow(page, w - 76 * MM, h - 17 * MM + 8, 66 * MM, f"{title}: setting out", "Continued")
    flow.title("Put up in this order")
    for n, (name, spacers) in enumerate(setting.order):
        against = (
            f"against spacer{'s' if len(spacers) > 1 else ''} {', '.join(map(str, spacers))}"
            if spacers
            else "by the template"
        )
        flow.line(f"{n + 1}.  {name}  {against}")
    page.showPage()
    page.save()
    return buffer.getvalue()


def _draw(page: Canvas, setting: SettingOut, at: Place, fill: bool) -> None:
    for name, outline in setting.islands:
        page.setStrokeColor(INK)
        page.setFillColor(PAPER)
        page.setLineWidth(0.6)
        page.drawPath(outline_path(page, outline, at), fill=int(fill), stroke=1, fillMode=0)
        p = outline.representative_point()
        x, y = at(p.x, p.y)
        write(page, x, y - 4, name, 11, True, align="middle")
    for piece in setting.pieces:
        page.setStrokeColor(BLUE)
        page.setFillColor(WASH)
        page.setLineWidth(0.5)
        page.drawPath(outline_path(page, piece.spacer.outline, at), fill=int(fill), stroke=1, fillMode=0)
        x, y = at(*piece.peg)
        write(page, x, y - 3, str(piece.number), 9, True, BLUE, align="middle")


def _cross(page: Canvas, x: float, y: float) -> None:
    page.setStrokeColor(INK)
    page.setLineWidth(0.4)
    r = 3 * MM
    page.line(x - r, y, x + r, y)
    page.line(x, y - r, x, y + r)
    page.circle(x, y, 1.6 * MM, stroke=1, fill=0)
