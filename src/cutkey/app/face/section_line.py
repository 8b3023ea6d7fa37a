"""The line across a face that the section of the depth strip is taken along.

Where it runs, and dragging it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF

Place = tuple[float, float]
Box = tuple[float, float, float, float]
#: Pixels: how near its ends and itself the mouse must be.
END, LINE = 18.0, 5.0


@dataclass
class SectionGrip:
    """A line through a place (mm) at an angle (degrees).

    `set` is None while it goes level through the graphic's middle.
    """

    middle: Place = (0.0, 0.0)
    set: tuple[float, float, float] | None = None
    held: str = ""  # "start" or "end" to turn it by, "line" to move it

    @property
    def line(self) -> tuple[float, float, float]:
        """The line as it is shown."""
        return self.set if self.set is not None else (*self.middle, 0.0)

    def ends(self, box: Box, over: float) -> tuple[Place, Place]:
        """Its ends on the plane: past a box, and by so many mm past the figures that stand beside it."""
        x, y, angle = self.line
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        half = math.hypot((box[2] - box[0]) * c, (box[3] - box[1]) * s) / 2 + over
        # About the middle of the face, so that the ends stay in sight.
        along = ((box[0] + box[2]) / 2 - x) * c + ((box[1] + box[3]) / 2 - y) * s
        return (x + c * (along - half), y + s * (along - half)), (
            x + c * (along + half),
            y + s * (along + half),
        )

    @staticmethod
    def under(p: QPointF, a: QPointF, b: QPointF) -> str:
        """What of a line between two widget places lies under the mouse."""
        for name, end in (("start", a), ("end", b)):
            if math.hypot(p.x() - end.x(), p.y() - end.y()) < END:
                return name
        length = math.hypot(b.x() - a.x(), b.y() - a.y()) or 1.0
        away = abs((p.x() - a.x()) * (b.y() - a.y()) - (p.y() - a.y()) * (b.x() - a.x())) / length
        along = ((p.x() - a.x()) * (b.x() - a.x()) + (p.y() - a.y()) * (b.y() - a.y())) / length
        return "line" if away < LINE and 0 < along < length else ""

    def drag(self, mx: float, my: float) -> None:
        """Follow the mouse, which is at a place of the plane."""
        x, y, angle = self.line
        if self.held == "line":
            x, y = mx, my
        elif math.hypot(mx - x, my - y) > 1e-6:
            turned = math.degrees(math.atan2(my - y, mx - x)) + (180 if self.held == "start" else 0)
            nearest = round(turned / 15) * 15
            angle = nearest if abs(turned - nearest) < 3 else turned
            angle = (angle + 180) % 360 - 180
        self.set = (round(x, 3), round(y, 3), round(angle, 2))
