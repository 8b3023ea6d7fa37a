"""What is to be said of how a kit lies on its beds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import shapely

from cutkey.core.kit.bed import Spot
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.printing.bed_rows import DECIMALS
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.resting import Resting
from cutkey.core.printing.sides import reasons, side_name
from cutkey.core.words import printing as say
from cutkey.core.words.kind import Words

#: What is lower than this lies on the bed, mm.
_ON_BED = 0.01
#: Less than this is no reason for support, mm2.
_SUPPORT = 25.0


def lying_findings(
    job: Job, ways: Mapping[str, Resting], units: Sequence[PrintUnit], spots: Sequence[Spot]
) -> Iterator[Finding]:
    """Which way up the sections are printed, and what was laid by hand and cannot stay so.

    Parameters
    ----------
    job : Job
    ways : mapping of str to Resting
        By name of the section.
    units : sequence of PrintUnit
    spots : sequence of Spot
        Where their copies lie.
    """
    for lay in job.lays:
        way = ways.get(lay.unit)
        if way is None:
            yield Finding(
                "way up", "look at", say.chosen_of_nothing(lay.unit), lay.unit, mend="lie as proposed"
            )
        elif way.missing:
            says = say.chosen_side_is_gone(lay.unit, side_name(way.now.down))
            yield Finding("way up", "look at", says, lay.unit, mend="lie as proposed")
        elif way.by_hand and not way.now.good:
            says = say.stands_badly(lay.unit, side_name(way.now.down), reasons(way.now, job.printer))
            yield Finding("way up", "look at", says, lay.unit, mend="lie as proposed")
    yield _said(ways, units)
    yield from _moved(job, units, spots)


def foot_of(unit: PrintUnit) -> tuple[float, bool]:
    """How much of a unit lies on the bed, mm2, and whether its middle is over that.

    On its meshes as they are written.

    Parameters
    ----------
    unit : PrintUnit
    """
    area, weight, middle, on_bed = 0.0, 0.0, np.zeros(3), []
    for piece in unit.pieces:
        a, b, c = (piece.mesh.vertices[piece.mesh.triangles[:, k]] for k in range(3))
        down = (np.maximum(np.maximum(a[:, 2], b[:, 2]), c[:, 2]) < _ON_BED) & (
            np.cross(b - a, c - a)[:, 2] < 0
        )
        area += float(np.linalg.norm(np.cross(b - a, c - a)[down], axis=1).sum()) / 2
        on_bed += [a[down], b[down], c[down]]
        part = np.einsum("ij,ij->i", a, np.cross(b, c))
        weight, middle = weight + float(part.sum()), middle + part @ (a + b + c) / 4
    corners = np.concatenate(on_bed)[:, :2]
    foot = shapely.convex_hull(shapely.multipoints(corners)) if len(corners) else shapely.Point()
    return area, bool(weight and shapely.intersects_xy(foot, *(middle[:2] / weight)))


def _said(ways: Mapping[str, Resting], units: Sequence[PrintUnit]) -> Finding:
    feet = {u.name: foot_of(u) for u in units if u.name in ways and not u.is_key}
    falls = [name for name, (_, stands) in feet.items() if not stands]
    if falls:
        area = feet[falls[0]][0]
        says = say.does_not_stand(falls, area)
        return Finding("way up", "look at", says, falls[0], round(area, 1), 0.0, "mm²", mend="show")
    by_side: dict[str, list[str]] = {}
    for name, way in ways.items():
        by_side.setdefault(side_name(way.now.down), []).append(name)
    sides = sorted(by_side.items(), key=lambda p: -len(p[1]))
    least = min((area for area, _ in feet.values()), default=0.0)
    return Finding(
        "way up", "sound", say.which_way_up(sides, len(ways), least), figure=round(least, 1), unit="mm²"
    )


def _moved(job: Job, units: Sequence[PrintUnit], spots: Sequence[Spot]) -> Iterator[Finding]:
    """What was put somewhere on a bed and does not lie there."""
    kept = {
        (units[s.unit].name, round(s.x, DECIMALS), round(s.y, DECIMALS), s.angle) for s in spots if s.by_hand
    }
    said: set[str] = set()
    for put in job.puts:
        if put.unit in said or (put.unit, round(put.x, DECIMALS), round(put.y, DECIMALS), put.turn) in kept:
            continue
        said.add(put.unit)
        mine = [s.load + 1 for s in spots if units[s.unit].name == put.unit]
        says = say.put_by_hand(put.unit, put.bed + 1, mine[min(put.copy, len(mine) - 1)] if mine else 0)
        yield Finding("bed loads", "look at", says, put.unit, mend="lie elsewhere")


def slicing_hints(job: Job, ways: Mapping[str, Resting]) -> list[Words]:
    """What whoever slices a kit has to know, a line each.

    Parameters
    ----------
    job : Job
    ways : mapping of str to Resting
        By name of the section.
    """
    p = job.printer
    first = p.first_layer if p.first_layer and p.first_layer != p.layer else 0.0
    out = [say.layers_and_nozzle(p.layer, first, p.nozzle, p.name), say.lies_as_it_is_printed()]
    need = [(name, way.now.support / 100) for name, way in ways.items() if way.now.support >= _SUPPORT]
    return [*out, say.support_needed(need, p.angle) if need else say.support_not_needed()]
