"""Heights that lie between two layers: they come out at one or the other."""

from __future__ import annotations

from collections.abc import Iterator

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import Printer
from cutkey.core.words import placing as say

#: Nearer to a layer than this is on it, mm.
_NEAR = 0.01


def layer_near(z: float, printer: Printer) -> float:
    """The boundary of a layer that is nearest to a height over the bed, mm."""
    first = printer.first_layer or printer.layer
    return max(0.0, first + round((z - first) / printer.layer) * printer.layer) if z > first / 2 else 0.0


@check(45)
def heights_on_layers(c: Context) -> Iterator[Finding]:
    """Tops and floors of graphics on level faces lie on the layers of the print."""
    if c.heights is not None and not c.heights.trouble:
        # The plan by height has put them there.
        return
    down = c.job.colouring.face_down
    low, high = float(c.design.low[2]), float(c.design.high[2])
    for o in c.laid:
        if o.site.way != "face" or abs(float(o.site.facet.normal[2])) < 1 - 1e-6:
            continue
        up = 1.0 if o.site.facet.normal[2] > 0 else -1.0
        for colour in o.drawn.graphic.colours():
            rule = o.placement.depth_of(colour)
            if rule.mode not in ("raised", "recessed", "flush") or rule.mm <= 0:
                continue
            z = float(o.site.facet.origin[2]) + up * rule.mm * (1 if rule.mode == "raised" else -1)
            over = high - z if down else z - low
            nearest = layer_near(over, c.job.printer)
            if abs(over - nearest) <= _NEAR:
                continue
            heights = over, c.job.printer.layer, nearest
            says = say.between_layers(o.name, plain_name(colour), rule.mode == "raised", *heights)
            place = tuple(float(v) for v in o.site.facet.origin)
            figures = round(over, 4), round(nearest, 4), "mm"
            yield Finding(
                "between layers",
                "look at",
                says,
                o.name,
                *figures,
                (place[0], place[1], z),
                "on layers",
                o.placement.id,
                colour,
            )
