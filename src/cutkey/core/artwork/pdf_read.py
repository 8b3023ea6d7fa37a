"""Reading vector drawings out of PDF pages.

What a page paints is put into the words of SVG, and read as such.

References
----------
ISO 32000-1:2008, 8.2 (graphics objects), 8.3.2 (coordinate spaces), 8.5 (paths), 9.4 (text objects).
"""

from __future__ import annotations

import ctypes
import re
from collections import Counter
from collections.abc import Callable
from functools import partial
from typing import Any
from xml.etree import ElementTree

from cutkey.core.artwork.svg_read import Drawing, drawing_of
from cutkey.core.artwork.svg_walk import FLATNESS
from cutkey.core.errors import BadInput, TooMuch
from cutkey.core.words import reading as say

_SVG = "{http://www.w3.org/2000/svg}"
_CAPS, _JOINS = ("butt", "round", "square"), ("miter", "round", "bevel")
#: Forms may stand in forms this deep; more objects than this are no drawing that anybody could print.
_DEEPEST, _MOST = 12, 150_000


def read_pdf(data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
    """The drawing on the first page of a PDF as regions, in CSS px, y down, at the size of the page.

    Parameters
    ----------
    data : bytes
    name : str
        Of the file.
    flatness : float
        Between curves and their chords, as a share of the drawing's size.

    Raises
    ------
    BadInput
        When it is no PDF, is locked, or its page holds no drawing.
    """
    if data[:1024].lstrip().startswith(b"%!PS") and b"%PDF-" not in data[:1024]:
        raise BadInput(f"{name} is PostScript, which is not read; save it as PDF or SVG where it was made.")
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(data)
    except pdfium.PdfiumError as error:
        if "password" in str(error).lower():
            raise BadInput(f"{name} is locked with a password; save it without one.") from None
        raise BadInput(f"{name} is not a PDF that can be read; save it again, or as SVG.") from None
    try:
        if not len(document):
            raise BadInput(f"{name} has no page; save it again where it was made.")
        page = document[0]
        reader = _Page(page)
        root = reader.svg()
        notes = [say.first_page_was_read(len(document))] if len(document) > 1 else []
        notes += [say.left_out(n, what) for what, n in reader.left.items()]
        if not reader.count:
            held = "; ".join(map(str, notes))
            raise BadInput(
                f"{name} holds no vector drawing{f' ({held})' if held else ''}; open its picture instead, or"
                " save it as SVG."
            )
        page.close()
    finally:
        document.close()
    found = drawing_of(root, name, flatness)
    return found._replace(notes=(*notes, *found.notes))


class _Page:
    """What a page paints, as elements of an SVG drawing."""

    def __init__(self, page: Any) -> None:
        import pypdfium2.raw as raw

        self._raw, self._page, self._page_text = raw, page, page.get_textpage()
        self.left: Counter[str] = Counter()  # what is left out
        self.count = 0  # of what is drawn
        self._seen = self._clips = 0
        self._root = ElementTree.Element(f"{_SVG}svg")

    def svg(self) -> ElementTree.Element:
        """The drawing, in points, y down."""
        left, bottom, right, top = self._page.get_bbox()
        wide, high = right - left, top - bottom
        turn = int(self._page.get_rotation()) % 360
        size = (high, wide) if turn in (90, 270) else (wide, high)
        self._root.attrib |= {
            "width": f"{size[0]:g}pt",
            "height": f"{size[1]:g}pt",
            "viewBox": f"0 0 {size[0]:g} {size[1]:g}",
        }
        upright = {
            0: (1, 0, 0, -1, -left, top),
            90: (0, 1, 1, 0, -bottom, -left),
            180: (-1, 0, 0, 1, right, -bottom),
            270: (0, -1, -1, 0, top, right),
        }[turn]
        group = self._group(self._root, upright)
        raw, page = self._raw, self._page.raw
        for k in range(raw.FPDFPage_CountObjects(page)):
            self._take(raw.FPDFPage_GetObject(page, k), group, 0)
        return self._root

    def _group(self, parent: ElementTree.Element, matrix: tuple[float, ...]) -> ElementTree.Element:
        return ElementTree.SubElement(
            parent, f"{_SVG}g", {"transform": f"matrix({' '.join(f'{v:.9g}' for v in matrix)})"}
        )

    def _take(self, one: Any, parent: ElementTree.Element, depth: int) -> None:
        raw = self._raw
        self._seen += 1
        if self._seen > _MOST:
            raise TooMuch(
                f"holds more than the {_MOST} objects that are read; join its shapes and save it again."
            )
        kind = raw.FPDFPageObj_GetType(one)
        if kind == raw.FPDF_PAGEOBJ_IMAGE:
            self.left["embedded picture"] += 1
        elif kind == raw.FPDF_PAGEOBJ_SHADING:
            self.left["colour gradient"] += 1
        elif kind == raw.FPDF_PAGEOBJ_FORM and depth < _DEEPEST:
            inner = self._group(self._clipped(one, parent), self._matrix(one))
            for k in range(max(0, raw.FPDFFormObj_CountObjects(one))):
                self._take(raw.FPDFFormObj_GetObject(one, k), inner, depth + 1)
        elif kind == raw.FPDF_PAGEOBJ_PATH:
            self._path(one, self._clipped(one, parent))
        elif kind == raw.FPDF_PAGEOBJ_TEXT:
            self._text(one, self._clipped(one, parent))

    def _matrix(self, one: Any) -> tuple[float, ...]:
        m = self._raw.FS_MATRIX()
        return (
            (m.a, m.b, m.c, m.d, m.e, m.f) if self._raw.FPDFPageObj_GetMatrix(one, m) else (1, 0, 0, 1, 0, 0)
        )

    # -- clip paths
    def _clipped(self, one: Any, parent: ElementTree.Element) -> ElementTree.Element:
        """A group that is cut as an object is, or what it stands in."""
        raw = self._raw
        clip = raw.FPDFPageObj_GetClipPath(one)
        for k in range(max(0, raw.FPDFClipPath_CountPaths(clip)) if clip else 0):
            count = raw.FPDFClipPath_CountPathSegments(clip, k)
            d = self._data(count, partial(raw.FPDFClipPath_GetPathSegment, clip, k))
            if not d:
                continue
            self._clips += 1
            name = f"clip{self._clips}"
            path = ElementTree.SubElement(self._root, f"{_SVG}clipPath", {"id": name})
            ElementTree.SubElement(path, f"{_SVG}path", {"d": d})
            parent = ElementTree.SubElement(parent, f"{_SVG}g", {"clip-path": f"url(#{name})"})
        return parent

    def _data(self, count: int, segment: Callable[[int], Any]) -> str:
        """Path data of some segments."""
        raw = self._raw
        x, y = ctypes.c_float(), ctypes.c_float()
        out: list[str] = []
        curve: list[str] = []
        for n in range(max(0, count)):
            one = segment(n)
            raw.FPDFPathSegment_GetPoint(one, x, y)
            at = f"{x.value:.7g} {y.value:.7g}"
            kind = raw.FPDFPathSegment_GetType(one)
            if kind == raw.FPDF_SEGMENT_BEZIERTO:
                curve.append(at)
                if len(curve) == 3:
                    out.append(f"C{' '.join(curve)}")
                    curve = []
            else:
                out.append(f"{'M' if kind == raw.FPDF_SEGMENT_MOVETO else 'L'}{at}")
            if raw.FPDFPathSegment_GetClose(one):
                out.append("Z")
        return "".join(out)

    # -- what paints
    def _path(self, one: Any, parent: ElementTree.Element) -> None:
        raw = self._raw
        mode, stroke = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(one, mode, stroke)
        if not mode.value and not stroke.value:
            return
        look = {"fill": "none"}
        if mode.value:
            look |= self._colour(raw.FPDFPageObj_GetFillColor, one, "fill")
            look["fill-rule"] = "evenodd" if mode.value == raw.FPDF_FILLMODE_ALTERNATE else "nonzero"
        if stroke.value:
            look |= self._stroke(one)
        d = self._data(raw.FPDFPath_CountSegments(one), partial(raw.FPDFPath_GetPathSegment, one))
        self.count += 1
        ElementTree.SubElement(self._group(parent, self._matrix(one)), f"{_SVG}path", {**look, "d": d})

    def _colour(self, get: Any, one: Any, what: str) -> dict[str, str]:
        r, g, b, a = (ctypes.c_uint() for _ in range(4))
        if not get(one, r, g, b, a):
            return {what: "#000000"}
        return {what: f"#{r.value:02x}{g.value:02x}{b.value:02x}", f"{what}-opacity": f"{a.value / 255:.4g}"}

    def _stroke(self, one: Any) -> dict[str, str]:
        raw = self._raw
        width, phase = ctypes.c_float(), ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(one, width)
        out = self._colour(raw.FPDFPageObj_GetStrokeColor, one, "stroke")
        # A line of no width is drawn as thin as the printer can (ISO 32000-1, 8.4.3.2).
        out["stroke-width"] = f"{width.value or 0.1:.6g}"
        cap, join = raw.FPDFPageObj_GetLineCap(one), raw.FPDFPageObj_GetLineJoin(one)
        out["stroke-linecap"] = _CAPS[cap] if 0 <= cap < 3 else "butt"
        out["stroke-linejoin"] = _JOINS[join] if 0 <= join < 3 else "miter"
        out["stroke-miterlimit"] = "10"
        count = raw.FPDFPageObj_GetDashCount(one)
        if 0 < count < 64:
            dashes = (ctypes.c_float * count)()
            raw.FPDFPageObj_GetDashArray(one, dashes, count)
            raw.FPDFPageObj_GetDashPhase(one, phase)
            out["stroke-dasharray"] = " ".join(f"{v:g}" for v in dashes)
            out["stroke-dashoffset"] = f"{phase.value:g}"
        return out

    def _text(self, one: Any, parent: ElementTree.Element) -> None:
        """A text object in the words it stands for; its font is matched by name."""
        raw = self._raw
        if raw.FPDFTextObj_GetTextRenderMode(one) in (
            raw.FPDF_TEXTRENDERMODE_INVISIBLE,
            raw.FPDF_TEXTRENDERMODE_CLIP,
        ):
            return
        words = self._words(one)
        if not words.strip():
            if not words:
                self.left["text without words"] += 1
            return
        size = ctypes.c_float()
        raw.FPDFTextObj_GetFontSize(one, size)
        font = raw.FPDFTextObj_GetFont(one)
        length = raw.FPDFFont_GetBaseFontName(font, None, 0) if font else 0
        buffer = ctypes.create_string_buffer(max(1, length))
        if font:
            raw.FPDFFont_GetBaseFontName(font, buffer, length)
        # Subsets bear a tag of six letters before their name (9.6.4); styles follow a hyphen or comma.
        family, _, style = (
            re.sub(r"^[A-Z]{6}\+", "", buffer.value.decode("latin-1", "replace"))
            .replace(",", "-")
            .partition("-")
        )
        look = {
            "font-family": re.sub(r"(?<=[a-z])(?=[A-Z])", " ", family) or "sans-serif",
            "font-size": f"{size.value:.6g}",
        }
        look |= {"font-weight": "bold"} if "bold" in style.lower() else {}
        look |= {"font-style": "italic"} if re.search("italic|oblique", style, re.IGNORECASE) else {}
        look |= self._colour(raw.FPDFPageObj_GetFillColor, one, "fill")
        self.count += 1
        inner = self._group(parent, self._matrix(one))
        text = ElementTree.SubElement(self._group(inner, (1, 0, 0, -1, 0, 0)), f"{_SVG}text", look)
        text.text = words

    def _words(self, one: Any) -> str:
        raw, reading = self._raw, self._page_text.raw
        length = raw.FPDFTextObj_GetText(one, reading, None, 0)
        if length <= 2:
            return ""
        buffer = ctypes.create_string_buffer(length)
        raw.FPDFTextObj_GetText(one, reading, ctypes.cast(buffer, ctypes.POINTER(ctypes.c_ushort)), length)
        return buffer.raw[: length - 2].decode("utf-16-le", "replace")
