"""A hole for a screw."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import among, tick
from cutkey.core.screws import CLEARANCE, HEAD, Screw

if TYPE_CHECKING:
    import shapely


class ScrewHole(Feature, frozen=True, tag="screw"):
    """A clearance hole for a screw, with or without a countersink for its head."""

    title, tip, rank = "Screw hole", "Clearance by ISO 273, with a countersink for the head", 20
    noun, walled = "screw hole", True

    size: Annotated[Screw, among("Screw", tuple(CLEARANCE))] = "M3"
    countersunk: Annotated[bool, tick("countersunk head")] = True

    def tools(self, where: Where) -> Tools:
        """A cylinder, and a cone for the head."""
        import manifold3d as m3

        from cutkey.core.addons._outlines import QUARTER, disc
        from cutkey.core.geometry.primitives import PAST, prism

        hole = CLEARANCE[self.size]
        tools = [prism(disc(hole), -where.through, where.past)]
        if not self.countersunk:
            return Tools([], tools, disc(hole))
        head = HEAD[self.size]
        deep = (head - hole) / 2
        tools.append(
            m3.Manifold.cylinder(deep + PAST, hole / 2, head / 2 + PAST, 4 * QUARTER).translate((0, 0, -deep))
        )
        if where.past > PAST:
            tools.append(prism(disc(head + 2 * PAST), PAST - 0.01, where.past))
        return Tools([], tools, disc(hole), sunk=deep)

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """The head, or the hole."""
        from cutkey.core.addons._outlines import disc

        return disc(HEAD[self.size] if self.countersunk else CLEARANCE[self.size])

    def summary(self) -> str:
        """Its size."""
        return self.size
