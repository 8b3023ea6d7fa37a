"""Cutting a design into sections along planes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.relief.carve import Part
from cutkey.core.solids.solid import Solid, bounds_of
from cutkey.core.split.naming import section_names
from cutkey.core.split.plane import Plane, area_of, plane_of
from cutkey.core.split.printer import Printer, pose_on_bed
from cutkey.core.split.settings import AXES, Cut

#: A separate body smaller than this is no section of its own, mm3.
CRUMB = 1e-3


class Section(NamedTuple):
    """One connected body between the cuts, with its colours."""

    name: str  # A1, B1 ... see `section_names`
    cell: tuple[int, int, int]
    parts: list[Part]
    whole: Solid  # all colours as one
    sides: dict[int, int]  # by number of the cut: -1 when it lies on the near side, 1 on the far one; needless cuts are missing
    island: int  # which of the design's separate bodies it is of

    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """Corners of the bounding box, mm."""
        b = [bounds_of(p.solid) for p in self.parts]
        return np.min([x[0] for x in b], axis=0), np.max([x[1] for x in b], axis=0)

    def size(self) -> tuple[float, float, float]:
        """Size of the bounding box, mm."""
        low, high = self.bounds()
        x, y, z = (float(v) for v in high - low)
        return x, y, z

    def outline(self) -> shapely.Geometry:
        """The section seen from above."""
        return area_of(self.whole.project().to_polygons())


class _Body(NamedTuple):
    parts: list[Part]
    sides: dict[int, int]
    through: dict[int, int]  # the same with the cuts that would pass through it if they were not needless
    island: int
    whole: Solid | None = None  # known when nothing was cut from it


class Cutting(NamedTuple):
    """Sections, and the planes they were cut along."""

    sections: list[Section]
    planes: list[Plane]
    parents: dict[tuple[int, ...], list[Part]]  # by cut and what was cut: what a cut went through, for keys printed on


def cut_into_sections(
    parts: Sequence[Part],
    cuts: Sequence[Cut],
    printer: Printer | None = None,
    middle: Sequence[float] | None = None,
    apart: bool = False,
    bodies: Sequence[Sequence[Part]] = (),
) -> Cutting:
    """Sections of a design, every colour cut along.

    Cuts are made one after the other, each through everything, or through the one section that its place `inside` lies in. A
    separate body (an island) that fits the bed as it is stays whole, unless a cut is limited to it. Without cuts, a design that
    fits the bed stays one section even if its bodies are separate.

    Parameters
    ----------
    printer : Printer, optional
        Decides what fits; without it every body that a cut meets is cut.
    middle : (3,), optional
        Where tilted planes turn; the middle of the design's box when not given.
    apart : bool
        Separate bodies are sections of their own even if all fit the bed together.
    bodies : sequence of parts, optional
        The design's separate bodies, when they are known already.
    """
    boxes = [bounds_of(p.solid) for p in parts]
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    planes = [plane_of(c, (low + high) / 2 if middle is None else middle) for c in cuts]
    pieces = _islands(parts, cuts, printer, apart, bodies)
    separate = len(pieces) > 1
    whole_ones = {b.island for b in pieces if separate and printer is not None and _fits(b, printer)}
    parents: dict[tuple[int, ...], list[Part]] = {}
    for i, (cut, plane) in enumerate(zip(cuts, planes, strict=True)):
        wanted = _holding(pieces, cut.inside, i, planes) if cut.inside is not None else None
        if cut.inside is not None and wanted is None:
            continue
        parted: list[_Body] = []
        for n, body in enumerate(pieces):
            if wanted is not None and n != wanted:
                parted.append(body)
            elif cut.inside is None and body.island in whole_ones:
                side = 1 if plane.flat(_middle(body.parts))[2] > 0 else -1
                parted.append(body._replace(through={**body.through, i: side}))
            else:
                halves = _halved(body, i, plane)
                if len(halves) == 2:
                    parents[_path(i, body)] = body.parts
                parted += halves
        pieces = parted
    if separate or cuts or apart:
        pieces = [one for b in pieces for one in (_separated(b) if b.whole is None else [b])]
    counts, cells = _cells(pieces, cuts)
    middles = [_middle(b.parts) for b in pieces]
    names = section_names(cells, [m.tolist() for m in middles], counts)
    order = sorted(range(len(pieces)), key=lambda i: (cells[i][2], -cells[i][1], cells[i][0], len(names[i]), names[i]))
    sections = []
    for i in order:
        body = pieces[i]
        whole = joined(body.parts) if body.whole is None else body.whole
        sections.append(Section(names[i], cells[i], body.parts, whole, body.sides, body.island))
    return Cutting(sections, planes, parents)


def parent_of(cutting: Cutting, section: Section, cut: int) -> list[Part]:
    """What a cut went through to make a section."""
    return cutting.parents[_path(cut, section)]


def _path(cut: int, body: _Body | Section) -> tuple[int, ...]:
    """Names what a cut goes through: its island and the sides of the cuts before."""
    return (cut, body.island, *(v for i, side in sorted(body.sides.items()) if i < cut for v in (i, side)))


def joined(parts: Sequence[Part]) -> Solid:
    """All colours as one solid."""
    return m3.Manifold.batch_boolean([p.solid for p in parts], m3.OpType.Add) if len(parts) > 1 else parts[0].solid


def _islands(
    parts: Sequence[Part], cuts: Sequence[Cut], printer: Printer | None, apart: bool, bodies: Sequence[Sequence[Part]]
) -> list[_Body]:
    """Separate bodies of a design, all colours of each together."""
    one = _Body(list(parts), {}, {}, 0)
    if not cuts and not apart and (printer is None or _fits(one, printer)):
        return [one]
    if bodies:
        return [_Body(list(b), {}, {}, n) for n, b in enumerate(bodies)]
    return [b._replace(island=n) for n, b in enumerate(_separated(one))]


def _separated(body: _Body) -> list[_Body]:
    """A body's connected components; crumbs stay with the largest."""
    whole = joined(body.parts)
    found = sorted(whole.decompose(), key=lambda s: -abs(s.volume())) if not whole.is_empty() else []
    shells = [s for s in found if s.volume() > CRUMB]
    if len(shells) <= 1:
        return [body._replace(whole=whole)]
    if len(body.parts) == 1:
        mine = [[Part(body.parts[0].colour, s)] for s in shells]
        mine[0] += [Part(body.parts[0].colour, s) for s in found if s.volume() <= CRUMB]
    else:
        mine = [[] for _ in shells]
        boxes = [bounds_of(s) for s in shells]
        for part in body.parts:
            for shell in part.solid.decompose():
                mine[_home(shell, shells, boxes)].append(Part(part.colour, shell))
    return [body._replace(parts=_by_colour(p), whole=s) for p, s in zip(mine, shells, strict=True) if p]


def _home(shell: Solid, wholes: Sequence[Solid], boxes: Sequence[tuple[np.ndarray, np.ndarray]]) -> int:
    """Which of the whole bodies a shell of one colour belongs to."""
    low, high = bounds_of(shell)
    near = [i for i, (a, b) in enumerate(boxes) if (a <= low + 1e-6).all() and (b >= high - 1e-6).all()]
    if len(near) == 1:
        return near[0]
    return max(near or range(len(wholes)), key=lambda i: (wholes[i] ^ shell).volume())


def _by_colour(parts: Sequence[Part]) -> list[Part]:
    grouped: dict[str, list[Solid]] = {}
    for p in parts:
        grouped.setdefault(p.colour, []).append(p.solid)
    return [Part(c, m3.Manifold.compose(s) if len(s) > 1 else s[0]) for c, s in grouped.items()]


def _fits(body: _Body, printer: Printer) -> bool:
    low, high = np.min([bounds_of(p.solid)[0] for p in body.parts], 0), np.max([bounds_of(p.solid)[1] for p in body.parts], 0)
    if high[2] - low[2] > printer.usable[2] + 1e-6:
        return False
    if printer.takes((float(high[0] - low[0]), float(high[1] - low[1]), 0.0)):
        return True
    outline = shapely.union_all([area_of(p.solid.project().to_polygons()) for p in body.parts])
    return pose_on_bed(outline, printer) is not None


def _halved(body: _Body, i: int, plane: Plane) -> list[_Body]:
    near: list[Part] = []
    far: list[Part] = []
    for part in body.parts:
        low, high = bounds_of(part.solid)
        reach = float(np.abs(plane.normal) @ (high - low)) / 2
        at = float(plane.normal @ ((low + high) / 2)) - plane.height
        if abs(at) >= reach:  # the plane passes it by
            (far if at > 0 else near).append(part)
            continue
        beyond, before = part.solid.split_by_plane(plane.normal, plane.height)
        for half, side in ((beyond, far), (before, near)):
            if not half.is_empty():
                side.append(Part(part.colour, half))
    if not near or not far:
        all_on = 1 if far else -1
        return [body._replace(sides={**body.sides, i: all_on}, through={**body.through, i: all_on})]
    return [_Body(half, {**body.sides, i: s}, {**body.through, i: s}, body.island) for half, s in ((near, -1), (far, 1))]


def _holding(bodies: Sequence[_Body], place: Sequence[float], i: int, planes: Sequence[Plane]) -> int | None:
    """Number of the body a place lies in: the nearest of those on its side of every cut so far."""
    p = np.asarray(place, float)
    side = {k: 1 if planes[k].flat(p)[2] > 0 else -1 for k in range(i)}
    same = [n for n, b in enumerate(bodies) if all(side[k] == s for k, s in b.sides.items())]
    return min(same, key=lambda n: _off(bodies[n], p), default=None)


def _off(body: _Body, p: np.ndarray) -> tuple[float, float]:
    """Distance of a place from a body's boxes, then from its middle."""
    off = min(float(np.linalg.norm(np.maximum(0, np.maximum(a - p, p - b)))) for a, b in (bounds_of(q.solid) for q in body.parts))
    return round(off, 6), float(np.linalg.norm(_middle(body.parts) - p))


def _middle(parts: Sequence[Part]) -> np.ndarray:
    b = [bounds_of(p.solid) for p in parts]
    return np.asarray((np.min([x[0] for x in b], axis=0) + np.max([x[1] for x in b], axis=0)) / 2)


def _cells(bodies: Sequence[_Body], cuts: Sequence[Cut]) -> tuple[list[int], list[tuple[int, int, int]]]:
    """How many cells there are along each axis, and that of each body: cuts limited to a section make none."""
    whole = [i for i, c in enumerate(cuts) if c.inside is None]
    # A cut that divides nothing makes no cell either.
    whole = [i for i in whole if len({b.through.get(i, 0) for b in bodies}) > 1]
    cells = []
    for b in bodies:
        x, y, z = (sum(b.through.get(i, -1) > 0 for i in whole if cuts[i].axis == axis) for axis in AXES)
        cells.append((x, y, z))
    return [1 + sum(cuts[i].axis == axis for i in whole) for axis in AXES], cells


def separate_bodies(parts: Sequence[Part]) -> list[list[Part]]:
    """The separate bodies of a design, each with its colours."""
    return [b.parts for b in _separated(_Body(list(parts), {}, {}, 0))]
