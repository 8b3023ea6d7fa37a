"""Layer by layer through the print of a bed: what is drawn, lost, closed, unsupported; how much, how long."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Literal, NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference, intersection
from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.rehearse.apart import Shared, shared
from cutkey.core.rehearse.layers import OVER, Cut, Filled, Slicer, coarser, filled, heights
from cutkey.core.rehearse.laying import Layer, Laying, Row, keep
from cutkey.core.rehearse.nozzle import ROUGH, Narrow, counts, drawn, slits
from cutkey.core.rehearse.read import Body
from cutkey.core.rehearse.settings import Settings
from cutkey.core.rehearse.under import hanging

EventKind = Literal["lost", "widened", "closed", "island", "bridge", "overhang", "floor", "twice", "open"]
#: Called with the share done; it may raise `Cancelled`.
Progress = Callable[[float], None]
#: A floor or roof of one layer is told where it is wider than this, mm.
_MEMBRANE = 2.0
#: A sharp edge ends within so many layers, and its sides lean by no more than so many times as far as a layer
#: is high; what is within so many lines of it is looked at.
_TIP, _SLOPE, _BESIDE = 2, 2.2, 4.0


class Event(NamedTuple):
    """Something that is found in one layer, or goes on through several."""

    kind: EventKind
    bed: int  # from 1
    name: str  # of what is built there
    filament: str
    first: int  # layers
    last: int
    place: tuple[float, float, float]  # mm, on the bed
    figure: float  # mm: width, span, reach; mm2 for twice; ends for open
    area: float  # mm2, in the layer where it is largest
    at: int  # the layer where the figure is worst, and the place of it


class Contact(NamedTuple):
    """How a thing stands on the bed."""

    name: str
    bed: int
    area: float  # mm2 of its first layer
    wide: float  # mm, the narrow side of what it stands on
    high: float  # mm
    place: tuple[float, float, float]


class Run(NamedTuple):
    """The print of a bed."""

    bed: int  # from 1
    rows: list[Row]
    events: list[Event]
    contacts: list[Contact]
    changes: int
    shared: list[Shared]
    unknown: int  # pairs of bodies of which it is not known whether they share anything

    @property
    def seconds(self) -> float:
        """How long it takes, changes left out."""
        return sum(r.seconds for r in self.rows)

    def printed(self) -> dict[str, float]:
        """What is laid of each filament, mm3."""
        out: dict[str, float] = {}
        for row in self.rows:
            for name, volume in row.printed.items():
                out[name] = out.get(name, 0.0) + volume
        return out


class _Own(NamedTuple):
    """A filament in a layer."""

    area: shapely.Geometry
    rough: shapely.Geometry
    size: float
    lost: list[Narrow]
    widened: list[Narrow]


class _Cutter:
    """Fills outlines and looks what a line draws of them; equal layers are looked at once."""

    def __init__(self, filaments: Sequence[str], settings: Settings) -> None:
        self._filaments, self._s = filaments, settings
        self._own: dict[bytes, _Own] = {}
        self._all: dict[tuple[bytes, ...], tuple[Filled, shapely.Geometry, list[Narrow]]] = {}

    def layer(self, n: int, cuts: Sequence[Cut]) -> tuple[Layer, tuple[bytes, ...]]:
        """A layer, without what it rests on; equal keys for equal layers."""
        by_filament = {name: cut for name, cut in zip(self._filaments, cuts, strict=True) if cut.rings}
        key = tuple(c.key for c in cuts if c.rings)
        if key not in self._all:
            whole = filled([r for c in cuts for r in c.rings])
            rough = coarser(whole.area, ROUGH)
            keep(self._all, key, (whole, rough, slits(whole.area, self._s.line, rough)))
        whole, rough, closed = self._all[key]
        own = {
            name: self._looked_at(cut, (whole, rough) if len(by_filament) == 1 else None)
            for name, cut in by_filament.items()
        }
        ends = sum(c.open_ends for c in cuts)
        areas, sizes = {n: o.area for n, o in own.items()}, {n: o.size for n, o in own.items()}
        lost, widened = {n: o.lost for n, o in own.items()}, {n: o.widened for n, o in own.items()}
        roughs = {n: o.rough for n, o in own.items()}
        return Layer(
            n, 0.0, 0.0, 0.0, areas, sizes, whole.area, lost, widened, closed, [], whole, ends, roughs, rough
        ), key

    def _looked_at(self, cut: Cut, known: tuple[Filled, shapely.Geometry] | None) -> _Own:
        if cut.key not in self._own:
            inside = known[0] if known is not None else filled(cut.rings)
            rough = known[1] if known is not None else coarser(inside.area, ROUGH)
            lost, widened = drawn(inside.area, self._s, rough)
            keep(self._own, cut.key, _Own(inside.area, rough, inside.size, lost, widened))
        return self._own[cut.key]


def _by_filament(bodies: Sequence[Body]) -> dict[str, tuple[Float, Int]]:
    """All that is printed in each filament as one mesh."""
    groups: dict[str, list[Body]] = {}
    for b in bodies:
        groups.setdefault(b.filament, []).append(b)
    out = {}
    for name, some in groups.items():
        first = np.cumsum([0] + [len(b.vertices) for b in some[:-1]])
        triangles = np.concatenate([b.triangles + n for b, n in zip(some, first, strict=True)])
        out[name] = (np.concatenate([b.vertices for b in some]), triangles)
    return out


def layers_of(
    bodies: Sequence[Body], settings: Settings, only: Sequence[int] | None = None
) -> Iterator[Layer]:
    """The layers of a bed, from the lowest; of one layer only what it needs is cut.

    Parameters
    ----------
    bodies : sequence of Body
        That lie on it.
    settings : Settings
    only : sequence of int, optional
        Numbers of layers, rising; all when left out.
    """
    low = min(float(b.vertices[:, 2].min()) for b in bodies)
    high = max(float(b.vertices[:, 2].max()) for b in bodies)
    middles, tops = heights(low, high, settings)
    numbers = range(1, len(tops) + 1) if only is None else [n for n in only if 1 <= n <= len(tops)]
    # What a layer rests on is cut too.
    wanted = sorted({k for n in numbers for k in (n - 1, n) if k >= 1})
    merged = _by_filament(bodies)
    cuts = [Slicer(v, t).at([float(middles[k - 1]) for k in wanted]) for v, t in merged.values()]
    cutter, below, below_key = _Cutter(list(merged), settings), None, None
    for n in wanted:
        layer, key = cutter.layer(n, [next(c) for c in cuts])
        thick = settings.first if n == 1 else settings.layer
        if below is not None and below_key != key:
            layer = layer._replace(hanging=hanging(layer.rough, below.rough, thick, settings))
        below, below_key = layer, key
        if only is None or n in numbers:
            yield layer._replace(
                middle=float(middles[n - 1]) - low, top=float(tops[n - 1]) - low, thick=thick
            )


class _Events:
    """What goes on from layer to layer is one thing."""

    def __init__(self, bed: int, bodies: Sequence[Body], settings: Settings) -> None:
        self.bed, self._line = bed, settings.line
        self.found: list[Event] = []
        self._going: dict[tuple[str, str], list[tuple[shapely.Geometry, int]]] = {}
        self._layer = settings.layer
        # edges that ended in the layer before, and for how many layers they have
        self._tips: list[tuple[shapely.Geometry, int]] = []
        self._boxes = _units(bodies)

    def take(self, layer: Layer, below: Layer | None = None) -> None:
        """All of a layer, and the one that it lies on."""
        tips: list[tuple[shapely.Geometry, int]] = []
        now: dict[tuple[str, str], list[tuple[shapely.Geometry, int]]] = {}
        seen: list[tuple[EventKind, str, shapely.Geometry, float]] = []
        # What is smaller than a dot of the nozzle is the tip of a sharp corner.
        seen += [
            ("lost", name, n.area, n.wide)
            for name, narrow in layer.lost.items()
            for n in narrow
            if counts(n, self._line) and not self._ends(n.area, below, tips)
        ]
        seen += [
            ("widened", name, n.area, n.wide)
            for name, narrow in layer.widened.items()
            for n in narrow
            if counts(n, self._line) and not self._ends(n.area, below, tips)
        ]
        seen += [("closed", "", n.area, n.wide) for n in layer.closed if n.area.area > self._line**2]
        seen += [(h.kind, "", h.area, h.far) for h in layer.hanging]
        if layer.filled.over > OVER or layer.filled.inside_out > OVER:
            where = layer.filled.twice if not layer.filled.twice.is_empty else layer.whole
            seen.append(("twice", "", where, layer.filled.over + layer.filled.inside_out))
        if layer.open_ends:
            seen.append(("open", "", layer.whole, float(layer.open_ends)))
        for kind, filament, area, figure in seen:
            going = self._going.get((kind, filament), [])
            # Islands and bridges are of one layer; what goes on above them rests on them.
            of = (
                next((k for g, k in going if g.dwithin(area, 1.0)), None)
                if kind not in ("island", "bridge")
                else None
            )
            if of is None:
                of = len(self.found)
                self.found.append(self._event(kind, filament, layer, area, figure))
            else:
                self._goes_on(of, layer, area, figure)
            now.setdefault((kind, filament), []).append((area, of))
        self._going, self._tips = now, tips

    def _ends(
        self, area: shapely.Geometry, below: Layer | None, tips: list[tuple[shapely.Geometry, int]]
    ) -> bool:
        """Whether something too narrow is the sharp edge in which what is below ends: the ridge of a roof.

        It narrows from a part that is drawn by no more than a slope does in a layer, for a layer or two. What
        stands on a wide face, and what is as narrow below, is a wall that is lost.
        """
        if below is None:
            return False
        before = max((n for tip, n in self._tips if tip.dwithin(area, 0.1)), default=0)
        narrow = [n.area for some in (*below.lost.values(), *below.widened.values()) for n in some]
        if before >= _TIP or (not before and any(n.dwithin(area, 0.0) for n in narrow)):
            return False
        near = intersection(below.whole, area.buffer(_BESIDE * self._line))
        slope = area.buffer(_SLOPE * self._layer)
        if near.is_empty or difference(near, slope).area > 0.05 * float(near.area):
            return False
        tips.append((area, before + 1))
        return True

    def membranes(self, layer: Layer, above: shapely.Geometry) -> None:
        """What begins in a layer and is over with it: a floor or roof of one layer."""
        fresh = [layer.whole] if layer.number == 1 else [h.area for h in layer.hanging]
        for area in fresh:
            for g in shapely.get_parts(difference(area, above)):
                wide = (
                    2 * float(shapely.maximum_inscribed_circle(g, tolerance=0.05).length)
                    if g.area > self._line**2
                    else 0.0
                )
                if wide > _MEMBRANE:
                    self.found.append(self._event("floor", "", layer, g, wide))

    def _event(
        self, kind: EventKind, filament: str, layer: Layer, area: shapely.Geometry, figure: float
    ) -> Event:
        point = shapely.point_on_surface(area) if not area.is_empty else shapely.Point(0, 0)
        place = (
            (float(point.x), float(point.y), layer.middle) if not point.is_empty else (0.0, 0.0, layer.middle)
        )
        name = next(
            (
                n
                for n, (x0, y0, x1, y1) in self._boxes
                if x0 - 1 <= place[0] <= x1 + 1 and y0 - 1 <= place[1] <= y1 + 1
            ),
            "",
        )
        if not filament:
            inside = shapely.Point(place[:2])
            filament = min(layer.areas, key=lambda f: float(layer.areas[f].distance(inside)), default="")
        return Event(
            kind,
            self.bed,
            name,
            filament,
            layer.number,
            layer.number,
            place,
            figure,
            float(area.area),
            layer.number,
        )

    def _goes_on(self, of: int, layer: Layer, area: shapely.Geometry, figure: float) -> None:
        old = self.found[of]
        # The narrowest wall, the widest of everything else.
        worse = figure < old.figure if old.kind in ("lost", "widened", "closed") else figure > old.figure
        if worse:
            point = shapely.point_on_surface(area)
            place = old.place if point.is_empty else (float(point.x), float(point.y), layer.middle)
            old = old._replace(figure=figure, place=place, at=layer.number)
        self.found[of] = old._replace(last=layer.number, area=max(old.area, float(area.area)))


def _units(bodies: Sequence[Body]) -> list[tuple[str, tuple[float, float, float, float]]]:
    """Names and boxes of what is built, the small ones first."""
    boxes: dict[int, tuple[str, np.ndarray]] = {}
    for b in bodies:
        own = np.r_[b.vertices[:, :2].min(0), -b.vertices[:, :2].max(0)]
        name, old = boxes.get(b.item, (b.unit or b.name, own))
        boxes[b.item] = (name, np.minimum(old, own))
    out = [(name, (float(v[0]), float(v[1]), -float(v[2]), -float(v[3]))) for name, v in boxes.values()]
    return sorted(out, key=lambda one: (one[1][2] - one[1][0]) * (one[1][3] - one[1][1]))


def run(bodies: Sequence[Body], settings: Settings, bed: int = 1, progress: Progress | None = None) -> Run:
    """Print a bed.

    Parameters
    ----------
    bodies : sequence of Body
        That lie on it.
    settings : Settings
    bed : int
        Its number.
    progress : callable, optional

    Returns
    -------
    Run
    """
    events, rows = _Events(bed, bodies, settings), []
    laid = Laying(settings)
    high = max(float(b.vertices[:, 2].max()) for b in bodies) - min(
        float(b.vertices[:, 2].min()) for b in bodies
    )
    first = last = None
    order: list[str] = []
    for layer in layers_of(bodies, settings):
        first = first or layer
        events.take(layer, last)
        if last is not None and last.whole is not layer.whole:
            events.membranes(last, layer.whole)
        last = layer
        rows += laid.take(layer)
        # Within a layer the filament that is in goes on first.
        names = sorted(layer.areas, key=lambda n: (n != (order[-1] if order else ""), n))
        order += [n for n in names if not order or n != order[-1]]
        if progress:
            progress(layer.top / max(high, 1e-9))
    if last is not None:
        events.membranes(last, shapely.Polygon())
    rows += laid.rest()
    contacts = _contacts(bodies, first, bed) if first is not None else []
    both, unknown = shared(bodies, partial(progress, 1.0) if progress else None)
    return Run(bed, rows, events.found, contacts, max(0, len(order) - 1), both, unknown)


def _contacts(bodies: Sequence[Body], first: Layer, bed: int) -> list[Contact]:
    """How each thing stands on the bed."""
    out = []
    for name, (x0, y0, x1, y1) in _units(bodies):
        mine = intersection(first.whole, shapely.box(x0, y0, x1, y1))
        high = max(float(b.vertices[:, 2].max()) for b in bodies if (b.unit or b.name) == name)
        if mine.is_empty:
            out.append(Contact(name, bed, 0.0, 0.0, high, ((x0 + x1) / 2, (y0 + y1) / 2, 0.0)))
            continue
        around = (
            np.array(shapely.minimum_rotated_rectangle(mine).exterior.coords)
            if mine.area > 0
            else np.zeros((5, 2))
        )
        sides = np.hypot(*(around[1:3] - around[:2]).T)
        middle = mine.centroid
        out.append(
            Contact(
                name, bed, float(mine.area), float(sides.min()), high, (float(middle.x), float(middle.y), 0.0)
            )
        )
    return out
