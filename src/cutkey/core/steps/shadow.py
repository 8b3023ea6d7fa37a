"""Taking a hard shadow out of a photograph."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class RemoveShadow(Step, frozen=True, tag="shadow"):
    """Divide out a hard shadow that lies across flat colours."""

    title, rank = "Remove shadow", 41

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Remove shadow", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it is for."""
        return self.title, "a hard shadow across flat colours"

    def do(self, work: Work) -> None:
        """Divide by the light."""
        from cutkey.core.imaging.shadow import without_shadow

        work.each(without_shadow)
