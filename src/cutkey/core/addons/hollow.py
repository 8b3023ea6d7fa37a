"""A body emptied from one of its faces."""

from __future__ import annotations

from typing import Annotated

from cutkey.core.addons.kind import Feature, Tools, Where
from cutkey.core.fields import size
from cutkey.core.units import format_mm


class Hollow(Feature, frozen=True, tag="hollow"):
    """The body emptied from the face, walls and floor left."""

    title, tip, rank = "Hollow", "Emptied from this face, for a lamp; walls and floor stay", 60
    noun, whole_face, walled = "hollow", True, True

    wall: Annotated[float, size("Wall", low=0.4)] = 1.6
    floor: Annotated[float, size("Floor", low=0.2)] = 1.0

    def tools(self, where: Where) -> Tools:
        """A cavity that keeps to the walls and the floor."""
        from cutkey.core.addons._cavity import cavity, depth_of
        from cutkey.core.errors import BadInput
        from cutkey.core.geometry.areas import grown
        from cutkey.core.geometry.facets import model_to_face

        tool = cavity(
            where.body.transform(model_to_face(where.facet)),
            where.facet.outline,
            self.wall,
            self.floor,
            where.past,
        )
        if tool.is_empty():
            raise BadInput("The walls and the floor leave nothing to hollow out; make them thinner.")
        return Tools([], [tool], grown(where.facet.outline, -self.wall, join_style="mitre"), -depth_of(tool))

    def summary(self) -> str:
        """Walls and floor."""
        return f"walls {format_mm(self.wall)}, floor {format_mm(self.floor)}"

    @property
    def wall_asked(self) -> float:
        """Its walls."""
        return self.wall

    @property
    def floor_asked(self) -> float:
        """Its floor."""
        return self.floor
