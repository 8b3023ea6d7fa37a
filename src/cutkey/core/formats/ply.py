"""PLY models."""

from __future__ import annotations

from cutkey.core.formats.kind import Format, Shape, Shapes


class Ply(Format):
    """PLY; polygons are triangulated."""

    id, rank, suffixes = "ply", 40, (".ply",)

    def begins(self, data: bytes) -> bool:
        """Its first line is its name."""
        return data[:4] in (b"ply\n", b"ply\r")

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Its faces."""
        from cutkey.core.formats._meshes import by_package

        return Shapes([Shape(by_package(data, name, "ply"))], False)
