"""Which way up a body is printed: the faces it can rest on, what each would mean, and which of them is best.

Everything is measured on the body's own triangles; limits and weights are common practice, no source, and
stated here.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh, Neighbours, face_normals, joined, neighbours
from cutkey.core.model.printer import SLACK, Printer
from cutkey.core.printing.pose import pose_on_bed

Vector = tuple[float, float, float]
UP: Vector = (0.0, 0.0, -1.0)
OVER: Vector = (0.0, 0.0, 1.0)
#: Triangles within so much of the lowest point lie on the bed, mm; and how far their normals may lean, as a
#: cosine.
_ON_BED, _FLAT = 0.02, 0.9998
#: Two sides this much alike are the same, as a cosine.
_SAME = 0.999
#: Sides smaller than this are not offered, mm2; and so many are looked at, the largest first.
_LEAST, _MOST = 20.0, 14
#: What is narrower than the printer bridges and carried along this share of its edge needs no support.
_CARRIED = 0.6
#: Along so much of its edge a step of a staircase is carried: about the one of its two sides.
_STEPPED = 0.4
#: What a measure counts for: a cm2 of support (so many times that on a show face), keys across whose necks
#: the layers run, a layer with a change of filament, a layer, a body that stands on a narrow foot, that does
#: not stand, that does not fit.
_SUPPORT, _SHOWN, _WEAK, _CHANGE, _LAYER, _SLIM, _FALLS, _OFF = (
    1.0,
    3.0,
    8.0,
    0.1,
    0.01,
    10.0,
    500.0,
    10_000.0,
)
#: A body that is more than so many times as high as its foot is wide stands on a narrow one.
NARROW = 5.0
#: What another side must be better by than the one that is wanted.
_BETTER = 3.0


class Wishes(NamedTuple):
    """What is known of a body beside its shape."""

    down: Vector = UP  # which side is wanted on the bed
    # outward normals of show faces, and how far along them the faces lie, mm
    shows: Sequence[tuple[Vector, float]] = ()
    necks: Sequence[Vector] = ()  # along which keys are printed on
    colours: Sequence[Float] = ()  # corners of the body of each filament, (N, 3)
    fixed: str = ""  # why it lies as is wanted, whatever is measured
    firm: bool = False  # the maker said which side is wanted: another one only where it does not fit


class Measures(NamedTuple):
    """What it would mean to print a body on one side."""

    down: Vector  # outwards, in the design
    contact: float  # mm2 on the bed
    # mm2 seen from above that lean out further than is printed without support, or are bridges too wide
    support: float
    shown: float  # mm2 of that on show faces
    face_down: float  # mm2 of show faces on the bed
    weak: int  # keys printed on across whose neck the layers run
    changes: int  # layers of more than one filament
    layers: int
    size: Vector  # as it lies, mm
    slim: float  # height over the least width of its foot
    stands: bool
    fits: bool

    @property
    def good(self) -> bool:
        """Whether it may be laid so without being asked."""
        return self.fits and self.stands and self.slim <= NARROW

    @property
    def cost(self) -> float:
        """How bad it is; see the weights at the top of this file."""
        return (
            _SUPPORT * (self.support + (_SHOWN - 1) * self.shown) / 100
            + _WEAK * (self.weak > 0)
            + _CHANGE * self.changes
            + _LAYER * self.layers
            + _SLIM * (self.slim > NARROW)
            + _FALLS * (not self.stands)
            + _OFF * (not self.fits)
        )


class Resting(NamedTuple):
    """How a body lies, and how else it could."""

    sides: tuple[Measures, ...]  # the best first
    chosen: int
    wanted: int  # number of the side that is wanted where nothing speaks against it
    by_hand: bool = False
    fixed: str = ""
    missing: bool = False  # the side that was set by hand is no face of the body any more

    @property
    def now(self) -> Measures:
        """The side it lies on."""
        return self.sides[self.chosen]

    def better(self) -> Vector | None:
        """The best side on which it stands well and less than half as much needs support.

        No more where it stands badly now.
        """
        if self.fixed:
            return None
        most = 0.5 * self.now.support - 1 if self.now.good else self.now.support
        return next(
            (m.down for m in self.sides if m.good and m.down != self.now.down and m.support <= most), None
        )

    def laid(self, down: Vector) -> Resting:
        """With a side on the bed that the maker chose.

        As it was where nothing may be chosen, or that is no side of it any more.
        """
        if self.fixed:
            return self
        hand = next((k for k, m in enumerate(self.sides) if np.dot(m.down, down) > _SAME), None)
        return self._replace(missing=True) if hand is None else self._replace(chosen=hand, by_hand=True)


def turn_of(down: Sequence[float], around: Float | None = None) -> Float:
    """Rotation that brings a direction of the design down onto the bed.

    Parameters
    ----------
    down : (3,) sequence of float
        Unit vector.
    around : ndarray, (N, 3), float64, optional
        Corners of the body: it is turned about z so that the narrowest box around it lies square, where
        `down` is along no axis.

    Returns
    -------
    ndarray, (3, 3), float64
        Points of the design times its transpose are points over the bed.
    """
    d = np.asarray(down, float) / np.linalg.norm(down)
    k = int(np.argmax(np.abs(d)))
    if abs(d[k]) > 1 - 1e-9:
        s = float(np.sign(d[k]))
        if k == 2:
            return np.asarray(np.diag([1.0, -s, -s]))
        out = np.zeros((3, 3))
        out[2, k], out[k, 2], out[1 - k, 1 - k] = -s, s, 1.0
        return np.asarray(out, float)
    # R. Rodrigues: the least turn that takes one unit vector to another.
    to = np.array([0.0, 0.0, -1.0])
    v, c = np.cross(d, to), float(d @ to)
    x = np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])
    turn = np.eye(3) + x + x @ x / (1 + c)
    if around is None:
        return np.asarray(turn)
    box = shapely.minimum_rotated_rectangle(_around((around @ turn.T)[:, :2]))
    corner = shapely.get_coordinates(box)[:2]
    side = (corner[1] - corner[0]) @ np.array([1, 1j])
    side = np.conj(side) / max(abs(side), 1e-12)
    return np.asarray(np.array([[side.real, -side.imag, 0], [side.imag, side.real, 0], [0, 0, 1]]) @ turn)


def sides_of(mesh: Mesh) -> list[Vector]:
    """Directions of the flat sides of a body, the largest first.

    Whether it can stand on one is not asked here.

    Parameters
    ----------
    mesh : Mesh
        Of the body.
    """
    return _sides(*face_normals(mesh))


def _sides(normals: Float, areas: Float) -> list[Vector]:
    rounded = np.round(normals * 1000).astype(np.int64) + 1000
    _, group = np.unique((rounded[:, 0] * 2001 + rounded[:, 1]) * 2001 + rounded[:, 2], return_inverse=True)
    total = np.bincount(group, areas)
    mean: Float = np.stack([np.bincount(group, areas * normals[:, k]) for k in range(3)], 1).astype(float)
    mean = mean / np.maximum(np.linalg.norm(mean, axis=1), 1e-300)[:, None]
    near = np.round(mean)
    mean = np.where(np.abs(mean - near).max(1, keepdims=True) < 1e-6, near, mean) + 0.0
    order = [k for k in np.argsort(-total, kind="stable") if total[k] >= _LEAST]
    return [(float(x), float(y), float(z)) for x, y, z in mean[order]]


def lies_within(mesh: Mesh, printer: Printer) -> bool:
    """Whether a body fits the printer on one of its sides on which it stands well.

    Parameters
    ----------
    mesh : Mesh
        Of the body.
    printer : Printer
    """
    if np.ptp(mesh.vertices, axis=0).max() > np.linalg.norm(printer.usable):
        return False
    measure = _Measure(mesh, printer, Wishes())
    return any(measure.may_lie(d) for d in measure.sides())


def _around(points: Float) -> shapely.Geometry:
    """Convex hull of points; of none a place that is nowhere."""
    # Through a line: whole arrays, where points would be made one by one.
    return shapely.convex_hull(shapely.linestrings(points)) if len(points) > 1 else shapely.Point()


def _fits(points: Float, printer: Printer) -> bool:
    w, d, h = np.ptp(points, axis=0)
    x, y, z = printer.usable
    if h > z + SLACK:
        return False
    if (
        printer.shape != "round"
        and not printer.keep_out
        and min(w, d) <= min(x, y) + SLACK
        and max(w, d) <= max(x, y) + SLACK
    ):
        return True
    return pose_on_bed(_around(points[:, :2]), printer) is not None


def resting(mesh: Mesh, printer: Printer, wishes: Wishes) -> Resting:
    """The sides a body can be printed on, measured, and the one it is printed on.

    Parameters
    ----------
    mesh : Mesh
        Of the whole body.
    printer : Printer
    wishes : Wishes
    """
    measure = _Measure(mesh, printer, wishes)
    always = (wishes.down, UP, OVER)
    sides = sorted((measure.on(d) for d in dict.fromkeys([*always, *measure.sides()])), key=lambda m: m.cost)
    wanted = next(k for k, m in enumerate(sides) if m.down == wishes.down)
    # What stands on a narrow foot is so by hand only.
    best = next((k for k, m in enumerate(sides) if m.good), wanted)
    chosen = best if sides[best].cost < sides[wanted].cost - _BETTER else wanted
    stays = wishes.fixed or (wishes.firm and sides[wanted].fits)
    return Resting(tuple(sides), wanted if stays else chosen, wanted, fixed=wishes.fixed)


class _Measure:
    """A body whose sides are measured one after the other."""

    def __init__(self, mesh: Mesh, printer: Printer, wishes: Wishes) -> None:
        self.mesh, self.printer, self.wishes = mesh, printer, wishes
        self.normals, self.areas = face_normals(mesh)
        self.corners = mesh.vertices[mesh.triangles]
        self.middles = self.corners.mean(1)
        self._pairs: Neighbours | None = None
        signed = np.einsum("ij,ij->i", self.corners[:, 0], np.cross(self.corners[:, 1], self.corners[:, 2]))
        total = float(signed.sum())
        self.centre = (
            np.asarray((signed[:, None] * self.corners.sum(1)).sum(0) / (4 * total))
            if total
            else mesh.vertices.mean(0)
        )
        self.show = np.zeros(len(self.normals), bool)
        for normal, at in wishes.shows:
            self.show |= (self.normals @ np.array(normal) > 0.95) & (
                self.middles @ np.array(normal) > at - 3.0
            )

    def sides(self) -> list[Vector]:
        """Flat sides that nothing of the body lies below, the largest first."""
        out: list[Vector] = []
        for d in _sides(self.normals, self.areas):
            if len(out) < _MOST and float(self.areas[self._on_bed(np.array(d))].sum()) >= _LEAST:
                out.append(d)
        return out

    def may_lie(self, down: Vector) -> bool:
        """Whether it fits so, and stands well."""
        turn = turn_of(down, self.mesh.vertices)
        points = self.mesh.vertices @ turn.T
        slim, stands = self._foot(self._on_bed(np.array(down)), turn, float(np.ptp(points[:, 2])))
        return stands and slim <= NARROW and _fits(points, self.printer)

    def _on_bed(self, d: Float) -> NDArray[np.bool_]:
        """Which triangles lie on the bed."""
        floor = float((self.mesh.vertices @ d).max())
        return np.asarray((self.normals @ d > _FLAT) & (self.middles @ d > floor - _ON_BED))

    def on(self, down: Vector) -> Measures:
        """What it would mean to print it on the side with this normal."""
        printer, d = self.printer, np.array(down)
        turn = turn_of(down, self.mesh.vertices)
        lean, on_bed = self.normals @ d, self._on_bed(d)
        contact = float(self.areas[on_bed].sum())
        support = self._support(lean, on_bed, d)
        points = self.mesh.vertices @ turn.T
        x, y, z = (float(v) for v in np.ptp(points, axis=0))
        slim, stands = self._foot(on_bed, turn, z)
        step = printer.layer
        return Measures(
            down,
            contact,
            float(support.sum()),
            float(support[self.show].sum()),
            float(self.areas[on_bed & self.show].sum()),
            sum(abs(float(np.dot(n, d))) > 0.8 for n in self.wishes.necks),
            _mixed([np.sort(-(c @ d))[[0, -1]] for c in self.wishes.colours], step),
            int(np.ceil(max(0.0, z - (printer.first_layer or step)) / step - 1e-6)) + 1,
            (x, y, z),
            slim,
            stands,
            _fits(points, printer),
        )

    def _support(self, lean: Float, on_bed: NDArray[np.bool_], down: Float) -> Float:
        """Area seen from above of every triangle that needs support, mm2."""
        over = (lean > np.sin(np.radians(self.printer.angle)) + 1e-6) & ~on_bed
        need = np.where(over, self.areas * lean, 0.0)
        if not over.any():
            return need
        if self._pairs is None:
            self._pairs = neighbours(self.mesh)
        pairs = self._pairs
        of = np.flatnonzero(over)
        number = np.full(len(lean), -1)
        number[of] = np.arange(len(of))
        both = over[pairs.one] & over[pairs.other]
        group = joined(len(of), number[pairs.one[both]], number[pairs.other[both]])
        count = int(group.max()) + 1
        # What is carried along its edge, and narrow, is a bridge, or the roof of a small hole.
        rim = over[pairs.one] ^ over[pairs.other]
        one, other = pairs.one[rim], pairs.other[rim]
        a, b = self.mesh.vertices[pairs.low[rim]], self.mesh.vertices[pairs.high[rim]]
        length = np.linalg.norm(b - a, axis=1)
        mine, beside = np.where(over[one], one, other), np.where(over[one], other, one)
        carried = (self.middles[beside] - (a + b) / 2) @ down > 0
        edge = np.bincount(group[number[mine]], length, count)
        held = np.bincount(group[number[mine]], length * carried, count)
        right = turn_of(down.tolist())[:2]
        low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
        flat = self.corners[of] @ right.T
        np.minimum.at(low, group, flat.min(1))
        np.maximum.at(high, group, flat.max(1))
        # A step of a staircase: narrower than a line, and no wider than what rises below it may lean.
        rise = (self.corners[beside] @ down).max(1) - (a @ down + b @ down) / 2
        up = np.bincount(group[number[mine]], length * carried * np.maximum(rise, 0.0), count)
        rises = np.asarray(up / np.maximum(held, 1e-9))
        wide = 2 * np.bincount(group, need[of], count) / np.maximum(edge, 1e-9)
        step = (wide <= self.printer.nozzle) & (wide <= np.tan(np.radians(self.printer.angle)) * rises + 1e-3)
        step &= held >= _STEPPED * edge
        need[of[step[group]]] = 0.0
        narrow = (high - low).min(1) <= self.printer.span
        bridge = narrow & (held >= _CARRIED * np.maximum(edge, 1e-9))
        need[of[bridge[group]]] = 0.0
        return need

    def _foot(self, on_bed: NDArray[np.bool_], turn: Float, height: float) -> tuple[float, bool]:
        """How many times as high as its foot is wide it is, and whether it stands."""
        flat = self.corners[on_bed].reshape(-1, 3) @ turn[:2].T
        foot = _around(flat)
        if foot.geom_type != "Polygon":
            return np.inf, False
        box = shapely.get_coordinates(shapely.minimum_rotated_rectangle(foot))
        wide = float(np.linalg.norm(np.diff(box[:3], axis=0), axis=1).min())
        return height / max(wide, 1e-9), bool(shapely.intersects_xy(foot, *(turn[:2] @ self.centre)))


def _mixed(spans: Sequence[Float], step: float) -> int:
    """Layers in which more than one of several spans of height lies."""
    if len(spans) < 2:
        return 0
    low = min(float(s[0]) for s in spans)
    count = np.zeros(int(np.ceil((max(float(s[1]) for s in spans) - low) / step - 1e-6)) + 1, int)
    for a, b in spans:
        count[int(np.floor((a - low) / step + 1e-6)) : int(np.ceil((b - low) / step - 1e-6))] += 1
    return int((count > 1).sum())
