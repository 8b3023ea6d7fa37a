"""Fonts: those that ship with the program, and those installed on this machine."""

from __future__ import annotations

import io
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

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


@lru_cache(maxsize=1)
def installed_fonts() -> dict[str, Path]:
    """Font files of this machine by family and style, without those that cannot be read."""
    found: dict[str, Path] = {}
    for folder in _FOLDERS:
        for path in sorted(Path(folder).expanduser().rglob("*")):
            if path.suffix.lower() not in (".ttf", ".otf"):
                continue
            try:
                with TTFont(path, lazy=True) as font:
                    family, style = font["name"].getBestFamilyName(), font["name"].getBestSubFamilyName()
            except Exception:
                continue
            if family:
                found.setdefault(f"{family} {style}" if style and style != "Regular" else str(family), path)
    return found


@lru_cache(maxsize=1024)
def fonts_with(code: int) -> tuple[str, ...]:
    """Names of the fonts that have a character, by its code point: shipped ones first."""
    out = []
    for name in (*SHIPPED, *installed_fonts()):
        try:
            with TTFont(io.BytesIO(font_bytes(name)), fontNumber=0, lazy=True) as font:
                if code in (font.getBestCmap() or {}):
                    out.append(name)
        except Exception:  # fonts of the machine may be damaged in any way
            continue
        if out:
            break
    return tuple(out)


def matching_font(families: str, weight: str) -> str:
    """Name of the font nearest to a CSS font-family list and weight; a shipped one when none of them is here."""
    bold = weight in ("bold", "bolder", "600", "700", "800", "900")
    for family in (f.strip().strip("'\"") for f in families.split(",")):
        names = {n.lower(): n for n in (*SHIPPED, *installed_fonts())} if family else {}
        for wanted in ([f"{family} bold"] if bold else []) + [family]:
            if wanted.lower() in names:
                return names[wanted.lower()]
    return "Barlow Bold" if bold else "Barlow"
