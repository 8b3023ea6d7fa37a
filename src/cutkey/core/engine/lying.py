"""What is to be said of how a kit lies on its beds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import shapely

from cutkey.core.kit.bed import Spot
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.resting import Resting, reasons, side_name
from cutkey.core.units import format_mm

#: What is lower than this lies on the bed, mm.
_ON_BED = 0.01
#: Less than this is no reason for support, mm2.
_SUPPORT = 25.0
#: Names in one sentence at the most.
_NAMES = 6


def lying_findings(job: Job, ways: Mapping[str, Resting], units: Sequence[PrintUnit], spots: Sequence[Spot]) -> Iterator[Finding]:
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
            text = f"the side of {lay.unit} on the bed was chosen by hand, and there is no {lay.unit} any more"
            yield Finding("way up", "look at", "Laid by hand", text, lay.unit, mend="lie as proposed")
        elif way.missing:
            text = f"the side of {lay.unit} that was chosen is no flat side of it any more; it lies {side_name(way.now.down)}"
            yield Finding("way up", "look at", "Laid by hand", text, lay.unit, mend="lie as proposed")
        elif way.by_hand and not way.now.good:
            text = f"{lay.unit} {side_name(way.now.down)}: {', '.join(reasons(way.now, job.printer))}"
            yield Finding("way up", "look at", "Stands badly", text, lay.unit, mend="lie as proposed")
    yield _said(ways, units)
    yield from _moved(job, units, spots)


def foot_of(unit: PrintUnit) -> tuple[float, bool]:
    """How much of a unit lies on the bed, mm2, and whether its middle is over that; on its meshes as they are written.

    Parameters
    ----------
    unit : PrintUnit
    """
    area, weight, middle, on_bed = 0.0, 0.0, np.zeros(3), []
    for piece in unit.pieces:
        a, b, c = (piece.mesh.vertices[piece.mesh.triangles[:, k]] for k in range(3))
        down = (np.maximum(np.maximum(a[:, 2], b[:, 2]), c[:, 2]) < _ON_BED) & (np.cross(b - a, c - a)[:, 2] < 0)
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
        those = ", ".join(falls[:_NAMES]) + (f" and {len(falls) - _NAMES} more" if len(falls) > _NAMES else "")
        text = f"{those}: {feet[falls[0]][0]:.0f} mm² on the bed, and the middle not over it; lay it on a flat side, or print a raft"
        return Finding("way up", "look at", "Does not stand", text, falls[0], round(feet[falls[0]][0], 1), 0.0, "mm²", mend="show")
    by_side: dict[str, list[str]] = {}
    for name, way in ways.items():
        by_side.setdefault(side_name(way.now.down), []).append(name)
    count = len(ways)
    parts = []
    for side, names in sorted(by_side.items(), key=lambda p: -len(p[1])):
        some = f"{len(names)} of {count}" if len(names) > _NAMES or len(by_side) == 1 else ", ".join(names)
        parts.append(f"{some} {side}")
    least = min((area for area, _ in feet.values()), default=0.0)
    text = f"{'; '.join(parts)}; each stands, on {format_mm(least / 100, 1)} cm² or more"
    return Finding("way up", "sound", "Which way up", text, figure=round(least, 1), unit="mm²")


def _moved(job: Job, units: Sequence[PrintUnit], spots: Sequence[Spot]) -> Iterator[Finding]:
    """What was put somewhere on a bed and does not lie there."""
    kept = {(units[s.unit].name, round(s.x, 6), round(s.y, 6), s.angle) for s in spots if s.by_hand}
    said: set[str] = set()
    for put in job.puts:
        if put.unit in said or (put.unit, round(put.x, 6), round(put.y, 6), put.turn) in kept:
            continue
        said.add(put.unit)
        mine = [s.load + 1 for s in spots if units[s.unit].name == put.unit]
        now = f"it lies on bed {mine[min(put.copy, len(mine) - 1)]} now" if mine else "it is no longer there"
        text = f"{put.unit} cannot stay where it was put on bed {put.bed + 1}; {now}"
        yield Finding("bed loads", "look at", "Put by hand", text, put.unit, mend="lie elsewhere")


def slicing_hints(job: Job, ways: Mapping[str, Resting]) -> list[str]:
    """What whoever slices a kit has to know, a line each.

    Parameters
    ----------
    job : Job
    ways : mapping of str to Resting
        By name of the section.
    """
    p = job.printer
    first = f", the first {p.first_layer:g} mm" if p.first_layer and p.first_layer != p.layer else ""
    out = [f"Layers of {p.layer:g} mm{first}, nozzle {p.nozzle:g} mm; made for {p.name}"]
    out.append("Every piece lies as it is printed: neither turn nor scale it")
    need = [(name, way.now.support / 100) for name, way in ways.items() if way.now.support >= _SUPPORT]
    if need:
        names = ", ".join(f"{name} ({area:.1f} cm²)" for name, area in need[:_NAMES])
        more = f" and {len(need) - _NAMES} more" if len(need) > _NAMES else ""
        out.append(f"Support under what leans out more than {p.angle:g}°: {names}{more}")
    else:
        out.append("No support is needed")
    return out
