"""A backing: the outline of a graphic, grown."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import MadeBody, needed
from cutkey.core.fields import length, size

if TYPE_CHECKING:
    import shapely

    from cutkey.core.geometry.solid import Solid


class BackingBase(MadeBody, frozen=True, tag="backing"):
    """The outer outline of a graphic, grown by a margin, as the body."""

    title, offer, rank = "Backing", "Backing: the graphic's outline, grown", 50

    graphic: str
    margin: Annotated[float, length("Beyond the graphic")] = 3.0
    height: Annotated[float, size("Height")] = 2.0

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> BackingBase:
        """Of the graphic."""
        return cls(needed(graphic))

    @property
    def from_graphic(self) -> str:
        """The graphic's id."""
        return self.graphic

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """The grown outline without its holes, raised."""
        import shapely

        from cutkey.core.geometry.areas import union
        from cutkey.core.geometry.primitives import prism

        grown = shapely.buffer(figure, max(self.margin, 0.01), quad_segs=24)
        return prism(union([shapely.Polygon(p.exterior) for p in shapely.get_parts(grown)]), 0.0, self.height)
