"""What lies on a face, graphics and add-ons alike, as the hands of both views take hold of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.app.widgets.struct_form import said
from cutkey.core.geometry.arrays import Float
from cutkey.core.model.job import GraphicSpec, Job
from cutkey.core.model.placement import Placement
from cutkey.core.place.copies import instances, spots
from cutkey.worker.shown import AddOnView, BodyView, GraphicView, PlacedView, Rings

Face = PlacedView | AddOnView
#: Directions, and distances in mm, within which two faces are one.
SAME, LEVEL = 0.999, 0.05
#: Hulls that are kept.
MOST_HULLS = 100


class Laid(NamedTuple):
    """One place of a thing on the plane; a mirrored pair has two."""

    x: float
    y: float
    spin: float
    mirror: bool = False


class Thing(NamedTuple):
    """A graphic or an add-on on the plane of a face; places are mm of that plane."""

    id: str
    name: str
    at: tuple[float, float]  # its middle on the plane that is shown
    offset: tuple[float, float]  # the same, from the middle of its own face
    spin: float
    # colour ("" for an add-on) and rings about its middle, mirrored but not turned
    fills: list[tuple[str, Rings]]
    low: tuple[float, float]  # of its box, not turned
    high: tuple[float, float]
    sizable: bool
    places: list[Laid]  # where it really lies, with all its copies
    turnable: bool = True

    def turned(self) -> Float:
        """2 x 2 matrix of its spin."""
        c, s = math.cos(math.radians(self.spin)), math.sin(math.radians(self.spin))
        return np.array([[c, -s], [s, c]])

    def corners(self) -> Float:
        """Corners (4, 2) of its box on the plane, counter-clockwise from the lower left."""
        (x0, y0), (x1, y1) = self.low, self.high
        return np.asarray(
            np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]) @ self.turned().T + np.array(self.at)
        )

    def box(self) -> tuple[float, float, float, float]:
        """Left, bottom, right, top of what it covers, mm, as it is turned."""
        every = _hull(tuple(rings for _, rings in self.fills)) @ self.turned().T + np.array(self.at)
        (x0, y0), (x1, y1) = every.min(0), every.max(0)
        return float(x0), float(y0), float(x1), float(y1)

    def outlines(self) -> list[Float]:
        """Closed outlines on the plane, no more points each than the eye needs."""
        every = [r for _, rings in self.fills for r in rings.rings()]
        seen = [np.concatenate([r[:: max(1, len(r) // 240)], r[:1]]) for r in every]
        out = []
        for x, y, spin, mirror in self.places:
            turn = self._replace(spin=spin).turned().T
            out += [(r * (-1.0 if mirror else 1.0, 1.0)) @ turn + np.array([x, y]) for r in seen]
        return out

    def holds(self, x: float, y: float) -> bool:
        """Whether a place is in its box."""
        p = self.turned().T @ (np.array([x, y]) - np.array(self.at))
        return bool((p >= np.array(self.low)).all() and (p <= np.array(self.high)).all())

    def grown(self, factor: float, at: tuple[float, float]) -> Thing:
        """Larger by a factor, its middle at a place; copies are not shown meanwhile."""
        fills = [(c, Rings(r.points * factor, r.first)) for c, r in self.fills]
        low, high = ((x * factor, y * factor) for x, y in (self.low, self.high))
        return self._replace(fills=fills, low=low, high=high, at=at, places=[Laid(*at, self.spin)])


_HULLS: dict[tuple[int, ...], tuple[tuple[Rings, ...], Float]] = {}


def _hull(rings: tuple[Rings, ...]) -> Float:
    """Corners of the convex hull of some rings, made once.

    They tell every box of theirs however they are turned.
    """
    key = tuple(id(r) for r in rings)
    kept = _HULLS.get(key)
    if kept is None or any(a is not b for a, b in zip(kept[0], rings, strict=True)):
        if len(_HULLS) > MOST_HULLS:
            _HULLS.clear()
        points = [r.points for r in rings if len(r.points)]
        every = np.concatenate(points) if points else np.zeros((1, 2))
        kept = _HULLS[key] = rings, shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(every)))
    return kept[1]


def same_face(a: Face, b: Face) -> bool:
    """Whether two faces lie in one plane, seen from the same side; a curved place is only its own."""
    if a is b:
        return True
    curved = isinstance(b, PlacedView) and b.grid is not None
    return not curved and place_on(a, b.origin, b.normal) is not None


def place_on(face: Face, point: Float, normal: Float) -> tuple[float, float] | None:
    """Where a place of the model that faces a direction lies on a flat face.

    None when it is not on its plane.
    """
    off = point - face.origin
    curved = isinstance(face, PlacedView) and face.grid is not None
    if curved or float(face.normal @ normal) <= SAME or abs(float(off @ face.normal)) >= LEVEL:
        return None
    return float(off @ face.right), float(off @ face.up)


class Stock:
    """Rings as they are shown, made once: paths are kept by them."""

    def __init__(self) -> None:
        self._made: dict[tuple[int, bool, float], tuple[Rings, Rings]] = {}

    def shown(self, rings: Rings, mirror: bool, factor: float) -> Rings:
        """Rings mirrored and sized."""
        key = (id(rings), mirror, factor)
        if key not in self._made or self._made[key][0] is not rings:
            if len(self._made) > 400:
                self._made.clear()
            side = np.array([-factor if mirror else factor, factor])
            self._made[key] = rings, Rings(rings.points * side, rings.first)
        return self._made[key][1]


def things_on(
    face: Face,
    job: Job,
    placed: Iterable[PlacedView],
    body: BodyView | None,
    graphics: dict[str, GraphicView],
    filament: dict[str, str],
    stock: Stock,
) -> list[Thing]:
    """Graphics and add-ons on the plane of a face; `filament` gives the printed colour of each colour."""
    out = []
    views = {p.placement: p for p in placed}
    for placement in job.placements:
        view, graphic = views.get(placement.id), graphics.get(placement.graphic)
        if view is not None and graphic is not None and same_face(face, view):
            shift = _between(face, view)
            places = [
                Laid(
                    one.offset[0] + shift[0],
                    one.offset[1] + shift[1],
                    one.spin,
                    one.mirror != placement.mirror,
                )
                for one in instances(placement, view.middle)
            ]
            fills = _fills(job.graphic(placement.graphic), placement, graphic, filament, stock)
            points = np.concatenate([r.points for _, r in fills]) if fills else np.zeros((1, 2))
            low, high = _two(points.min(0)), _two(points.max(0))
            at = (placement.offset[0] + shift[0], placement.offset[1] + shift[1])
            name = job.graphic(placement.graphic).name
            out.append(
                Thing(
                    placement.id, name, at, placement.offset, placement.spin, fills, low, high, True, places
                )
            )
    addons = {a.id: a for a in job.addons}
    for shown in body.addons if body is not None else ():
        addon = addons.get(shown.id)
        if addon is None or not same_face(face, shown):
            continue
        shift = _between(face, shown)
        points = shown.figure.points
        at = (addon.offset[0] + shift[0], addon.offset[1] + shift[1])
        every = spots(addon.offset, addon.spin, addon.copies, shown.middle)
        places = [Laid(x + shift[0], y + shift[1], spin) for (x, y), spin in every]
        # A channel's exit runs far past the face: its box is what lies by its middle.
        low, high = np.maximum(points.min(0), -_reach(shown)), np.minimum(points.max(0), _reach(shown))
        name = said(addon.feature.title)
        # What is round all about need not be turned.
        away = np.hypot(*points.T)
        turnable = float(np.ptp(away)) > 0.02 * float(away.max()) and not addon.feature.round
        fills = [("", shown.figure)]
        out.append(
            Thing(
                addon.id,
                name,
                at,
                addon.offset,
                addon.spin,
                fills,
                _two(low),
                _two(high),
                False,
                places,
                turnable,
            )
        )
    return out


def _reach(shown: AddOnView) -> float:
    return float(np.ptp(shown.outline.points, axis=0).max()) / 2


def _fills(
    spec: GraphicSpec, placement: Placement, graphic: GraphicView, filament: dict[str, str], stock: Stock
) -> list[tuple[str, Rings]]:
    # Until a new size has been traced, the old one is shown at it.
    factor = spec.width_mm / graphic.width_mm if graphic.width_mm > 0 else 1.0
    fills = []
    for colour, rings in graphic.regions:
        # Where material is taken away no colour is left to show.
        gone = placement.depth_of(colour).mode in ("recessed", "through")
        fills.append(
            ("rule" if gone else filament.get(colour, colour), stock.shown(rings, placement.mirror, factor))
        )
    return fills


def _between(face: Face, other: Face) -> tuple[float, float]:
    """Where the middle of another face of the same plane lies on a face."""
    off = other.origin - face.origin
    return float(off @ face.right), float(off @ face.up)


def _two(v: Float) -> tuple[float, float]:
    return float(v[0]), float(v[1])
