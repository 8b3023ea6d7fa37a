"""Light becomes dark."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class Invert(Step, frozen=True, tag="invert"):
    """Light becomes dark."""

    title, rank = "Invert", 70

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Invert", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it does."""
        return self.title, "light becomes dark"

    def do(self, work: Work) -> None:
        """Every level from white down."""
        work.each(lambda rgb: 255 - rgb)
