"""A coin: a disc, with or without a raised rim."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import EdgeField, EdgeSize, MadeBody, Remark, across
from cutkey.core.fields import length, size, tick
from cutkey.core.words import building as say

if TYPE_CHECKING:
    import numpy as np
    import shapely

    from cutkey.core.geometry.solid import Solid


#: A rim's top should be so wide, mm: two lines of a usual nozzle (common practice, no source).
LAND = 0.8


class CoinBase(MadeBody, frozen=True, tag="coin"):
    """A disc as the body, with a raised rim when `rim` is above 0."""

    title, offer, rank = "Coin", "Coin, with or without a rim", 20

    diameter: Annotated[float, size("Across", low=1)] = 50.8
    height: Annotated[float, size("Height")] = 4.0
    rim: Annotated[float, length("Rim width", "0 for none")] = 0.0  # width of the rim
    rim_height: Annotated[float, length("Rim height", "Of the rim above the field")] = 1.0
    both: Annotated[bool, tick("rim on the underside too")] = False
    edge: EdgeField = "sharp"
    edge_mm: EdgeSize = 0.5

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> CoinBase:
        """Four mm larger all round, with a rim."""
        return cls(across(size) + 8, 4.0, 1.2, 1.0)

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """A disc less the fields that its rims leave."""
        import manifold3d as m3
        import shapely

        from cutkey.core.bodies._edges import circle, edged
        from cutkey.core.errors import BadInput
        from cutkey.core.geometry.primitives import prism

        radius = self.diameter / 2
        body = edged(lambda d: circle(radius) * (1 - d / radius), self.height, self.edge, self.edge_mm)
        if self.rim <= 0 or self.rim_height <= 0:
            return body
        if self.rim >= radius or self.rim_height * (2 if self.both else 1) >= self.height:
            raise BadInput("The coin's rim leaves no field; make it narrower and lower.")
        field = shapely.Polygon(circle(radius - self.rim))
        fields = [prism(field, self.height - self.rim_height, self.height + 1)]
        if self.both:
            fields.append(prism(field, -1.0, self.rim_height))
        return m3.Manifold.batch_boolean([body, *fields], m3.OpType.Subtract)

    def outline(self) -> np.ndarray:
        """The circle."""
        from cutkey.core.bodies._edges import circle

        return circle(self.diameter / 2)

    def remarks(self, solid: Solid) -> list[Remark]:
        """Rims that end in an edge."""
        import shapely

        from cutkey.core.geometry.areas import area_of
        from cutkey.core.geometry.solid import bounds_of

        if self.rim <= 0 or self.rim_height <= 0:
            return []
        low, high = bounds_of(solid)
        out = []
        for upper, z in ((True, high[2] - 0.005), *(((False, low[2] + 0.005),) if self.both else ())):
            land = area_of(solid.slice(float(z)).to_polygons())
            width = (
                2 * float(shapely.maximum_inscribed_circle(land, tolerance=0.005).length)
                if not land.is_empty
                else 0.0
            )
            if width < min(LAND, self.rim - 0.01):
                out.append(Remark(say.rim_ends_in_an_edge(upper, width, LAND), round(width, 3), LAND))
        return out
