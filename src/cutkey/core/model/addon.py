"""An add-on: a feature on a face of the body."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from cutkey.core.addons import all_features
from cutkey.core.addons.kind import Feature
from cutkey.core.kinds import one_of
from cutkey.core.model.placement import Copies, Offset

if TYPE_CHECKING:
    AnyFeature = Feature
else:
    AnyFeature = one_of(all_features())


class AddOn(msgspec.Struct, frozen=True):
    """A feature on a face of the body; placed as a graphic is."""

    id: str
    feature: AnyFeature
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    offset: Offset = (0.0, 0.0)
    spin: float = 0.0
    copies: Copies = Copies()
