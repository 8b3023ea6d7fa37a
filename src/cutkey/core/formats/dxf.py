"""DXF drawings."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.formats.kind import FLATNESS, Drawing, Format

if TYPE_CHECKING:
    from cutkey.core.curves.fitting import Curves


class Dxf(Format):
    """DXF."""

    id, rank, holds, suffixes = "dxf", 70, "drawing", (".dxf",)
    writes = True

    def drawing(self, data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
        """Its regions."""
        from cutkey.core.artwork.dxf_read import read_dxf

        return read_dxf(data, name, flatness)

    def written(self, curves: Curves, title: str) -> str:
        """Its regions, a path or layer a colour."""
        from cutkey.core.artwork.dxf_write import dxf_of

        return dxf_of(curves, title)
