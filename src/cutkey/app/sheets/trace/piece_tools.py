"""What can be done with the traced pieces: tools of the table, and actions on the picked pieces."""

from __future__ import annotations

import math
from collections.abc import Callable

import shapely
from PySide6.QtCore import QObject

from cutkey.app.sheets.base import Desk
from cutkey.app.table.gesture import Gesture, Place
from cutkey.core.model import table_edits as e
from cutkey.worker.shown import GraphicView


class PieceTools(QObject):
    """Makes edits; `add` takes each new one with what it is called."""

    def __init__(
        self, desk: Desk, add: Callable[[str, e.Edit], None], measured: Callable[[float], None]
    ) -> None:
        super().__init__()
        self._desk, self._add, self._measured = desk, add, measured

    # -- tools in the hand
    def lasso(self) -> None:
        """Pick every piece inside a drawn line."""

        def done(places: list[Place]) -> None:
            view = self._desk.graphic_view()
            loop = shapely.Polygon(places).buffer(0)
            inside = [p for p in insides(view) if loop.contains(shapely.Point(p))] if view else []
            self._desk.table.pick(inside)

        self._desk.table.start(Gesture("lasso", self.tr("draw round the pieces to pick"), done))

    def measure(self) -> None:
        """Drag between two places whose true distance is known."""

        def done(places: list[Place]) -> None:
            distance = math.dist(*places)
            if distance > 0:
                self._measured(distance)

        self._desk.table.start(
            Gesture("line", self.tr("drag between two places whose distance you know"), done)
        )

    def cut(self) -> None:
        """Drag a line to cut along."""
        self._line(
            self.tr("drag a line to cut along"),
            lambda a, b: self._add(self.tr("cut"), e.Cut(a, b, self._desk.job.printer.nozzle)),
        )

    def mirror(self) -> None:
        """Drag the seam; what is on its left is kept."""
        prompt = self.tr("drag the seam; what lies on its left hand is kept and mirrored")
        self._line(prompt, lambda a, b: self._add(self.tr("mirror"), e.Mirror(a, _levelled(a, b))))

    def straighten(self) -> None:
        """Drag from one place of the boundary to another."""
        prompt = self.tr("drag from one place of an edge to another to make it straight")
        self._line(prompt, lambda a, b: self._add(self.tr("straighten"), e.Straighten(a, b)))

    def move_node(self) -> None:
        """Drag the boundary."""
        reach = 12 * self._desk.table.mm_per_px
        prompt = self.tr("drag the edge to where it belongs; its surroundings go along")
        self._line(
            prompt,
            lambda a, b: self._add(self.tr("move edge"), e.MoveNode(a, b, round(reach, 4))),
            stays=True,
        )

    def _line(self, prompt: str, use: Callable[[Place, Place], None], stays: bool = False) -> None:
        def done(places: list[Place]) -> None:
            if math.dist(*places) > 0:
                use(places[0], places[1])

        self._desk.table.start(Gesture("line", prompt, done, stays=stays))

    # -- actions on what is picked
    def act(self, name: str, make: Callable[[e.Points], e.Edit]) -> None:
        """An edit of the picked pieces."""
        picks = tuple((round(x, 4), round(y, 4)) for x, y in self._desk.table.picks)
        if picks:
            self._add(name, make(picks))

    def join(self) -> None:
        """Give the picked pieces the first one's colour."""
        view, picks = self._desk.graphic_view(), self._desk.table.picks
        if view is None or not picks:
            return
        colour = colour_at(view, picks[0])
        if colour is not None:
            self.act(self.tr("join"), lambda at: e.Recolour(at, colour))

    def align(self, edge: str) -> None:
        """Line the picked pieces up."""
        view = self._desk.graphic_view()
        boxes = (
            [b for b in (box_at(view, p) for p in self._desk.table.picks) if b is not None] if view else []
        )
        if len(boxes) > 1:
            self.act(self.tr("align"), lambda at: e.Move(at, e.alignment(boxes, edge)))


def _levelled(a: Place, b: Place) -> Place:
    """A line within 4 degrees of level or upright made so."""
    angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
    nearest = round(angle / 90) * 90
    if abs(angle - nearest) > 4:
        return b
    length, turn = math.dist(a, b), math.radians(nearest)
    return (a[0] + length * math.cos(turn), a[1] + length * math.sin(turn))


def _polygons(view: GraphicView) -> list[tuple[str, shapely.Polygon]]:
    """Pieces of a view as polygons."""
    out = []
    for colour, rings in view.regions:
        lines = [shapely.LinearRing(r) for r in rings.rings()]
        parts = shapely.get_parts(shapely.build_area(shapely.geometrycollections(lines)))
        out += [(colour, p) for p in parts]
    return out


def insides(view: GraphicView) -> list[Place]:
    """A place inside every piece."""
    points = shapely.point_on_surface([p for _, p in _polygons(view)])
    return [(float(x), float(y)) for x, y in shapely.get_coordinates(points)]


def colour_at(view: GraphicView, place: Place) -> str | None:
    """Colour of the piece at a place."""
    return next((c for c, p in _polygons(view) if p.contains(shapely.Point(place))), None)


def box_at(view: GraphicView, place: Place) -> tuple[float, float, float, float] | None:
    """Bounding box of the piece at a place."""
    return next((p.bounds for _, p in _polygons(view) if p.contains(shapely.Point(place))), None)
