"""One half of a body, and its mirror image."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

from cutkey.core.addons.kind import Feature
from cutkey.core.fields import choice

if TYPE_CHECKING:
    from cutkey.core.geometry.facets import Facet
    from cutkey.core.geometry.solid import Solid


class Half(Feature, frozen=True, tag="half"):
    """One half of the body cut away at the middle of the face and replaced by the mirror image of the other.

    `keep` is the half that stays, as seen on the face.
    """

    title, tip, rank = (
        "Half and mirror",
        "One half is cut away and made anew as the mirror image of the other",
        80,
    )
    whole_face, mirrors = True, True

    keep: Annotated[
        Literal["left", "right", "lower", "upper"],
        choice("Keep the half", left="left", right="right", lower="lower", upper="upper"),
    ] = "left"

    def mirrored(self, solid: Solid, facet: Facet) -> Solid:
        """The half that stays, and its twin."""
        axis = facet.right if self.keep in ("left", "right") else facet.up
        out = axis if self.keep in ("right", "upper") else -axis
        at = float(facet.origin @ out)
        # The halves meet in one plane; a hair of overlap closes the seam, 0.01 mm (common practice, no
        # source).
        kept = solid.trim_by_plane(tuple(out), at - 0.005)
        # Mirroring goes through the origin, so the plane is moved there and back.
        twin = kept.translate(tuple(-at * out)).mirror(tuple(out)).translate(tuple(at * out))
        return kept + twin

    def summary(self) -> str:
        """The half that stays."""
        return self.keep
