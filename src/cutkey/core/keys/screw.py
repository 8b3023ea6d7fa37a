"""A screw and its nut, let in from the back on both sides of the seam."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from cutkey.core.keys.kind import MOUTH, Form, KeyKind, KeySolids
from cutkey.core.screws import CLEARANCE
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.model.cuts import Keys


#: Material clamped between a screw's head and the seam, and as much on the nut's side, mm.
WEB = 4.0
#: Width across flats of nuts (ISO 4032, from memory), mm; the heads of socket screws are about as wide (ISO
#: 4762, from memory).
NUTS: dict[float, float] = {2.0: 4.0, 2.5: 5.0, 3.0: 5.5, 4.0: 7.0, 5.0: 8.0, 6.0: 10.0, 8.0: 13.0}


class ScrewKey(KeyKind):
    """A screw across the seam and a nut that cannot turn; its size is that of the thread."""

    id, rank, title, tip = "screw", 60, "screw and nut", "Let in from the back on both sides of the seam"
    noun, nouns = "screw", "screws"
    sizes = (4, 3, 2.5, 2)
    from_back = True

    def form(self, keys: Keys, size: float, depth: float, thickness: float) -> Form:
        """Of the nearest thread; as high as its pockets."""
        size = min(NUTS, key=lambda k: abs(k - size))
        height = (
            axis_height(size, keys.wall)
            + max(head_width(size) / 2, NUTS[size] / math.sqrt(3))
            + keys.clearance
        )
        return self.measured(keys, size, depth, height)

    def reach(self, f: Form) -> tuple[float, float]:
        """The webs and the pockets behind them."""
        return WEB + head_room(f.size), WEB + nut_room(f.size)

    def half(self, f: Form) -> tuple[float, float]:
        """The head's pocket."""
        return head_width(f.size) / 2 + f.clearance + 0.5, 0.0

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A hole through both webs, with pockets from the back for the head and for the nut.

        The nut cannot turn in its own.
        """
        import shapely

        from cutkey.core.geometry.primitives import rod
        from cutkey.core.keys._upright import upright

        axis = axis_height(f.size, f.wall)
        radius = CLEARANCE[f"M{f.size:g}"] / 2 / (1.0 if sides == 64 else math.cos(math.pi / sides))
        hole = rod(radius, WEB + MOUTH, sides).translate((0, axis, 0))
        head, flats = head_width(f.size) / 2 + f.clearance, NUTS[f.size] / 2 + f.clearance
        near = upright(shapely.box(-head, -WEB - head_room(f.size), head, -WEB), -f.drop, axis + head)
        far = upright(
            shapely.box(-flats, WEB, flats, WEB + nut_room(f.size)),
            -f.drop,
            axis + NUTS[f.size] / math.sqrt(3) + f.clearance,
        )
        return KeySolids(
            near + hole.translate((0, 0, -WEB - 0.1)), far + hole.translate((0, 0, 0.1 - MOUTH)), None, 0, ()
        )

    def middle(self, f: Form) -> float:
        """Through its axis."""
        return axis_height(f.size, f.wall)

    def span(self, f: Form, owner: int) -> tuple[float, float]:
        """What it clamps."""
        return -WEB, WEB

    def sign(self, number: int) -> int:
        """The head is always in the near section."""
        return 1

    def described(self, f: Form) -> str:
        """Thread and length, and its nut."""
        return f"Screw M{format_mm(f.size)} × {math.ceil(2 * WEB + 0.8 * f.size + 1)} with nut"


def head_width(size: float) -> float:
    """Width of the pocket for the head, mm."""
    return 1.5 * size + 1.0


def axis_height(size: float, wall: float) -> float:
    """Height of a screw's axis over the back: material under its hole, and its nut inside, mm."""
    return max(CLEARANCE[f"M{size:g}"] / 2 + wall, NUTS[size] / math.sqrt(3) + 0.3)


def head_room(size: float) -> float:
    """Length of the pocket for the head and the key that turns it, mm."""
    return 3.0 * size + 6.0


def nut_room(size: float) -> float:
    """Length of the pocket for the nut, 0.8 of the thread thick, mm."""
    return 0.8 * size + 0.5
