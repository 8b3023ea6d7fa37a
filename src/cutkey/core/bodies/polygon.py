"""A regular polygon."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import EdgeField, EdgeSize, MadeBody, across
from cutkey.core.fields import number, size

if TYPE_CHECKING:
    import numpy as np
    import shapely

    from cutkey.core.geometry.solid import Solid


class PolygonBase(MadeBody, frozen=True, tag="polygon"):
    """A regular polygon as the body, `width` across its flats.

    With an odd number of sides it is twice the inner radius.
    """

    title, offer, rank = "Polygon", "Regular polygon", 40

    sides: Annotated[int, number(3, 360, "Sides", high=200, whole=True)] = 6
    width: Annotated[float, size("Across flats", low=1)] = 60.0
    height: Annotated[float, size("Height")] = 3.0
    edge: EdgeField = "sharp"
    edge_mm: EdgeSize = 0.8

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> PolygonBase:
        """A hexagon five mm larger all round."""
        return cls(6, across(size) + 10)

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """The polygon, raised."""
        from cutkey.core.bodies._edges import edged
        from cutkey.core.errors import BadInput

        if self.sides < 3:
            raise BadInput("A polygon has three sides or more.")
        return edged(lambda d: _regular(self.sides, self.width / 2 - d), self.height, self.edge, self.edge_mm)

    def outline(self) -> np.ndarray:
        """Its corners."""
        return _regular(self.sides, self.width / 2)


def _regular(sides: int, inner: float) -> np.ndarray:
    import numpy as np

    t = (np.arange(sides) + 0.5) * 2 * np.pi / sides - np.pi / 2
    return np.asarray(np.c_[np.cos(t), np.sin(t)] * inner / np.cos(np.pi / sides))
