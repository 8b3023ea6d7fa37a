"""Names of sections and letters of cuts, as on a drawing."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.model.cuts import AXES, Cut


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


def section_names(
    cells: Sequence[tuple[int, int, int]],
    middles: Sequence[Sequence[float]],
    counts: Sequence[int],
    depths: Sequence[float] = (),
) -> list[str]:
    """A1 for the section at the left of the far row.

    Letters along x, numbers from the far side (+y) towards the near.

    With several levels A1-1, A1-2 from below; several sections in one cell are told apart by small letters,
    from the far left. In a design without a cut through the whole of it the sections are numbered as one
    reads: row by row, so that the letters of a word keep their order however tall they are.

    Parameters
    ----------
    cells : sequence of (x, y, z)
        How many through cuts of each axis lie below a section.
    middles : sequence of (3,)
        Middles of the sections, mm.
    counts : (3,)
        Cells along each axis.
    depths : sequence of float, optional
        Sizes of the sections along y, mm: what overlaps by half is one row.
    """
    rank = {i: n for n, i in enumerate(_as_read(middles, depths or [0.1] * len(middles)))}
    out = [""] * len(cells)
    if max(counts) == 1:
        for n, i in enumerate(sorted(range(len(cells)), key=rank.__getitem__)):
            out[i] = f"A{n + 1}"
        return out
    for cell in set(cells):
        mine = sorted((i for i, c in enumerate(cells) if c == cell), key=rank.__getitem__)
        for n, i in enumerate(mine):
            name = f"{letters(cell[0])}{counts[1] - cell[1]}"
            if counts[2] > 1:
                name += f"-{cell[2] + 1}"
            out[i] = name + (letters(n).lower() if len(mine) > 1 else "")
    return out


def _as_read(middles: Sequence[Sequence[float]], depths: Sequence[float]) -> list[int]:
    """Numbers of things in rows from the far side, each row from the left."""
    out: list[int] = []
    left = sorted(range(len(middles)), key=lambda i: -(middles[i][1] + depths[i] / 2))
    while left:
        first = left[0]
        row = [
            i
            for i in left
            if i == first or _overlap(middles, depths, i, first) >= 0.5 * min(depths[i], depths[first])
        ]
        out += sorted(row, key=lambda i: (round(float(middles[i][0]), 1), round(float(middles[i][2]), 1)))
        left = [i for i in left if i not in row]
    return out


def _overlap(middles: Sequence[Sequence[float]], depths: Sequence[float], a: int, b: int) -> float:
    """How much of y two things share, mm."""
    return (depths[a] + depths[b]) / 2 - max(
        abs(float(middles[a][1]) - float(middles[b][1])), abs(depths[a] - depths[b]) / 2
    )
