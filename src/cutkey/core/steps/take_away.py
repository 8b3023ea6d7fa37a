"""Taking a colour away."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.fields import number, tick
from cutkey.core.steps.kind import Point, Step, Tool
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class TakeAway(Step, frozen=True, tag="take away"):
    """Remove what has the colour at a place, within a CIEDE2000 tolerance."""

    title, rank, group, local = "Take away", 80, 1, True

    at: Point
    tolerance: Annotated[float, number(0, 200, "Tolerance", high=100.0)] = 12.0
    touching: Annotated[bool, tick("only what touches")] = True  # only what touches the place

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """Click a colour that should go."""
        return (
            Tool("Take a colour away", lambda f, _: cls(f[0]), "point", "click a colour to take it away"),
        )

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """Where, and how near a colour must be."""
        how = "touching only" if self.touching else "everywhere"
        return self.title, f"{how}, tolerance {format_mm(self.tolerance, 0)}"

    def do(self, work: Work) -> None:
        """Mark the pixels as removed."""
        import numpy as np

        from cutkey.core.imaging.work import area_like

        x, y = work.pixel(self.at)
        mask = area_like(work.rgb, x, y, self.tolerance, self.touching)
        # One even colour, so that its edges are read as blends of that one.
        work.rgb = work.rgb.copy()
        work.rgb[mask] = np.median(work.rgb[mask], axis=0).astype(np.uint8)
        work.away = work.away | mask
