"""Who is in whose way where colours leave no plan by height."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from cutkey.core.colour.bands import Wish, planned


def in_the_way(
    wishes: Sequence[Wish],
    least: Mapping[int, int],
    table: Sequence[int],
    returns: int = 0,
    pins: Mapping[int, int] | None = None,
) -> list[int]:
    """Numbers of wishes for which there is no plan and none of which can be left out.

    None when there is a plan.

    Whole colours and halves are tried first; heavy ones leave first, so that the set names what is cheap to
    change.

    Parameters
    ----------
    wishes, least, table, returns, pins
        As for `planned`.
    """

    def bad(ids: list[int]) -> bool:
        return bool(ids) and planned([wishes[k] for k in ids], least, table, returns, pins) is None

    core = sorted(range(len(wishes)), key=lambda k: (-wishes[k].weight, k))
    if not bad(core):
        return []
    for colour in sorted({r.colour for r in wishes}):
        rest = [k for k in core if wishes[k].colour != colour]
        core = rest if bad(rest) else core
    chunk = 2 * len(core)
    while chunk > 1:
        chunk, k = (chunk + 1) // 2, 0
        while k < len(core):
            rest = core[:k] + core[k + chunk :]
            core, k = (rest, k) if bad(rest) else (core, k + chunk)
    return sorted(core)
