"""What was mended, turned or taken for something when a model was read; and whether all of it is there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import Mesh, signed_volume
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import ModelBase
from cutkey.core.words import building, placing
from cutkey.core.words.kind import Words


def check_read(done: Sequence[Words], lost: int, name: str) -> list[Finding]:
    """Findings on an opened model; none on a made one.

    Parameters
    ----------
    done : sequence of Words
        What was done to it.
    lost : int
        Surfaces of the file that are nowhere in the solid.
    name : str
        Of the file, "" for a made body.
    """
    if not name:
        return []
    if lost:
        return [Finding("read", "stop", building.surface_lost(name, lost), name, lost, 0)]
    if done:
        return [Finding("read", "look at", building.mended_on_reading(name, done), name)]
    return [Finding("read", "sound", building.read_as_it_is(name), name)]


def check_bodies(decided: Sequence[Words], stays: float, mesh: Mesh) -> list[Finding]:
    """Whether what was decided about bodies of a model was done.

    What is left of it encloses what the bodies left in it do.

    Parameters
    ----------
    decided : sequence of Words
        What was to be done; nothing is found when nothing was.
    stays : float
        Volume of the bodies that were to stay, each by itself, mm3.
    mesh : Mesh
        The model as it was left.
    """
    if not decided:
        return []
    there = signed_volume(mesh)
    off = abs(there - stays) / max(stays, 1e-9)
    if off > 1e-5:
        return [
            Finding(
                "read", "stop", building.bodies_not_as_decided(decided, there, stays), figure=off, limit=1e-5
            )
        ]
    return [Finding("read", "sound", building.bodies_as_decided(decided, there), figure=off, limit=1e-5)]


@check(130)
def read_whole(c: Context) -> Iterator[Finding]:
    """What was done to an opened model, to drawings and pictures, is told.

    Whether by the program or on the maker's word.
    """
    base = c.job.base
    yield from check_read(
        c.body.done, c.body.lost, c.job.source(base.source).name if isinstance(base, ModelBase) else ""
    )
    yield from check_bodies(c.body.decided, c.body.stays, c.bare.mesh)
    for drawn in c.drawn:
        for note in drawn.notes:
            yield Finding(
                "read", "look at", placing.changed_on_reading(drawn.spec.name, note), drawn.spec.name
            )
