"""Taking glare out of a photograph."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class RemoveGlare(Step, frozen=True, tag="glare"):
    """Take out light that a surface throws back over its own colours."""

    title, rank = "Remove glare", 42

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """At once."""
        return (Tool("Remove glare", lambda *_: cls()),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """What it is for."""
        return self.title, "a bright spot over flat colours"

    def do(self, work: Work) -> None:
        """Take away the light's share of each colour."""
        from cutkey.core.imaging.glare import without_glare

        work.each(without_glare)
