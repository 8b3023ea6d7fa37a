"""README.txt: what lies in the folder of a kit, for whoever gets it."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.sides import side_name
from cutkey.core.split.cutting import Section
from cutkey.core.split.proofs.order import Assembly
from cutkey.core.units import format_mm, format_size


def readme_of(
    title: str,
    files: Sequence[tuple[str, str]],
    units: Sequence[PrintUnit],
    sections: Sequence[Section],
    assembly: Assembly,
    hardware: Sequence[tuple[str, int]],
    loads: int,
    layer: str,
) -> str:
    """The text.

    Parameters
    ----------
    title : str
        Of the job.
    files : sequence of (str, str)
        Names, and what each is.
    units : sequence of PrintUnit
    sections : sequence of Section
    assembly : Assembly
    hardware : sequence of (str, int)
        What is bought, and how many.
    loads : int
        Bed loads.
    layer : str
        How it is sliced, in words.
    """
    out = [title, "=" * len(title), "", "In this folder", "--------------"]
    wide = max(len(n) for n, _ in files) + 2
    out += [f"{n:{wide}s}{what}" for n, what in files]
    out += ["", "Printing", "--------", f"{loads} bed {'load' if loads == 1 else 'loads'}; {layer}.", ""]
    for unit in units:
        count = f"{unit.copies} x " if unit.copies > 1 else ""
        grams = sum(p.filament.grams(p.volume) for p in unit.pieces) * unit.copies
        filaments = ", ".join(dict.fromkeys(p.filament.name for p in unit.pieces))
        down = "" if unit.stands else f", {side_name(unit.down)}"
        out.append(
            f"{count}{unit.name}: {format_size(unit.size, 1)} mm{down}, {filaments}, {format_mm(grams, 0)} g"
            " if solid"
        )
    if hardware:
        out += ["", "To buy", "------", *(f"{count} x {name}" for name, count in hardware)]
    if assembly.steps:
        out += ["", "Putting it together", "-------------------"]
        for n, step in enumerate(assembly.steps, 1):
            movers, fixed = ("+".join(sections[k].name for k in some) for some in (step.movers, step.fixed))
            out.append(f"{n}. push {movers} onto {fixed}")
        out += ["", "Names are engraved where they are not seen once the sections are together."]
    return "\n".join(out) + "\n"


def order_of(units: Sequence[PrintUnit], sections: Sequence[Section], assembly: Assembly) -> dict[str, int]:
    """Numbers of units, from 1, in the order in which they are put together.

    What is pushed in at the end comes last.
    """
    names: list[str] = []
    for step in assembly.steps:
        names += [sections[k].name for some in (step.fixed, step.movers) for k in some]
    names += [u.name for u in units]
    rank = {name: n for n, name in reversed(list(enumerate(names)))}
    ordered = sorted(units, key=lambda u: (u.is_key, rank[u.name]))
    return {u.name: n for n, u in enumerate(ordered, 1)}
