"""Faces along which sections meet, and the material there is on both sides of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of, intersection, union
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.split.cutting import Cutting, Section
from cutkey.core.split.plane import Plane, slice_of

#: Sections are looked at this far from the plane, mm: on the plane itself there is no telling.
BESIDE = 1e-4
#: A face smaller than this joins nothing, mm2.
LEAST_FACE = 0.5
#: Outlines of slices are true to this, mm; a straight one stays as it is.
FLAT = 0.005
#: Slices through the depth of a key on each side are no farther apart than this, mm: they only propose
#: places.
APART = 1.5


class Face(NamedTuple):
    """Two sections that meet at a cut."""

    cut: int
    near: int  # numbers of the sections
    far: int
    plane: Plane
    area: shapely.Geometry  # where they meet, in plane coordinates
    facet: int = 0  # which straight piece of the seam


class Slices:
    """Slices of sections along the planes of the cuts, each taken once."""

    def __init__(self, cutting: Cutting) -> None:
        self._cutting = cutting
        self._laid: dict[tuple[int, int, int], Solid] = {}
        self._areas: dict[tuple[int, int, int, float], shapely.Geometry] = {}

    def _solid(self, section: int, cut: int, facet: int) -> Solid:
        key = (section, cut, facet)
        if key not in self._laid:
            plane, whole = self._cutting.courses[cut][facet], self._cutting.sections[section].whole
            self._laid[key] = whole if plane.level else plane.laid(whole)
        return self._laid[key]

    def at(self, section: int, cut: int, facet: int, n: float) -> shapely.Geometry:
        """Slice of a section at a distance from a straight piece of a cut.

        Parameters
        ----------
        section : int
            Its number.
        cut, facet : int
            The cut, and which of its straight pieces.
        n : float
            mm above the piece.

        Returns
        -------
        Polygon or MultiPolygon
            In right and up of the cut's plane, mm.
        """
        key = (section, cut, facet, round(n, 6))
        if key not in self._areas:
            # A finely meshed outline has many more points than a hundredth of a millimetre asks for.
            area = slice_of(self._solid(section, cut, facet), self._cutting.courses[cut][facet], n)
            plain = area.simplify(FLAT, preserve_topology=False)
            self._areas[key] = plain if plain.is_valid else area
        return self._areas[key]

    def room(self, face: Face, near: float, far: float) -> shapely.Geometry:
        """Where there is material on both sides from `near` mm before the cut to `far` mm behind it."""
        area = face.area
        for section, depth, sign in ((face.near, near, -1), (face.far, far, 1)):
            # At the same depths whatever the key, so that slices are shared.
            for n in [*np.arange(APART, depth, APART), depth] if depth > BESIDE else ():
                area = intersection(area, self.at(section, face.cut, face.facet, sign * float(n)))
        return area


def find_faces(cutting: Cutting, slices: Slices) -> list[Face]:
    """Every pair of sections that meet, by cut."""
    out = []
    sections = cutting.sections
    for i, planes in enumerate(cutting.courses):
        for facet, plane in enumerate(planes):
            sides: dict[int, list[int]] = {-1: [], 1: []}
            for k, section in enumerate(sections):
                if i in section.sides and _touches(section, plane):
                    sides[section.sides[i]].append(k)
            for near in sides[-1]:
                for far in sides[1]:
                    if not _one_body(sections[near], sections[far], i):
                        continue
                    area = _whole_parts(
                        intersection(slices.at(near, i, facet, -BESIDE), slices.at(far, i, facet, BESIDE))
                    )
                    if area.area > LEAST_FACE:
                        out.append(Face(i, near, far, plane, area, facet))
    return out


def _whole_parts(area: shapely.Geometry) -> shapely.Geometry:
    """An area without the threads that are left where a seam crosses the line of another of its pieces."""
    if area.geom_type == "Polygon":
        return area
    return union(
        [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_FACE / 10]
    )


def _touches(section: Section, plane: Plane) -> bool:
    low, high = bounds_of(section.whole)
    reach = float(np.abs(plane.normal) @ (high - low)) / 2
    return abs(float(plane.normal @ ((low + high) / 2)) - plane.height) <= reach + BESIDE


def _one_body(a: Section, b: Section, cut: int) -> bool:
    """Whether two sections were one body until a cut."""
    if a.island != b.island:
        return False
    return all(a.sides.get(k) == b.sides.get(k) for k in range(cut))


def colours_at(parts: Sequence[Part], plane: Plane, n: float) -> list[tuple[str, shapely.Geometry]]:
    """Slices of the colours of a section at a distance from a plane, the largest first."""
    out = []
    for part in parts:
        low, high = bounds_of(part.solid)
        reach = float(np.abs(plane.normal) @ (high - low)) / 2
        if abs(float(plane.normal @ ((low + high) / 2)) - plane.height - n) < reach:
            out.append((part.colour, area_of(plane.laid(part.solid).slice(n).to_polygons())))
    return sorted(out, key=lambda c: -c[1].area)
