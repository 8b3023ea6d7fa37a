"""How placed graphics lie on the model: what was trimmed, where the surface turns away, whether text reads the right way round."""

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
from cutkey.core.units import format_mm

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
        out.append(
            Finding(
                "lie",
                "look at",
                "Beside the model",
                f"{name} misses the model; move it onto the surface",
                name,
                place=here,
                mend="centre",
                of=placement.id,
            )
        )
        return out
    if missed > _TRIMMED * area:
        text = f"{name}: {format_mm(missed, 1)} of {format_mm(area, 1)} mm² runs over the edge or a hole and is trimmed"
        out.append(Finding("lie", "look at", "Trimmed", text, name, round(missed, 2), 0.0, "mm²", here, "show", placement.id))
    for lie in lies:
        of = placement.id, lie.colour
        what = f"{name}, {plain_name(lie.colour)}"
        if lie.draped.steep > 0.01 * max(lie.area, 1e-9) and lie.draped.steep_at is not None:
            text = f"{what}: {format_mm(lie.draped.steep, 1)} mm² are stretched where the surface turns away by more than {STEEP:g}°"
            out.append(
                Finding("lie", "look at", "Steep", text, name, round(lie.draped.steep, 2), 0.0, "mm²", lie.draped.steep_at, "show", *of)
            )
        if lie.draped.folded:
            text = f"{what}: the surface is too rough for its height in {lie.draped.folded} places; make it lower or smaller"
            out.append(Finding("lie", "look at", "Folded", text, name, float(lie.draped.folded), 0.0, "", here, "show", *of))
        uneven = site.way == "straight" and lie.reach[1] - lie.reach[0] > 0.2
        if uneven and placement.depth_of(lie.colour).mode in ("recessed", "flush"):
            deep = lie.reach[1] - lie.span[0]
            text = f"{what}: laid straight it is sunk up to {format_mm(deep, 2)} mm into the curved surface"
            out.append(Finding("lie", "look at", "Deep in the middle", text, name, round(deep, 2), -lie.span[0], "mm", here, "show", *of))
        if uneven and placement.depth_of(lie.colour).mode in ("raised", "level"):
            tall = lie.span[1] - lie.reach[0]
            text = f"{what}: laid straight it stands up to {format_mm(tall, 2)} mm above the curved surface, and bites {PAST:g} mm or more"
            out.append(Finding("lie", "look at", "Tall at the side", text, name, round(tall, 2), lie.span[1], "mm", here, "show", *of))
    return out


def check_reading(placement: Placement, lettering: Sequence[Lettering], reads: Reads, traced: bool, name: str) -> list[Finding]:
    """Whether lettering reads the right way round where it is laid.

    Parameters
    ----------
    lettering : sequence of Lettering
        Text that is known to be text: of a drawing, or added on the table.
    reads : str
        What the maker said: "right" (as it stands in the picture, seen from outside), "mirrored" (a stamp, or to be read from the back),
        "none" (there is none), or "" for nothing yet.
    traced : bool
        The graphic comes from a picture, in which nobody can tell lettering from other figures.
    """
    mirrored = placement.mirror
    pair = placement.copies.kind == "pair"
    if reads == "none" or (not lettering and not traced):
        return []
    words = next((f"“{w.text}”" for w in lettering), name)
    if reads == "" and not lettering:
        # Nobody has said, and only the maker can: asked where it makes a difference, once a graphic.
        if not mirrored and not pair:
            return []
        text = f"{name} is laid mirrored: is there lettering in it? Say on the Place sheet which way it is to read"
        return [Finding("reading", "look at", "Which way does it read?", text, name, place=placement.point, of=placement.id)]
    wrong = [w for w in lettering if w.reversed != mirrored] if reads != "mirrored" else [w for w in lettering if w.reversed == mirrored]
    if not lettering and (mirrored if reads != "mirrored" else not mirrored):
        wrong = [Lettering(name)]
    if wrong:
        words = f"“{wrong[0].text}”" if lettering else name
        if reads == "mirrored":
            text = f"{words} prints the right way round; it is to be mirrored, for a stamp or to be read from the back"
        else:
            text = f"{words} is mirrored and prints reversed; right for a stamp, or to be read from the back"
        return [Finding("reading", "look at", "Reversed text", text, name, place=placement.point, mend="turn over", of=placement.id)]
    if pair:
        text = f"{words}: the mirrored twin of the pair prints reversed"
        return [Finding("reading", "look at", "Reversed text", text, name, place=placement.point, mend="two alike", of=placement.id)]
    if lettering or reads:
        return [Finding("reading", "sound", "Reads the right way", f"{words} reads as it is to", name)]
    return []


@check(70)
def lies_well(c: Context) -> Iterator[Finding]:
    """How each graphic lies on its surface, and which way round its lettering reads."""
    for o in c.laid:
        yield from check_lie(c.design.lies.get(o.placement.id, []), o.site, o.placement, o.name)
        yield from check_reading(o.placement, o.drawn.lettering, o.drawn.spec.reads, o.drawn.trace is not None, o.name)
