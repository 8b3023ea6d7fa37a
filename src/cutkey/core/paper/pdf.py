"""Pages of a PDF: lettering in the shipped fonts, outlines, and lists that flow over columns and pages."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import BinaryIO, Literal

import shapely
from PIL import Image
from reportlab import rl_config
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.pagesizes import A4, LETTER, landscape
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.pdfgen.pathobject import PDFPathObject

from cutkey.core.digest import digest_bytes
from cutkey.core.geometry.arrays import U8
from cutkey.core.geometry.graphic import rings_of
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.text import runs_of

#: One millimetre in points, the unit of a page.
MM = 72 / 25.4
SIZES = {"A4": A4, "Letter": LETTER}
INK, GREY = HexColor("#1E2A33"), HexColor("#75797c")
Place = Callable[[float, float], tuple[float, float]]


@lru_cache(maxsize=64)
def _registered(data: bytes) -> str:
    """Name under which a font is known to the page; the plain one stands in for what a PDF cannot hold."""
    name = f"F{digest_bytes(data)[:12]}"
    try:
        pdfmetrics.registerFont(TTFont(name, io.BytesIO(data)))
    except TTFError:
        return _registered(font_bytes("Barlow"))
    return name


@lru_cache(maxsize=2000)
def _runs(text: str, bold: bool) -> list[tuple[str, str]]:
    return [
        (_registered(data), run)
        for data, run in runs_of(font_bytes("Barlow Bold" if bold else "Barlow"), text)
    ]


def width_of(text: str, size: float, bold: bool = False) -> float:
    """Width of a line of text, points."""
    return sum(float(pdfmetrics.stringWidth(run, name, size)) for name, run in _runs(text, bold))


def write(
    page: Canvas,
    x: float,
    y: float,
    text: str,
    size: float,
    bold: bool = False,
    colour: Color = INK,
    align: Literal["left", "middle"] = "left",
) -> None:
    """A line of text; characters that the shipped fonts lack are taken from others on this machine.

    Parameters
    ----------
    page : Canvas
    x, y : float
        Where its baseline begins or its middle is, points.
    text : str
    size : float
        points.
    """
    at = x - (width_of(text, size, bold) / 2 if align == "middle" else 0.0)
    page.setFillColor(colour)
    for name, run in _runs(text, bold):
        page.setFont(name, size)
        page.drawString(at, y, run)
        at += float(pdfmetrics.stringWidth(run, name, size))


def wrapped(text: str, size: float, width: float, bold: bool = False) -> list[str]:
    """A text in lines no wider than `width` points; a word that is wider is parted.

    Parameters
    ----------
    text : str
    size : float
        points.
    width : float
        points.
    bold : bool
    """
    lines: list[str] = []
    line = ""
    for word in text.split():
        tried = f"{line} {word}" if line else word
        if width_of(tried, size, bold) <= width:
            line = tried
            continue
        if line:
            lines.append(line)
        while width_of(word, size, bold) > width and len(word) > 1:
            n = next(
                k for k in range(len(word) - 1, 0, -1) if k == 1 or width_of(word[:k], size, bold) <= width
            )
            lines.append(word[:n])
            word = word[n:]
        line = word
    return [*lines, line] if line else lines


def size_of(page: Canvas) -> tuple[float, float]:
    """Width and height of a page, points."""
    w, h = page._pagesize  # noqa: SLF001
    return float(w), float(h)


def put_picture(page: Canvas, picture: U8, box: tuple[float, float, float, float]) -> None:
    """A picture in a box of the page.

    Parameters
    ----------
    page : Canvas
    picture : ndarray, (H, W, 4), uint8
        Red, green, blue and alpha.
    box : (x, y, width, height)
        points.
    """
    letters = rl_config.useA85
    # Bytes, not letters: a fifth less, and written sooner.
    rl_config.useA85 = 0
    try:
        page.drawImage(ImageReader(Image.fromarray(picture)), *box, mask="auto")
    finally:
        rl_config.useA85 = letters


def begin_sheet(
    buffer: BinaryIO, title: str, heading: str, line: str, paper: str = "A4"
) -> tuple[Canvas, float, float]:
    """A page, landscape, with its heading and a line below; also its width and height in points.

    Parameters
    ----------
    buffer : file
        Written to.
    title : str
        Of the document.
    heading, line : str
        What stands at the head of the page.
    paper : str
        "A4" or "Letter".
    """
    w, h = landscape(SIZES[paper])
    page = Canvas(buffer, pagesize=(w, h))
    page.setTitle(title)
    head(page, heading, line)
    return page, w, h


def head(page: Canvas, heading: str, line: str) -> None:
    """Heading of a page."""
    w, h = size_of(page)
    fitting = wrapped(heading, 15, w - 120 * MM, True)
    write(
        page,
        14 * MM,
        h - 17 * MM,
        fitting[0] + (" …" if len(fitting) > 1 else "") if fitting else "",
        15,
        True,
    )
    write(page, 14 * MM, h - 22 * MM, line, 9, colour=GREY)


class Flow:
    """Lines of text down a column, then the next one, then on further pages of three columns.

    Parameters
    ----------
    page : Canvas
    x, y : float
        Where the first column begins, points.
    width : float
        Of that column, points.
    heading, line : str
        Of the pages that are added.
    """

    BOTTOM = 12 * MM

    def __init__(self, page: Canvas, x: float, y: float, width: float, heading: str, line: str) -> None:
        self.page, self.x, self.y, self.width = page, x, y, width
        self._heading, self._line = heading, line
        self._columns: list[tuple[float, float, float]] = []

    @classmethod
    def on_new_page(cls, page: Canvas, heading: str, line: str) -> Flow:
        """A flow that begins on a page of its own."""
        flow = cls(page, 0.0, 0.0, 0.0, heading, line)
        flow.room(1)
        return flow

    def room(self, need: float) -> None:
        """Go on to the next column or page unless there is room for `need` points."""
        if self.y - need >= self.BOTTOM:
            return
        if not self._columns:
            w, h = size_of(self.page)
            self.page.showPage()
            head(self.page, self._heading, self._line)
            wide = (w - 28 * MM - 2 * 8 * MM) / 3
            self._columns = [(14 * MM + n * (wide + 8 * MM), h - 30 * MM, wide) for n in range(3)]
        self.x, self.y, self.width = self._columns.pop(0)

    def title(self, text: str) -> None:
        """A heading in the list, kept with the lines after it."""
        self.room(40)
        self.y -= 8
        write(self.page, self.x, self.y, text, 10, True)
        self.y -= 14

    def line(
        self, text: str, colour: Color = INK, indent: float = 0.0, swatch: str = "", keep: float = 0.0
    ) -> None:
        """A line, wrapped; `swatch` is a colour shown before it, `keep` points that stay together with it.

        Parameters
        ----------
        text : str
        indent : float
            points.
        swatch : str
            "#rrggbb".
        """
        first = 14.0 if swatch else indent
        for n, part in enumerate(wrapped(text, 8, self.width - first) or [""]):
            self.room(10 + (keep if n == 0 else 0))
            if swatch and n == 0:
                self.page.setFillColor(HexColor(swatch))
                self.page.rect(self.x + 4, self.y, 6, 6, stroke=0, fill=1)
            write(
                self.page,
                self.x + (first if swatch or n == 0 else indent + 8),
                self.y,
                part,
                8,
                colour=colour,
            )
            self.y -= 10


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


def fitted(box: tuple[float, float, float, float], bounds: Sequence[float]) -> tuple[Place, float]:
    """Maps mm of a drawing into a box (left, bottom, width, height, points), in its middle.

    And points of a mm.
    """
    left, bottom, width, height = box
    x0, y0, x1, y1 = bounds
    scale = min(width / max(x1 - x0, 1e-6), height / max(y1 - y0, 1e-6))
    shift = left + (width - (x1 - x0) * scale) / 2, bottom + (height - (y1 - y0) * scale) / 2
    return (lambda x, y: (shift[0] + (x - x0) * scale, shift[1] + (y - y0) * scale)), scale
