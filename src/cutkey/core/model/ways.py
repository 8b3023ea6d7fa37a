"""Ways of tracing that suit a kind of picture, the best first, as data."""

from __future__ import annotations

from typing import Literal, NamedTuple

from msgspec.structs import replace

from cutkey.core.model.tracing import TraceSettings
from cutkey.core.steps.glare import RemoveGlare
from cutkey.core.steps.halftone import RemoveHalftone
from cutkey.core.steps.kind import Step
from cutkey.core.steps.light import EvenLight
from cutkey.core.steps.shadow import RemoveShadow

Kind = Literal[
    "pixel art", "flat art", "line art", "drawing on paper", "light on dark", "soft shading", "photograph"
]
#: What the light of a photograph, or the press that printed it, did to it.
Light = Literal["even", "uneven", "shadow", "glare", "halftone"]
#: The step that undoes it.
EVENED_BY: dict[Light, type[Step]] = {
    "uneven": EvenLight,
    "shadow": RemoveShadow,
    "glare": RemoveGlare,
    "halftone": RemoveHalftone,
}


class Offer(NamedTuple):
    """A way of tracing a picture."""

    # "colours", "gradients", "few", "dark", "light", "lines", "levels", "silhouette", "pixels" or "sheet"
    id: str
    trace: TraceSettings


#: Ways that suit each kind, the best first.
_SUITS: dict[Kind, tuple[str, ...]] = {
    "pixel art": ("pixels", "colours", "silhouette"),
    "flat art": ("colours", "gradients", "few", "silhouette", "dark"),
    "line art": ("colours", "dark", "lines", "silhouette", "light"),
    "drawing on paper": ("dark", "lines", "silhouette", "levels"),
    "light on dark": ("light", "colours", "silhouette", "dark"),
    "soft shading": ("levels", "dark", "few", "gradients", "silhouette"),
    "photograph": ("few", "levels", "gradients", "dark", "silhouette"),
}


def offers(kind: Kind, light: Light, now: TraceSettings) -> list[Offer]:
    """Ways that suit a kind of picture; preparation and everything else that was chosen stays.

    Parameters
    ----------
    kind : str
    light : str
        What its light did to it: that is undone, unless it is already.
    now : TraceSettings
        What is chosen.
    """
    bare = replace(
        now,
        mode="colours",
        colours=0,
        palette=(),
        thresholds=(),
        threshold=None,
        light=False,
        join_gradients=False,
        shape="filled",
        merges=(),
    )
    undo = EVENED_BY.get(light)
    if undo is not None and not any(isinstance(s, undo) for s in now.steps):
        bare = replace(bare, steps=(*now.steps, undo()))
    made = {
        "colours": bare,
        "gradients": replace(bare, join_gradients=True),
        "few": replace(bare, colours=4),
        "dark": replace(bare, mode="threshold"),
        "light": replace(bare, mode="threshold", light=True),
        "lines": replace(bare, mode="threshold", shape="linework"),
        "levels": replace(bare, mode="levels", colours=5, background="none"),
        "silhouette": replace(
            bare,
            mode="threshold" if kind in ("drawing on paper", "light on dark") else "colours",
            light=kind == "light on dark",
            shape="silhouette",
        ),
        "pixels": replace(bare, mode="pixels"),
    }
    return [Offer(id, made[id]) for id in _SUITS[kind]]
