"""Brightness and contrast."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.fields import number
from cutkey.core.steps.kind import Step, Tool
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class Tone(Step, frozen=True, tag="tone"):
    """Brightness and contrast, each from -1 to 1."""

    title, rank = "Brightness", 50

    brightness: Annotated[float, number(-1, 1, "Brightness", step=5.0, factor=100.0)] = 0.0
    contrast: Annotated[float, number(-1, 1, "Contrast", step=5.0, factor=100.0)] = 0.0

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once, with a little contrast."""
        return (Tool("Brightness and contrast", lambda *_: cls(0.0, 0.2)),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """Both."""
        return (
            self.title,
            f"{format_mm(100 * self.brightness, 0)} bright, {format_mm(100 * self.contrast, 0)} contrast",
        )

    def do(self, work: Work) -> None:
        """By a table of levels."""
        import cv2
        import numpy as np

        # Contrast turns the line about middle grey; at 1 it is four times as steep.
        slope = 4.0**self.contrast
        table = np.clip((np.arange(256) - 127.5) * slope + 127.5 + 255 * self.brightness, 0, 255)
        levels = np.round(table).astype(np.uint8)
        work.each(lambda rgb: np.asarray(cv2.LUT(rgb, levels)))
