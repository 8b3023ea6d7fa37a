"""Which filament prints what: a body a colour, or, by height, what lies between two changes."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d as m3
import numpy as np

from cutkey.core.colour.names import nearest_filament
from cutkey.core.errors import BadInput
from cutkey.core.geometry.facets import Facets
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid
from cutkey.core.model.colouring import Rung
from cutkey.core.model.filament import BODY, Filament
from cutkey.core.model.job import Job

#: A face that looks up and is smaller than this is no place that anybody sees, mm2.
_SEEN = 0.5
_UP = 0.99999
#: Cuts lie this much above the tops of regions, mm, so that no sliver is left of one; files do not tell it
#: from nothing.
_ABOVE = 1e-6


def filament_of(job: Job, colour: str) -> Filament:
    """The filament that a colour is printed with: the one chosen, or the nearest of the rack.

    For the body the last.

    Raises
    ------
    BadInput
        When the rack is empty.
    """
    if not job.rack:
        raise BadInput("The filament rack is empty; add a filament on the Colour sheet.")
    chosen = next((f for f in job.rack if f.name == job.assigned(colour)), None)
    if chosen is not None:
        return chosen
    return job.rack[-1] if colour == BODY else job.rack[nearest_filament(colour, job.rack)[0]]


def level_faces(mesh: Mesh, facets: Facets) -> list[float]:
    """Heights of the faces of a body that look straight up, mm, each once.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
    """
    found = np.flatnonzero((facets.normal[:, 2] > _UP) & (facets.area > _SEEN))
    if len(found) == 0:
        return []
    z = mesh.vertices[mesh.triangles[:, 0], 2]
    first = np.full(len(facets.area), -1)
    first[facets.owner[::-1]] = np.arange(len(facets.owner))[::-1]
    return sorted({round(float(z[first[k]]), 4) for k in found.tolist()})


def banded(whole: Solid, low: float, bands: Sequence[Rung], parts: Sequence[Part], job: Job) -> list[Part]:
    """A design cut at its changes.

    What lies between two is of one filament, but for the colours that are printed as bodies.

    Parameters
    ----------
    whole : Manifold
    low : float
        Where it stands on the bed, mm.
    bands : sequence of Rung
        Up to which height which filament, bottom up.
    parts : sequence of Part
        The design's colours; each filament goes by the first that is printed with it.
    job : Job

    Returns
    -------
    list of Part
        One a filament, bottom up; then the bodies.
    """
    free = [p for p in parts if p.colour != BODY and job.colouring.way_of(p.colour) != "heights"]
    bound = [p.colour for p in parts if p not in free]
    known = {filament_of(job, colour).name: colour for colour in (BODY, *reversed(bound))}
    rest = type(whole).batch_boolean([whole, *(p.solid for p in free)], m3.OpType.Subtract) if free else whole
    pieces = []
    for band in bands[:-1]:
        above, below = rest.split_by_plane((0, 0, 1), low + band.z + _ABOVE)
        pieces.append((band.filament, below))
        rest = above
    pieces.append((bands[-1].filament, rest))
    by_name = {f.name: f.colour for f in job.rack}
    by_colour: dict[str, list[Solid]] = {}
    for name, solid in pieces:
        if not solid.is_empty():
            by_colour.setdefault(known.get(name, by_name.get(name, BODY)), []).append(solid)
    # Bands of one filament never touch.
    cut = [
        Part(colour, solids[0] if len(solids) == 1 else type(whole).compose(solids))
        for colour, solids in by_colour.items()
    ]
    return [*cut, *free]
