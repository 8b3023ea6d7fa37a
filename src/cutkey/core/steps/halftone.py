"""Taking the dots of a print out of a picture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class RemoveHalftone(Step, frozen=True, tag="halftone"):
    """Average the dots that a printed picture is made of."""

    title, rank = "Remove halftone", 43

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Remove halftone", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it is for."""
        return self.title, "the dots of a printed picture"

    def do(self, work: Work) -> None:
        """Take the waves of the dots out."""
        from cutkey.core.imaging.halftone import without_halftone

        work.each(without_halftone)
