"""OBJ models."""

from __future__ import annotations

from cutkey.core.formats.kind import Format, Shape, Shapes


class Obj(Format):
    """OBJ; polygons are triangulated."""

    id, rank, suffixes = "obj", 30, (".obj",)

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Its faces."""
        from cutkey.core.formats._meshes import by_package

        return Shapes([Shape(by_package(data, name, "obj"))], False)
