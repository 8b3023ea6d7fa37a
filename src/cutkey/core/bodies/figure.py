"""A figure: a graphic itself as the body."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.bodies.kind import MadeBody, needed
from cutkey.core.fields import size

if TYPE_CHECKING:
    import shapely

    from cutkey.core.geometry.solid import Solid


class FigureBase(MadeBody, frozen=True, tag="figure"):
    """The figure of a graphic itself as the body."""

    title, offer, rank, carries = "Figure", "The graphic itself as the body", 60, False

    graphic: str
    height: Annotated[float, size("Height")] = 3.0

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> FigureBase:
        """Of the graphic."""
        return cls(needed(graphic))

    @property
    def from_graphic(self) -> str:
        """The graphic's id."""
        return self.graphic

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """The figure, raised."""
        from cutkey.core.geometry.primitives import prism

        return prism(figure, 0.0, self.height)
