"""Evening the light of a photograph."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class EvenLight(Step, frozen=True, tag="light"):
    """Take a slow change of brightness out."""

    title, rank = "Even light", 40

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Even light", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it is for."""
        return self.title, "for photographs"

    def do(self, work: Work) -> None:
        """Divide by the ground's brightness."""
        from cutkey.core.imaging.prepare import even_light

        work.each(even_light)
