"""Smoothing noise."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.fields import number
from cutkey.core.steps.kind import Step, Tool
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class Denoise(Step, frozen=True, tag="denoise"):
    """Smooth areas and keep edges, for noise of a stated strength."""

    title, rank = "Denoise", 60

    strength: Annotated[float, number(0, 255, "Strength", low=1.0, high=60.0)] = 8.0  # grey levels

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Denoise", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """Its strength."""
        return self.title, f"strength {format_mm(self.strength, 1)}"

    def do(self, work: Work) -> None:
        """Smooth, edges kept."""
        from cutkey.core.imaging.prepare import smooth

        work.each(lambda rgb: smooth(rgb, self.strength))
