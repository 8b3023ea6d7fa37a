"""A raised rim along the edge of a face."""

from __future__ import annotations

from typing import Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import size, tick
from cutkey.core.units import format_mm


class Border(Feature, frozen=True, tag="border"):
    """A raised rim along the outline of the face, or along its holes too."""

    title, tip, rank = "Border", "A raised rim along the edge of the face", 50
    noun, whole_face = "border", True

    width: Annotated[float, size("Width", low=0.2)] = 2.0
    height: Annotated[float, size("Height")] = 1.2
    holes: Annotated[bool, tick("round the holes too")] = False

    def tools(self, where: Where) -> Tools:
        """A band inside the outline."""
        import shapely

        from cutkey.core.geometry.areas import difference, filled_out, grown, intersection
        from cutkey.core.geometry.primitives import prism

        face = where.facet.outline
        outline = face if self.holes else filled_out(face)
        band = intersection(difference(outline, grown(outline, -self.width, join_style="mitre")), face)
        return Tools([prism(band, -0.01, self.height)] if not band.is_empty else [], [], shapely.Polygon())

    def summary(self) -> str:
        """Width and height."""
        return f"{format_mm(self.width)} wide, {format_mm(self.height)} high"

    @property
    def rise(self) -> float:
        """Its height."""
        return self.height
