"""The film of the print: any layer of any bed, and what the whole comes to."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import shapely

from cutkey.core.digest import digest
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.rehearsal import beds_written, rehearsed
from cutkey.core.geometry.areas import intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.job import Job
from cutkey.core.printing.bed_rows import bed_corner
from cutkey.core.rehearse.film import layers_of
from cutkey.core.rehearse.layers import heights
from cutkey.core.rehearse.laying import Layer
from cutkey.core.rehearse.lines import inside_of, walls_of
from cutkey.core.rehearse.loads import load_of
from cutkey.core.rehearse.nozzle import counts
from cutkey.core.rehearse.settings import Settings, settings_of
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.layer_view import cap
from cutkey.worker.shown import LayerArea, Rings
from cutkey.worker.shown_film import BedSolids, BedView, FilmView, RehearsalView
from cutkey.worker.views import view_of_mesh


def rehearsal_view(
    job: Job, evaluator: Evaluator, progress: Callable[[float, str], None]
) -> RehearsalView | None:
    """The whole print."""
    found = rehearsed(evaluator, job, progress)
    if found is None:
        return None
    by_name = {f.name: f for f in job.rack}
    beds = []
    density = {name: f.density for name, f in by_name.items()}
    for bodies, run in zip(found.beds, found.runs, strict=True):
        grams = {
            n: by_name[n].grams(v) if n in by_name else 1.24 * v / 1000 for n, v in run.printed().items()
        }
        beds.append(BedView(len(run.rows), run.seconds, run.changes, grams, load_of(bodies, run, density)))
    return RehearsalView(beds, found.findings)


def film_view(job: Job, evaluator: Evaluator, bed: int, number: int) -> FilmView | None:
    """A layer of a bed, by its numbers from 1; the topmost when there are fewer."""
    beds = beds_written(evaluator, job)
    if not beds:
        return None
    bed = min(max(1, bed), len(beds))
    bodies, s = beds[bed - 1], settings_of(job.printer)
    low = min(float(b.vertices[:, 2].min()) for b in bodies)
    count = len(heights(low, max(float(b.vertices[:, 2].max()) for b in bodies), s)[1])
    number = min(max(1, number), count)
    around = {
        layer.number: layer
        for layer in layers_of(
            bodies, s, sorted({max(1, number - s.solid), number, min(count, number + s.solid)})
        )
    }
    layer = around[number]
    colours = {b.filament: b.colour or "#888888" for b in bodies}
    areas = [LayerArea(n, colours[n], as_rings(a), float(a.area)) for n, a in layer.areas.items()]
    # Beds stand beside each other in the file; each is shown by itself.
    shift = np.array(bed_corner(bed - 1, job.printer.bed))
    moved = [a._replace(rings=_moved(a.rings, shift)) for a in areas]
    lines = [(colours[n], _moved(_lines(n, layer, around, number, s), shift)) for n in layer.areas]
    lost = [n.area for some in layer.lost.values() for n in some if counts(n, s.line)]
    closed, hangs = [n.area for n in layer.closed if n.area.area > s.line**2], [h.area for h in layer.hanging]
    lost_at, closed_at, hangs_at = (
        _moved(as_rings(shapely.MultiPolygon(some)), shift) for some in (lost, closed, hangs)
    )
    caps = [(a.colour, cap(_outlines(a.rings), layer.top)) for a in moved if len(a.rings.points)]
    return FilmView(bed, number, count, layer.top, s.line, moved, lines, lost_at, closed_at, hangs_at, caps)


def bed_solids(job: Job, evaluator: Evaluator, bed: int) -> BedSolids | None:
    """The bodies on a bed, as the file has them."""
    beds = beds_written(evaluator, job)
    if not beds:
        return None
    bed = min(max(1, bed), len(beds))

    def compute() -> BedSolids:
        low = min(float(b.vertices[:, 2].min()) for b in beds[bed - 1])
        shift = np.array([*bed_corner(bed - 1, job.printer.bed), low])
        return BedSolids(
            bed,
            [
                (b.colour or "#888888", view_of_mesh(Mesh(b.vertices - shift, b.triangles)))
                for b in beds[bed - 1]
            ],
        )

    return evaluator.memo.get(digest("bed solids", evaluator.loads_key(job), bed), compute)


def _outlines(rings: Rings) -> list[Float]:
    return [
        np.asarray(rings.points[a:b], float) for a, b in zip(rings.first[:-1], rings.first[1:], strict=True)
    ]


def _lines(name: str, layer: Layer, around: dict[int, Layer], number: int, s: Settings) -> Rings:
    """All lines of a filament in a layer."""
    area = layer.areas[name]
    above, below = around.get(number + s.solid), around.get(number - s.solid)
    hidden = (
        intersection(above.whole, below.whole)
        if above is not None and below is not None
        else shapely.Polygon()
    )
    return _packed([*walls_of(area, s), *inside_of(area, hidden, number, s)])


def _packed(lines: Sequence[Float]) -> Rings:
    if not lines:
        return Rings(np.zeros((0, 2)), np.zeros(1, np.int32))
    return Rings(np.concatenate(lines), np.r_[0, np.cumsum([len(x) for x in lines])].astype(np.int32))


def _moved(rings: Rings, shift: Float) -> Rings:
    return Rings(rings.points - shift, rings.first)
