"""A round hole."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import length, size
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    import shapely


class Hole(Feature, frozen=True, tag="hole"):
    """A round hole, right through when `depth` is 0."""

    title, tip, rank = "Round hole", "Right through, or a pocket of a depth", 10
    noun, walled = "hole", True

    diameter: Annotated[float, size("Across")] = 3.0
    depth: Annotated[float, length("Depth", "0 goes right through")] = 0.0

    def tools(self, where: Where) -> Tools:
        """A cylinder."""
        from cutkey.core.geometry.primitives import prism

        area = self.footprint(where.facet.outline)
        bottom = -self.depth if self.depth else -math.inf
        return Tools([], [prism(area, -(self.depth or where.through), where.past)], area, bottom)

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """A disc."""
        from cutkey.core.addons._outlines import disc

        return disc(self.diameter)

    def summary(self) -> str:
        """Its diameter."""
        return f"{format_mm(self.diameter)} mm"
