"""Whether a key lies in material.

Decided by what of its sockets, grown by their wall, lies outside the sections.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.keys.kind import Key
from cutkey.core.split.cutting import Cutting
from cutkey.core.split.faces import Face
from cutkey.core.split.setting.forms import with_wall
from cutkey.core.split.setting.keying import solids_in_place

#: Volume, mm3, that may seem to be missing where outlines are flattened.
CRUMB = 1e-3
#: Sections are looked at in slabs along the seam whose depth is a multiple of this, mm.
_SLAB = 8.0


class Material:
    """The material of the sections, less the sockets that keys have been given already."""

    def __init__(self, cutting: Cutting) -> None:
        self._cutting = cutting
        self._slabs: dict[tuple[int, int, int, int], Solid] = {}
        self._sockets: dict[int, list[Solid]] = {}  # in the design, by section
        self._known: dict[tuple[int, int, int, int, Key, float], bool] = {}

    def holds(self, face: Face, key: Key, thickness: float) -> bool:
        """Whether both sockets of a key lie in material with the wall all round and behind them.

        Parameters
        ----------
        thickness : float
            Of the plate at the face, mm; forms of a shaped seam go through all of it, and count up to half of
            it.
        """
        known = (face.near, face.far, face.cut, face.facet, key._replace(colour=""), thickness)
        if known not in self._known:
            self._known[known] = all(
                self._filled(face, n, tool) for n, tool in self._needed(face, key, thickness)
            )
        return self._known[known]

    def take(self, face: Face, keys: Sequence[Key]) -> None:
        """Remember the sockets of keys that are set, so that others keep their wall to them."""
        for key in keys:
            made = solids_in_place(face.plane, key)
            for number, socket in ((face.near, made.near_socket), (face.far, made.far_socket)):
                if socket is not None:
                    self._sockets.setdefault(number, []).append(socket)
        self._known.clear()

    def _needed(self, face: Face, key: Key, thickness: float) -> list[tuple[int, Solid]]:
        form = (
            key.form._replace(rise=0.5 * thickness, height=0.5 * thickness)
            if key.form.of.shaped
            else key.form
        )
        near, far = with_wall(form, key.u, key.v, key.angle, key.owner)
        return [
            (n, tool)
            for n, tool in ((face.near, near), (face.far, far))
            if tool is not None and not tool.is_empty()
        ]

    def _filled(self, face: Face, section: int, tool: Solid) -> bool:
        low, high = bounds_of(tool)
        reach = max(1, math.ceil(float(max(-low[2], high[2])) / _SLAB))
        if float((tool - self._slab(face, section, reach)).volume()) > CRUMB:
            return False
        placed = face.plane.raised(tool)
        low, high = bounds_of(placed)
        near = [
            s
            for s in self._sockets.get(section, ())
            if (bounds_of(s)[0] < high).all() and (bounds_of(s)[1] > low).all()
        ]
        return all(float((placed ^ s).volume()) <= CRUMB for s in near)

    def _slab(self, face: Face, section: int, reach: int) -> Solid:
        key = (section, face.cut, face.facet, reach)
        if key not in self._slabs:
            laid = face.plane.laid(self._cutting.sections[section].whole)
            deep = reach * _SLAB + 0.1
            self._slabs[key] = laid.trim_by_plane((0, 0, 1), -deep).trim_by_plane((0, 0, -1), -deep)
        return self._slabs[key]
