"""Small pictures of the places that findings are about."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from PySide6.QtCore import QCoreApplication, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QLabel

from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item
from cutkey.app.stage.stage import Stage
from cutkey.app.theme import theme
from cutkey.core.model.finding import Finding

SIZE, HALF = (188, 72), (91, 72)
#: A picture shows so much, mm, or this share of a large thing.
_SHOWS, _SHARE = 24.0, 0.25
#: From where a place may be looked at: turn and tilt, degrees.
_VIEWS = [(turn, tilt) for tilt in (52.0, -46.0) for turn in (-28.0, 62.0, 152.0, -118.0)]


def _tr(text: str) -> str:
    return QCoreApplication.translate("PlacePictures", text)


def camera_at(place: Sequence[float], items: Sequence[Item], wide: int = SIZE[0]) -> Camera:
    """A camera that sees a place from the side of the thing on which it lies.

    Parameters
    ----------
    place : (float, float, float)
        mm.
    items : sequence of Item
    wide : int
        Of the picture, px.
    """
    boxes = np.array([i.mesh.box + np.array(i.shift) for i in items if len(i.mesh.vertices)])
    low, high = boxes[:, 0].min(0), boxes[:, 1].max(0)
    half = np.maximum((high - low) / 2, 1e-3)
    out = (np.array(place) - (low + high) / 2) / half
    cameras = [
        Camera((float(place[0]), float(place[1]), float(place[2])), turn, tilt) for turn, tilt in _VIEWS
    ]
    # The usual direction wins where it is as good as another.
    best = max(cameras, key=lambda c: round(float(c.axes()[2] @ out), 1))
    shows = max(_SHOWS, _SHARE * float((high - low).max()))
    return best._replace(mm_per_px=shows / wide)


def camera_of(items: Sequence[Item], size: tuple[int, int]) -> Camera:
    """A camera that sees all of some items in a picture so many px wide and high."""
    corners = np.concatenate([i.mesh.box + np.array(i.shift) for i in items])
    low, high = corners.min(0), corners.max(0)
    x, y, z = ((low + high) / 2).tolist()
    # No view of a thing is larger than its box from corner to corner.
    return Camera((x, y, z), *_VIEWS[0])._replace(
        mm_per_px=1.05 * float(np.linalg.norm(high - low)) / min(size)
    )


class PlacePictures:
    """Draws each once; they are kept as long as the bodies stay."""

    def __init__(self, stage: Stage) -> None:
        self._stage = stage
        self._kept: dict[tuple[float, ...], QPixmap] = {}
        self._of: tuple[object, ...] = ()

    def label(self, finding: Finding, items: Sequence[Item]) -> QLabel:
        """A label that shows the place of a finding as soon as it is drawn."""
        assert finding.place is not None
        self._renew(items)
        shown = frame(_tr("the place of {0}").format(finding.title))
        place = finding.place
        if place in self._kept:
            shown.setPixmap(self._kept[place])
        elif items:
            self.draw(shown, place, items, partial(self._kept.__setitem__, place))
        return shown

    def draw(
        self,
        shown: QLabel,
        place: Sequence[float] | None,
        items: Sequence[Item],
        keep: Callable[[QPixmap], None],
    ) -> None:
        """Fill a label with a picture of a place, or of the whole where none is said."""
        size = shown.width(), shown.height()

        def take(picture: QPixmap) -> None:
            marked = with_mark(picture, place is not None)
            keep(marked)
            try:
                shown.setPixmap(marked)
            except RuntimeError:
                return  # the card is gone meanwhile

        camera = camera_at(place, items, size[0]) if place is not None else camera_of(items, size)
        self._stage.picture_of(items, camera, size, take)

    def _renew(self, items: Sequence[Item]) -> None:
        of = (theme.name, *(i.mesh for i in items))
        if len(of) != len(self._of) or any(a is not b for a, b in zip(of, self._of, strict=True)):
            self._of = of
            self._kept.clear()
            self._stage.forget_pictures()


def frame(name: str, size: tuple[int, int] = SIZE) -> QLabel:
    """An empty picture."""
    shown = QLabel()
    shown.setAccessibleName(name)
    shown.setFixedSize(*size)
    empty = QPixmap(*size)
    empty.fill(theme.colour("stage_low"))
    shown.setPixmap(empty)
    return shown


def with_mark(picture: QPixmap, ring: bool = True) -> QPixmap:
    """A picture on the ground of the stage, with a ring round its middle or without."""
    ratio = picture.devicePixelRatio()
    out = QPixmap(picture.size())
    out.setDevicePixelRatio(ratio)
    out.fill(QColor(theme.colour("stage_low")))
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.drawPixmap(0, 0, picture)
    if ring:
        painter.setPen(QPen(theme.colour("madder"), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(out.width() / ratio / 2, out.height() / ratio / 2), 13, 13)
    painter.end()
    return out
