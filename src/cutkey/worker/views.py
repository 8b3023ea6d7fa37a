"""What the window shows, as plain arrays: no solid and no shapely object crosses to the window's process."""

from __future__ import annotations

import math
from functools import partial

import fast_simplification
import numpy as np
import shapely

from cutkey.core.digest import digest
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.arrays import F32, I32
from cutkey.core.geometry.facets import facet_at, facet_near, find_facets
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.rays import thickness_behind
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.model.job import Job, ModelBase
from cutkey.core.model.placement import Placement
from cutkey.core.place.site import Site
from cutkey.core.results import Body, Design
from cutkey.core.solids.model_bodies import rule_of
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.shown import (
    AddOnView,
    DesignView,
    MeshView,
    ModelBodyView,
    PlacedView,
    Rings,
    SectionLine,
    SectionView,
    SurfaceGrid,
)

#: Triangles of a mesh as it is shown at rest, and while the mouse moves; what is written keeps every
#: triangle.
SHOWN, MOVING = 80_000, 12_000
#: Bodies of a model that are listed.
MOST_BODIES = 60


def mesh_view(solid: Solid) -> MeshView:
    """Arrays to draw a solid."""
    return view_of_mesh(mesh_of(solid))


def view_of_mesh(mesh: Mesh) -> MeshView:
    """Arrays to draw a mesh, with its visible edges."""
    v, t = _at_most(mesh.vertices.astype(np.float32), mesh.triangles.astype(np.int32), SHOWN)
    light = _at_most(v, t, MOVING) if len(t) > 4 * MOVING else None
    edges = find_facets(Mesh(v.astype(float), t.astype(np.int64))).edges
    box = np.stack([v.min(0), v.max(0)]) if len(v) else np.zeros((2, 3), np.float32)
    return MeshView(v, t, edges.astype(np.int32), light, box)


def _at_most(v: F32, t: I32, count: int) -> tuple[F32, I32]:
    """A mesh with no more than about `count` triangles."""
    if len(t) <= count:
        return v, t
    points, faces = fast_simplification.simplify(v, t, target_count=count)
    return np.asarray(points, np.float32), np.asarray(faces, np.int32)


def section_view(
    placement: Placement, site: Site, solid: Solid, parts: list[tuple[str, Solid]], line: SectionLine
) -> SectionView:
    """The section through `parts` along a line of a placed graphic's plane."""
    places, normals = site.at(np.array([[line.x, line.y]]))
    point, out = places[0], normals[0] if site.surface is not None else site.facet.normal
    c, s = math.cos(math.radians(line.angle)), math.sin(math.radians(line.angle))
    right = site.facet.right * c + site.facet.up * s
    right = right - out * (right @ out)
    right /= np.linalg.norm(right)
    # Along the line, out and square to both become x, y and z; the slice at z = 0 is the section.
    turn = np.stack([right, out, -np.cross(out, right)])
    matrix = np.c_[turn, -turn @ point]
    section = []
    for colour, part in parts:
        rings = [np.asarray(r, float) for r in part.transform(matrix).slice(0.0).to_polygons()]
        if rings:
            first = np.r_[0, np.cumsum([len(r) for r in rings])].astype(np.int32)
            section.append((colour, Rings(np.concatenate(rings), first)))
    return SectionView(line, thickness_behind(solid, point, out), section)


#: Places along each side of the grid by which the window brings a graphic onto the surface while it is
#: dragged.
_GRID = 33


def placed_view(
    placement: Placement, site: Site, solid: Solid, parts: list[tuple[str, Solid]], half: float
) -> PlacedView:
    """A surface for the square-on view, and the section through `parts` across the graphic's middle.

    `half` its reach, mm.
    """
    facet = site.facet
    cut = section_view(placement, site, solid, parts, SectionLine(placement.id, *placement.offset, 0.0))
    kept = shapely.buffer(facet.outline, -placement.margin) if placement.margin > 0 else shapely.Polygon()
    grid = None
    if site.surface is not None:
        x0, y0, x1, y1 = facet.outline.bounds
        reach = 2 * half + 20
        x, y = (
            np.linspace(max(a, o - reach), min(b, o + reach), _GRID)
            for a, b, o in zip((x0, y0), (x1, y1), placement.offset, strict=True)
        )
        gx, gy = np.meshgrid(x, y)
        grid = SurfaceGrid(x, y, site.at(np.stack([gx.ravel(), gy.ravel()], 1))[0].reshape(_GRID, _GRID, 3))
    return PlacedView(
        placement.id,
        facet.origin,
        facet.right,
        facet.up,
        facet.normal,
        as_rings(facet.outline),
        cut.floor,
        cut.section,
        site.way,
        grid,
        as_rings(kept) if not kept.is_empty else None,
        site.rim,
        site.middle,
    )


def addon_views(job: Job, bare: Body) -> tuple[AddOnView, ...]:
    """The add-ons that can be moved about their face."""
    out = []
    for addon in job.addons:
        facet = facet_at(
            bare.mesh,
            bare.facets,
            facet_near(bare.mesh, bare.facets, np.array(addon.point), np.array(addon.normal)),
        )
        figure = addon.feature.footprint(facet.outline)
        if figure.is_empty:
            continue
        across = (bare.mesh.vertices - facet.origin) @ facet.right
        plane = (facet.origin, facet.right, facet.up, facet.normal)
        middle = float(across.min() + across.max()) / 2
        out.append(AddOnView(addon.id, *plane, as_rings(facet.outline), as_rings(figure), middle))
    return tuple(out)


def model_body_views(job: Job, evaluator: Evaluator) -> tuple[ModelBodyView, ...]:
    """The bodies of an opened model that has more than one; of very many, the largest."""
    base = job.base
    bodies = evaluator.bare(job).bodies
    if not isinstance(base, ModelBase) or len(bodies) < 2:
        return ()
    out = []
    for b in bodies[:MOST_BODIES]:
        rule = rule_of(b, base.bodies) or b.rule()
        # Add-ons and rules change nothing of their meshes.
        key = digest("model body view", base.source, base.unit, base.close, base.rebuild, b.name)
        mesh = evaluator.memo.get(key, partial(mesh_view, b.solid))
        out.append(ModelBodyView(b.name, rule, rule.colour or b.colour, b.size, mesh))
    return tuple(out)


def coloured_parts(job: Job, evaluator: Evaluator, design: Design) -> list[tuple[str, Solid]]:
    """The solids of a design with the colours of their filaments."""
    filaments = evaluator.filaments(job)
    return [(filaments[p.colour].colour, p.solid) for p in design.parts]


def design_view(job: Job, evaluator: Evaluator, design: Design) -> DesignView:
    """The uncut design in the colours of its filaments."""
    filaments = evaluator.filaments(job)
    body = evaluator.body(job)
    assert body is not None

    def view(solid: Solid) -> MeshView:
        # Where nothing was taken from it the body is still the same, and so are its arrays.
        number = next((k for k, q in enumerate(body.parts) if q.solid is solid), None)
        if number is None:
            return mesh_view(solid)
        return evaluator.memo.get(
            digest("mesh view", evaluator.body_key(job), number), lambda: mesh_view(solid)
        )

    parts = [(p.colour, filaments[p.colour].colour, view(p.solid)) for p in design.parts]
    coloured = coloured_parts(job, evaluator, design)
    placed = []
    for p in job.placements:
        drawn = evaluator.draw(job, job.graphic(p.graphic)).graphic
        placed.append(
            placed_view(p, evaluator.site(job, p), body.solid, coloured, max(drawn.width, drawn.height) / 2)
        )
    x, y, z = (float(v) for v in design.high - design.low)
    return DesignView(parts, placed, (x, y, z), design.volume)
