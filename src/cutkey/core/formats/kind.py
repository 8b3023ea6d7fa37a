"""What a file format is."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Literal, NamedTuple

from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    from cutkey.core.artwork.svg_read import Drawing as Drawing
    from cutkey.core.curves.fitting import Curves
    from cutkey.core.geometry.mesh import Mesh
else:
    Drawing = object

#: Between the curves of a drawing and their chords where nobody knows its size yet, as a share of the size.
FLATNESS = 5e-5
Holds = Literal["picture", "drawing", "model"]


class Shape(NamedTuple):
    """One object of a file, in the file's unit (mm for 3MF)."""

    mesh: Mesh
    colour: str = ""


class Shapes(NamedTuple):
    """The objects of a file."""

    shapes: list[Shape]
    in_mm: bool
    notes: tuple[Words, ...] = ()


class Format:
    """A format. Each is a file of this folder with one subclass."""

    id: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    #: What its files hold, and the endings of their names.
    holds: ClassVar[Holds] = "model"
    suffixes: ClassVar[tuple[str, ...]] = ()
    #: Whether graphics are written to it too.
    writes: ClassVar[bool] = False

    def begins(self, data: bytes) -> bool:
        """Whether a file begins as only this format does."""
        return False

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Objects of a model.

        Raises
        ------
        BadInput
            When it cannot be read.
        """
        raise NotImplementedError

    def drawing(self, data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
        """Regions of a drawing, its curves within a share of its size.

        Raises
        ------
        BadInput
            When it cannot be read.
        """
        raise NotImplementedError

    def written(self, curves: Curves, title: str) -> str:
        """The boundaries of regions, in mm, as a drawing."""
        raise NotImplementedError
