"""A flat ring."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import MadeBody, across
from cutkey.core.fields import size

if TYPE_CHECKING:
    import shapely

    from cutkey.core.geometry.solid import Solid


class RingBase(MadeBody, frozen=True, tag="ring"):
    """A flat ring as the body."""

    title, offer, rank, carries = "Ring", "Ring", 30, False

    diameter: Annotated[float, size("Across", low=1)] = 60.0
    inner: Annotated[float, size("Hole")] = 40.0
    height: Annotated[float, size("Height")] = 3.0

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> RingBase:
        """Five mm larger than the graphic all round."""
        wide = across(size) + 10
        return cls(wide, round(0.6 * wide))

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """The ring, raised."""
        import shapely

        from cutkey.core.bodies._edges import circle
        from cutkey.core.errors import BadInput
        from cutkey.core.geometry.primitives import prism

        if not 0 < self.inner < self.diameter:
            raise BadInput("The ring's hole must be smaller than the ring.")
        return prism(shapely.Polygon(circle(self.diameter / 2), [circle(self.inner / 2)]), 0.0, self.height)
