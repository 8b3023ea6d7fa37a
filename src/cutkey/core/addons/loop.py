"""A loop for a key ring."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import length, size
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    import shapely


class Loop(Feature, frozen=True, tag="loop"):
    """A tab with a hole for a key ring, as thick as the body behind the place or as said."""

    title, tip, rank = "Key-ring loop", "A tab with a hole; move it over the edge", 30
    noun, walled, hangs, round = "loop", True, True, True

    hole: Annotated[float, size("Hole", low=0.5)] = 5.0
    wall: Annotated[float, size("Wall", low=0.4)] = 2.0
    thickness: Annotated[float, length("Thickness", "0 takes the body's own")] = 0.0

    def tools(self, where: Where) -> Tools:
        """A disc with a hole."""
        from cutkey.core.addons._outlines import disc
        from cutkey.core.errors import BadInput
        from cutkey.core.geometry.primitives import PAST, prism

        thick = self.thickness or where.behind
        if thick <= 0:
            raise BadInput("There is no body behind the loop's place to tell its thickness; give it one.")
        ring, hole = disc(self.hole + 2 * self.wall), disc(self.hole)
        return Tools([prism(ring, -thick, 0.0)], [prism(hole, -thick - PAST, where.past)], hole)

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """A ring."""
        from cutkey.core.addons._outlines import disc

        return disc(self.hole + 2 * self.wall).difference(disc(self.hole))

    def summary(self) -> str:
        """Its hole."""
        return f"hole {format_mm(self.hole)} mm"

    @property
    def neck_asked(self) -> float:
        """As thick as its wall."""
        return self.wall
