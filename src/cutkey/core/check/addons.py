"""What add-ons leave of the body behind them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from cutkey.core.check.finding import Finding
from cutkey.core.check.floor import LAYERS
from cutkey.core.relief.features import AddOn, Magnet
from cutkey.core.units import format_mm


def check_addons(addons: Sequence[AddOn], floors: Mapping[str, float], layer: float) -> list[Finding]:
    """Floors behind pockets against the layers that hold, and the pause that a closed pocket asks for."""
    out = []
    for addon in addons:
        floor = floors.get(addon.id)
        name = type(addon.feature).__name__.lower()
        if floor is not None and floor < LAYERS * layer - 1e-6:
            what = "goes right through the body" if floor <= 0 else f"leaves {format_mm(floor)} mm of floor; {LAYERS} layers hold"
            text = f"the {name} pocket {what}"
            out.append(Finding("floor", "look at", "Thin floor", text, "", round(floor, 3), LAYERS * layer, "mm", addon.point, "show"))
        if isinstance(addon.feature, Magnet) and addon.feature.roof > 0:
            text = f"pause the print under the {format_mm(addon.feature.roof)} mm roof and put the magnet in"
            out.append(Finding("floor", "look at", "Closed pocket", text, place=addon.point))
    return out
