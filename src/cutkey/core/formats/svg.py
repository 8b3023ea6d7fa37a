"""SVG drawings."""

from __future__ import annotations

from cutkey.core.formats.kind import Drawing, Format


class Svg(Format):
    """SVG."""

    id, rank, holds, suffixes = "svg", 60, "drawing", (".svg",)

    def drawing(self, data: bytes, name: str) -> Drawing:
        """Its regions."""
        from cutkey.core.artwork.svg_read import read_svg

        return read_svg(data, name)
