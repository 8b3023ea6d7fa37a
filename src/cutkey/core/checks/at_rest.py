"""No two finished things claim the same place when the sections are together.

Pieces and clearances add up to the design by construction, whatever two sections share; so pairs of finished
sections, and loose keys in their places, are intersected as they are.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.split.joint import Joint
from cutkey.core.split.setting.keying import solids_in_place
from cutkey.core.split.split import Split
from cutkey.core.words import splitting as say

#: Volume, mm3, that two things may seem to share where they only touch: kits that fit share up to 0.08.
SHARED = 0.1


class Thing(NamedTuple):
    """A section or a loose key, where it is in the finished design."""

    name: str
    solids: tuple[Solid, ...]
    low: Float  # (3,), mm
    high: Float  # (3,), mm


def things_of(split: Split) -> list[Thing]:
    """Return every section, and every loose key in its place."""
    out = [_thing(s.name, (s.whole,)) for s in split.sections]
    for joint in split.joints:
        for n, key in enumerate(joint.keys):
            solids = solids_in_place(joint.plane, key).loose if key.form.loose else ()
            if solids:
                out.append(_thing(_named(joint, n), solids))
    return out


def shared_at_rest(things: Sequence[Thing]) -> list[tuple[str, str, float, tuple[float, float, float]]]:
    """Return pairs of things that share material, the volume, mm3, and a place of it, the most first."""
    out = []
    for k, one in enumerate(things):
        for other in things[k + 1 :]:
            if not ((one.low < other.high).all() and (other.low < one.high).all()):
                continue
            common = [a ^ b for a in one.solids for b in other.solids]
            volume = sum(float(c.volume()) for c in common)
            if volume > SHARED:
                low, high = bounds_of(m3.Manifold.compose([c for c in common if not c.is_empty()]))
                x, y, z = ((low + high) / 2).tolist()
                out.append((one.name, other.name, volume, (x, y, z)))
    return sorted(out, key=lambda found: -found[2])


def _thing(name: str, solids: tuple[Solid, ...]) -> Thing:
    bounds = np.array([bounds_of(s) for s in solids])
    return Thing(name, solids, bounds[:, 0].min(0), bounds[:, 1].max(0))


def _named(joint: Joint, number: int) -> str:
    return f"{joint.name} key {number + 1}"


@check(91)
def sections_share_nothing(c: Context) -> Iterator[Finding]:
    """Sections and keys lie beside one another where they belong."""
    if not c.split.joints:
        return
    things = things_of(c.split)
    found = shared_at_rest(things)
    for one, other, volume, at in found:
        says = say.share_material(one, other, volume)
        yield Finding("at rest", "stop", says, one, round(volume, 3), SHARED, "mm³", at, "show")
    if not found:
        yield Finding(
            "at rest", "sound", say.share_nothing(len(things)), figure=0.0, limit=SHARED, unit="mm³"
        )
