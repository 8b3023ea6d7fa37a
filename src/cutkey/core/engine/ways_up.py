"""Which way up the sections are printed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from cutkey.core.digest import digest
from cutkey.core.geometry.part import Part, joined_by_colour
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.job import Job
from cutkey.core.printing.resting import OVER, UP, Resting, Vector, Wishes, resting
from cutkey.core.split.cutting import Section

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator

_BY_HEIGHT = "colours are printed by height: all sections lie the same way up"


def ways_up(e: Evaluator, job: Job) -> dict[str, Resting]:
    """How each section lies on the bed, and how else it could, by name.

    Parameters
    ----------
    e : Evaluator
    job : Job
        With a model.
    """
    key = digest("ways up", e.split_key(job), job.printer, job.colouring, job.rack, job.assignments)
    found: dict[str, Resting] = e.memo.get(key, lambda: _measured(e, job))
    by_hand = {lay.unit: lay.down for lay in job.lays}
    return {name: r.laid(by_hand[name]) if name in by_hand else r for name, r in found.items()}


def _measured(e: Evaluator, job: Job) -> dict[str, Resting]:
    split, design = e.split(job), e.design(job)
    assert split is not None and design is not None
    down: Vector = OVER if job.colouring.face_down else UP
    plan = e.heights(job)
    fixed = _BY_HEIGHT if plan is not None and plan.stripes else ""
    shows = []
    for placed in design.steps:
        facet = placed.site.facet
        n = (float(facet.normal[0]), float(facet.normal[1]), float(facet.normal[2]))
        shows.append((n, float(facet.origin @ facet.normal)))
    necks: dict[int, list[Vector]] = {}
    for joint in split.joints:
        for key in joint.keys:
            if not key.form.loose:
                near, far = joint.numbers
                x, y, z = (float(v) for v in joint.plane.normal)
                necks.setdefault(near if key.owner < 0 else far, []).append((x, y, z))
    filaments = {c: f.name for c, f in e.filaments(job).items()}
    out = {}
    for number, section in enumerate(split.sections):
        wishes = Wishes(
            down, shows, necks.get(number, ()), _corners(section, filaments), fixed, job.colouring.face_down
        )
        out[section.name] = resting(mesh_of(section.whole), job.printer, wishes)
    return out


def _corners(section: Section, filaments: dict[str, str]) -> list[np.ndarray]:
    """Corners of what is printed of each filament."""
    merged = joined_by_colour([Part(filaments[p.colour], p.solid) for p in section.parts])
    return [mesh_of(p.solid).vertices for p in merged] if len(merged) > 1 else []
