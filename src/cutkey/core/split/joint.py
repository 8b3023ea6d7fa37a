"""A joint and its keys."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import shapely

from cutkey.core.keys.kind import Key
from cutkey.core.model.cuts import JointKeys, Keys
from cutkey.core.split.plane import Plane
from cutkey.core.split.proofs.marks import Pattern, marks_of
from cutkey.core.split.proofs.overlap import Outline
from cutkey.core.words.kind import Words


class Joint(NamedTuple):
    """Two sections that meet at a cut."""

    cut: int  # number of the cut
    letter: str
    sections: tuple[str, str]  # near and far
    numbers: tuple[int, int]
    plane: Plane
    area: shapely.Geometry  # where the sections meet, in plane coordinates
    keys: tuple[Key, ...]
    # why it has fewer than two keys, or lets them join in another way; None when all is well
    note: Words | None
    by_hand: bool
    settings: Keys  # what its keys were set by
    own: JointKeys | None = None  # where it differs from the others of its cut
    piece: bool = False  # one of several straight pieces of a seam

    @property
    def name(self) -> str:
        """For example ``A1|B1``."""
        return "|".join(self.sections)

    @property
    def glue_area(self) -> float:
        """Area of the face, mm2."""
        return float(self.area.area)

    def patterns(self, number: int) -> tuple[Pattern, Pattern]:
        """What the keys look like on the near and on the far face."""
        marks = [marks_of(k.form, complex(k.u, k.v), k.angle, k.owner, k.sign) for k in self.keys]
        # A straight piece of a seam with corners is no face by itself: its other pieces are in the way of
        # what the keys allow.
        outline = None if self.piece else _outline(self.area)
        near, far = tuple(m[0] for m in marks), tuple(m[1] for m in marks)
        return Pattern(number, -1, near, outline), Pattern(number, 1, far, outline)


@lru_cache(maxsize=256)
def _outline(area: shapely.Geometry) -> Outline:
    return Outline(area)
