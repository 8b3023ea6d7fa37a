"""DXF drawings."""

from __future__ import annotations

from cutkey.core.formats.kind import Drawing, Format


class Dxf(Format):
    """DXF."""

    id, rank, holds, suffixes = "dxf", 70, "drawing", (".dxf",)

    def drawing(self, data: bytes, name: str) -> Drawing:
        """Its regions."""
        from cutkey.core.artwork.dxf_read import read_dxf

        return read_dxf(data, name)
