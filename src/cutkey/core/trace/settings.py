"""What the maker chose on the light table for one graphic."""

from __future__ import annotations

from typing import Literal

import msgspec

Mode = Literal["colours", "levels", "threshold"]
Shape = Literal["filled", "silhouette"]
Background = Literal["auto", "none", "point"]


class TraceSettings(msgspec.Struct, frozen=True):
    """Preparation and trace of one picture; every field has a sensible start value."""

    mode: Mode = "colours"
    colours: int = 0  # colours or levels; 0 finds the number
    threshold: float | None = None  # 0 black to 1 white; None by Otsu
    invert: bool = False
    crop: tuple[float, float, float, float] | None = None  # left, top, right, bottom as fractions
    even_light: bool = False
    smooth: bool = True  # only as strongly as the measured noise asks for
    background: Background = "auto"
    background_at: tuple[float, float] = (0.0, 0.0)  # fractions of width and height, for "point"
    everywhere: bool = False  # take the background's colour away inside the figure too
    despeckle_mm2: float = 0.3  # at final size
    shape: Shape = "filled"
    merges: tuple[tuple[str, str], ...] = ()  # colour, the colour it becomes
