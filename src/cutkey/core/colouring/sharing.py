"""More filaments at once than the printer takes: what could be merged, printed by height, or let in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations

from msgspec.structs import replace

from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.colour.names import plain_name
from cutkey.core.model.colouring import OwnWay
from cutkey.core.model.edits import assign
from cutkey.core.model.filament import BODY, Filament
from cutkey.core.model.job import Job
from cutkey.core.words import colouring as say
from cutkey.core.words.kind import Words


def at_once(job: Job, filaments: Mapping[str, Filament]) -> dict[str, Filament]:
    """Filaments, by name, that are printed in one layer after another.

    Those of the colours that are bodies, and of the model.

    Parameters
    ----------
    job : Job
    filaments : mapping of str to Filament
        Of each colour of the design.
    """
    return {
        f.name: f
        for colour, f in filaments.items()
        if colour == BODY or job.colouring.way_of(colour) == "bodies"
    }


def merged(
    job: Job, filaments: Mapping[str, Filament], volumes: Mapping[str, float]
) -> tuple[Job, Words] | None:
    """The job with the nearest filaments printed as one until the rest can be loaded, and what was merged.

    Of each pair that one stays of which more is printed.

    Parameters
    ----------
    job : Job
    filaments : mapping of str to Filament
        Of each colour of the design.
    volumes : mapping of str to float
        By the filament's name, mm3.
    """
    left, weight, out, words = dict(at_once(job, filaments)), dict(volumes), job, []
    printed = {colour: f.name for colour, f in filaments.items()}
    while len(left) > max(1, job.printer.loaded):
        a, b = min(combinations(left.values(), 2), key=lambda pair: _off(*pair))
        gone, stays = sorted((a, b), key=lambda f: weight.get(f.name, 0.0))
        del left[gone.name]
        weight[stays.name] = weight.get(stays.name, 0.0) + weight.get(gone.name, 0.0)
        for colour, name in printed.items():
            if name == gone.name:
                out, printed[colour] = assign(out, colour, stays.name), stays.name
        words.append((gone.name, stays.name, _off(a, b)))
    return (out, say.printed_alike(words)) if words else None


def _off(a: Filament, b: Filament) -> float:
    return float(difference(rgb_of(a.colour), rgb_of(b.colour)))


def let_in_instead(
    job: Job, filaments: Mapping[str, Filament], can_be: Sequence[str]
) -> Iterator[tuple[Job, list[str]]]:
    """The job with more and more colours let in, so that the rest can be loaded; and which.

    Parameters
    ----------
    job : Job
    filaments : mapping of str to Filament
        Of each colour of the design.
    can_be : sequence of str
        Colours whose pieces can be put in, those of the fewest pieces first.
    """
    ways, names = list(job.colouring.ways), []
    for colour in can_be:
        ways = [w for w in ways if w.colour != colour] + [OwnWay(colour, "inlays")]
        names.append(plain_name(colour))
        one = replace(job, colouring=replace(job.colouring, ways=tuple(ways)))
        if len(at_once(one, filaments)) <= job.printer.loaded:
            yield one, list(names)
