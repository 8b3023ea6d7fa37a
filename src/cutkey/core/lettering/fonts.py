"""Fonts: those that ship with the program, and those installed on this machine."""

from __future__ import annotations

import io
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import NamedTuple

from fontTools.pens.recordingPen import RecordingPen
from fontTools.ttLib import TTFont

from cutkey.core.errors import BadInput

#: Shipped fonts by the name the maker sees.
SHIPPED = {
    "Barlow": "Barlow-Regular.ttf",
    "Barlow Medium": "Barlow-Medium.ttf",
    "Barlow Bold": "Barlow-Bold.ttf",
    "Barlow Condensed": "BarlowCondensed-SemiBold.ttf",
}
_FOLDERS = ("/usr/share/fonts", "/usr/local/share/fonts", "~/.fonts", "~/.local/share/fonts")


def font_bytes(name: str) -> bytes:
    """File of a font by name.

    Raises
    ------
    BadInput
        When there is no such font here.
    """
    if name in SHIPPED:
        return (files("cutkey") / "app" / "assets" / "fonts" / SHIPPED[name]).read_bytes()
    path = installed_fonts().get(name)
    if path is None:
        raise BadInput(f"The font {name} is not on this machine; install it or choose another font.")
    return path.read_bytes()


def kept_in_jobs(data: bytes) -> bool:
    """Whether a font's licence bits let it go along with a document that others edit.

    Parameters
    ----------
    data : bytes
        The font file.

    References
    ----------
    OpenType 1.9, OS/2 table, fsType: installable (0) and editable (8) embedding; not restricted (2), not for
    view and print only (4), not bitmaps only (bit 9).
    """
    try:
        with TTFont(io.BytesIO(data), fontNumber=0, lazy=True) as font:
            bits = int(font["OS/2"].fsType)
    except Exception:  # fonts of the machine may be damaged in any way
        return False
    return bits & 0x200 == 0 and (bits & 0xF == 0 or bits & 8 != 0)


class Face(NamedTuple):
    """A font that there is."""

    name: str  # the maker sees
    family: str
    weight: int  # as CSS has it, 400 for regular
    italic: bool
    path: Path | None = None  # None for a shipped one


def installed_fonts() -> dict[str, Path]:
    """Font files of this machine by family and style, without those that cannot be read."""
    return {f.name: f.path for f in installed_faces() if f.path is not None}


@lru_cache(maxsize=1)
def installed_faces() -> tuple[Face, ...]:
    """Fonts of this machine, without those that cannot be read or are pictures only, as colour emoji are."""
    found: dict[str, Face] = {}
    for folder in _FOLDERS:
        for path in sorted(Path(folder).expanduser().rglob("*")):
            if path.suffix.lower() not in (".ttf", ".otf"):
                continue
            try:
                with TTFont(path, lazy=True) as font:
                    if not _has_outlines(font):
                        continue
                    family, style = font["name"].getBestFamilyName(), font["name"].getBestSubFamilyName()
                    weight, italic = (
                        int(font["OS/2"].usWeightClass),
                        bool(font["OS/2"].fsSelection & 1 or font["head"].macStyle & 2),
                    )
            except Exception:
                continue
            if family:
                name = f"{family} {style}" if style and style != "Regular" else str(family)
                found.setdefault(name, Face(name, str(family), weight, italic, path))
    return tuple(found.values())


def _has_outlines(font: TTFont) -> bool:
    """Whether a font has outlines at all, in one of the tables of OpenType 1.9 that hold them."""
    return any(table in font for table in ("glyf", "CFF ", "CFF2"))


def _draws(font: TTFont, glyph: str) -> bool:
    """Whether a glyph has an outline; in layered colour fonts it may have none of its own."""
    pen = RecordingPen()
    font.getGlyphSet()[glyph].draw(pen)
    return bool(pen.value)


@lru_cache(maxsize=1024)
def fonts_with(code: int) -> tuple[str, ...]:
    """Names of the fonts that have a character, by its code point: shipped ones first."""
    out = []
    for name in (*SHIPPED, *installed_fonts()):
        try:
            with TTFont(io.BytesIO(font_bytes(name)), fontNumber=0, lazy=True) as font:
                glyph = (font.getBestCmap() or {}).get(code)
                if glyph is not None and _draws(font, glyph):
                    out.append(name)
        except Exception:  # fonts of the machine may be damaged in any way
            continue
        if out:
            break
    return tuple(out)
