"""3MF models."""

from __future__ import annotations

from cutkey.core.formats.kind import Format, Shape, Shapes
from cutkey.core.limits import unpacked
from cutkey.core.words import reading as say


class ThreeMF(Format):
    """3MF, by the consortium's library."""

    id, rank, suffixes = "3mf", 20, (".3mf",)

    def begins(self, data: bytes) -> bool:
        """It is a ZIP archive."""
        return data[:4] == b"PK\x03\x04"

    def shapes(self, data: bytes, name: str) -> Shapes:
        """What it builds, in mm."""
        from cutkey.core.formats._meshes import welded
        from cutkey.core.formats._threemf import read_3mf_model

        unpacked(data, name, "is not a 3MF file that can be read; export it again.")
        read = read_3mf_model(data, name)
        found = Shapes([Shape(welded(o.mesh, name), o.colour) for o in read.objects], True, read.notes)
        if len(found.shapes) > 1 and not any(s.colour for s in found.shapes):
            found = found._replace(notes=(*found.notes, say.objects_are_one(len(found.shapes))))
        return found
