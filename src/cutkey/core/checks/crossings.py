"""An opened model whose surface crosses itself: what is covered twice would be counted twice."""

from __future__ import annotations

from collections.abc import Iterator

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import ModelBase
from cutkey.core.solids.crossing import Crossing, crossing_of


@check(131)
def crosses_itself(c: Context) -> Iterator[Finding]:
    """No two triangles of an opened model pierce one another."""
    base = c.job.base
    if isinstance(base, ModelBase):
        found = c.of_model("crossing", lambda: crossing_of(c.bare.mesh))
        assert found is None or isinstance(found, Crossing)
        yield told(found, c.bare.mesh, c.job.source(base.source).name, c.bare.rebuilt)


def told(crossing: Crossing | None, mesh: Mesh, name: str, rebuilt: str = "") -> Finding:
    """A crossing as a finding.

    Parameters
    ----------
    crossing : Crossing or None
        Of the mesh.
    mesh : Mesh
    name : str
        Of the model.
    rebuilt : str
        What was rebuilt of it, in words.
    """
    also = f"; {rebuilt}" if rebuilt else ""
    if crossing is None:
        text = f"{name}: none of {len(mesh.triangles)} triangles goes through another{also}"
        return Finding("crossing", "sound", "Crosses itself nowhere", text, name, 0.0, 0.0, "pairs")
    count = len(crossing.pairs)
    x, y, z = (float(v) for v in mesh.vertices[mesh.triangles[crossing.pairs[0, 0]]].mean(0))
    pairs = "a pair of triangles goes" if count == 1 else f"{count} pairs of triangles go"
    text = f"{name}: {pairs} through one another; what is covered twice is counted twice, and slicers differ in what they make of it{also}"
    return Finding("crossing", "look at", "Crosses itself", text, name, float(count), 0.0, "pairs", (x, y, z), "rebuild")
