"""A groove for an LED strip."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import size, tick
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    import shapely


class Channel(Feature, frozen=True, tag="channel"):
    """A groove on the face, for an LED strip: straight, about its place, or along a path.

    With `exit` its end goes on to the edge.
    """

    title, tip, rank = "Channel", "A groove for an LED strip, with an exit for its cable", 70
    noun, covered = "channel", "runs as a tunnel under"

    length: Annotated[float, size("Length", low=1)] = 60.0
    path: tuple[tuple[float, float], ...] = ()  # of two points or more; takes the place of the length
    width: Annotated[float, size("Width", low=0.5)] = 10.0
    depth: Annotated[float, size("Depth", low=0.2)] = 3.0
    exit: Annotated[bool, tick("out at the edge, for the cable")] = True

    def tools(self, where: Where) -> Tools:
        """The groove."""
        from cutkey.core.geometry.primitives import prism

        shape = self.footprint(where.facet.outline)
        return Tools([], [prism(shape, -self.depth, where.past)], shape, -self.depth)

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """Along its path; one with an exit goes on past the edge of the face."""
        import numpy as np
        import shapely

        from cutkey.core.geometry.areas import grown

        path = list(self.path)
        if len(path) < 2:
            path = [(-self.length / 2, 0.0), (self.length / 2, 0.0)]
        line = shapely.LineString(path)
        if self.exit:
            (x0, y0), (x1, y1) = path[-2:]
            far = max(np.ptp(np.array(face.bounds).reshape(2, 2), axis=0).max(), 1.0) * 2
            size = math.hypot(x1 - x0, y1 - y0) or 1.0
            line = shapely.LineString([*path, (x1 + (x1 - x0) / size * far, y1 + (y1 - y0) / size * far)])
        return grown(line, self.width / 2, cap_style="flat", join_style="mitre")

    def summary(self) -> str:
        """Width and depth."""
        return f"{format_mm(self.width)} wide, {format_mm(self.depth)} deep"
