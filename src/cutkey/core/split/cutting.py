"""Cutting a design into sections along planes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from cutkey.core.relief.carve import Part
from cutkey.core.solids.solid import Solid, bounds_of
from cutkey.core.split.plan import letters
from cutkey.core.split.settings import AXES, Cut

_NORMALS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class Section(NamedTuple):
    """What lies in one cell between the cuts."""

    name: str  # A1, B1 ... letters along x, numbers from the far side (+y) down; with z cuts a level is added
    cell: tuple[int, int, int]
    parts: list[Part]

    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """Corners of the bounding box, mm."""
        b = [bounds_of(p.solid) for p in self.parts]
        return np.min([x[0] for x in b], axis=0), np.max([x[1] for x in b], axis=0)

    def size(self) -> tuple[float, float, float]:
        """Size of the bounding box, mm."""
        low, high = self.bounds()
        x, y, z = (float(v) for v in high - low)
        return x, y, z


def positions(cuts: Sequence[Cut], axis: str) -> list[float]:
    """Where an axis is cut, in order and once each."""
    return sorted({c.at for c in cuts if c.axis == axis})


def cut_into_sections(parts: Sequence[Part], cuts: Sequence[Cut]) -> list[Section]:
    """Sections of a design, every colour cut along; cells without material are left out."""
    cells: list[tuple[tuple[int, int, int], str, Solid]] = [((0, 0, 0), p.colour, p.solid) for p in parts]
    counts = []
    for k, axis in enumerate(AXES):
        at = positions(cuts, axis)
        counts.append(len(at) + 1)
        done = []
        for cell, colour, solid in cells:
            rest = solid
            for i, position in enumerate(at):
                if rest.is_empty():
                    break
                far, near = rest.split_by_plane(_NORMALS[axis], position)
                if not near.is_empty():
                    done.append((_with(cell, k, i), colour, near))
                rest = far
            if not rest.is_empty():
                done.append((_with(cell, k, len(at)), colour, rest))
        cells = done
    grouped: dict[tuple[int, int, int], list[Part]] = {}
    for cell, colour, solid in cells:
        grouped.setdefault(cell, []).append(Part(colour, solid))
    ordered = sorted(grouped, key=lambda c: (c[2], -c[1], c[0]))
    return [Section(section_name(cell, counts), cell, grouped[cell]) for cell in ordered]


def section_name(cell: tuple[int, int, int], counts: Sequence[int]) -> str:
    """A1 for the section at the left of the far row; with several levels A1-1, A1-2 from below."""
    name = f"{letters(cell[0])}{counts[1] - cell[1]}"
    return f"{name}-{cell[2] + 1}" if counts[2] > 1 else name


def _with(cell: tuple[int, int, int], k: int, value: int) -> tuple[int, int, int]:
    x, y, z = (value if i == k else v for i, v in enumerate(cell))
    return x, y, z
