"""Nodes and handles of the curves of a graphic, in the hand."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from cutkey.app.arrows import arrow_of
from cutkey.app.table.gesture import Gesture, Place
from cutkey.app.theme import theme
from cutkey.core.curves import bending
from cutkey.core.curves.bending import Node, Stretch
from cutkey.core.geometry.pieces import LINE, bezier
from cutkey.core.model.table_edits import Bend
from cutkey.worker.shown import CurvesView

#: So near, px, a node, a handle or an edge is under the mouse.
_NEAR = 9.0
#: More nodes than this in view are too many to be told apart.
_MOST = 3000
#: More than this are drawn small.
_MANY = 160


class Nodes(Gesture):
    """Moves nodes and handles, bends edges; what was done is given to `bend` as an edit with its name."""

    def __init__(
        self,
        prompt: str,
        bend: Callable[[str, Bend], None],
        changed: Callable[[], None],
        ended: Callable[[], None],
    ) -> None:
        super().__init__("point", prompt, lambda places: None, stays=True, ended=ended)
        self._bend, self._changed = bend, changed
        self.curves = CurvesView(np.zeros((0, 4, 2)), np.zeros(0, np.int8))
        self.nodes: list[Node] = []
        self.picked: Node | None = None
        self.edge: tuple[int, float] | None = None  # the picked curve, and where it was taken
        self._handle: tuple[int, int] | None = None
        self._shown: CurvesView | None = None  # as it is dragged
        self._stretches: list[Stretch] = []
        self._scale = 1.0
        self.alone = False  # a handle is moved without the one across

    # -- what there is
    def show_curves(self, curves: CurvesView) -> None:
        """Take the curves of the graphic as it is.

        What is picked stays so where there still is a node or an edge.
        """
        place = self.picked.place if self.picked else None
        edge = None if self.edge is None else self._middle_of(self.edge)
        self.curves, self._shown = curves, None
        self.nodes = bending.nodes_of(curves.control)
        self.picked = self._nearest(place) if place else None
        self.edge = None
        if edge is not None and len(curves.control):
            k, t, _ = bending.nearest_on(curves.control, edge)
            self.edge = (k, t)
        self._changed()

    @property
    def smooth(self) -> bool:
        """Whether the boundary goes smoothly through the picked node."""
        return self.picked is not None and bending.is_smooth(self.curves.control, self.picked)

    @property
    def straight(self) -> bool:
        """Whether the picked edge is straight."""
        return self.edge is not None and self.curves.kind[self.edge[0]] == LINE

    def _middle_of(self, edge: tuple[int, float]) -> Place:
        x, y = bezier(self.curves.control[edge[0], None], np.array([edge[1]]))[0].tolist()
        return (x, y)

    def _nearest(self, place: Place) -> Node | None:
        return min(self.nodes, key=lambda n: math.dist(n.place, place), default=None)

    def _under(self, place: Place) -> Node | None:
        node = self._nearest(place)
        return node if node is not None and math.dist(node.place, place) * self._scale <= _NEAR else None

    def _handles(self) -> list[tuple[tuple[int, int], Place]]:
        """Handles of the picked node, or of the picked edge; straight sides have none."""
        ends = (
            self.picked.ends if self.picked else ((self.edge[0], 0), (self.edge[0], 3)) if self.edge else ()
        )
        control = self.curves.control
        return [
            ((k, end), tuple(control[k, 1 if end == 0 else 2].tolist()))
            for k, end in ends
            if self.curves.kind[k] != LINE
        ]

    # -- hands
    def press(self, place: Place) -> bool:
        """Take a handle, a node or an edge."""
        self.places = [place]
        self._stretches = []
        node = self._under(place)
        reach = min(_NEAR / self._scale, math.dist(node.place, place) if node is not None else math.inf)
        near = [(math.dist(at, place), e) for e, at in self._handles()]
        self._handle = next((e for d, e in sorted(near) if d <= reach), None)
        if self._handle is not None:
            return False
        self.picked, self.edge = node, None
        if node is None and len(self.curves.control):
            k, t, off = bending.nearest_on(self.curves.control, place)
            self.edge = (k, t) if off * self._scale <= _NEAR else None
        self._changed()
        return False

    def drag(self, place: Place) -> None:
        """Show what comes of it."""
        if not self.places or math.dist(self.places[0], place) * self._scale < 2:
            return
        control, kind = self.curves.control, self.curves.kind
        if self._handle is not None:
            piece, end = self._handle
            at = tuple(control[piece, end].tolist())
            node = self.picked or next(n for n in self.nodes if n.place == at)
            self._stretches = bending.with_handle_at(control, kind, node, self._handle, place, self.alone)
        elif self.picked is not None:
            x, y = self.picked.place
            to = (x + place[0] - self.places[0][0], y + place[1] - self.places[0][1])
            self._stretches = bending.with_node_at(control, kind, self.picked, to)
        elif self.edge is not None:
            self._stretches = bending.pulled(control, *self.edge, place)
        if self._stretches:
            self._shown = CurvesView(*bending.applied(control, kind, self._stretches))

    def release(self) -> bool:
        """Make the edit of it."""
        if self._stretches:
            what = (
                _tr("move a handle")
                if self._handle is not None
                else _tr("move a node")
                if self.picked is not None
                else _tr("bend an edge")
            )
            self.make(what, self._stretches)
        self._handle, self.places = None, []
        return False

    def make(self, name: str, stretches: list[Stretch]) -> None:
        """Give an edit on, and show what is known of it already."""
        if not stretches:
            return
        control = self.curves.control
        if self.picked is not None:
            ends = {
                tuple(control[k, e].tolist()): tuple(s.curve[0 if e == 0 else -1].tolist())
                for s in stretches
                for k, e in _ends(s)
            }
            self.picked = self.picked._replace(place=ends.get(self.picked.place, self.picked.place))
        first, through, last = zip(*(_along(control, s) for s in stretches), strict=True)
        curves = tuple(tuple((x, y) for x, y in s.curve.tolist()) for s in stretches)
        edit = Bend(first=first, through=through, last=last, curves=curves)
        self._shown = CurvesView(*bending.applied(control, self.curves.kind, stretches))
        self._stretches = []
        self._bend(name, edit)

    def key(self, key: int, far: bool) -> bool:
        """Arrows move the picked node, Delete takes it out, Page up and down go from node to node."""
        way = arrow_of(key)
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp) and self.nodes:
            k = self.nodes.index(self.picked) if self.picked in self.nodes else -1
            self.picked = self.nodes[(k + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self.nodes)]
            self.edge = None
            self._changed()
            return True
        if self.picked is None or self._shown is not None:
            return self.picked is not None and way is not None
        control, kind = self.curves.control, self.curves.kind
        if way is not None:
            step = 1.0 if far else 0.1
            x, y = self.picked.place
            dx, dy = way
            self.make(
                _tr("move a node"),
                bending.with_node_at(control, kind, self.picked, (x + step * dx, y + step * dy)),
            )
            return True
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.make(_tr("take a node out"), bending.without_node(control, kind, self.picked))
            return True
        return False

    # -- painting
    def paint(self, painter: QPainter, at: Callable[[Place], QPointF], scale: float, mouse: QPointF) -> None:
        """Nodes, the picked one's handles, and what is being dragged."""
        self._scale = scale
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = self._shown or self.curves
        ink, paper = theme.colour("ultramarine"), theme.colour("field")
        box = painter.clipBoundingRect()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        # Over the picture too, so that a curve is seen against what it was traced from.
        painter.setPen(QPen(ink, 1.0 if self._shown is None else 1.6))
        painter.drawPath(_path(shown.control, at))
        if self._shown is None and self.edge is not None:
            painter.setPen(QPen(ink, 3))
            painter.drawPath(_path(self.curves.control[self.edge[0], None], at))
        places = [at(n.place) for n in self.nodes] if self._shown is None else []
        seen = [k for k, p in enumerate(places) if box.contains(p)]
        if len(seen) <= _MOST:
            painter.setPen(QPen(ink, 1.2))
            painter.setBrush(paper)
            # Many of them would hide what they belong to.
            small = len(seen) > _MANY
            painter.setPen(QPen(ink, 1.0 if small else 1.2))
            for k in seen:
                _mark(
                    painter,
                    places[k],
                    1.0 if small else 2.5,
                    len(self.nodes[k].ends) == 2 and bending.is_smooth(self.curves.control, self.nodes[k]),
                )
        if self._shown is not None:
            return
        for (k, end), handle in self._handles():
            foot, tip = at(tuple(self.curves.control[k, end].tolist())), at(handle)
            painter.setPen(QPen(ink, 1))
            painter.drawLine(foot, tip)
            painter.setBrush(QColor(ink))
            painter.drawEllipse(tip, 4, 4)
        if self.picked is not None:
            painter.setPen(QPen(ink, 1.4))
            painter.setBrush(QColor(ink))
            _mark(painter, at(self.picked.place), 5, self.smooth)


def _mark(painter: QPainter, p: QPointF, r: float, round_: bool) -> None:
    """A smooth node is round, a corner square."""
    if round_:
        painter.drawEllipse(p, r + 0.5, r + 0.5)
    else:
        painter.drawRect(int(p.x() - r), int(p.y() - r), int(2 * r), int(2 * r))


def _path(control: np.ndarray, at: Callable[[Place], QPointF]) -> QPainterPath:
    path = QPainterPath()
    for c in control.tolist():
        a, b, d, e = (at((x, y)) for x, y in c)
        path.moveTo(a)
        path.cubicTo(b, d, e)
    return path


def _ends(stretch: Stretch) -> tuple[tuple[int, int], tuple[int, int]]:
    return (stretch.pieces[0], 0), (stretch.pieces[-1], 3)


def _along(control: np.ndarray, stretch: Stretch) -> tuple[Place, Place, Place]:
    """Both ends of what a stretch replaces, and a place between them."""
    first, last = control[stretch.pieces[0]], control[stretch.pieces[-1]]
    between = first[3] if len(stretch.pieces) > 1 else bezier(first[None], np.array([0.5]))[0]
    begin, middle, end = (tuple(p.tolist()) for p in (first[0], between, last[3]))
    return begin, middle, end


def _tr(text: str) -> str:
    from PySide6.QtCore import QCoreApplication

    return QCoreApplication.translate("Nodes", text)
