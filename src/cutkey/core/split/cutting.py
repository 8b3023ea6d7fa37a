"""Cutting a design into sections along planes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.apart import all_as_one
from cutkey.core.geometry.areas import area_of, union
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.rays import inside
from cutkey.core.geometry.shells import bodies_of
from cutkey.core.geometry.solid import Solid, bounds_of, mesh_of
from cutkey.core.model.cuts import AXES, Cut
from cutkey.core.model.printer import Printer
from cutkey.core.printing.pose import pose_on_bed, takes
from cutkey.core.printing.resting import lies_within
from cutkey.core.split.naming import section_names
from cutkey.core.split.plane import Plane, course, has_path, near_side, plane_of

#: Stands for all colours together where these are dealt with one by one.
WHOLE = ""
#: A separate body smaller than this is no section of its own, mm3.
CRUMB = 1e-3
#: A section of less than this share of the mean volume, that a cut leaves, is tiny.
LEAST_SHARE = 0.02


class Section(NamedTuple):
    """One connected body between the cuts, with its colours."""

    name: str  # A1, B1 ... see `section_names`
    cell: tuple[int, int, int]
    parts: list[Part]
    whole: Solid  # all colours as one
    # by number of the cut: -1 when it lies on the near side, 1 on the far one; needless cuts are missing
    sides: dict[int, int]
    island: int  # which of the design's separate bodies it is of

    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """Corners of the bounding box, mm.

        Returns
        -------
        tuple of ndarray, (3,), float64
        """
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


def tiny(sections: Sequence[Section]) -> list[bool]:
    """Which sections are next to nothing beside the others.

    Separate bodies may be as small as they were drawn; what a cut leaves may not.
    """
    volumes = np.array([float(s.whole.volume()) for s in sections])
    small = volumes < LEAST_SHARE * max(float(volumes.mean()), 1e-9) if len(volumes) else volumes > 0
    return [bool(few and s.sides) for few, s in zip(small, sections, strict=True)]


class Body(NamedTuple):
    """A connected body of a design: its colours, and all of them as one."""

    parts: list[Part]
    whole: Solid


class _Piece(NamedTuple):
    body: Body
    sides: dict[int, int]
    through: dict[int, int]  # the same with the cuts that would pass through it if they were not needless
    island: int
    cut: bool = False  # it may have fallen apart


class CutUp(NamedTuple):
    """What some of the cuts have made of a design."""

    pieces: list[_Piece]
    parents: dict[tuple[int, ...], Body]  # see `Cutting`


class Cutting(NamedTuple):
    """Sections, and the planes they were cut along."""

    sections: list[Section]
    planes: list[Plane]
    courses: list[list[Plane]]  # of each cut: its plane, or those of the straight pieces of its seam
    # by cut and what was cut: what a cut went through, for keys printed on
    parents: dict[tuple[int, ...], Body]


def cut_into_sections(
    parts: Sequence[Part],
    cuts: Sequence[Cut],
    printer: Printer | None = None,
    middle: Sequence[float] | None = None,
    apart: bool = False,
    bodies: Sequence[Body] = (),
    kept: Callable[[int, Callable[[], CutUp]], CutUp] | None = None,
) -> Cutting:
    """Sections of a design, every colour cut along.

    Cuts are made one after the other, each through everything, or through the one section that its place
    `inside` lies in. A separate body (an island) that fits the bed as it is stays whole, unless a cut is
    limited to it. Without cuts, a design that fits the bed stays one section even if its bodies are separate.

    Parameters
    ----------
    printer : Printer, optional
        Decides what fits; without it every body that a cut meets is cut.
    middle : (3,), optional
        Where tilted planes turn; the middle of the design's box when not given.
    apart : bool
        Separate bodies are sections of their own even if all fit the bed together.
    bodies : sequence of Body, optional
        The design's separate bodies, when they are known already.
    kept : callable, optional
        Gives what a design is after a cut that is not the last, by the number of the cut: what the cuts up to
        it have made before, or what the function given makes of it now.
    """
    boxes = [bounds_of(p.solid) for p in parts]
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    planes = [plane_of(c, (low + high) / 2 if middle is None else middle) for c in cuts]
    knives = [_Knife.of(c, p, float(low[2]), float(high[2])) for c, p in zip(cuts, planes, strict=True)]
    pieces = _islands(parts, cuts, printer, apart, bodies)
    separate = len(pieces) > 1
    whole_ones = {p.island for p in pieces if separate and printer is not None and _fits(p.body, printer)}
    so_far = CutUp(pieces, {})
    for i, cut in enumerate(cuts):
        one_more = partial(_cut_once, so_far, i, cut, knives, whole_ones)
        so_far = kept(i, one_more) if kept is not None and i < len(cuts) - 1 else one_more()
    pieces, parents = so_far
    pieces = [p._replace(body=b) for p in pieces for b in (_separated(p.body) if p.cut else [p.body])]
    counts, cells = _cells(pieces, cuts)
    middles = [_middle(p.body) for p in pieces]
    depths = [float(high[1] - low[1]) for low, high in (_box(p.body) for p in pieces)]
    names = section_names(cells, [m.tolist() for m in middles], counts, depths)
    order = sorted(
        range(len(pieces)), key=lambda i: (cells[i][2], -cells[i][1], cells[i][0], len(names[i]), names[i])
    )
    sections = [
        Section(names[i], cells[i], *pieces[i].body, pieces[i].sides, pieces[i].island) for i in order
    ]
    return Cutting(sections, planes, [course(c, p) for c, p in zip(cuts, planes, strict=True)], parents)


def _cut_once(so_far: CutUp, i: int, cut: Cut, knives: Sequence[_Knife], whole_ones: set[int]) -> CutUp:
    """One cut more: through everything but bodies that stay whole, or the one that it is limited to."""
    pieces, knife = so_far.pieces, knives[i]
    wanted = _holding(pieces, cut.inside, i, knives) if cut.inside is not None else None
    if cut.inside is not None and wanted is None:
        return so_far
    parted: list[_Piece] = []
    parents = dict(so_far.parents)
    for n, piece in enumerate(pieces):
        if wanted is not None and n != wanted:
            parted.append(piece)
        elif cut.inside is None and piece.island in whole_ones:
            side = knife.side(_middle(piece.body))
            parted.append(piece._replace(through={**piece.through, i: side}))
        else:
            halves = _halved(piece, i, knife)
            if len(halves) == 2:
                parents[_path(i, piece)] = piece.body
            parted += halves
    return CutUp(parted, parents)


def parent_of(cutting: Cutting, section: Section, cut: int) -> Body:
    """What a cut went through to make a section."""
    return cutting.parents[_path(cut, section)]


def _path(cut: int, piece: _Piece | Section) -> tuple[int, ...]:
    """Names what a cut goes through: its island and the sides of the cuts before."""
    return (cut, piece.island, *(v for i, side in sorted(piece.sides.items()) if i < cut for v in (i, side)))


def joined(parts: Sequence[Part]) -> Solid:
    """All colours as one solid."""
    return all_as_one([p.solid for p in parts])


def separate_bodies(parts: Sequence[Part], whole: Solid | None = None) -> list[Body]:
    """The separate bodies of a design, each with its colours.

    `whole` is all of it as one, when that is known.
    """
    return _separated(Body(list(parts), joined(parts) if whole is None else whole))


def _islands(
    parts: Sequence[Part], cuts: Sequence[Cut], printer: Printer | None, apart: bool, bodies: Sequence[Body]
) -> list[_Piece]:
    """Separate bodies of a design, all colours of each together."""
    one = Body(list(parts), m3.Manifold.compose([b.whole for b in bodies]) if bodies else joined(parts))
    if not cuts and not apart and (printer is None or _fits(one, printer)):
        return [_Piece(one, {}, {}, 0)]
    return [_Piece(b, {}, {}, n) for n, b in enumerate(bodies or _separated(one))]


def _separated(body: Body) -> list[Body]:
    """A body's connected components; crumbs stay with the largest."""
    found = bodies_of(body.whole) if not body.whole.is_empty() else []
    shells = [s for s in found if s.volume() > CRUMB]
    if len(shells) <= 1:
        return [body]
    if len(body.parts) == 1:
        colour = body.parts[0].colour
        mine = [[Part(colour, s)] for s in shells]
        mine[0] += [Part(colour, s) for s in found if s.volume() <= CRUMB]
    else:
        mine = [[] for _ in shells]
        boxes = [bounds_of(s) for s in shells]
        for part in body.parts:
            for shell in bodies_of(part.solid):
                mine[_home(shell, shells, boxes)].append(Part(part.colour, shell))
    return [Body(_by_colour(p), s) for p, s in zip(mine, shells, strict=True) if p]


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


def _fits(body: Body, printer: Printer) -> bool:
    low, high = _box(body)
    if high[2] - low[2] <= printer.usable[2] + 1e-6:
        if takes(printer, (float(high[0] - low[0]), float(high[1] - low[1]), 0.0)):
            return True
        outline = union([area_of(p.solid.project().to_polygons()) for p in body.parts])
        if pose_on_bed(outline, printer) is not None:
            return True
    return max(high - low) <= np.linalg.norm(printer.usable) and lies_within(mesh_of(body.whole), printer)


class _Knife(NamedTuple):
    """What a cut divides by: a plane, or a seam with corners that goes straight up."""

    plane: Plane
    near: shapely.Polygon | None = None
    tool: Solid | None = None

    @classmethod
    def of(cls, cut: Cut, plane: Plane, low: float, high: float) -> _Knife:
        if not has_path(cut, plane):
            return cls(plane)
        near = near_side(cut, plane)
        return cls(plane, near, prism(near, low - 1.0, high + 1.0))

    def side(self, p: np.ndarray) -> int:
        """On which side a place lies, -1 near, 1 far."""
        if self.near is not None:
            return -1 if shapely.intersects_xy(self.near, p[0], p[1]) else 1
        return 1 if self.plane.flat(p)[2] > 0 else -1

    def beside(self, low: np.ndarray, high: np.ndarray) -> int:
        """On which side a whole box lies, 0 when it is cut."""
        if self.near is not None:
            box = shapely.box(low[0], low[1], high[0], high[1])
            return -1 if self.near.covers(box) else 0 if self.near.intersects(box) else 1
        reach = float(np.abs(self.plane.normal) @ (high - low)) / 2
        at = float(self.plane.normal @ ((low + high) / 2)) - self.plane.height
        return 0 if abs(at) < reach else 1 if at > 0 else -1

    def halves(self, solid: Solid) -> tuple[Solid, Solid]:
        """The far and the near half of a solid."""
        if self.tool is not None:
            near, far = solid.split(self.tool)
            return far, near
        far, near = solid.split_by_plane(self.plane.normal, self.plane.height)
        return far, near


def _halved(piece: _Piece, i: int, knife: _Knife) -> list[_Piece]:
    """Both sides of a cut through a piece, or the piece itself when it lies on one side."""
    sides: dict[int, list[Part]] = {-1: [], 1: []}
    # All colours together are cut as if they were one more, so that they need not be joined again.
    for part in with_whole(piece.body):
        side = knife.beside(*bounds_of(part.solid))
        if side:
            sides[side].append(part)
            continue
        for side, half in zip((1, -1), knife.halves(part.solid), strict=True):
            if not half.is_empty():
                sides[side].append(Part(part.colour, half))
    there = {s: any(p.colour != WHOLE for p in sides[s]) for s in sides}
    if not (there[-1] and there[1]):
        on = 1 if there[1] else -1
        return [piece._replace(sides={**piece.sides, i: on}, through={**piece.through, i: on})]
    return [
        _Piece(body_of(sides[s]), {**piece.sides, i: s}, {**piece.through, i: s}, piece.island, True)
        for s in (-1, 1)
    ]


def with_whole(body: Body | Section) -> list[Part]:
    """Colours of a body and, when there are several, all of them together as one more part."""
    return list(body.parts) if len(body.parts) == 1 else [*body.parts, Part(WHOLE, body.whole)]


def body_of(parts: Sequence[Part]) -> Body:
    """The inverse of `with_whole`."""
    own = [p for p in parts if p.colour != WHOLE]
    together = [p.solid for p in parts if p.colour == WHOLE]
    return Body(own, together[0] if together else joined(own))


def _holding(
    pieces: Sequence[_Piece], place: Sequence[float], i: int, knives: Sequence[_Knife]
) -> int | None:
    """Number of the body a place lies in: the nearest of those on its side of every cut so far."""
    p = np.asarray(place, float)
    side = {k: knives[k].side(p) for k in range(i)}
    same = [n for n, b in enumerate(pieces) if all(side[k] == s for k, s in b.sides.items())]
    return min(same, key=lambda n: _off(pieces[n].body, p), default=None)


def _off(body: Body, p: np.ndarray) -> tuple[float, float]:
    """0 for a body a place lies in; else its distance from the body's boxes, then from its middle."""
    if inside(body.whole, p[None])[0]:
        return -1.0, 0.0
    off = min(
        float(np.linalg.norm(np.maximum(0, np.maximum(a - p, p - b))))
        for a, b in (bounds_of(q.solid) for q in body.parts)
    )
    return round(off, 6), float(np.linalg.norm(_middle(body) - p))


def _box(body: Body) -> tuple[np.ndarray, np.ndarray]:
    b = [bounds_of(p.solid) for p in body.parts]
    return np.min([x[0] for x in b], axis=0), np.max([x[1] for x in b], axis=0)


def _middle(body: Body) -> np.ndarray:
    low, high = _box(body)
    return np.asarray((low + high) / 2)


def _cells(pieces: Sequence[_Piece], cuts: Sequence[Cut]) -> tuple[list[int], list[tuple[int, int, int]]]:
    """How many cells there are along each axis, and that of each body.

    Cuts limited to a section make none.
    """
    whole = [i for i, c in enumerate(cuts) if c.inside is None]
    # A cut that divides nothing makes no cell either.
    whole = [i for i in whole if len({b.through.get(i, 0) for b in pieces}) > 1]
    cells = []
    for b in pieces:
        x, y, z = (sum(b.through.get(i, -1) > 0 for i in whole if cuts[i].axis == axis) for axis in AXES)
        cells.append((x, y, z))
    return [1 + sum(cuts[i].axis == axis for i in whole) for axis in AXES], cells
