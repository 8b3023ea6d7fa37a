"""A printable piece from which makers read the clearance at which keys fit on their own printer."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d as m3
import shapely
from shapely import affinity

from cutkey.core.geometry.primitives import prism, rod
from cutkey.core.geometry.solid import Solid
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.room import FONT
from cutkey.core.lettering.text import TextLook, text_area
from cutkey.core.units import format_mm

#: Clearances a side on the block, mm; common practice, no source.
CLEARANCES = (0.0, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3)
_PITCH, _DEPTH, _ENGRAVED = 13.0, 20.0, 0.5


def trial_piece(
    diameter: float = 6.0, height: float = 10.0, clearances: Sequence[float] = CLEARANCES
) -> tuple[Solid, Solid]:
    """A block with a socket for each clearance, and the pin to try.

    Its figure is engraved beside it in hundredths of a millimetre.

    Parameters
    ----------
    diameter : float
        Of the pin, mm.
    height : float
        Depth of the sockets, mm; a floor of 1.2 mm is under them.

    Returns
    -------
    block, pin : Manifold
        Both as they lie on the bed.
    """
    pitch = max(_PITCH, diameter + 5.0)
    width = pitch * len(clearances) + 3.0
    floor = 1.2
    block = prism(shapely.box(0, 0, width, _DEPTH + diameter - 6.0), 0, floor + height)
    tools = []
    for n, clearance in enumerate(clearances):
        x = 1.5 + pitch * (n + 0.5)
        tools.append(rod(diameter / 2 + clearance, height + 1.0).translate((x, 5.5 + diameter / 2, floor)))
        figure = text_area(font_bytes(FONT), format_mm(clearance * 100, 0), TextLook(4.0), 0.02)
        x0, _, x1, y1 = figure.bounds
        placed = affinity.translate(figure, x - (x0 + x1) / 2, _DEPTH + diameter - 6.0 - 2.2 - y1)
        tools.append(prism(shapely.orient_polygons(placed), floor + height - _ENGRAVED, floor + height + 1.0))
    pin = rod(diameter / 2, height + 8.0)
    return m3.Manifold.batch_boolean([block, *tools], m3.OpType.Subtract), pin + rod(diameter / 2 + 2.5, 3.0)
