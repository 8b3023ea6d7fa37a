"""A pocket for a magnet."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import length, size
from cutkey.core.fields import length as side_gap
from cutkey.core.units import format_mm
from cutkey.core.words import building as say
from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    import shapely


class Magnet(Feature, frozen=True, tag="magnet"):
    """A pocket for a magnet: a disc of `width`, or a bar of `width` by `length` when that is above 0.

    A closed pocket lies `roof` mm under the surface: the print is paused to put the magnet in.
    """

    title, tip, rank = "Magnet pocket", "A pocket for a disc or a bar; says how much floor is left", 40
    noun, walled = "magnet pocket", True

    width: Annotated[float, size("Width", "Across, of a disc", low=0.5)] = 20.0
    length: Annotated[float, length("Length", "0 for a disc")] = 0.0
    height: Annotated[float, size("Height", low=0.2)] = 3.0
    # real magnets measure a little under their size
    clearance: Annotated[float, side_gap("Clearance", "A side", high=5, most=5)] = 0.0
    roof: Annotated[
        float,
        side_gap("Closed under", "0 leaves it open; else pause the print and put the magnet in", high=50),
    ] = 0.0

    def tools(self, where: Where) -> Tools:
        """A pocket, open or closed."""
        from cutkey.core.geometry.primitives import PAST, prism

        shape = self.footprint(where.facet.outline)
        top, bottom = -self.roof if self.roof > 0 else where.past, -self.roof - self.height
        return Tools([], [prism(shape, bottom, top)], shape, bottom, min(top, PAST))

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """A disc or a rectangle, its clearance included."""
        import shapely

        from cutkey.core.addons._outlines import disc

        wide, long = self.width + 2 * self.clearance, self.length + 2 * self.clearance
        return shapely.box(-wide / 2, -long / 2, wide / 2, long / 2) if self.length > 0 else disc(wide)

    def summary(self) -> str:
        """Width, length and height."""
        across = format_mm(self.width) + (f" × {format_mm(self.length)}" if self.length else "")
        return f"{across} × {format_mm(self.height)} mm"

    @property
    def closed(self) -> Words | None:
        """When to pause the print."""
        return say.magnet_goes_in(self.roof) if self.roof > 0 else None
