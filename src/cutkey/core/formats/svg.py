"""SVG drawings."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.formats.kind import FLATNESS, Drawing, Format

if TYPE_CHECKING:
    from cutkey.core.curves.fitting import Curves


class Svg(Format):
    """SVG."""

    id, rank, holds, suffixes = "svg", 60, "drawing", (".svg",)
    writes = True

    def drawing(self, data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
        """Its regions."""
        from cutkey.core.artwork.svg_read import read_svg

        return read_svg(data, name, flatness)

    def written(self, curves: Curves, title: str) -> str:
        """Its regions, a path or layer a colour."""
        from cutkey.core.artwork.svg_write import svg_of

        return svg_of(curves, title)
