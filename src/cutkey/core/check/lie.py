"""How placed graphics lie on the model: what was trimmed, where the surface turns away, whether text reads the right way round."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.artwork.edits import AddText, Edit
from cutkey.core.check.finding import Finding
from cutkey.core.colour.filament import plain_name
from cutkey.core.relief.carve import Lie
from cutkey.core.relief.drape import STEEP
from cutkey.core.relief.placement import Placement
from cutkey.core.relief.site import PAST, Site
from cutkey.core.units import format_mm

#: Area of a graphic that may run over an edge without a word, as a share of it.
_TRIMMED = 0.002


def check_lie(lies: Sequence[Lie], site: Site, placement: Placement, edits: Sequence[Edit], name: str) -> list[Finding]:
    """Findings about one placed graphic.

    Parameters
    ----------
    lies : sequence of Lie
        Its regions.
    site : Site
    placement : Placement
    edits : sequence
        Of the graphic; text among them must not print reversed.
    name : str
    """
    out: list[Finding] = []
    area = sum(lie.area for lie in lies)
    missed = sum(lie.draped.missed for lie in lies)
    place = tuple(float(v) for v in site.facet.origin)
    here = (place[0], place[1], place[2])
    if area and missed > 0.999 * area:
        out.append(Finding("lie", "look at", "Beside the model", f"{name} misses the model; move it onto the surface", name, place=here))
        return out
    if missed > _TRIMMED * area:
        text = f"{name}: {format_mm(missed, 1)} of {format_mm(area, 1)} mm² runs over the edge or a hole and is trimmed"
        out.append(Finding("lie", "look at", "Trimmed", text, name, round(missed, 2), 0.0, "mm²", here, "show"))
    for lie in lies:
        what = f"{name}, {plain_name(lie.colour)}"
        if lie.draped.steep > 0.01 * max(lie.area, 1e-9) and lie.draped.steep_at is not None:
            text = f"{what}: {format_mm(lie.draped.steep, 1)} mm² are stretched where the surface turns away by more than {STEEP:g}°"
            out.append(Finding("lie", "look at", "Steep", text, name, round(lie.draped.steep, 2), 0.0, "mm²", lie.draped.steep_at, "show"))
        if lie.draped.folded:
            text = f"{what}: the surface is too rough for its height in {lie.draped.folded} places; make it lower or smaller"
            out.append(Finding("lie", "look at", "Folded", text, name, float(lie.draped.folded), 0.0, "", here, "show"))
        if site.way == "straight" and lie.reach[1] - lie.reach[0] > 0.2 and placement.depth_of(lie.colour).mode in ("raised", "level"):
            tall = lie.span[1] - lie.reach[0]
            text = f"{what}: laid straight it stands up to {format_mm(tall, 2)} mm above the curved surface, and bites {PAST:g} mm or more"
            out.append(Finding("lie", "look at", "Tall at the side", text, name, round(tall, 2), lie.span[1], "mm", here, "show"))
    words = [e.text for e in edits if isinstance(e, AddText) and e.on]
    if words and placement.mirror and placement.copies.kind != "pair":
        text = f"{name}: “{words[0]}” is mirrored and prints reversed; right for a stamp, or to be read from the back"
        out.append(Finding("lie", "look at", "Reversed text", text, name, place=here))
    return out
