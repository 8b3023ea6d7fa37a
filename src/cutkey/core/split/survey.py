"""What a cut would meet: readings of many planes across a design, and what they say in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.cuts import AXES, Axis, Cut, Word
from cutkey.core.model.filament import BODY
from cutkey.core.split.plane import Plane, plane_of
from cutkey.core.split.setting.places import wanted
from cutkey.core.words import splitting as say

Mask = NDArray[np.uint8]
#: Planes looked at across the whole design, and the least distance between two, mm.
PLANES, NEAREST = 200, 1.0
#: Pixels along the longer side of a plane; across the shorter one there are at least so many.
LONG, SHORT = 200, 10
#: Depth on either side of a cut that keys ask for, mm; the smallest dowel with its wall takes this half
#: width.
DEPTH, KEY_HALF = 8.0, 2.1
#: An edge of the form within this of a cut leaves a sliver, mm.
BESIDE = 4.0
#: A piece of a colour that goes over this share of the design both ways is the ground of it, which no cut can
#: spare; all others are figures, however large.
GROUND = 0.8
#: So much of a figure's length cut through weighs as much as a hole and a half, mm.
FIGURE = 10.0


class Reading(NamedTuple):
    """What a plane meets."""

    at: float
    area: float  # mm2
    thick: float  # of the thickest place along the keys' depth, mm
    span: float  # from end to end of where keys have room, mm
    holes: int
    bodies: int  # separate areas
    figures: int  # figures and letters it goes through
    crossing: float  # length of the cut inside them as it is seen, mm
    edge: float  # how much the area changes nearby, as a share
    slivers: int = 0  # figures of which it leaves a sliver on one side

    @property
    def keys(self) -> int:
        """Keys there would be room for."""
        return wanted(self.span, 0) if self.span > 12 else int(self.span > 0)

    @property
    def badness(self) -> float:
        """0 for a cut that does no harm."""
        thin = max(0.0, 1 - self.thick / (2 * KEY_HALF))
        return (
            1.5 * self.crossing / FIGURE
            + 0.75 * self.slivers
            + 0.6 * self.holes
            + 0.8 * max(0, self.bodies - 1)
            + 1.5 * thin
            + 0.8 * max(0, 2 - self.keys)
            + 1.2 * min(1.0, 4 * self.edge)
        )

    def words(self, any_figures: bool) -> list[Word]:
        """What speaks for it and against it."""
        out: list[Word] = []
        if self.figures:
            through = say.cuts_through_figures(max(1, round(self.crossing)), self.figures)
            out.append(Word(False, through, "figures"))
        elif any_figures:
            out.append(Word(True, say.keeps_off_figures(), "figures"))
        if self.slivers:
            out.append(Word(False, say.leaves_slivers(self.slivers), "slivers"))
        if self.holes:
            out.append(Word(False, say.crosses_holes(self.holes), "holes"))
        if self.bodies > 1:
            out.append(Word(False, say.in_separate_areas(self.bodies), "bodies"))
        if self.edge > 0.12:
            out.append(Word(False, say.at_an_edge(), "edge"))
        if self.thick < 2 * KEY_HALF:
            out.append(Word(False, say.thin_there(self.thick), "thick"))
        elif self.keys >= 2:
            out.append(Word(True, say.room_for_keys(self.keys), "room"))
        else:
            out.append(Word(False, say.little_room(), "room"))
        return out


class _Figure:
    """A separate piece of a colour that is not the ground, or something sunk into the model.

    Of what is sunk only the box is known.
    """

    def __init__(self, low: Float, high: Float, solid: Solid | None) -> None:
        self.low, self.high, self.solid = low, high, solid
        # stretches along right, by plane and height
        self._known: dict[tuple[bytes, float], list[tuple[float, float]]] = {}

    def length(
        self, plane: Plane, height: float, within: tuple[float, float] | None = None, known: bytes = b""
    ) -> float:
        """How much of a cut at a height of the plane's own frame lies in it, along right, mm.

        `known` is the plane's name, made before.
        """
        name = known or _name_of(plane)
        key = (name, height)
        if key not in self._known:
            self._known[key] = _apart(self._spans(plane, height, name))
        low, high = within or (-math.inf, math.inf)
        return sum(max(0.0, min(b, high) - max(a, low)) for a, b in self._known[key])

    def _spans(self, plane: Plane, height: float, name: bytes) -> Float:
        if self.solid is None:
            box = (
                np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)]) * (self.high - self.low)
                + self.low
            )
            u = plane.flat(box)[:, 0]
            return np.array([[u.min(), u.max()]])
        rings = self._laid(plane, name).slice(height).to_polygons()
        return np.array([[r[:, 0].min(), r[:, 0].max()] for r in map(np.asarray, rings)]).reshape(-1, 2)

    def _laid(self, plane: Plane, name: bytes) -> Solid:
        if getattr(self, "_key", b"") != name:
            assert self.solid is not None
            self._key, self._turned = name, plane.laid(self.solid)
        return self._turned


def _name_of(plane: Plane) -> bytes:
    return plane.turn.tobytes() + plane.origin.tobytes()


def _apart(spans: Float) -> list[tuple[float, float]]:
    """Stretches that overlap joined to one."""
    out: list[tuple[float, float]] = []
    for a, b in sorted(spans.tolist()):
        if out and a <= out[-1][1]:
            out[-1] = (out[-1][0], max(b, out[-1][1]))
        else:
            out.append((a, b))
    return out


class _Sheets(NamedTuple):
    """Masks of all planes across an axis."""

    at: Float
    step: float
    masks: NDArray[np.uint8]  # (N, H, W)
    origin: tuple[float, float]  # right and up of the first pixel
    px: float


class Survey:
    """Readings of a design, each plane sliced once.

    Parameters
    ----------
    parts : sequence of Part
    farthest : float
        Largest distance between two planes, mm.
    sunk : sequence of (low, high)
        Boxes of lettering and figures sunk into the model, mm.
    whole : Manifold, optional
        The design as one solid, which is sliced sooner than its colours are.
    """

    def __init__(
        self,
        parts: Sequence[Part],
        farthest: float = np.inf,
        sunk: Sequence[tuple[Float, Float]] = (),
        whole: Solid | None = None,
    ) -> None:
        self._farthest = farthest
        self.parts = list(parts)
        self._solids = [p.solid for p in parts] if whole is None else [whole]
        boxes = [bounds_of(p.solid) for p in parts]
        self.low, self.high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
        self.middle = (self.low + self.high) / 2
        self.size = self.high - self.low
        self._sheets: dict[Axis, _Sheets] = {}
        self._even: dict[Axis, bool] = {}
        self.figures = self._figures(sunk)

    @property
    def any_figures(self) -> bool:
        """Whether there are figures to keep off."""
        return bool(self.figures)

    def _figures(self, sunk: Sequence[tuple[Float, Float]]) -> list[_Figure]:
        """The separate pieces of the colours that are not the model's own, but for the ground.

        And what is sunk into it.
        """
        found = [_Figure(low, high, None) for low, high in sunk]
        for part in self.parts:
            if part.colour != BODY and len(self.parts) > 1:
                found += [_Figure(*bounds_of(one), one) for one in part.solid.decompose()]
        across = np.argsort(-self.size)[:2]
        return [f for f in found if not ((f.high - f.low)[across] >= GROUND * self.size[across]).all()]

    def sheets(self, axis: Axis) -> _Sheets:
        """Masks of planes across an axis."""
        if axis not in self._sheets:
            k = AXES.index(axis)
            step = max(NEAREST, min(self._farthest, float(self.size[k]) / PLANES))
            count = max(1, int(self.size[k] / step) - 1)
            at = self.middle[k] + (np.arange(count) - (count - 1) / 2) * step
            plane = plane_of(Cut(axis, 0.0), self.middle)
            flat = plane.flat(np.array([self.low, self.high]))[:, :2]
            low, high = flat.min(0), flat.max(0)
            masks, origin, px = _masks(self._solids, plane, at, low, high)
            self._sheets[axis] = _Sheets(at, step, masks, origin, px)
        return self._sheets[axis]

    def readings(
        self, axis: Axis, within: tuple[float, float] | None = None, other: Axis = "y"
    ) -> list[Reading]:
        """Readings of all planes across an axis.

        Or of the part of them between two places along another axis.
        """
        s = self.sheets(axis)
        k, m = AXES.index(axis), AXES.index(other)
        masks = s.masks
        if within is not None:
            plane = plane_of(Cut(axis, 0.0), self.middle)
            lift = plane.right[m]
            a, b = sorted(float((w - self.middle[m]) * lift) for w in within)
            first, last = (
                int(max(0, (a - s.origin[0]) / s.px)),
                int(min(masks.shape[2], (b - s.origin[0]) / s.px + 1)),
            )
            masks = masks[:, :, first : max(last, first + 1)]
        own = plane_of(Cut(axis, 0.0), self.middle)
        name, height = _name_of(own), own.height
        row = None
        if within is not None:
            lift = own.right[m]
            row = sorted(float((w - self.middle[m]) * lift) for w in within)
        figures = [
            f for f in self.figures if within is None or (f.low[m] < within[1] and f.high[m] > within[0])
        ]
        areas = masks.reshape(len(masks), -1).sum(1).astype(float) / 255 * s.px**2
        reach = max(1, round(DEPTH / s.step))
        jumps = np.abs(np.diff(areas, prepend=areas[:1], append=areas[-1:])) / np.maximum(
            1e-9, np.r_[areas, areas[-1:]]
        )
        beside = max(1, round(BESIDE / s.step))
        out = []
        for i, at in enumerate(s.at.tolist()):
            j = [min(max(i + d, 0), len(masks) - 1) for d in (-reach, -(reach // 2), reach // 2, reach)]
            deep = masks[i] & masks[j[0]] & masks[j[1]] & masks[j[2]] & masks[j[3]]
            edge = float(jumps[max(0, i - beside + 1) : i + beside + 1].max())
            met = [f for f in figures if f.low[k] + 0.01 < at < f.high[k] - 0.01]
            lengths = [f.length(own, at - height, (row[0], row[1]) if row else None, name) for f in met]
            slivers = sum(
                min(at - f.low[k], f.high[k] - at) < BESIDE and n > 0
                for f, n in zip(met, lengths, strict=True)
            )
            out.append(_reading(at, masks[i], deep, s.px, lengths, edge, slivers))
        return out

    def reading(self, cut: Cut, within: tuple[float, float] | None = None) -> Reading:
        """Reading of one cut, turned or not, through the whole design.

        Or along a stretch of its plane's right only, mm.
        """
        plane = plane_of(cut, self.middle)
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)]) * self.size + self.low
        flat = plane.flat(corners)
        at = np.array([-DEPTH, -BESIDE, -2.5, -1, 0, 1, 2.5, BESIDE, DEPTH])
        low, high = flat[:, :2].min(0), flat[:, :2].max(0)
        if within is not None:
            low[0], high[0] = max(low[0], within[0]), min(high[0], within[1])
        masks, _, px = _masks(self._solids, plane, at, low, high, True)
        lengths, slivers = [], 0
        for f in self.figures:
            middle, half = (f.low + f.high) / 2, (f.high - f.low) / 2
            reach, off = float(np.abs(plane.normal) @ half), abs(float(plane.flat(middle)[2]))
            if off < reach - 0.01:
                lengths.append(f.length(plane, 0.0, within))
                slivers += reach - off < BESIDE and lengths[-1] > 0
        areas = masks.reshape(len(at), -1).sum(1).astype(float)
        edge = float(np.abs(np.diff(areas[1:-1])).max()) / max(areas[4], 1e-9)
        deep = masks[0] & masks[1] & masks[4] & masks[7] & masks[8]
        return _reading(cut.at, masks[4], deep, px, lengths, edge, slivers)

    def symmetric(self, axis: Axis) -> bool:
        """Whether the design's planes across an axis mirror one another at its middle."""
        if axis not in self._even:
            masks = self.sheets(axis).masks
            areas = masks.reshape(len(masks), -1).sum(1).astype(float)
            self._even[axis] = bool(np.abs(areas - areas[::-1]).sum() < 0.02 * areas.sum())
        return self._even[axis]


def _masks(
    solids: Sequence[Solid], plane: Plane, at: Float, low: Float, high: Float, distances: bool = False
) -> tuple[NDArray[np.uint8], tuple[float, float], float]:
    """Slices of some solids together as pictures.

    `at` along the plane's axis, or (`distances`) from the plane.
    """
    size = high - low
    px = max(float(size.max()) / LONG, min(float(size.min()) / SHORT, 0.5))
    w, h = (math.ceil(float(s) / px) + 2 for s in size)
    origin = (float(low[0] - px), float(low[1] - px))
    out = np.zeros((len(at), h, w), np.uint8)
    heights = np.asarray(at, float) - (0.0 if distances else plane.height)
    for solid in solids:
        laid = plane.laid(solid)
        b = laid.bounding_box()
        for i in np.flatnonzero((heights > b[2]) & (heights < b[5])).tolist():
            rings = [
                np.round((np.asarray(r) - origin) / px * 16 - 8).astype(np.int32)
                for r in laid.slice(float(heights[i])).to_polygons()
            ]
            if rings:
                layer = np.zeros((h, w), np.uint8)
                cv2.fillPoly(layer, rings, 255, cv2.LINE_8, 4)
                out[i] |= layer
    return out, origin, px


def _reading(
    at: float, mask: Mask, deep: Mask, px: float, lengths: Sequence[float], edge: float, slivers: int
) -> Reading:
    crossed = [n for n in lengths if n > 0]
    area = float(np.count_nonzero(mask)) * px * px
    if area == 0:
        return Reading(at, 0.0, 0.0, 0.0, 0, 0, len(crossed), float(sum(crossed)), edge, slivers)
    contours, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    bodies = int(np.count_nonzero(tree[0, :, 3] < 0))
    holes = sum(1 for c, t in zip(contours, tree[0], strict=True) if t[3] >= 0 and cv2.contourArea(c) > 4)
    padded = cv2.copyMakeBorder(deep, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    distance = cv2.distanceTransform(padded, cv2.DIST_L2, 3)
    thick = 2 * float(distance.max()) * px
    _, _, wide, high = cv2.boundingRect((distance * px >= KEY_HALF).view(np.uint8))
    span = math.hypot(wide - 1, high - 1) * px + px if wide else 0.0
    return Reading(at, area, thick, span, holes, bodies, len(crossed), float(sum(crossed)), edge, slivers)
