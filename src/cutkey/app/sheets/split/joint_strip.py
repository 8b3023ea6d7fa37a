"""A joint close up: its face square on with the keys, and a key cut along its length, both dimensioned."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen

from cutkey.app.drafting import chain_line, dimension, hatch
from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.units import format_mm
from cutkey.worker.shown import Rings
from cutkey.worker.shown_kit import JointView

#: A key is taken hold of within this many px.
_NEAR = 12


class JointStrip(Strip):
    """Drawing of a joint; keys are dragged on the face.

    Parameters
    ----------
    moved : callable
        Takes all places of the keys, and whether the drag is over.
    """

    def __init__(self, moved: Callable[[list[tuple[float, float]], bool], None]) -> None:
        super().__init__(self.tr("Joint close up"))
        self._moved = moved
        self._joint: JointView | None = None
        self._key = 0
        self._held: tuple[float, float] | None = None
        self.setMouseTracking(True)

    def show_joint(self, joint: JointView | None) -> None:
        """Show a joint."""
        if joint is None or self._joint is None or joint.name != self._joint.name:
            self._key = 0
        self._joint = joint
        self.update()

    # -- the face
    def _face_box(self) -> QRectF:
        return QRectF(20, 34, self.width() * 0.62 - 34, self.height() - 78)

    def _scale(self, joint: JointView) -> tuple[float, QPointF]:
        """Px per mm, and the widget place of right 0, up 0."""
        low, high = joint.face.points.min(0), joint.face.points.max(0)
        box = self._face_box()
        scale = min(box.width() / max(1e-6, high[0] - low[0]), box.height() / max(1e-6, high[1] - low[1]))
        left = box.center().x() - scale * float(high[0] + low[0]) / 2
        base = box.center().y() + scale * float(high[1] + low[1]) / 2
        return scale, QPointF(left, base)

    def place_of(self, number: int) -> QPointF:
        """Widget place of a key of the joint."""
        assert self._joint is not None
        key = self._joint.keys[number]
        scale, origin = self._scale(self._joint)
        v = key.v + (key.form.height / 2 if key.form.of.from_back else 0.0)
        return QPointF(origin.x() + key.u * scale, origin.y() - v * scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw both."""
        joint = self._joint
        heading = (
            self.tr("Face {0}–{0} of {1}, looking at it").format(joint.letter, joint.sections[0])
            if joint
            else self.tr("Joint")
        )
        note = self.tr("key {0} cut along its length").format(self._key + 1) if joint and joint.keys else ""
        painter = self.begin(heading, note)
        if joint is None:
            painter.setPen(theme.colour("soft"))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, self.tr("No joint yet: add or propose cuts.")
            )
            return
        self._paint_face(painter, joint)
        if joint.keys:
            self._paint_key(painter, joint, min(self._key, len(joint.keys) - 1))

    def _paint_face(self, painter: QPainter, joint: JointView) -> None:
        scale, origin = self._scale(joint)

        def place(p: np.ndarray) -> np.ndarray:
            return np.stack([origin.x() + p[:, 0] * scale, origin.y() - p[:, 1] * scale], -1)

        face = path_of(joint.face, place)
        hatch(painter, face, theme.colour("field"))
        painter.setPen(QPen(theme.colour("ink"), 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(face)
        painter.setBrush(theme.colour("ink"))
        painter.setPen(Qt.PenStyle.NoPen)
        for _, rings in joint.labels:
            painter.drawPath(path_of(rings, place))
        for n, rings in enumerate(joint.footprints):
            painter.setPen(QPen(theme.colour("ultramarine"), 2.0 if n == self._key else 1.3))
            painter.setBrush(theme.colour("ultramarine_wash"))
            painter.drawPath(path_of(rings, place))
        if not joint.keys:
            painter.setPen(theme.colour("madder"))
            painter.setFont(drawing_font(13))
            painter.drawText(
                QRectF(14, self.height() - 40, self.width() * 0.62, 20),
                Qt.AlignmentFlag.AlignCenter,
                str(joint.note or ""),
            )
            return
        # From the edge to the first key, from key to key, and to the other edge.
        low, high = float(joint.face.points[:, 0].min()), float(joint.face.points[:, 0].max())
        stops = [low, *sorted(k.u for k in joint.keys), high]
        y = origin.y() - scale * float(joint.face.points[:, 1].min()) + 16
        painter.setPen(QPen(theme.colour("ultramarine"), 0.8))
        for u in stops:
            x = origin.x() + u * scale
            painter.drawLine(QPointF(x, y - 12), QPointF(x, y + 4))
        for a, b in pairwise(stops):
            p, q = QPointF(origin.x() + a * scale, y), QPointF(origin.x() + b * scale, y)
            if (b - a) * scale > 44:
                dimension(painter, p, q, format_mm(b - a, 1))
            else:
                painter.setPen(QPen(theme.colour("ultramarine"), 1.0))
                painter.drawLine(p, q)
        if joint.note:
            painter.setPen(theme.colour("madder"))
            painter.setFont(drawing_font(13))
            painter.drawText(
                QRectF(14, self.height() - 24, self.width() * 0.62, 18),
                Qt.AlignmentFlag.AlignCenter,
                str(joint.note or ""),
            )

    # -- a key
    def _paint_key(self, painter: QPainter, joint: JointView, number: int) -> None:
        key, (sockets, own, owner, loose) = joint.keys[number], joint.cuts_through[number]
        form = key.form
        box = QRectF(self.width() * 0.62 + 10, 42, self.width() * 0.38 - 26, self.height() - 52)
        near, far = form.reach
        wide = 2 * (form.half[0] + max(form.wall, 1.0))
        scale = min((box.width() - 10) / (near + far + 6), (box.height() - 40) / wide)
        middle = QPointF(
            box.left() + box.width() / 2 - scale * (far - near) / 2, box.top() + 8 + wide * scale / 2
        )

        def place(p: np.ndarray) -> np.ndarray:
            return np.stack([middle.x() + p[:, 0] * scale, middle.y() - p[:, 1] * scale], -1)

        def rect(x0: float, x1: float) -> QPainterPath:
            path = QPainterPath()
            path.addRect(
                QRectF(
                    middle.x() + x0 * scale, middle.y() - wide / 2 * scale, (x1 - x0) * scale, wide * scale
                )
            )
            return path

        def area(rings: Rings) -> QPainterPath:
            return path_of(rings, place)

        gaps, tongue = area(sockets), area(own)
        sides = {-1: rect(-near - 3, 0).subtracted(gaps), 1: rect(0, far + 3).subtracted(gaps)}
        if not tongue.isEmpty():
            sides[owner] = sides[owner].united(tongue)
        for side, path in sides.items():
            hatch(painter, path, theme.colour("field"), 6.0, 45.0 if side < 0 else 135.0)
            painter.setPen(QPen(theme.colour("ink"), 1.1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        if len(loose.points):
            painter.setPen(QPen(theme.colour("ultramarine"), 1.4))
            painter.setBrush(theme.colour("ultramarine_wash"))
            painter.drawPath(area(loose))
        top = middle.y() - wide / 2 * scale
        chain_line(painter, QPointF(middle.x(), top - 6), QPointF(middle.x(), top + wide * scale + 4))
        names = ((joint.sections[0], -near / 2 - 3), (joint.sections[1], far / 2 + 3))
        painter.setFont(drawing_font(13, True))
        painter.setPen(theme.colour("ink"))
        for name, x in names:
            painter.drawText(
                QRectF(middle.x() + x * scale - 30, top - 17, 60, 14), Qt.AlignmentFlag.AlignCenter, name
            )
        y = top + wide * scale + 12
        a, b = form.of.span(form, key.owner)
        dimension(
            painter,
            QPointF(middle.x() + a * scale, y),
            QPointF(middle.x() + b * scale, y),
            format_mm(b - a, 2),
        )
        end = form.of.end(form)
        text = self.tr("{0} wide · {1} a side · {2} at the end").format(
            *(format_mm(v) for v in (form.size, form.clearance, end))
        )
        painter.setFont(drawing_font(12))
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            QRectF(box.left() - 10, self.height() - 20, box.width() + 20, 16),
            Qt.AlignmentFlag.AlignCenter,
            text,
        )

    # -- hands
    def _at(self, p: QPointF) -> int | None:
        if self._joint is None:
            return None
        best = [
            (abs(q.x() - p.x()) + abs(q.y() - p.y()), n)
            for n in range(len(self._joint.keys))
            for q in [self.place_of(n)]
        ]
        return min(best)[1] if best and min(best)[0] < _NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a key."""
        number = self._at(event.position())
        if number is not None and self._joint is not None:
            self._key = number
            key = self._joint.keys[number]
            self._held = (event.position().x(), key.u)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the key along the face."""
        if self._held is None:
            self.setCursor(
                Qt.CursorShape.OpenHandCursor
                if self._at(event.position()) is not None
                else Qt.CursorShape.ArrowCursor
            )
            return
        self._drag(event.position(), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        if self._held is not None:
            if abs(event.position().x() - self._held[0]) > 2:
                self._drag(event.position(), True)
            self._held = None

    def _drag(self, p: QPointF, done: bool) -> None:
        joint = self._joint
        if joint is None or self._held is None or self._key >= len(joint.keys):
            return
        scale, origin = self._scale(joint)
        u = round(self._held[1] + (p.x() - self._held[0]) / scale, 1)
        key = joint.keys[self._key]
        v = key.v
        if not key.form.of.from_back:
            v = round((origin.y() - p.y()) / scale, 1)
        places = [(k.u, k.v) for k in joint.keys]
        places[self._key] = (u, v)
        self._moved(places, done)
