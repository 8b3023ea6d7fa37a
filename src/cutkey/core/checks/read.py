"""What was mended, turned or taken for something when a model was read; and whether all of it is there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import Mesh, signed_volume
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import ModelBase


def check_read(done: Sequence[str], lost: int, name: str) -> list[Finding]:
    """Findings on an opened model; none on a made one.

    Parameters
    ----------
    done : sequence of str
        What was done to it, in words.
    lost : int
        Surfaces of the file that are nowhere in the solid.
    name : str
        Of the file, "" for a made body.
    """
    if not name:
        return []
    if lost:
        what = "a closed surface is" if lost == 1 else f"{lost} closed surfaces are"
        return [
            Finding("read", "stop", "Surface lost", f"{name}: {what} not in the solid; mend the model and export it again", name, lost, 0)
        ]
    if done:
        return [Finding("read", "look at", "Mended on reading", f"{name}: {'; '.join(done)}", name)]
    return [Finding("read", "sound", "Read as it is", f"{name}: nothing was mended, every surface is there", name)]


def check_bodies(decided: Sequence[str], stays: float, mesh: Mesh) -> list[Finding]:
    """Whether what was decided about bodies of a model was done: what is left of it encloses what the bodies left in it do.

    Parameters
    ----------
    decided : sequence of str
        What was to be done, in words; nothing is found when nothing was.
    stays : float
        Volume of the bodies that were to stay, each by itself, mm3.
    mesh : Mesh
        The model as it was left.
    """
    if not decided:
        return []
    there = signed_volume(mesh)
    off = abs(there - stays) / max(stays, 1e-9)
    text = f"{'; '.join(decided)}; what is left holds {there:.1f} mm³"
    if off > 1e-5:
        return [Finding("read", "stop", "Bodies not as you decided", f"{text} instead of {stays:.1f}", figure=off, limit=1e-5)]
    return [Finding("read", "sound", "Bodies as you decided", text, figure=off, limit=1e-5)]


@check(130)
def read_whole(c: Context) -> Iterator[Finding]:
    """What was done to an opened model, to drawings and pictures, by the program or on the maker's word, is told."""
    base = c.job.base
    yield from check_read(c.body.done, c.body.lost, c.job.source(base.source).name if isinstance(base, ModelBase) else "")
    yield from check_bodies(c.body.decided, c.body.stays, c.bare.mesh)
    for drawn in c.drawn:
        for note in drawn.notes:
            yield Finding("read", "look at", "Changed on reading", f"{drawn.spec.name}: {note}", drawn.spec.name)
