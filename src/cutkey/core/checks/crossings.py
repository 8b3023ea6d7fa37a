"""An opened model whose surface crosses itself: what is covered twice would be counted twice."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import ModelBase
from cutkey.core.solids.crossing import Crossing, crossing_of
from cutkey.core.words import building as say
from cutkey.core.words.kind import Words


@check(131)
def crosses_itself(c: Context) -> Iterator[Finding]:
    """No two triangles of an opened model pierce one another."""
    base = c.job.base
    if isinstance(base, ModelBase):
        found = c.of_model("crossing", lambda: crossing_of(c.bare.mesh))
        assert found is None or isinstance(found, Crossing)
        yield told(found, c.bare.mesh, c.job.source(base.source).name, c.bare.rebuilt)


def told(crossing: Crossing | None, mesh: Mesh, name: str, rebuilt: Sequence[Words] = ()) -> Finding:
    """A crossing as a finding.

    Parameters
    ----------
    crossing : Crossing or None
        Of the mesh.
    mesh : Mesh
    name : str
        Of the model.
    rebuilt : sequence of Words
        What was rebuilt of it.
    """
    if crossing is None:
        says = say.crosses_itself_nowhere(name, len(mesh.triangles), rebuilt)
        return Finding("crossing", "sound", says, name, 0.0, 0.0, "pairs")
    count = len(crossing.pairs)
    x, y, z = (float(v) for v in mesh.vertices[mesh.triangles[crossing.pairs[0, 0]]].mean(0))
    says = say.crosses_itself(name, count, rebuilt)
    return Finding("crossing", "look at", says, name, float(count), 0.0, "pairs", (x, y, z), "rebuild")
