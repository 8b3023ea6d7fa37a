"""A plate with rounded corners."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import EdgeField, EdgeSize, MadeBody, Remark
from cutkey.core.fields import length, size
from cutkey.core.words import building as say

if TYPE_CHECKING:
    import numpy as np
    import shapely

    from cutkey.core.geometry.solid import Solid


class PlateBase(MadeBody, frozen=True, tag="plate"):
    """A plate with rounded corners as the body; lengths in mm. `edge` says how its upper rim is finished."""

    title, offer, rank = "Plate", "Plate with rounded corners", 10

    width: Annotated[float, size("Width", low=0.4)] = 80.0
    depth: Annotated[float, size("Depth", low=0.4)] = 80.0
    height: Annotated[float, size("Height")] = 3.0
    corner: Annotated[float, length("Corners", "Radius of the corners")] = 4.0
    edge: EdgeField = "sharp"
    edge_mm: EdgeSize = 0.8

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> PlateBase:
        """Five mm larger all round."""
        w, h = size or (70.0, 70.0)
        return cls(round(w + 10), round(h + 10), 3.0, 4.0)

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """A rounded rectangle, raised."""
        from cutkey.core.bodies._edges import edged

        # Corners keep their number of points whatever the inset, so that layers match point by point.
        corner = min(self.corner, self.width / 2, self.depth / 2)
        return edged(
            lambda d: _inset_rectangle(self.width, self.depth, corner, d),
            self.height,
            self.edge,
            self.edge_mm,
        )

    def outline(self) -> np.ndarray:
        """Two opposite corners."""
        import numpy as np

        return np.array([(0.0, 0.0), (self.width, self.depth)])

    def remarks(self, solid: Solid) -> list[Remark]:
        """Corners that are larger than the plate takes."""
        most = min(self.width, self.depth) / 2
        if self.corner <= most + 1e-9:
            return []
        return [Remark(say.corner_made_smaller(self.corner, most), most, self.corner)]


def _inset_rectangle(width: float, depth: float, corner: float, inset: float) -> np.ndarray:
    import numpy as np

    from cutkey.core.geometry.primitives import rounded_rectangle

    if inset == 0:
        return np.asarray(rounded_rectangle(width, depth, corner).exterior.coords)[:-1]
    per_quarter = len(rounded_rectangle(width, depth, corner).exterior.coords) // 4
    r = max(corner - inset, 0.01)
    t = np.linspace(0, np.pi / 2, max(2, per_quarter))
    x, y = width / 2 - inset - r, depth / 2 - inset - r
    quarters = [
        np.c_[sx * x + r * np.cos(t + k * np.pi / 2), sy * y + r * np.sin(t + k * np.pi / 2)]
        for k, (sx, sy) in enumerate(((1, 1), (-1, 1), (-1, -1), (1, -1)))
    ]
    return np.concatenate(quarters)
