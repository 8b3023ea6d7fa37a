"""What a cut would meet: readings of many planes across a design, and what they say in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.relief.carve import BODY, Part
from cutkey.core.solids.solid import bounds_of, mesh_of
from cutkey.core.split.places import wanted
from cutkey.core.split.plane import Plane, plane_of
from cutkey.core.split.settings import AXES, Axis, Cut

Float = NDArray[np.float64]
Mask = NDArray[np.uint8]
#: Planes looked at across the whole design, and the least distance between two, mm.
PLANES, NEAREST = 200, 1.0
#: Pixels along the longer side of a plane; across the shorter one there are at least so many.
LONG, SHORT = 200, 10
#: Depth on either side of a cut that keys ask for, mm; the smallest dowel with its wall takes this half width.
DEPTH, KEY_HALF = 8.0, 2.1
#: An edge of the form within this of a cut leaves a sliver, mm.
BESIDE = 4.0
#: Pieces of a colour smaller than this share of the design's longest side are small: letters, eyes, dots.
SMALL = 0.3


class Reading(NamedTuple):
    """What a plane meets."""

    at: float
    area: float  # mm2
    thick: float  # of the thickest place along the keys' depth, mm
    span: float  # from end to end of where keys have room, mm
    holes: int
    bodies: int  # separate areas
    small: int  # small pieces it goes through
    crossing: float  # how bad that is: 1 for each tiny one
    edge: float  # how much the area changes nearby, as a share

    @property
    def keys(self) -> int:
        """Keys there would be room for."""
        return wanted(self.span, 0) if self.span > 12 else int(self.span > 0)

    @property
    def badness(self) -> float:
        """0 for a cut that does no harm."""
        thin = max(0.0, 1 - self.thick / (2 * KEY_HALF))
        return (
            1.5 * self.crossing
            + 0.6 * self.holes
            + 0.8 * max(0, self.bodies - 1)
            + 1.5 * thin
            + 0.8 * max(0, 2 - self.keys)
            + 1.2 * min(1.0, 4 * self.edge)
        )

    def words(self, any_small: bool) -> list[tuple[bool, str]]:
        """What speaks for it (True) and against it."""
        out: list[tuple[bool, str]] = []
        if self.small:
            out.append((False, "crosses a small piece" if self.small == 1 else f"crosses {self.small} small pieces"))
        elif any_small:
            out.append((True, "keeps off small pieces"))
        if self.holes:
            out.append((False, "crosses a hole" if self.holes == 1 else f"crosses {self.holes} holes"))
        if self.bodies > 1:
            out.append((False, f"in {self.bodies} separate areas"))
        if self.edge > 0.12:
            out.append((False, "at an edge of the form"))
        if self.thick < 2 * KEY_HALF:
            out.append((False, f"thin: {self.thick:.1f} mm"))
        elif self.keys >= 2:
            out.append((True, f"room for {self.keys} keys"))
        else:
            out.append((False, "little room for keys"))
        return out


class _Piece(NamedTuple):
    low: Float
    high: Float
    weight: float  # 1 for a tiny one, 0 for one that no cut can spare


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
    """

    def __init__(self, parts: Sequence[Part], farthest: float = np.inf, sunk: Sequence[tuple[Float, Float]] = ()) -> None:
        self._farthest = farthest
        self.parts = list(parts)
        boxes = [bounds_of(p.solid) for p in parts]
        self.low, self.high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
        self.middle = (self.low + self.high) / 2
        self.size = self.high - self.low
        self._sheets: dict[Axis, _Sheets] = {}
        self.pieces = self._small_pieces(sunk)

    @property
    def any_small(self) -> bool:
        """Whether there are small pieces to keep off."""
        return any(p.weight > 0 for p in self.pieces)

    def _small_pieces(self, sunk: Sequence[tuple[Float, Float]]) -> list[_Piece]:
        """Boxes of the separate pieces of the colours that are not the model's own, and of what is sunk into it."""
        limit = SMALL * float(self.size.max())
        out = [_Piece(low, high, max(0.0, 1 - float((high - low).max()) / limit)) for low, high in sunk]
        for part in self.parts:
            if part.colour == BODY or len(self.parts) == 1:
                continue
            for low, high in _boxes_of_pieces(part):
                extent = float((high - low).max())
                out.append(_Piece(low, high, max(0.0, 1 - extent / limit)))
        return out

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
            masks, origin, px = _masks(self.parts, plane, at, low, high)
            self._sheets[axis] = _Sheets(at, step, masks, origin, px)
        return self._sheets[axis]

    def readings(self, axis: Axis, within: tuple[float, float] | None = None, other: Axis = "y") -> list[Reading]:
        """Readings of all planes across an axis, or of the part of them between two places along another axis."""
        s = self.sheets(axis)
        k, m = AXES.index(axis), AXES.index(other)
        masks = s.masks
        if within is not None:
            plane = plane_of(Cut(axis, 0.0), self.middle)
            lift = plane.right[m]
            a, b = sorted(float((w - self.middle[m]) * lift) for w in within)
            first, last = int(max(0, (a - s.origin[0]) / s.px)), int(min(masks.shape[2], (b - s.origin[0]) / s.px + 1))
            masks = masks[:, :, first : max(last, first + 1)]
        pieces = [p for p in self.pieces if within is None or (p.low[m] < within[1] and p.high[m] > within[0])]
        areas = masks.reshape(len(masks), -1).sum(1).astype(float) / 255 * s.px**2
        reach = max(1, round(DEPTH / s.step))
        jumps = np.abs(np.diff(areas, prepend=areas[:1], append=areas[-1:])) / np.maximum(1e-9, np.r_[areas, areas[-1:]])
        beside = max(1, round(BESIDE / s.step))
        out = []
        for i, at in enumerate(s.at.tolist()):
            j = [min(max(i + d, 0), len(masks) - 1) for d in (-reach, -(reach // 2), reach // 2, reach)]
            deep = masks[i] & masks[j[0]] & masks[j[1]] & masks[j[2]] & masks[j[3]]
            edge = float(jumps[max(0, i - beside + 1) : i + beside + 1].max())
            crossed = [p.weight for p in pieces if p.weight > 0 and p.low[k] + 0.01 < at < p.high[k] - 0.01]
            out.append(_reading(at, masks[i], deep, s.px, crossed, edge))
        return out

    def reading(self, cut: Cut) -> Reading:
        """Reading of one cut, turned or not, through the whole design."""
        plane = plane_of(cut, self.middle)
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)]) * self.size + self.low
        flat = plane.flat(corners)
        at = np.array([-DEPTH, -BESIDE, -2.5, -1, 0, 1, 2.5, BESIDE, DEPTH])
        masks, _, px = _masks(self.parts, plane, at, flat[:, :2].min(0), flat[:, :2].max(0), True)
        crossed = []
        for p in self.pieces:
            middle, half = (p.low + p.high) / 2, (p.high - p.low) / 2
            if p.weight > 0 and abs(float(plane.flat(middle)[2])) < float(np.abs(plane.normal) @ half) - 0.01:
                crossed.append(p.weight)
        areas = masks.reshape(len(at), -1).sum(1).astype(float)
        edge = float(np.abs(np.diff(areas[1:-1])).max()) / max(areas[4], 1e-9)
        deep = masks[0] & masks[1] & masks[4] & masks[7] & masks[8]
        return _reading(cut.at, masks[4], deep, px, crossed, edge)

    def symmetric(self, axis: Axis) -> bool:
        """Whether the design's planes across an axis mirror one another at its middle."""
        masks = self.sheets(axis).masks
        areas = masks.reshape(len(masks), -1).sum(1).astype(float)
        return bool(np.abs(areas - areas[::-1]).sum() < 0.02 * areas.sum())


def _boxes_of_pieces(part: Part) -> list[tuple[Float, Float]]:
    from cutkey.core.solids.mesh import joined

    mesh = mesh_of(part.solid)
    label = joined(len(mesh.vertices), mesh.triangles[:, [0, 1]].ravel(), mesh.triangles[:, [1, 2]].ravel())
    count = int(label.max()) + 1 if len(label) else 0
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, label, mesh.vertices)
    np.maximum.at(high, label, mesh.vertices)
    return [(a, b) for a, b in zip(low, high, strict=True) if np.isfinite(a).all()]


def _masks(
    parts: Sequence[Part], plane: Plane, at: Float, low: Float, high: Float, distances: bool = False
) -> tuple[NDArray[np.uint8], tuple[float, float], float]:
    """Slices of all colours together as pictures; `at` along the plane's axis, or (`distances`) from the plane."""
    size = high - low
    px = max(float(size.max()) / LONG, min(float(size.min()) / SHORT, 0.5))
    w, h = (math.ceil(float(s) / px) + 2 for s in size)
    origin = (float(low[0] - px), float(low[1] - px))
    out = np.zeros((len(at), h, w), np.uint8)
    heights = np.asarray(at, float) - (0.0 if distances else plane.height)
    for part in parts:
        laid = plane.laid(part.solid)
        b = laid.bounding_box()
        for i in np.flatnonzero((heights > b[2]) & (heights < b[5])).tolist():
            rings = [np.round((np.asarray(r) - origin) / px * 16 - 8).astype(np.int32) for r in laid.slice(float(heights[i])).to_polygons()]
            if rings:
                layer = np.zeros((h, w), np.uint8)
                cv2.fillPoly(layer, rings, 255, cv2.LINE_8, 4)
                out[i] |= layer
    return out, origin, px


def _reading(at: float, mask: Mask, deep: Mask, px: float, crossed: Sequence[float], edge: float) -> Reading:
    area = float(np.count_nonzero(mask)) * px * px
    if area == 0:
        return Reading(at, 0.0, 0.0, 0.0, 0, 0, len(crossed), float(sum(crossed)), edge)
    contours, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    bodies = int(np.count_nonzero(tree[0, :, 3] < 0))
    holes = sum(1 for c, t in zip(contours, tree[0], strict=True) if t[3] >= 0 and cv2.contourArea(c) > 4)
    padded = cv2.copyMakeBorder(deep, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    distance = cv2.distanceTransform(padded, cv2.DIST_L2, 3)
    thick = 2 * float(distance.max()) * px
    rows, columns = np.nonzero(distance * px >= KEY_HALF)
    span = math.hypot(float(np.ptp(columns)), float(np.ptp(rows))) * px + px if len(columns) else 0.0
    return Reading(at, area, thick, span, holes, bodies, len(crossed), float(sum(crossed)), edge)
