"""What a preparation step is: kept in the job as data, switched off and on, reordered, opened again.

Places are fractions of the picture's width and height as it was opened, so a step keeps its place when
another one that crops or turns the picture is changed.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar, Literal, NamedTuple

import msgspec

from cutkey.core.fields import Field, fields_of

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work

#: Longest side on which pictures are worked; larger ones are reduced on opening, and it is said.
WORKING_SIDE = 3000

Point = tuple[float, float]
#: What is drawn on the picture for a step.
Gesture = Literal["point", "box", "line", "stroke", "lasso", "corners"]


class Tool(NamedTuple):
    """A way to make a step, as the menu lists it."""

    text: str
    #: Makes the step of the places that were drawn and the colour in hand; None when they make none.
    make: Callable[[list[Point], str], Step | None]
    gesture: Gesture | None = None  # nothing is drawn for None
    prompt: str = ""  # "{}" stands for the colour in hand
    stays: bool = False  # it stays in the hand afterwards
    ink: str = ""  # the colour in hand, "" for the one that is picked
    brush: float = 0.0  # width of the brush, as a fraction of the picture's
    upright: bool = False  # its places are mm, y up, and not fractions of the picture


class Step(msgspec.Struct, frozen=True, kw_only=True):
    """One step. Each kind is a file of this folder with one subclass."""

    on: bool = True

    #: What it is called, and its place in the menu; groups of the menu are kept apart.
    title: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    group: ClassVar[int] = 0
    #: It moves pixels: later places are carried along.
    moves: ClassVar[bool] = False
    #: It is about places of this one picture, and goes when another takes its place.
    local: ClassVar[bool] = False

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """The ways to make one."""
        raise NotImplementedError

    def do(self, work: Work) -> None:
        """Carry it out on a picture."""
        raise NotImplementedError

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it is called and does.

        Parameters
        ----------
        size : tuple, optional
            Width and height of the picture as it was opened, px.
        """
        return self.title, ""

    def fields(self, size: tuple[int, int] | None = None) -> tuple[Field, ...]:
        """What can be changed of it."""
        return tuple(f for f in fields_of(type(self)) if f.shown)

    @property
    def handles(self) -> tuple[Point, ...]:
        """Places of it that can be moved on the picture."""
        return ()

    def with_handles(self, places: list[Point]) -> Step | None:
        """The step with these places moved; None when they make none."""
        return None

    @property
    def swatch(self) -> str:
        """The colour it paints with, "" for none."""
        return ""
