"""Drawings of surfaces, which are told from models so that a sentence can say what to do."""

from __future__ import annotations

from cutkey.core.errors import BadInput
from cutkey.core.formats.kind import Format, Shapes


class Surfaces(Format):
    """STEP and IGES: known, and refused."""

    id, rank, suffixes = "surfaces", 50, (".step", ".stp", ".iges", ".igs")

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Refused."""
        kind = name.rpartition(".")[2].upper()
        raise BadInput(
            f"{name} is {'an' if kind[0] == 'I' else 'a'} {kind} drawing of surfaces; export it as STL or 3MF"
            " from where it was drawn."
        )
