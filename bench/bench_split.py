"""Planning and cutting against the bare library calls on the same solids."""

from __future__ import annotations

import manifold3d as m3
import numpy as np

from bench.timing import in_turns
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.part import Part
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.model.filament import BODY
from cutkey.core.split.cutting import cut_into_sections
from cutkey.core.split.joints import find_joints
from cutkey.core.split.plan import propose
from cutkey.core.split.plane import plane_of
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.proofs.one_way import prove
from cutkey.core.split.setting.keying import tools_of, with_keys
from cutkey.core.split.survey import Survey
from cutkey.demo.jobs import demo_job

Row = tuple[str, float, float, str]


def bumpy(triangles: int, size: float) -> m3.Manifold:
    """A thick shell with a wavy skin of about so many triangles."""
    solid = m3.Manifold.sphere(size / 2, 96) - m3.Manifold.sphere(size / 2 - 25, 96)
    solid = solid.refine_to_length(float(np.sqrt(solid.surface_area() / triangles * 3.1)))
    return solid.warp_batch(lambda v: v * (1 + 0.01 * np.sin(v[:, :1] / 9) * np.cos(v[:, 1:2] / 7)))


def run(small: bool = False) -> list[Row]:
    """200 planes scored on 130k triangles; a plan for the demo sign; a million triangles into many
    sections with dowels."""
    rows: list[Row] = []
    ball = bumpy(3000 if small else 130_000, 200)
    axis = plane_of(Cut("x", 0.0), np.zeros(3))

    def score() -> int:
        return len(Survey([Part(BODY, ball)]).readings("x"))

    def slices() -> float:
        laid = axis.laid(ball)
        return sum(laid.slice(z).area() for z in np.linspace(-99, 99, 200))

    own, floor = in_turns(score, slices)
    rows.append(
        (f"{score()} planes scored on {ball.num_tri()} triangles", own, floor, "bare slices and their areas")
    )

    job, sources = demo_job("lid" if small else "sign")
    known = Evaluator(sources)
    design = known.design(job)
    assert design is not None
    parts, bodies = design.parts, known.bodies(job, design)

    def plan() -> int:
        return len(propose(parts, job.printer, bodies=bodies))

    def sign_slices() -> float:
        laid = [plane_of(Cut(a, 0.0), np.zeros(3)).laid(p.solid) for a in ("x", "y") for p in parts]
        return sum(s.slice(z).area() for s in laid for z in np.linspace(-140, 140, 200))

    own, floor = in_turns(plan, sign_slices, rounds=3)
    rows.append(("cuts proposed for the demo sign", own, floor, "bare slices of its colours along x and y"))

    large = bumpy(3000 if small else 1_250_000, 400)
    cuts = [Cut(a, v) for a in ("x", "y") for v in (-66.0, 66.0)] + [Cut("z", -66.0), Cut("z", 66.0)]
    cuts = cuts[:1] if small else cuts
    keys = Keys(kind="dowel", size=6.0, depth=10.0)
    whole = [Part(BODY, large)]
    cutting = cut_into_sections(whole, cuts)
    joints = find_joints(cutting, cuts, keys)
    tools, _ = tools_of(joints)

    def cut_own() -> int:
        fresh = cut_into_sections(whole, cuts)
        found = find_joints(fresh, cuts, keys)
        return sum(p.solid.num_tri() for s in with_keys(fresh, found).sections for p in s.parts)

    def cut_floor() -> int:
        done = [large]
        for cut, plane in zip(cuts, cutting.planes, strict=True):
            assert cut.inside is None
            done = [
                half
                for s in done
                for half in s.split_by_plane(plane.normal, plane.height)
                if not half.is_empty()
            ]
        drilled = [
            m3.Manifold.batch_boolean([s.whole, *tools.get(n, [])], m3.OpType.Subtract)
            for n, s in enumerate(cutting.sections)
        ]
        return sum(s.num_tri() for s in done) + sum(s.num_tri() for s in drilled)

    own, floor = in_turns(cut_own, cut_floor, rounds=1)
    count = sum(len(j.keys) for j in joints)
    what = f"{large.num_tri()} triangles into {len(cutting.sections)} sections, {count} dowels"
    rows.append((what, own, floor, "bare splits and one batch each"))

    keyed = with_keys(cutting, joints)
    patterns = [p for n, j in enumerate(joints) for p in j.patterns(n)]

    def proofs() -> int:
        return prove(patterns).pairs + len(find_assembly(keyed.sections, joints).steps)

    together = {n: m3.Manifold.batch_boolean(t, m3.OpType.Add) for n, t in tools.items()}

    def meet() -> float:
        return sum((keyed.sections[n].whole ^ t).volume() for n, t in together.items())

    own, floor = in_turns(proofs, meet, rounds=1)
    rows.append(
        (
            f"one way and swept proofs of its {len(joints)} joints",
            own,
            floor,
            "one intersection of each section with its sockets",
        )
    )
    return rows
