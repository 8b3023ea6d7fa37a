"""Names engraved on faces that are hidden once the sections are together.

Section and joint, and the poles of magnets.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import shapely

from cutkey.core.geometry.areas import area_of, difference, intersection
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.keys.kind import MOUTH
from cutkey.core.lettering.room import EDGE, FLOOR, least_height, writing_in
from cutkey.core.model.cuts import Labels
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.split.setting.keying import solids_in_place


class Label(NamedTuple):
    """Writing on a cut face."""

    section: int
    joint: int
    text: str
    height: float  # of its capitals, mm
    place: tuple[float, float]  # its middle, on the plane of the cut
    area: shapely.Geometry  # the writing in plane coordinates, or seen from above when it is on the back
    solid: Solid
    back: bool = False  # on the flat back, as the cut face was too small


class Engraved(NamedTuple):
    """What is written, and where there was no room for it."""

    labels: list[Label]
    missing: list[tuple[int, int]]  # joint and side

    def solids(self) -> dict[int, list[Solid]]:
        """What to take out of each section."""
        out: dict[int, list[Solid]] = {}
        for label in self.labels:
            out.setdefault(label.section, []).append(label.solid)
        return out


def engrave(sections: Sequence[Section], joints: Sequence[Joint], labels: Labels, nozzle: float) -> Engraved:
    """Find room for the names on both faces of every joint, or on the flat back beside it.

    The height is lowered where there is too little room, down to what the nozzle can still print.

    Parameters
    ----------
    sections : sequence of Section
    joints : sequence of Joint
        Between them.
    labels : Labels
        Height and depth of the names.
    nozzle : float
        mm.
    """
    out: list[Label] = []
    missing = []
    backs: dict[int, shapely.Geometry] = {}
    least = least_height(nozzle)
    for number, joint in enumerate(joints):
        free = joint.area.buffer(-EDGE)
        for key in joint.keys:
            w, h = key.form.half
            low, high = (-1e3, key.form.height) if key.form.of.from_back else (-h, h)
            free = difference(
                free, shapely.box(key.u - w - EDGE, key.v + low - EDGE, key.u + w + EDGE, key.v + high + EDGE)
            )
        for side, section in zip((-1, 1), joint.numbers, strict=True):
            text = f"{sections[section].name} {joint.letter}"
            found = writing_in(text, free, side, labels.height, least, joint.area.centroid)
            if found is not None:
                height, place, area = found
                out.append(
                    Label(section, number, text, height, place, area, _sunk(joint, area, side, labels.depth))
                )
                out += _poles(
                    joint,
                    number,
                    side,
                    section,
                    difference(free, shapely.box(*area.bounds).buffer(EDGE)),
                    labels,
                    nozzle,
                )
                continue
            if section not in backs:
                backs[section] = _back(sections[section], section, joints, labels.depth)
            aim = shapely.Point(joint.plane.lift(*joint.area.centroid.coords[0])[:2])
            found = writing_in(text, backs[section], 1, labels.height, least, aim)
            if found is None:
                missing.append((number, side))
                continue
            height, place, area = found
            z = float(bounds_of(sections[section].whole)[0][2])
            out.append(
                Label(
                    section, number, text, height, place, area, prism(area, z - MOUTH, z + labels.depth), True
                )
            )
            backs[section] = difference(backs[section], shapely.box(*area.bounds).buffer(2 * EDGE))
    return Engraved(out, missing)


def _back(section: Section, number: int, joints: Sequence[Joint], depth: float) -> shapely.Geometry:
    """The flat back of a section, seen from above: where it is thick enough and clear of pockets for keys."""
    z = float(bounds_of(section.whole)[0][2])
    area = intersection(
        area_of(section.whole.slice(z + 0.02).to_polygons()),
        area_of(section.whole.slice(z + depth + FLOOR).to_polygons()),
    )
    for joint in joints:
        for key in joint.keys if number in joint.numbers else ():
            made = solids_in_place(joint.plane, key)
            socket = made.near_socket if number == joint.numbers[0] else made.far_socket
            if socket is not None and bounds_of(socket)[0][2] < z + depth + FLOOR:
                area = difference(area, area_of(socket.project().to_polygons()).buffer(EDGE))
    return area.buffer(-2 * EDGE)


def _poles(
    joint: Joint, number: int, side: int, section: int, free: shapely.Geometry, labels: Labels, nozzle: float
) -> list[Label]:
    """N or S beside every magnet: the pole that faces out of the section."""
    out = []
    for key in joint.keys:
        if not key.form.of.poles:
            continue
        text = "N" if key.sign * -side > 0 else "S"
        spot = shapely.Point(key.u, key.v)
        near = intersection(free, spot.buffer(key.form.size / 2 + 2 * labels.height))
        found = writing_in(text, near, side, min(labels.height, 4.0), least_height(nozzle), spot)
        if found is not None:
            height, place, area = found
            out.append(
                Label(section, number, text, height, place, area, _sunk(joint, area, side, labels.depth))
            )
            free = difference(free, shapely.box(*area.bounds).buffer(EDGE))
    return out


def _sunk(joint: Joint, area: shapely.Geometry, side: int, depth: float) -> Solid:
    return joint.plane.raised(prism(area, *((-depth, MOUTH) if side < 0 else (-MOUTH, depth))))
