"""What the maker chose on the light table for one graphic."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import msgspec

from cutkey.core.fields import length, number
from cutkey.core.kinds import one_of
from cutkey.core.steps import all_steps
from cutkey.core.steps.kind import Step

if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = one_of(all_steps())

Mode = Literal["colours", "levels", "threshold", "pixels"]
Shape = Literal["filled", "silhouette", "linework", "outline"]
Background = Literal["auto", "none"]


class TraceSettings(msgspec.Struct, frozen=True):
    """Preparation and trace of one picture; every field has a sensible start value."""

    steps: tuple[AnyStep, ...] = ()  # preparation, in order
    mode: Mode = "colours"
    colours: Annotated[int, number(0, 64)] = 0  # colours or levels; 0 finds the number
    palette: tuple[str, ...] = ()  # the colours to keep; found when empty
    # of levels mode, 0 black to 1 white; found when empty
    thresholds: Annotated[tuple[float, ...], number(0, 1)] = ()
    threshold: Annotated[float | None, number(0, 1)] = None  # 0 black to 1 white; None by Otsu
    light: bool = False  # in threshold mode: the figure is what is lighter
    smooth: bool = True  # only as strongly as the measured noise asks for
    background: Background = "auto"
    keep_soft: bool = False  # a half-transparent shadow or glow is part of the figure
    join_gradients: bool = False  # each soft gradient is one colour
    everywhere: bool = False  # take the background's colour away inside the figure too
    despeckle_mm2: Annotated[float, length()] = 0.3  # at final size
    despeckle_mm: Annotated[float, length()] = 0.0  # pieces nowhere as wide as this go too
    shape: Shape = "filled"
    outline_mm: float = 2.0  # how far the outer outline lies outside the figure
    merges: tuple[tuple[str, str], ...] = ()  # colour, the colour it becomes
    names: tuple[tuple[str, str], ...] = ()  # colour, what the maker calls it
    snap: bool = False  # to the colours of the maker's filaments
