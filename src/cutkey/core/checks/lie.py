"""How placed graphics lie on the model.

What was trimmed, where the surface turns away, whether text reads the right way round.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.primitives import PAST
from cutkey.core.lettering.text import Lettering
from cutkey.core.model.finding import Finding
from cutkey.core.model.placement import Placement, Reads
from cutkey.core.place.carve import Lie
from cutkey.core.place.drape import STEEP
from cutkey.core.place.site import Site
from cutkey.core.words import placing as say

#: Area of a graphic that may run over an edge without a word, as a share of it.
_TRIMMED = 0.002


def check_lie(lies: Sequence[Lie], site: Site, placement: Placement, name: str) -> list[Finding]:
    """Findings about one placed graphic.

    Parameters
    ----------
    lies : sequence of Lie
        Its regions.
    site : Site
    placement : Placement
    name : str
    """
    out: list[Finding] = []
    area = sum(lie.area for lie in lies)
    missed = sum(lie.draped.missed for lie in lies)
    place = tuple(float(v) for v in site.facet.origin)
    here = (place[0], place[1], place[2])
    if area and missed > 0.999 * area:
        # Told by what came out.
        return out
    if missed > _TRIMMED * area:
        says = say.trimmed(name, missed, area)
        out.append(
            Finding("lie", "look at", says, name, round(missed, 2), 0.0, "mm²", here, "show", placement.id)
        )
    for lie in lies:
        of = placement.id, lie.colour
        what = name, plain_name(lie.colour)
        if lie.draped.steep > 0.01 * max(lie.area, 1e-9) and lie.draped.steep_at is not None:
            says = say.steep(*what, lie.draped.steep, STEEP)
            figures = round(lie.draped.steep, 2), 0.0, "mm²"
            out.append(Finding("lie", "look at", says, name, *figures, lie.draped.steep_at, "show", *of))
        if lie.draped.folded:
            says = say.folded(*what, lie.draped.folded)
            out.append(
                Finding("lie", "look at", says, name, float(lie.draped.folded), 0.0, "", here, "show", *of)
            )
        uneven = site.way == "straight" and lie.reach[1] - lie.reach[0] > 0.2
        if uneven and placement.depth_of(lie.colour).mode in ("recessed", "flush"):
            deep = lie.reach[1] - lie.span[0]
            says = say.deep_in_the_middle(*what, deep)
            out.append(
                Finding("lie", "look at", says, name, round(deep, 2), -lie.span[0], "mm", here, "show", *of)
            )
        if uneven and placement.depth_of(lie.colour).mode in ("raised", "level"):
            tall = lie.span[1] - lie.reach[0]
            says = say.tall_at_the_side(*what, tall, PAST)
            out.append(
                Finding("lie", "look at", says, name, round(tall, 2), lie.span[1], "mm", here, "show", *of)
            )
    return out


def check_reading(
    placement: Placement, lettering: Sequence[Lettering], reads: Reads, traced: bool, name: str
) -> list[Finding]:
    """Whether lettering reads the right way round where it is laid.

    Parameters
    ----------
    lettering : sequence of Lettering
        Text that is known to be text: of a drawing, or added on the table.
    reads : str
        What the maker said: "right" (as it stands in the picture, seen from outside), "mirrored" (a stamp, or
        to be read from the back), "none" (there is none), or "" for nothing yet.
    traced : bool
        The graphic comes from a picture, in which nobody can tell lettering from other figures.
    """
    mirrored = placement.mirror
    pair = placement.copies.kind == "pair"
    if reads == "none" or (not lettering and not traced):
        return []
    words = next((w.text for w in lettering), "")
    if reads == "" and not lettering:
        # Nobody has said, and only the maker can: asked where it makes a difference, once a graphic.
        if not mirrored and not pair:
            return []
        return [
            Finding(
                "reading",
                "look at",
                say.which_way_it_reads(name),
                name,
                place=placement.point,
                of=placement.id,
            )
        ]
    wrong = (
        [w for w in lettering if w.reversed != mirrored]
        if reads != "mirrored"
        else [w for w in lettering if w.reversed == mirrored]
    )
    if not lettering and (mirrored if reads != "mirrored" else not mirrored):
        wrong = [Lettering(name)]
    if wrong:
        wording = say.reads_right_for_a_mirror if reads == "mirrored" else say.reads_reversed
        says = wording(wrong[0].text if lettering else "", name)
        return [
            Finding(
                "reading", "look at", says, name, place=placement.point, mend="turn over", of=placement.id
            )
        ]
    if pair:
        says = say.twin_reads_reversed(words, name)
        return [
            Finding(
                "reading", "look at", says, name, place=placement.point, mend="two alike", of=placement.id
            )
        ]
    if lettering or reads:
        return [Finding("reading", "sound", say.reads_as_it_is_to(words, name), name)]
    return []


@check(70)
def lies_well(c: Context) -> Iterator[Finding]:
    """How each graphic lies on its surface, and which way round its lettering reads."""
    for o in c.laid:
        yield from check_lie(c.design.lies.get(o.placement.id, []), o.site, o.placement, o.name)
        yield from check_reading(
            o.placement, o.drawn.lettering, o.drawn.spec.reads, o.drawn.trace is not None, o.name
        )
