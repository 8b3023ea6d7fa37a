"""Graphics on models: 200 letters on 100,000 triangles, flat and curved, against the bare batch boolean
of the same solids."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import shapely
from shapely import affinity

from bench.shapes import FONT
from bench.timing import in_turns
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.geometry.facets import find_facets
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.lettering.text import TextLook, text_area
from cutkey.core.model.filament import BODY
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.place.carve import carve, placed_regions
from cutkey.core.place.site import site_of

Row = tuple[str, float, float, str]


def letters(columns: int, rows: int, step: float) -> Graphic:
    """Letters of the shipped font, each a region of its own."""
    data = FONT.read_bytes()
    found = []
    for k in range(columns * rows):
        shape = text_area(data, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"[k % 26], TextLook(0.7 * step), 0.01)
        x, y = (k % columns - (columns - 1) / 2) * step, (k // columns - (rows - 1) / 2) * step
        middle = shapely.box(*shape.bounds).centroid
        found.append(
            Region(
                f"#{k + 16:06x}",
                shapely.multipolygons(
                    shapely.get_parts(affinity.translate(shape, x - middle.x, y - middle.y))
                ),
            )
        )
    return Graphic(found, columns * step, rows * step)


def run(small: bool = False) -> list[Row]:
    """Flat, projected on a sphere, wrapped round a cylinder; `small` to see that it runs."""
    out: list[Row] = []
    plate = PlateBase(200, 110, 6, 4).solid().refine_to_length(9.0 if small else 0.93)
    ball = m3.Manifold.sphere(80, 60 if small else 450)
    round_ = m3.Manifold.cylinder(110, 60, 60, 360).refine_to_length(9.0 if small else 1.0)
    cases: list[tuple[str, Solid, Placement, float]] = [
        ("flat", plate, Placement("p", "g", (0, 0, 6), (0, 0, 1), depths=(Depth("raised", 1.2),)), 9.0),
        (
            "projected",
            ball,
            Placement("p", "g", (0, 0, 80), (0, 0, 1), depths=(Depth("raised", 1.2),), follow="project"),
            5.0,
        ),
        (
            "wrapped",
            round_,
            Placement("p", "g", (60, 0, 55), (1, 0, 0), depths=(Depth("raised", 1.2),), follow="wrap"),
            7.0,
        ),
    ]
    for name, body, placement, step in cases:
        graphic = letters(*((3, 2) if small else (20, 10)), step)
        mesh = mesh_of(body)
        size = (graphic.width, graphic.height)
        site = site_of(
            mesh,
            find_facets(mesh),
            np.array(placement.point),
            np.array(placement.normal),
            placement.follow,
            max(size),
            size,
        )
        low = -0.01 if name == "flat" else -0.1
        regions = [r.geometry for r in placed_regions(graphic, placement)]

        def tools(site=site, regions=regions, low=low) -> list[Solid]:
            return [d.solid for d in site.tools(regions, [(low, 1.2)] * len(regions))]

        made = tools()

        def own(body=body, graphic=graphic, placement=placement, site=site) -> list[int]:
            return [p.solid.num_tri() for p in carve([Part(BODY, body)], graphic, placement, site).parts]

        def floor(body=body, made=made) -> int:
            return int(m3.Manifold.batch_boolean([body, *made], m3.OpType.Add).num_tri())

        took, bare = in_turns(own, floor, rounds=3)
        label = f"{len(graphic.regions)} letters {name} on {body.num_tri()} triangles"
        out.append((label, took, bare, "one batch boolean of the same solids"))
        laid, _ = in_turns(tools, floor, rounds=3)
        out.append((f"of that, laying out the letters, {name}", laid, bare, "the same"))
    return out
