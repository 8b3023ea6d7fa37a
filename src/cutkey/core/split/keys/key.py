"""Keys as measures: their kinds, how large each is, and where one sits."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np

from cutkey.core.model.cuts import Keys, Seam
from cutkey.core.screws import CLEARANCE
from cutkey.core.units import format_mm

Kind = Literal["dowel", "tenon", "dovetail", "bowtie", "magnet", "screw", "stepped", "wave", "tabs"]
#: Kinds that lie on the seam from the back (the low side of the face), or go through from back to front.
FROM_BACK = ("dovetail", "bowtie", "screw", "stepped", "wave", "tabs")
SHAPED = ("stepped", "wave", "tabs")
#: A key printed on begins this far inside its own section, so that both are one solid, mm.
ROOT = 0.3
#: A socket begins this far outside, so that nothing is left over its mouth, mm.
MOUTH = 0.5
#: Faces of magnets stand back from the cut by this, mm.
MAGNET_BACK = 0.1
#: Slope of a tenon's sides and of a dovetail's, degrees.
TENON_TAPER, DOVETAIL_SLOPE = 3.0, 14.0
#: Height of a tenon as a share of its width.
TENON_HEIGHT = 0.62
#: Material clamped between a screw's head and the seam, and as much on the nut's side, mm.
WEB = 4.0
#: Width across flats of nuts (ISO 4032, from memory), mm; the heads of socket screws are about as wide (ISO 4762, from memory).
NUTS: dict[float, float] = {2.0: 4.0, 2.5: 5.0, 3.0: 5.5, 4.0: 7.0, 5.0: 8.0, 6.0: 10.0, 8.0: 13.0}


class Form(NamedTuple):
    """Measures of a key, mm."""

    kind: Kind
    size: float  # diameter or greatest width
    depth: float  # into each section; of a bow-tie half its length
    height: float  # along the face's up: of a tenon; from the back of a bow-tie, dovetail or screw
    clearance: float
    end_gap: float
    wall: float
    stock: str = "printed"
    drop: float = 1.0  # of one from the back: how far below its place its pocket is open
    rise: float = 1.0  # of a shaped seam: how far above its place the design goes

    @property
    def reach(self) -> tuple[float, float]:
        """How far it goes into the near and the far section."""
        d = self.depth + self.end_gap
        if self.kind == "screw":
            return WEB + head_room(self.size), WEB + nut_room(self.size)
        if self.kind in ("tenon", "dovetail", *SHAPED):
            return ROOT, d
        if self.kind == "magnet":
            return self.depth + MAGNET_BACK, self.depth + MAGNET_BACK
        return (d, d) if self.kind == "dowel" else (self.depth, self.depth)

    @property
    def half(self) -> tuple[float, float]:
        """Half the room it takes along right and up on the face, without the wall; up does not matter to one from the back."""
        if self.kind == "tenon":
            c = self.clearance / math.cos(math.radians(TENON_TAPER))
            return self.size / 2 + c, self.height / 2 + c
        if self.kind == "screw":
            return head_width(self.size) / 2 + self.clearance + 0.5, 0.0
        r = self.size / 2 + self.clearance * (1.4 if self.kind in FROM_BACK else 1.0)
        return r, r

    @property
    def loose(self) -> bool:
        """Whether it is a thing of its own, rather than a part of a section."""
        return self.kind in ("dowel", "bowtie", "magnet", "screw")

    def described(self) -> str:
        """For lists: ``Dowel 4 × 20``."""
        f = format_mm
        if self.kind == "dowel":
            what = {"printed": "Dowel", "wood": "Wooden dowel", "metal": "Metal rod"}[self.stock]
            return f"{what} {f(self.size)} × {f(2 * self.depth)}"
        if self.kind == "bowtie":
            return f"Bow-tie {f(self.size)} × {f(2 * self.depth)} × {f(self.height - self.end_gap)}"
        if self.kind == "magnet":
            return f"Magnet {f(self.size)} × {f(self.depth)}"
        if self.kind == "screw":
            return f"Screw M{f(self.size)} × {math.ceil(2 * WEB + 0.8 * self.size + 1)} with nut"
        return f"{self.kind} {f(self.size)} × {f(self.depth)}"


class Key(NamedTuple):
    """A key in its place."""

    form: Form
    u: float  # on the plane of its cut, mm
    v: float
    centre: tuple[float, float, float]
    angle: float = 0.0
    owner: int = -1  # side of the section it is printed on, when it is
    sign: int = 0  # 1: the north pole of a magnet faces out of the near section
    colour: str = ""  # of the design around a loose printed key


def form_of(kind: Kind, keys: Keys, size: float, depth: float, thickness: float) -> Form:
    """Measures of a key of a kind and size.

    Parameters
    ----------
    depth : float
        0 for what is usual with the size.
    thickness : float
        Height of the face, mm.
    """
    end = keys.end_gap
    height = size
    if kind == "dowel":
        depth = depth or float(np.clip(2.5 * size, 5.0, 15.0))
    elif kind == "tenon":
        depth, height = depth or float(np.clip(size, 3.0, 12.0)), TENON_HEIGHT * size
    elif kind == "dovetail":
        depth, height = depth or 0.5 * size, max(0.0, thickness - max(keys.wall, 0.2 * thickness) - end)
    elif kind == "bowtie":
        depth, height = depth or 0.8 * size, max(0.0, min(0.6 * thickness, thickness - keys.wall, 6.0))
    elif kind == "magnet":
        depth = depth or 2.0
    elif kind == "screw":
        size = min(NUTS, key=lambda k: abs(k - size))
        height = axis_height(size, keys.wall) + max(head_width(size) / 2, NUTS[size] / math.sqrt(3)) + keys.clearance
    return Form(kind, size, round(depth, 3), round(height, 3), keys.clearance, end, keys.wall, keys.stock)


def printed_overhang(keys: Keys) -> float:
    """How far keys of these settings reach over a cut at most, mm; loose ones do not."""
    if keys.kind == "tenon":
        return keys.depth or 12.0
    return (keys.depth or 8.0) if keys.kind == "dovetail" else 0.0


def seam_form(seam: Seam, thickness: float, wall: float) -> Form:
    """Measures of one step, wave or tab of a shaped seam."""
    share = {"stepped": 0.5, "wave": 0.5, "tabs": 0.55}[seam.shape]
    return Form(seam.shape, share * seam.pitch, seam.reach, thickness, seam.clearance, seam.clearance, wall)  # type: ignore[arg-type]


def head_width(size: float) -> float:
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
