"""Placing and cutting against the bare library calls on the same solids."""

from __future__ import annotations

import manifold3d as m3
import numpy as np

from bench.timing import in_turns
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.facets import facet_at, find_facets
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.cuts import Cut
from cutkey.core.model.filament import BODY
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.place.carve import carve
from cutkey.core.place.side import outermost_facing
from cutkey.core.place.site import Site
from cutkey.core.split.cutting import cut_into_sections, separate_bodies
from cutkey.demo.jobs import demo_job

Row = tuple[str, float, float, str]


def run(small: bool = False) -> list[Row]:
    """The demo sign's regions raised on a plate; the sign cut into six; `small` to see that it runs."""
    job, sources = demo_job("lid" if small else "sign")
    graphic: Graphic = Evaluator(sources).draw(job, job.graphics[0]).graphic
    body = PlateBase(520, 300, 8, 14).solid().refine_to_length(80 if small else 4)
    mesh = mesh_of(body)
    facets = find_facets(mesh)
    facet = facet_at(mesh, facets, outermost_facing(body, mesh, facets, np.array([0, 0, 1.0])))
    placement = Placement("p", "g", (0, 0, 8), (0, 0, 1), depths=(Depth("raised", 1.2),))
    tools = [prism(r.geometry, 7.9, 9.2) for r in graphic.regions]

    def own() -> list[int]:
        return [
            p.solid.num_tri()
            for p in carve([Part(BODY, body)], graphic, placement, Site("face", facet)).parts
        ]

    def floor() -> int:
        return int(m3.Manifold.batch_boolean([body, *tools], m3.OpType.Add).num_tri())

    placed, bare = in_turns(own, floor)
    parts = carve([Part(BODY, body)], graphic, placement, Site("face", facet)).parts
    cuts = [Cut("x", -86.7), Cut("x", 86.7), Cut("y", 0.0)]

    bodies = separate_bodies(parts)  # found once for a design, and remembered

    def cut_own() -> list[int]:
        return [
            p.solid.num_tri() for s in cut_into_sections(parts, cuts, bodies=bodies).sections for p in s.parts
        ]

    def cut_floor() -> list[int]:
        done = [p.solid for p in parts]
        for normal, at in (((1, 0, 0), -86.7), ((1, 0, 0), 86.7), ((0, 1, 0), 0.0)):
            done = [half for s in done for half in s.split_by_plane(normal, at)]
        return [s.num_tri() for s in done]

    cut, bare_cut = in_turns(cut_own, cut_floor)
    return [
        (
            f"{len(tools)} colours raised on {body.num_tri()} triangles",
            placed,
            bare,
            "one batch boolean of the same solids",
        ),
        ("cut into 6 sections by colour", cut, bare_cut, "bare plane splits"),
    ]
