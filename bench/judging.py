"""Measures of written files that share no code with the checks of the program: what is seen from outside,
what filament a face shows, what is too narrow between two wide parts, what two bodies share.

They compute with numpy, shapely, trimesh and the bare solid library.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import manifold3d as m3
import numpy as np
import shapely
import trimesh

#: Narrower than this nothing is printed by a nozzle of 0.4 mm, mm; a neck of less area is left aside, mm2.
NARROW, SPECK = 0.25, 0.05
#: Two bodies have no more than this in common, mm3, and not this thick, mm: places are written to a
#: micrometre. Two sections share no more than this where they lie, mm3.
SHARED, ROUNDED, AT_REST = 0.02, 1e-3, 0.1
#: The wall that sockets are asked for, mm.
WALL = 1.2


def solid_of(mesh: trimesh.Trimesh) -> m3.Manifold:
    """A mesh as a solid of the bare library."""
    return m3.Manifold(
        m3.Mesh64(
            np.ascontiguousarray(mesh.vertices, np.float64), np.ascontiguousarray(mesh.faces, np.uint64)
        )
    )


def rays_blocked(at: np.ndarray, way: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Whether each of N rays meets one of M triangles.

    T. Möller, B. Trumbore: Fast, minimum storage ray/triangle intersection. J. Graphics Tools 2 (1997) 21-28.

    Parameters
    ----------
    at, way : (N, 3) arrays
        Where the rays begin, mm, and which way they go.
    triangles : (M, 3, 3) array
        mm.

    Returns
    -------
    (N,) bool array
    """
    a, ab, ac = triangles[:, 0], triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    out = np.zeros(len(at), bool)
    for n, (begin, d) in enumerate(zip(at, way, strict=True)):
        across = np.cross(d, ac)
        area = np.einsum("ij,ij->i", ab, across)
        met = np.abs(area) > 1e-14
        inverse = np.divide(1.0, area, out=np.zeros(len(area)), where=met)
        to = begin - a
        u = np.einsum("ij,ij->i", to, across) * inverse
        other = np.cross(to, ab)
        v = other @ d * inverse
        far = np.einsum("ij,ij->i", ac, other) * inverse
        out[n] = bool(np.any(met & (u >= 0) & (v >= 0) & (u + v <= 1) & (far > 1e-4)))
    return out


def share_seen(body: trimesh.Trimesh, others: Sequence[trimesh.Trimesh], way: np.ndarray) -> float:
    """Share of the area of a body facing a way from which open air is seen, of 24 places and 41 rays each."""
    towards = body.face_normals @ way > 0.7
    if not towards.any():
        return 0.0
    chance = np.random.default_rng(5)
    weight = np.where(towards, body.area_faces, 0.0)
    faces = chance.choice(len(weight), 24, p=weight / weight.sum())
    corner = np.sort(chance.random((24, 2)), axis=1)
    shares = np.column_stack([corner[:, 0], np.diff(corner, axis=1)[:, 0], 1 - corner[:, 1]])
    places = np.einsum("ij,ijk->ik", shares, body.triangles[faces]) + 1e-3 * body.face_normals[faces]
    every = np.concatenate([body.triangles, *(o.triangles for o in others)])
    rays = chance.normal(size=(40, 3))
    rays = np.vstack([way, rays / np.linalg.norm(rays, axis=1)[:, None]])
    seen = 0
    for place, normal in zip(places, body.face_normals[faces], strict=True):
        out = rays[rays @ normal > 0.05]
        # The first that gets away decides; most do at once.
        seen += any(not rays_blocked(place[None], r[None], every)[0] for r in out)
    return seen / len(places)


def tops(meshes: Mapping[str, trimesh.Trimesh], xy: np.ndarray) -> Iterator[tuple[str, float] | None]:
    """The body that each vertical line meets first from above, and where; None beside everything."""
    names = list(meshes)
    triangles = np.concatenate([meshes[n].triangles for n in names])
    owner = np.repeat(np.arange(len(names)), [len(meshes[n].faces) for n in names])
    a, b, c = (triangles[:, n] for n in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    up = area > 1e-12
    a, b, c, area, owner = a[up], b[up], c[up], area[up], owner[up]
    for x, y in xy:
        w = [
            ((q[:, 0] - p[:, 0]) * (y - p[:, 1]) - (q[:, 1] - p[:, 1]) * (x - p[:, 0])) / area
            for p, q in ((b, c), (c, a), (a, b))
        ]
        inside = np.flatnonzero((w[0] >= 0) & (w[1] >= 0) & (w[2] >= 0))
        if not len(inside):
            yield None
            continue
        z = sum(w[n][inside] * p[inside, 2] for n, p in enumerate((a, b, c)))
        best = int(np.argmax(z))
        yield names[owner[inside[best]]], float(z[best])


def film(
    meshes: Mapping[str, trimesh.Trimesh],
    colours: Mapping[str, str],
    changes: Sequence[tuple[float, str, str]],
    layer: float,
    first: float,
) -> float:
    """Share of the view from above that a printer, changing filament at heights, shows in a wrong one.

    Parameters
    ----------
    meshes : Mapping of str to Trimesh
        As they stand on the bed.
    colours : Mapping of str to str
        The filament each is to show.
    changes : sequence of (float, str, str)
        Above this height, mm, from one filament to another.
    layer, first : float
        mm.
    """
    low, high = (
        getattr(np, f)([m.bounds[n] for m in meshes.values()], axis=0) for n, f in enumerate(("min", "max"))
    )
    xy = low[:2] + np.random.default_rng(7).random((400, 2)) * (high - low)[:2]
    wrong = seen = 0
    for found in tops(meshes, xy):
        if found is None:
            continue
        name, z = found
        seen += 1
        # A layer is printed where its middle lies in the body.
        count = 1 + max(0, int(np.floor((z - low[2] - first) / layer + 0.5 + 1e-6)))
        top = first + (count - 1) * layer
        shown = changes[0][1] if changes else colours[name]
        for height, _, to in changes:
            if height + 1e-6 < top:
                shown = to
        wrong += shown != colours[name]
    return wrong / max(1, seen)


def necks(area: shapely.Geometry) -> float:
    """Area of what is narrower than can be printed and joins two parts that are not, mm2."""
    total = 0.0
    for one in shapely.get_parts(area):
        kept = one.buffer(-NARROW / 2).buffer(NARROW / 2, join_style="mitre", mitre_limit=1.5)
        wide = [p for p in shapely.get_parts(kept) if p.area > 1.0]
        if len(wide) > 1:
            rest = [p for p in shapely.get_parts(one.difference(kept)) if p.area > SPECK]
            total += sum(p.area for p in rest if sum(bool(w.distance(p) < 1e-3) for w in wide) > 1)
    return float(total)


def section_at(mesh: trimesh.Trimesh, z: float) -> shapely.Geometry:
    """What a level plane cuts out of a mesh."""
    polygons = solid_of(mesh).slice(z).to_polygons()
    whole: shapely.Geometry = shapely.Polygon()
    for ring in sorted((shapely.Polygon(p) for p in polygons if len(p) > 2), key=lambda p: -p.area):
        # Rings lie in one another by turns: material, hole, material.
        whole = whole.symmetric_difference(ring.buffer(0))
    return whole


def shared_at_rest(home: Mapping[str, m3.Manifold]) -> tuple[float, str]:
    """The most that two sections share where they lie in the finished thing, mm3, and which these are."""
    worst = (0.0, "")
    for (one, a), (other, b) in itertools.combinations(home.items(), 2):
        p, q = np.reshape(a.bounding_box(), (2, 3)), np.reshape(b.bounding_box(), (2, 3))
        if (np.minimum(p[1], q[1]) > np.maximum(p[0], q[0])).all():
            both = a ^ b
            # Faces that lie on one another share what their places in a file are rounded by.
            if both.volume() > max(worst[0], 1e-3 * both.surface_area() / 2):
                worst = float(both.volume()), f"{one} and {other}"
    return worst


def bodies_in(path: Path) -> dict[str, trimesh.Trimesh]:
    """Meshes of a 3MF by name, welded, in the coordinates of their sections."""
    scene = trimesh.load(path, file_type="3mf")
    out = {}
    for name, mesh in scene.geometry.items():
        mesh.merge_vertices()
        out[name] = mesh
    return out


def shared_by(meshes: Iterable[trimesh.Trimesh]) -> float:
    """The most that two of some bodies have in common, mm3."""
    return max(
        (float((a ^ b).volume()) for a, b in itertools.combinations([solid_of(m) for m in meshes], 2)),
        default=0.0,
    )


def kit_problems(report: dict[str, Any], out: Path) -> Iterator[str]:
    """What is wrong with a written kit that its report says nothing of."""
    kinds = {f["kind"] for f in report["findings"] if f["severity"] != "sound"}
    meshes = bodies_in(next(out.glob("*.3mf")))
    for name, mesh in meshes.items():
        # Bodies that touch along an edge are told.
        if not mesh.is_watertight and "watertight" not in kinds:
            yield f"{name} is open when welded"
            return
    home: dict[str, m3.Manifold] = {}
    for unit in report["units"]:
        if unit["key"]:
            continue
        if shared_by(meshes[p["name"]] for p in unit["pieces"]) > SHARED:
            yield f"bodies of {unit['name']} share volume"
        solids = [solid_of(meshes[p["name"]]) for p in unit["pieces"]]
        home[unit["name"]] = m3.Manifold.batch_boolean(solids, m3.OpType.Add).transform(
            np.reshape(unit["to_finished"], (3, 4))
        )
    pieces = sum(
        float(meshes[p["name"]].volume) for u in report["units"] if not u["key"] for p in u["pieces"]
    )
    # Inlays lie beside the design, whose pockets are empty.
    keys = sum(
        p["volume_mm3"] * u["copies"]
        for u in report["units"]
        if u["key"] and not u["name"].startswith("Inlay ")
        for p in u["pieces"]
    )
    if (
        abs(pieces + keys + report["clearance_volume_mm3"] - report["design_volume_mm3"])
        > 1e-5 * report["design_volume_mm3"]
    ):
        yield "volumes do not add up"
    shared, which = shared_at_rest(home)
    if shared > AT_REST:
        yield f"{which} share {shared:.2f} mm3 at rest"
    if "key walls" not in kinds and "keys" not in kinds:
        yield from _socket_walls(report, home)
    if "goes together" not in kinds:
        yield from _free_pushes(report, home)


def _socket_walls(report: dict[str, Any], home: dict[str, m3.Manifold]) -> Iterator[str]:
    """Round keys: a rod as thick as the socket and its wall, less the socket, must lie in the section;
    the key must have its clearance."""
    for joint in report["joints"]:
        axis = np.array(joint["normal"], float)
        for k in joint["keys"]:
            if k["kind"] not in ("dowel", "magnet"):
                continue
            hole = k["size_mm"] / 2 + k["clearance_mm"]
            deep = k["depth_mm"] + (0.4 if k["kind"] == "dowel" else 0.1)
            for name, side in zip(joint["sections"], (-1.0, 1.0), strict=True):
                collar = m3.Manifold.cylinder(deep + WALL - 0.3, hole + WALL - 0.06, -1, 64).translate(
                    (0, 0, 0.2)
                )
                collar -= m3.Manifold.cylinder(deep + 0.02, hole + 0.03, -1, 64)
                need = _along(collar, np.array(k["at_mm"]), axis * side)
                missing = (need - home[name]).volume()
                if missing > 0.02 * need.volume():
                    place = [round(v, 1) for v in k["at_mm"]]
                    yield (
                        f"{name} lacks {missing:.2f} of {need.volume():.2f} mm3 round a {k['kind']} at"
                        f" {place}"
                    )
                    return
                if k["kind"] == "dowel":
                    rod = _along(
                        m3.Manifold.cylinder(k["depth_mm"], k["size_mm"] / 2, -1, 64),
                        np.array(k["at_mm"]),
                        axis * side,
                    )
                    gap = rod.min_gap(home[name], 1.0)
                    if gap < k["clearance_mm"] * math.cos(math.pi / 64) - 0.02:
                        yield f"a dowel has {gap:.3f} mm of clearance in {name}"
                        return


def _along(solid: m3.Manifold, at: np.ndarray, axis: np.ndarray) -> m3.Manifold:
    """A solid that stands on z = 0 turned to stand on a place along an axis."""
    axis = axis / np.linalg.norm(axis)
    helper = np.eye(3)[int(np.argmin(np.abs(axis)))]
    u = np.cross(helper, axis)
    u /= np.linalg.norm(u)
    return solid.transform(np.column_stack([u, np.cross(axis, u), axis, at]))


def _free_pushes(report: dict[str, Any], home: dict[str, m3.Manifold]) -> Iterator[str]:
    """Movers taken back along their push, a quarter of a millimetre at a time, must meet nothing."""
    for step in report["assembly"]:
        way = np.array(step["way"], float)
        movers, fixed = ([home[n] for n in step[side]] for side in ("push", "to"))
        a, b = (m3.Manifold.batch_boolean(g, m3.OpType.Add) if len(g) > 1 else g[0] for g in (movers, fixed))
        for at in np.arange(0.25, 6.0, 0.75):
            both = a.translate(tuple(-way * at)) ^ b
            shared = both.volume()
            # Faces that slide along one another share what their places in a file are rounded by.
            if shared > 0.01 and shared > ROUNDED * both.surface_area() / 2:
                yield (
                    f"{'+'.join(step['push'])} runs into {'+'.join(step['to'])} by {shared:.2f} mm3, {at:g}"
                    " mm off"
                )
                return
