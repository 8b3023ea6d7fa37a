"""What was mended, turned or taken for something when a model was read; and whether all of it is there."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.check.finding import Finding


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
