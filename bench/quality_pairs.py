"""Two features at a time: jobs in which any two choices meet, mended as a maker would, written and judged.

`python -m bench.quality_pairs [SEED] [COUNT]` prints a row a job and the table: how many were refused in a
sentence, stopped, written; and what is wrong with files that nothing was said against. The measures read the
written files and compute with numpy, shapely, trimesh and the bare solid library; where a region is to be is
told from the numbers of the job, by code of this file.
"""

from __future__ import annotations

import math
import re
import sys
import tempfile
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple
from xml.etree import ElementTree

import numpy as np
import shapely
import trimesh
from shapely import affinity

from bench.judging import bodies_in, kit_problems, tops
from bench.pairs import DRAWINGS, Shape, job_of, rows
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.engine.output import write_job_kit
from cutkey.core.errors import BadInput
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Placement

#: Places of a region this near to its edge tell nothing; so near to a cut, whose seam may wander, nothing
#: either; mm.
EDGE, CUT = 0.45, 9.0
#: A surface lies where it is asked for within this, mm.
LEVEL = 0.02
#: So many places are looked at in each region.
PLACES = 12
_3MF = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"


class Outcome(NamedTuple):
    """What became of a job."""

    row: dict[str, Any]
    how: str  # "refused", "stopped", "written" or "broke"
    said: tuple[str, ...]  # the refusal, the stops that are left or the traceback
    faults: tuple[str, ...]  # of a written kit that says nothing of them
    seconds: float


def try_one(row: dict[str, Any], number: int) -> Outcome:
    """Make, mend, write and judge a job."""
    begun = time.monotonic()

    def came(how: str, said: tuple[str, ...] = (), faults: tuple[str, ...] = ()) -> Outcome:
        return Outcome(row, how, said, faults, time.monotonic() - begun)

    try:
        job, files = job_of(row, number)
        evaluator = Evaluator(files)
        found = mended(job, evaluator, costly=True)
        stops = tuple(f"{f.title}: {f.text}" for f in found.left if f.severity == "stop")
        if stops:
            return came("stopped", stops)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "kit"
            report = write_job_kit(out, found.job, evaluator)
            late = tuple(f"{f['title']}: {f['text']}" for f in report["findings"] if f["severity"] == "stop")
            if late:
                return came("stopped", late)
            return came("written", tuple(found.done), tuple(judged(found.job, row, report, out)))
    except BadInput as error:
        return came("refused", (str(error),))
    except Exception:
        return came("broke", (traceback.format_exc(limit=-3),))


def written_and_judged(job: Job, files: dict[str, bytes], told: Job, row: dict[str, Any]) -> tuple[str, ...]:
    """Write the kit of a job and judge it by what another one tells."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "kit"
        report = write_job_kit(out, job, Evaluator(files))
        return tuple(judged(told, row, report, out))


# -- what is wrong with a written kit
def judged(job: Job, row: dict[str, Any], report: dict[str, Any], out: Path) -> Iterator[str]:
    """Say what is wrong with a written kit."""
    yield from kit_problems(report, out)
    kinds = {f["kind"] for f in report["findings"] if f["severity"] != "sound"}
    yield from _readers(report, out, "watertight" in kinds)
    yield from _names(report, out)
    if row["side"] in ("top", "front", "bottom") and "came out" not in kinds:
        yield from _regions(job, row, report, out, kinds)


def _readers(report: dict[str, Any], out: Path, touching: bool) -> Iterator[str]:
    """The 3MF as XML tells as many triangles as the mesh library found, and each STL its piece's volume."""
    (path,) = out.glob("*.3mf")
    with zipfile.ZipFile(path) as archive:
        counts = {
            o.get("name"): len(o.findall(f"{_3MF}mesh/{_3MF}triangles/{_3MF}triangle"))
            for name in archive.namelist()
            if name.endswith(".model")
            for o in ElementTree.fromstring(archive.read(name)).iter(f"{_3MF}object")
        }
    meshes = bodies_in(path)
    for unit in report["units"]:
        for piece in unit["pieces"]:
            name = piece["name"]
            if counts.get(name) != len(meshes[name].faces):
                other = len(meshes[name].faces)
                yield f"{name} has {counts.get(name)} triangles by one reader, {other} by another"
            stl = trimesh.load(out / piece["file"], force="mesh")
            stl.merge_vertices()
            if not stl.is_watertight and not touching:
                yield f"{piece['file']} is open when welded"
            if abs(stl.volume - piece["volume_mm3"]) > 1e-3 * piece["volume_mm3"] + 0.05:
                yield f"{piece['file']} holds {stl.volume:.2f} mm3, the report says {piece['volume_mm3']:.2f}"


def _names(report: dict[str, Any], out: Path) -> Iterator[str]:
    """Units and bed loads are the same in README, report and folder."""
    text = (out / "README.txt").read_text("utf-8")
    for unit in report["units"]:
        if not re.search(rf"\b{re.escape(unit['name'])}\b", text):
            yield f"README.txt does not name {unit['name']}"
    files = {p["file"] for u in report["units"] for p in u["pieces"]}
    strange = {p.name for p in out.glob("*.stl")} ^ files
    if strange:
        yield f"{', '.join(sorted(strange))} is in the folder or the report only"


# -- where regions are to be
class _Face(NamedTuple):
    """A flat face as it is looked at: its middle, right, up and out, mm, and its outline."""

    middle: np.ndarray
    axes: np.ndarray  # (3, 3), rows right, up and out
    outline: shapely.Geometry


def _face(row: dict[str, Any]) -> _Face | None:
    """The face that the graphics lie on; None where it is curved."""
    size, thick, kind, side = row["size"], row["thick"], row["body"], row["side"]
    deep = 0.7 * size
    if kind in ("box", "wedge"):
        thick = max(12.0, 4 * thick)
    disc = shapely.Point(0, 0).buffer(size / 2, 64)
    plan = {
        "plate": shapely.box(-size / 2 + 4, -deep / 2 + 4, size / 2 - 4, deep / 2 - 4).buffer(4),
        "box": shapely.box(-size / 2, -deep / 2, size / 2, deep / 2),
        "coin": disc,
        "hexagon": shapely.Point(0, 0).buffer(size / 2 - 0.5, 64),
        "ring": disc.difference(shapely.Point(0, 0).buffer(0.15 * size, 64)),
        "cylinder": shapely.Point(0, 0).buffer(deep / 2, 64),
        "dome": shapely.Point(0, 0).buffer(deep / 2, 64),
        "wedge": shapely.box(-size / 2, -deep / 2, size / 2, deep / 2),
    }[kind]
    if kind == "cylinder":
        thick = max(12.0, 4 * thick)
    if side == "bottom":
        return _Face(np.zeros(3), np.array([[-1.0, 0, 0], [0, 1, 0], [0, 0, -1]]), plan)
    if side == "top" and kind not in ("dome", "wedge"):
        return _Face(np.array([0.0, 0, thick]), np.eye(3), plan)
    if side == "front" and kind in ("plate", "box"):
        wide = size / 2 - (4 if kind == "plate" else 0)
        return _Face(
            np.array([0, -deep / 2, thick / 2]),
            np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
            shapely.box(-wide, -thick / 2, wide, thick / 2),
        )
    return None


def _area(shape: Shape) -> shapely.Geometry:
    if shape.kind == "box":
        return shapely.box(shape.x - shape.a, shape.y - shape.b, shape.x + shape.a, shape.y + shape.b)
    whole = shapely.Point(shape.x, shape.y).buffer(shape.a, 64)
    return whole.difference(shapely.Point(shape.x, shape.y).buffer(shape.b, 64)) if shape.b else whole


def _laid(placement: Placement, width: float, drawing: str) -> Iterator[tuple[str, shapely.Geometry]]:
    """Colours and areas of a placed graphic on its face, mm: mirrored, turned, moved, copied."""
    shapes = [(s.colour, _area(s)) for s in DRAWINGS[drawing]]
    x0, y0, x1, y1 = shapely.total_bounds([a for _, a in shapes])
    scale, (ox, oy), copies = width / (x1 - x0), placement.offset, placement.copies
    spots = [(ox, oy, placement.spin, placement.mirror)]
    if copies.kind == "grid":
        spots = [
            (
                ox + (i - (copies.count[0] - 1) / 2) * copies.step[0],
                oy + (j - (copies.count[1] - 1) / 2) * copies.step[1],
                placement.spin,
                placement.mirror,
            )
            for i in range(copies.count[0])
            for j in range(copies.count[1])
        ]
    elif copies.kind == "ring":
        spots = []
        for k in range(copies.count[0]):
            a = 2 * math.pi * k / copies.count[0]
            c, s = math.cos(a), math.sin(a)
            spots.append(
                (c * ox - s * oy, s * ox + c * oy, placement.spin + math.degrees(a), placement.mirror)
            )
    elif copies.kind == "pair":
        spots.append((-ox, oy, -placement.spin, not placement.mirror))
    for x, y, spin, mirror in spots:
        a, m = math.radians(spin), -1.0 if mirror else 1.0
        turn = np.array([[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]])
        # About the drawing's middle, y up.
        to = turn @ np.diag([m * scale, -scale])
        move = np.array([x, y]) - to @ ((x0 + x1) / 2, (y0 + y1) / 2)
        for colour, area in shapes:
            yield colour, affinity.affine_transform(area, [*to.ravel(), *move])


def _regions(
    job: Job, row: dict[str, Any], report: dict[str, Any], out: Path, told: set[str]
) -> Iterator[str]:
    """Each region, and the plain face, is seen from outside at its height and in its filament."""
    face = _face(row)
    on_top = row["addon"] in ("hollow", "border", "channel", "loop") and row["side"] == "top"
    if face is None or on_top or row["follow"] in ("wrap",):
        return
    meshes = bodies_in(next(iter(out.glob("*.3mf"))))
    filament, seen = {}, {}
    for unit in report["units"]:
        if unit["key"]:
            continue
        for piece in unit["pieces"]:
            mesh = meshes[piece["name"]]
            place = np.reshape(unit["to_finished"], (3, 4))
            at = (mesh.vertices @ place[:, :3].T + place[:, 3] - face.middle) @ face.axes.T
            seen[piece["name"]] = trimesh.Trimesh(at, mesh.faces, process=False)
            filament[piece["name"]] = piece["filament"]
    names = {f.colour: f.name for f in job.rack}
    widths = {g.id: g.width_mm for g in job.graphics}
    areas = [
        (p, colour, area)
        for p in job.placements
        for colour, area in _laid(p, widths[p.graphic], row["drawing"])
    ]
    inner = face.outline.buffer(-EDGE - row["margin"])
    chance = np.random.default_rng(3)
    thick = face.middle[2] if row["side"] == "top" else 0.0
    plain = face.outline.buffer(-EDGE).difference(shapely.union_all([a.buffer(EDGE) for *_, a in areas]))
    todo: list[tuple[Placement | None, str, shapely.Geometry]] = [(None, "", plain)]
    for k, (p, colour, area) in enumerate(areas):
        others = shapely.union_all([a.buffer(EDGE) for n, (*_, a) in enumerate(areas) if n != k])
        todo.append((p, colour, area.buffer(-EDGE).intersection(inner).difference(others)))
    for p, colour, area in todo:
        xy = _places(area, chance)
        xy = np.array(
            [q for q in xy if not _is_near_a_cut(face, q, job, thick) and not _is_near_an_addon(q, row)]
        )
        if not len(xy):
            continue
        depth = p.depth_of(colour) if p is not None else None
        rise = {"raised": 1.0, "recessed": -1.0}.get(depth.mode, 0.0) * depth.mm if depth is not None else 0.0
        for found, at in zip(tops(seen, xy), xy.tolist(), strict=True):
            where = f"{colour or 'the plain face'} at {at[0]:.1f}, {at[1]:.1f}"
            if depth is not None and depth.mode == "through":
                if found is not None and found[1] > -min(1.0, row["thick"]):
                    yield f"{where} is not cut through: {found[0]} at {found[1]:.2f}"
                    break
                continue
            if found is None and depth is not None and depth.mode == "recessed" and "floor" in told:
                continue
            if found is None:
                yield f"{where}: nothing is there"
                break
            name, z = found
            if row["way"] == "bodies" and abs(z - rise) > LEVEL:
                yield f"{where} lies at {z:.3f} instead of {rise:.3f} mm, on {name}"
                break
            wanted = names.get(colour)
            # Inlays are printed beside their pockets.
            stands = depth is not None and depth.mode in ("raised", "flush") and row["way"] != "inlays"
            if stands and wanted is not None and filament[name] != wanted:
                yield f"{where} shows {filament[name]} instead of {wanted}"
                break


def _places(area: shapely.Geometry, chance: np.random.Generator) -> np.ndarray:
    if area.is_empty:
        return np.zeros((0, 2))
    x0, y0, x1, y1 = area.bounds
    xy = np.array([x0, y0]) + chance.random((40 * PLACES, 2)) * (x1 - x0, y1 - y0)
    return xy[shapely.contains_xy(area, *xy.T)][:PLACES]


def _is_near_a_cut(face: _Face, at: np.ndarray, job: Job, thick: float) -> bool:
    place = face.middle + at @ face.axes[:2]
    for cut in job.cuts:
        a, k = math.radians(cut.tilt), "xyz".index(cut.axis)
        normal = np.eye(3)[k]
        if k < 2:
            normal = np.array(
                [
                    normal[0] * math.cos(a) - normal[1] * math.sin(a),
                    normal[0] * math.sin(a) + normal[1] * math.cos(a),
                    0,
                ]
            )
        elif abs(cut.tilt) > 0 or abs(cut.lean) > 0:
            return True
        middle = np.array([0, 0, thick / 2]) if k == 2 else np.zeros(3)
        far = CUT if k < 2 else 1.5
        if abs(float((place - middle) @ normal) - cut.at * normal[k]) < far or cut.lean:
            return True
    return False


def _is_near_an_addon(at: np.ndarray, row: dict[str, Any]) -> bool:
    """Whether the one on top is near; holes go through to the bottom."""
    if row["addon"] == "none" or row["side"] == "front":
        return False
    return row["side"] == "bottom" or (
        row["addon"] in ("hole", "magnet", "screw")
        and math.hypot(at[0] + 0.3 * _room(row), at[1] - 0.2 * _room(row)) < 8
    )


def _room(row: dict[str, Any]) -> float:
    deep = 0.7 * row["size"]
    return {"plate": 0.6 * deep, "box": 0.5 * deep, "cylinder": 0.5 * deep}.get(
        row["body"], 0.6 * row["size"]
    )


# -- all
def measure(seed: int, numbers: range | list[int] | None = None, log: bool = False) -> list[Outcome]:
    """Try jobs of a seed, all or those of some numbers."""
    every, out = rows(seed), []
    for n in numbers if numbers is not None else range(len(every)):
        out.append(try_one(every[n], n))
        if log:
            o = out[-1]
            print(f"{n:4d} {o.how:8s} {o.seconds:6.1f} s", flush=True)
            for text in o.faults or (o.said if o.how != "written" else ()):
                print(f"       {text[-300:] if o.how == 'broke' else text[:230]}", flush=True)
    return out


def main() -> None:
    """Print the table."""
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else 0
    numbers = list(range(int(sys.argv[2]))) if len(sys.argv) > 2 else None
    found = measure(seed, numbers, log=True)
    counts = Counter(o.how for o in found)
    false = sum(bool(o.faults) for o in found)
    print(f"seed {seed}: {len(found)} jobs, " + ", ".join(f"{n} {how}" for how, n in counts.items()))
    print(f"false sound: {false}")


if __name__ == "__main__":
    main()
