"""Rulers beside the design with the tabs of the cuts, and what is drawn of a cut on the stage.

Brackets between the tabs say what lies there.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from cutkey.app.drafting import chain_line, dimension, note
from cutkey.app.stage.stage import Stage
from cutkey.app.theme import drawing_font, theme
from cutkey.core.model.cuts import AXES, Axis, Cut
from cutkey.core.split.plane import Plane, has_path
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import KitView

#: A tab or handle is taken hold of within this many px.
_NEAR = 10


class Rulers:
    """Geometry and drawing of the rulers on a stage."""

    def __init__(self, stage: Stage) -> None:
        self._stage = stage
        self.low, self.high = np.zeros(3), np.zeros(3)

    def lines(self) -> dict[Axis, tuple[np.ndarray, np.ndarray]]:
        """Start of each ruler and the unit of its axis, in the model; beside the design's lower edges."""
        low, high = self.low, self.high
        out = 26 * self._stage.seen.mm_per_px
        _, _, eye = self._stage.seen.axes()
        front = low[1] - out if eye[1] <= 0 else high[1] + out
        side = low[0] - out if eye[0] <= 0 else high[0] + out
        far = high[0] + out if eye[0] <= 0 else low[0] - out
        return {
            "x": (np.array([low[0], front, low[2]]), np.array([1.0, 0, 0])),
            "y": (np.array([side, low[1], low[2]]), np.array([0, 1.0, 0])),
            "z": (np.array([far, front, low[2]]), np.array([0, 0, 1.0])),
        }

    def _at(self, axis: Axis, value: float) -> QPointF:
        start, unit = self.lines()[axis]
        return self._stage.to_widget(start + unit * (value - self.low[AXES.index(axis)]))

    def tab(self, cut: Cut) -> QPointF:
        """Widget place of a cut's tab."""
        return self._at(cut.axis, cut.at)

    def spare(self, axis: Axis) -> QPointF:
        """Widget place of the tab at the end of a ruler from which a new cut is pulled."""
        k = AXES.index(axis)
        p, q = self._at(axis, float(self.low[k])), self._at(axis, float(self.high[k]))
        length = math.hypot(q.x() - p.x(), q.y() - p.y())
        return q + (q - p) * (20 / max(length, 1e-6))

    def seen(self, axis: Axis) -> bool:
        """Whether a ruler is not looked at end on."""
        k = AXES.index(axis)
        p, q = self._at(axis, float(self.low[k])), self._at(axis, float(self.high[k]))
        return abs(p.x() - q.x()) + abs(p.y() - q.y()) >= 26

    def value(self, axis: Axis, p: QPointF) -> float:
        """Place on a ruler nearest to a widget place, kept inside the design, mm."""
        k = AXES.index(axis)
        start, unit = self.lines()[axis]
        a, b = self._stage.to_widget(start), self._stage.to_widget(start + unit)
        d = b - a
        share = ((p.x() - a.x()) * d.x() + (p.y() - a.y()) * d.y()) / max(1e-9, d.x() ** 2 + d.y() ** 2)
        return round(float(min(self.high[k] - 1.0, max(self.low[k] + 1.0, self.low[k] + share))), 1)

    # -- drawing
    def paint(
        self,
        painter: QPainter,
        cuts: Sequence[Cut],
        too_large: Sequence[tuple[Sequence[float], Sequence[float]]],
        usable: tuple[float, float, float],
    ) -> None:
        """Brackets between the tabs of cuts through everything.

        Each with its length and whether the bed takes what lies there.

        Parameters
        ----------
        too_large : sequence of (low, high)
            Boxes of the sections that the bed does not take.
        usable : (3,)
            What the bed takes, mm.
        """
        longest = (max(usable[:2]), max(usable[:2]), usable[2])
        for k, axis in enumerate(AXES):
            if not self.seen(axis):
                continue
            # What is too long one way is told on that ruler only.
            mine = [
                b
                for b in too_large
                if b[1][k] - b[0][k] > longest[k] or all(b[1][m] - b[0][m] <= longest[m] for m in range(3))
            ]
            places = sorted({c.at for c in cuts if c.axis == axis and c.inside is None})
            edges = [
                float(self.low[k]),
                *(p for p in places if self.low[k] < p < self.high[k]),
                float(self.high[k]),
            ]
            for e0, e1 in pairwise(edges):
                # A box that goes over a bracket's end by its keys does not lie there.
                bad = any(min(e1, high[k]) - max(e0, low[k]) > 0.5 * (e1 - e0) for low, high in mine)
                text = format_mm(e1 - e0, 1) + (" " + self._stage.tr("too long") if bad else "")
                dimension(painter, self._at(axis, e0), self._at(axis, e1), text, "madder" if bad else "soft")
            p = self.spare(axis)
            painter.setPen(QPen(theme.colour("madder"), 1.2, Qt.PenStyle.DashLine))
            painter.setBrush(theme.colour("sheet"))
            painter.drawRect(QRectF(p.x() - 8, p.y() - 8, 16, 16))
            painter.setFont(drawing_font(13, True))
            painter.setPen(theme.colour("madder"))
            painter.drawText(QRectF(p.x() - 8, p.y() - 9, 16, 16), Qt.AlignmentFlag.AlignCenter, "+")

    def paint_cut(
        self,
        painter: QPainter,
        cut: Cut,
        plane: Plane,
        letter: str,
        picked: bool,
        faces: Sequence[np.ndarray],
    ) -> None:
        """The line of a cut over the design with its letter, its tab, and where it goes through material."""
        painter.setPen(QPen(theme.colour("madder"), 1.3 if picked else 0.8))
        painter.setBrush(theme.colour("madder", 36) if picked else Qt.BrushStyle.NoBrush)
        if faces:
            for line in self._stage.lines_on(plane.lifted(np.concatenate(faces)), [len(r) for r in faces]):
                painter.drawPolygon(line)
        if has_path(cut, plane):
            self._paint_path(painter, cut, plane, letter, picked)
        else:
            ends = self.trace(cut, plane) if cut.inside is None or not faces else self._over(plane, faces)
            chain_line(painter, *ends, letter, picked)
        p = self.tab(cut)
        painter.setPen(QPen(theme.colour("madder"), 1.4))
        painter.setBrush(theme.colour("madder" if picked else "madder_wash"))
        painter.drawRect(QRectF(p.x() - 6, p.y() - 6, 12, 12))
        if picked and cut.axis != "z":
            painter.setBrush(theme.colour("sheet"))
            h = self.handle(cut, plane)
            painter.drawEllipse(h, 6, 6)
            note(painter, h + QPointF(22, 0), self._stage.tr("tilt"), "madder")

    def _paint_path(self, painter: QPainter, cut: Cut, plane: Plane, letter: str, picked: bool) -> None:
        """The line of a seam with corners, which can be taken hold of when its cut is picked."""
        box = plane.flat(
            np.array(
                [
                    [x, y, self.high[2]]
                    for x in (self.low[0], self.high[0])
                    for y in (self.low[1], self.high[1])
                ]
            )
        )
        reach = 14 * self._stage.seen.mm_per_px
        corners = sorted(cut.path)
        ends = [
            (float(box[:, 0].min()) - reach, corners[0][1]),
            *corners,
            (float(box[:, 0].max()) + reach, corners[-1][1]),
        ]
        points = [self.corner(plane, c) for c in ends]
        for a, b in pairwise(points):
            chain_line(painter, a, b, "", picked)
        painter.setFont(drawing_font(17, True))
        painter.setPen(theme.colour("madder"))
        for end, inner in ((points[0], points[1]), (points[-1], points[-2])):
            length = math.hypot(end.x() - inner.x(), end.y() - inner.y())
            p = end + (end - inner) * (12 / max(length, 1e-6))
            painter.drawText(QRectF(p.x() - 12, p.y() - 12, 24, 24), Qt.AlignmentFlag.AlignCenter, letter)
        for p in points[1:-1] if picked else ():
            painter.setPen(QPen(theme.colour("madder"), 1.4))
            painter.setBrush(theme.colour("sheet"))
            painter.drawPolygon(QPolygonF([p + QPointF(*d) for d in ((0, -7), (7, 0), (0, 7), (-7, 0))]))

    def corner(self, plane: Plane, at: tuple[float, float]) -> QPointF:
        """Widget place of a corner of a seam, on top of the design."""
        up = (self.high[2] - plane.origin[2]) / plane.up[2]
        return self._stage.to_widget(plane.lift(at[0], float(up), at[1]))

    def _corner_at(self, plane: Plane, q: QPointF) -> tuple[float, float] | None:
        """Where on a plane, right and distance, a widget place on top of the design lies."""
        start, way = self._stage.seen.ray(q.x(), q.y(), self._stage.width(), self._stage.height())
        if abs(way[2]) < 1e-3:
            return None
        u, _, n = plane.flat(start + way * (self.high[2] - start[2]) / way[2]).tolist()
        return round(u, 1), round(n, 1)

    def _move_corner(self, cut: Cut, plane: Plane, k: int, q: QPointF) -> Cut:
        at = self._corner_at(plane, q)
        return (
            cut
            if at is None
            else replace(cut, path=tuple(at if i == k else c for i, c in enumerate(cut.path)))
        )

    def _over(self, plane: Plane, faces: Sequence[np.ndarray]) -> tuple[QPointF, QPointF]:
        """Ends of the line of a cut that goes through one section only.

        Over its faces, and a little beyond.
        """
        points = np.concatenate(list(faces))
        top = float(points[:, 1].max())
        a, b = (
            self._stage.to_widget(plane.lift(float(u), top)) for u in (points[:, 0].min(), points[:, 0].max())
        )
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        out = (b - a) * (8 / max(length, 1e-6))
        return a - out, b + out

    def trace(self, cut: Cut, plane: Plane) -> tuple[QPointF, QPointF]:
        """Ends of a cut's line over the design."""
        reach = 14 * self._stage.seen.mm_per_px
        k = AXES.index(cut.axis)
        if k == 2:
            corners = [(x, y) for x in (self.low[0] - reach, self.high[0] + reach) for y in (self.low[1],)]
            points = [np.array([x, y, 0.0]) for x, y in corners]
            for p in points:
                p[2] = (plane.height - plane.normal[:2] @ p[:2]) / plane.normal[2]
        else:
            m = 1 - k
            points = []
            # At the end where its tab is the line stops short, so that the letter stands clear of it.
            _, _, eye = self._stage.seen.axes()
            short = 2 * self._stage.seen.mm_per_px
            low, high = (short, reach) if eye[m] <= 0 else (reach, short)
            for edge in (self.low[m] - low, self.high[m] + high):
                p = np.array([0.0, 0.0, self.high[2]])
                p[m] = edge
                p[k] = (plane.height - plane.normal[m] * edge - plane.normal[2] * p[2]) / plane.normal[k]
                points.append(p)
        return self._stage.to_widget(points[0]), self._stage.to_widget(points[1])

    def handle(self, cut: Cut, plane: Plane) -> QPointF:
        """Widget place of the handle that tilts a cut."""
        a, b = self.trace(cut, plane)
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        return b + (b - a) * (34 / max(length, 1e-6))

    def grab(
        self,
        p: QPointF,
        cuts: Sequence[Cut],
        kit: KitView,
        picked: int,
        change: Callable[[int, Cut, bool], None],
        pull: Callable[[Axis, float], int],
    ) -> Callable[[QPointF, bool], None] | None:
        """What follows the drag of a tab, of the tilt handle, or of a tab pulled from a ruler's end."""
        views = kit.cuts if len(kit.cuts) == len(cuts) else []

        def near(q: QPointF) -> bool:
            return abs(q.x() - p.x()) < _NEAR and abs(q.y() - p.y()) < _NEAR

        if (
            0 <= picked < len(views)
            and cuts[picked].axis != "z"
            and near(self.handle(cuts[picked], views[picked].plane))
        ):
            plane = views[picked].plane
            return lambda q, done: change(
                picked, replace(cuts[picked], tilt=self._angle(cuts[picked], plane, q)), done
            )
        if 0 <= picked < len(views) and has_path(cuts[picked], views[picked].plane):
            plane = views[picked].plane
            for k, corner in enumerate(cuts[picked].path):
                if near(self.corner(plane, corner)):
                    return lambda q, done, k=k: change(
                        picked, self._move_corner(cuts[picked], plane, k, q), done
                    )  # type: ignore[misc]
        for i, cut in enumerate(cuts):
            if near(self.tab(cut)):
                return lambda q, done, i=i, cut=cut: change(i, replace(cut, at=self.value(cut.axis, q)), done)  # type: ignore[misc]
        for axis in AXES:
            if self.seen(axis) and near(self.spare(axis)):
                return _Pulled(axis, self, change, pull)
        return None

    def _angle(self, cut: Cut, plane: Plane, q: QPointF) -> float:
        """Tilt, degrees, at which a cut's line points to a widget place."""
        start, way = self._stage.seen.ray(q.x(), q.y(), self._stage.width(), self._stage.height())
        if abs(way[2]) < 1e-3:
            return cut.tilt
        hit = start + way * (self.high[2] - start[2]) / way[2]
        k = AXES.index(cut.axis)
        d = hit - plane.origin
        angle = math.degrees(math.atan2(-d[k], d[1 - k]) if k == 0 else math.atan2(d[k], d[1 - k]))
        return float(round(max(-80.0, min(80.0, angle))))


class _Pulled:
    """A new cut that follows the mouse from a ruler's end; made when the mouse comes to the design."""

    def __init__(
        self,
        axis: Axis,
        rulers: Rulers,
        change: Callable[[int, Cut, bool], None],
        pull: Callable[[Axis, float], int],
    ) -> None:
        self._axis, self._rulers, self._change, self._pull = axis, rulers, change, pull
        self._number = -1

    def __call__(self, p: QPointF, done: bool) -> None:
        at = self._rulers.value(self._axis, p)
        if self._number < 0:
            spare = self._rulers.spare(self._axis)
            if abs(p.x() - spare.x()) + abs(p.y() - spare.y()) > 14:
                self._number = self._pull(self._axis, at)
        else:
            self._change(self._number, Cut(self._axis, at), done)
