"""What a made body is: measures in mm, and how a solid is made of them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal, NamedTuple

import msgspec

from cutkey.core.errors import BadInput
from cutkey.core.fields import choice, length
from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    import numpy as np
    import shapely

    from cutkey.core.geometry.solid import Solid

Edge = Literal["sharp", "fillet", "chamfer"]
#: The finish of an upper rim, and how large it is.
EdgeField = Annotated[Edge, choice("Upper edge", sharp="sharp", fillet="rounded", chamfer="bevelled")]
EdgeSize = Annotated[float, length("By", "Radius of the rounding, or width of the bevel")]


class Remark(NamedTuple):
    """Something about a made body that its maker should look at."""

    says: Words
    figure: float
    limit: float


class MadeBody(msgspec.Struct, frozen=True):
    """A body that is made from numbers, or from the outline of a graphic.

    Each kind is a file of this folder with one subclass; its fields say what they are called and may be
    (`core.fields`), from which its form and the check of a job file follow.
    """

    #: What it is called, what the menu says, and its place there.
    title: ClassVar[str] = ""
    offer: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    #: Whether a graphic is laid on its top at once.
    carries: ClassVar[bool] = True

    @classmethod
    def suited(cls, size: tuple[float, float] | None, graphic: str) -> MadeBody:
        """A first one for a graphic.

        Parameters
        ----------
        size : tuple or None
            Width and height of the graphic, mm, when there is one.
        graphic : str
            Its id, "" when there is none.
        """
        raise NotImplementedError

    @property
    def from_graphic(self) -> str:
        """Id of the graphic whose outline it is made from, "" for none."""
        return ""

    @property
    def top(self) -> float:
        """Height of the face that graphics are laid on, mm."""
        return float(getattr(self, "height", 0.0))

    def shape(self, figure: shapely.Geometry | None) -> Solid:
        """The body on z = 0, its middle at x = y = 0.

        Parameters
        ----------
        figure : Polygon or MultiPolygon or None
            All regions of the graphic that it is made from, mm.

        Raises
        ------
        BadInput
            When the numbers give no body.
        """
        raise NotImplementedError

    def solid(self, figure: shapely.Geometry | None = None) -> Solid:
        """The same, refused when a length leaves no volume or the graphic is empty."""
        if min(getattr(self, name, 1) for name in ("height", "width", "depth", "diameter")) <= 0:
            raise BadInput("The body has no volume; give it a size and a height above 0.")
        if self.from_graphic and (figure is None or figure.is_empty):
            raise BadInput("The graphic is empty, so no body can be made from it.")
        return self.shape(figure)

    def outline(self) -> np.ndarray | None:
        """Points (N, 2) of an outline whose upper edge can be finished, None for a body without such an edge.

        Returns
        -------
        ndarray, (N, 2), float64, or None
            mm.
        """
        return None

    def remarks(self, solid: Solid) -> list[Remark]:
        """What is to be said of it as it came out, measured on the finished solid."""
        return []


def across(size: tuple[float, float] | None) -> float:
    """The diagonal of a graphic, mm; of a usual one when there is none."""
    return float(round((size[0] ** 2 + size[1] ** 2) ** 0.5)) if size else 60.0


def needed(graphic: str) -> str:
    """The id of a graphic that a body is made from.

    Raises
    ------
    BadInput
        When there is none.
    """
    if not graphic:
        raise BadInput("There is no graphic yet; open a picture on the Trace sheet first.")
    return graphic
