"""Sections with their keys.

Sockets taken out, keys that are printed on put on in the colours they cross, labels engraved.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3

from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, bounds_of, without
from cutkey.core.keys.kind import Key, KeySolids
from cutkey.core.split.cutting import WHOLE, Cutting, Section, body_of, parent_of, with_whole
from cutkey.core.split.joint import Joint
from cutkey.core.split.plane import Plane
from cutkey.core.split.setting.forms import solids_of


class Keyed(NamedTuple):
    """Sections ready to be printed."""

    sections: list[Section]
    taken_out: float  # mm3 of the design that became clearance or the room of loose keys


def solids_in_place(plane: Plane, key: Key) -> KeySolids:
    """Solids of a key in the design."""
    made = solids_of(key.form, key.u, key.v, key.angle, key.owner)

    def put(solid: Solid | None) -> Solid | None:
        return None if solid is None else plane.raised(solid)

    return KeySolids(
        put(made.near_socket),
        put(made.far_socket),
        put(made.tongue),
        made.owner,
        tuple(plane.raised(s) for s in made.loose),
    )


def tools_of(joints: Sequence[Joint]) -> tuple[dict[int, list[Solid]], dict[int, list[tuple[Joint, Solid]]]]:
    """Solids to take out of each section, and those to put on with the joint they are of.

    By number of the section.
    """
    sockets: dict[int, list[Solid]] = {}
    tongues: dict[int, list[tuple[Joint, Solid]]] = {}
    for joint in joints:
        for key in joint.keys:
            made = solids_in_place(joint.plane, key)
            for number, socket in zip(joint.numbers, (made.near_socket, made.far_socket), strict=True):
                if socket is not None:
                    sockets.setdefault(number, []).append(socket)
            if made.tongue is not None:
                tongues.setdefault(joint.numbers[0 if made.owner < 0 else 1], []).append((joint, made.tongue))
    return sockets, tongues


def with_keys(
    cutting: Cutting, joints: Sequence[Joint], engraved: dict[int, list[Solid]] | None = None
) -> Keyed:
    """Sections with the keys of all joints.

    What is printed on one section is cut from what the cut went through, so that the material and its colours
    are those of the uncut design, and the section and its key are one solid.

    Parameters
    ----------
    engraved : dict, optional
        Further solids to take out of a section, by its number.
    """
    sockets, tongues = tools_of(joints)
    for number, solids in (engraved or {}).items():
        sockets.setdefault(number, []).extend(solids)
    before = sum(p.solid.volume() for s in cutting.sections for p in s.parts)
    out = []
    for number, section in enumerate(cutting.sections):
        parts = with_whole(section)
        if number in tongues:
            parts = _with_tongues(cutting, number, parts, tongues[number])
        if number in sockets:
            parts = _without(parts, sockets[number])
        out.append(section._replace(**body_of(parts)._asdict()))
    after = sum(p.solid.volume() for s in out for p in s.parts)
    return Keyed(out, before - after)


def _at_home(cutting: Cutting, joint: Joint, tongue: Solid) -> Solid:
    """A tongue without what of it would lie in any section but the two of its joint.

    It is open at the back, and there the section across another cut may begin.
    """
    low, high = bounds_of(tongue)
    others = []
    for n, section in enumerate(cutting.sections):
        a, b = bounds_of(section.whole)
        if n not in joint.numbers and (a < high).all() and (b > low).all():
            others.append(section.whole)
    return without(tongue, others)


def _without(parts: Sequence[Part], tools: Sequence[Solid]) -> list[Part]:
    boxes = [bounds_of(t) for t in tools]
    out = []
    for part in parts:
        low, high = bounds_of(part.solid)
        near = [t for t, (a, b) in zip(tools, boxes, strict=True) if (a <= high).all() and (b >= low).all()]
        solid = m3.Manifold.batch_boolean([part.solid, *near], m3.OpType.Subtract) if near else part.solid
        if not solid.is_empty():
            out.append(Part(part.colour, solid))
    return out


def _with_tongues(
    cutting: Cutting, number: int, parts: Sequence[Part], tongues: Sequence[tuple[Joint, Solid]]
) -> list[Part]:
    section = cutting.sections[number]
    added: dict[str, list[Solid]] = {}
    for cut in sorted({j.cut for j, _ in tongues}):
        tools = m3.Manifold.compose([_at_home(cutting, j, t) for j, t in tongues if j.cut == cut])
        for part in with_whole(parent_of(cutting, section, cut)):
            low, high = bounds_of(part.solid)
            a, b = bounds_of(tools)
            if (a <= high).all() and (b >= low).all():
                piece = tools ^ part.solid
                if not piece.is_empty():
                    added.setdefault(part.colour, []).append(piece)
    colours = list(dict.fromkeys([*(p.colour for p in parts), *added]))
    own = {p.colour: p.solid for p in parts}
    if WHOLE in added:
        # A section of one colour to which a key brings another.
        own.setdefault(WHOLE, section.whole)
    out = []
    for colour in colours:
        solids = [*([own[colour]] if colour in own else []), *added.get(colour, [])]
        out.append(
            Part(colour, m3.Manifold.batch_boolean(solids, m3.OpType.Add) if len(solids) > 1 else solids[0])
        )
    return out
