"""Names of sections and letters of cuts, as on a drawing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from cutkey.core.split.settings import AXES, Cut


def letters(i: int) -> str:
    """A, B ... Z, AA, AB ..."""
    return chr(65 + i) if i < 26 else letters(i // 26 - 1) + chr(65 + i % 26)


def cut_letters(cuts: Sequence[Cut]) -> list[str]:
    """Letter of every cut: A-A, B-B ... by axis, then position."""
    order = sorted(range(len(cuts)), key=lambda i: (AXES.index(cuts[i].axis), cuts[i].at, i))
    out = [""] * len(cuts)
    for n, i in enumerate(order):
        out[i] = letters(n)
    return out


def section_names(cells: Sequence[tuple[int, int, int]], middles: Sequence[Sequence[float]], counts: Sequence[int]) -> list[str]:
    """A1 for the section at the left of the far row; letters along x, numbers from the far side (+y) towards the near.

    With several levels A1-1, A1-2 from below; several sections in one cell are told apart by small letters, from the far left.
    In a design without a cut through the whole of it the sections are numbered.

    Parameters
    ----------
    cells : sequence of (x, y, z)
        How many through cuts of each axis lie below a section.
    middles : sequence of (3,)
        Middles of the sections, mm.
    counts : (3,)
        Cells along each axis.
    """
    out = [""] * len(cells)
    if max(counts) == 1:
        for n, i in enumerate(sorted(range(len(cells)), key=lambda i: _far_left(middles[i]))):
            out[i] = f"A{n + 1}"
        return out
    for cell in set(cells):
        mine = sorted((i for i, c in enumerate(cells) if c == cell), key=lambda i: _far_left(middles[i]))
        for n, i in enumerate(mine):
            name = f"{letters(cell[0])}{counts[1] - cell[1]}"
            if counts[2] > 1:
                name += f"-{cell[2] + 1}"
            out[i] = name + (letters(n).lower() if len(mine) > 1 else "")
    return out


def _far_left(p: Sequence[float]) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in np.round(p, 1))
    return -y, x, z
