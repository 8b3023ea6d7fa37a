"""Whether a job read from a file makes sense: what it refers to is there, and numbers are within reason."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any

import msgspec

from cutkey.core.artwork.edits import AddShape, AddText
from cutkey.core.artwork.edits import Cut as Slit
from cutkey.core.colour.filament import Filament
from cutkey.core.gauge.settings import Gauge
from cutkey.core.job.document import GraphicSpec, Job, ModelBase
from cutkey.core.picture.steps import Denoise, Paint, TakeAway
from cutkey.core.relief.features import Border, Channel, Hole, Hollow, Loop, Magnet
from cutkey.core.relief.placement import Copies, Depth, Placement
from cutkey.core.solids.bases import BackingBase, CoinBase, FigureBase, PlateBase, PolygonBase, RingBase
from cutkey.core.split.printer import Printer
from cutkey.core.split.settings import Cut, Keys, Labels, Seam
from cutkey.core.trace.settings import TraceSettings

#: Longest length that anything here has, mm; and the smallest that is a size.
_LONG, _TINY = 20_000.0, 1e-3
_SIZE, _SOME = (_TINY, _LONG), (0.0, _LONG)
#: Least and most of numbers by struct and field; mm unless the field's docstring says otherwise.
RANGES: dict[type, dict[str, tuple[float, float]]] = {
    GraphicSpec: {"width_mm": _SIZE},
    TraceSettings: {"colours": (0, 64), "threshold": (0, 1), "thresholds": (0, 1), "despeckle_mm2": _SOME, "despeckle_mm": _SOME},
    Denoise: {"strength": (0, 255)},
    TakeAway: {"tolerance": (0, 200)},
    Paint: {"width": (0, 2), "tolerance": (0, 200)},
    PlateBase: {"width": _SIZE, "depth": _SIZE, "height": _SIZE, "corner": _SOME, "edge_mm": _SOME},
    CoinBase: {"diameter": _SIZE, "height": _SIZE, "rim": _SOME, "rim_height": _SOME, "edge_mm": _SOME},
    RingBase: {"diameter": _SIZE, "inner": _SIZE, "height": _SIZE},
    PolygonBase: {"sides": (3, 360), "width": _SIZE, "height": _SIZE, "edge_mm": _SOME},
    BackingBase: {"margin": _SOME, "height": _SIZE},
    FigureBase: {"height": _SIZE},
    Hole: {"diameter": _SIZE, "depth": _SOME},
    Loop: {"hole": _SIZE, "wall": _SIZE, "thickness": _SOME},
    Magnet: {"width": _SIZE, "length": _SOME, "height": _SIZE, "clearance": (0, 5), "roof": _SOME},
    Border: {"width": _SIZE, "height": _SIZE},
    Hollow: {"wall": _SIZE, "floor": _SIZE},
    Channel: {"length": _SIZE, "width": _SIZE, "depth": _SIZE},
    Copies: {"count": (1, 1000), "step": (-_LONG, _LONG)},
    Depth: {"mm": (-_LONG, _LONG)},
    Placement: {"offset": (-_LONG, _LONG), "margin": _SOME},
    Cut: {"at": (-_LONG, _LONG), "tilt": (-89, 89), "lean": (-89, 89)},
    Seam: {"pitch": (1, _LONG), "reach": (0.1, _LONG), "clearance": (0, 5)},
    Keys: {"size": _SOME, "depth": _SOME, "clearance": (0, 5), "end_gap": (0, 20), "wall": (0, 100), "count": (0, 100)},
    Labels: {"height": (0.1, 500), "depth": (0.01, 50)},
    Gauge: {"clearance": (0, 5), "thickness": (0.1, 100), "reach": (1, 1000), "peg": (0.5, 100), "height": (1, 500)},
    Printer: {"bed": (1, _LONG), "margin": _SOME, "nozzle": (0.05, 10), "layer": (0.01, 10), "slides": (0, 5)},
    AddShape: {"width": _SIZE, "height": _SIZE, "sides": (2, 1000), "inner": (0, 1)},
    AddText: {"size": _SIZE},
    Slit: {"width": _SOME},
}
_COLOUR = re.compile(r"#[0-9a-fA-F]{6}")


def problem_of(job: Job) -> str:
    """What is wrong with a job, in a few words; "" when it makes sense."""
    return next(_dangling(job), "") or next(_numbers(job, "job"), "") or next(_further(job), "")


def _dangling(job: Job) -> Iterator[str]:
    sources = {s.digest: s for s in job.sources}
    graphics = [g.id for g in job.graphics]
    for name, ids in (("graphics", graphics), ("placements", [p.id for p in job.placements]), ("add-ons", [a.id for a in job.addons])):
        if len(set(ids)) < len(ids):
            yield f"two of its {name} have the same id"
    for g in job.graphics:
        if g.source not in sources:
            yield f"the graphic {g.name} belongs to a file that it does not hold"
        elif sources[g.source].kind == "model":
            yield f"the graphic {g.name} is made from the model {sources[g.source].name}"
    for p in job.placements:
        if p.graphic not in graphics:
            yield f"a placement belongs to a graphic {p.graphic} that it does not hold"
    base = job.base
    if isinstance(base, ModelBase) and (base.source not in sources or sources[base.source].kind != "model"):
        yield "its model is a file that it does not hold"
    if isinstance(base, BackingBase | FigureBase) and base.graphic not in graphics:
        yield f"its body is made from a graphic {base.graphic} that it does not hold"


def _numbers(value: Any, name: str) -> Iterator[str]:
    """Numbers anywhere in a job that are not finite, or out of the range of their field."""
    if isinstance(value, float) and not math.isfinite(value):
        yield f"{name} is not a number"
    elif isinstance(value, tuple):
        for v in value:
            yield from _numbers(v, name)
    elif isinstance(value, msgspec.Struct):
        ranges = RANGES.get(type(value), {})
        for field in value.__struct_fields__:
            inner = getattr(value, field)
            words = f"{field.replace('_', ' ')} of a {type(value).__name__.removesuffix('Base').lower()}"
            yield from _numbers(inner, words)
            if field in ranges and inner is not None:
                low, high = ranges[field]
                for v in inner if isinstance(inner, tuple) else (inner,):
                    if not low <= v <= high:
                        yield f"{words} is {v:g}, which must lie between {low:g} and {high:g}"


def _further(job: Job) -> Iterator[str]:
    for normal in (*(p.normal for p in job.placements), *(a.normal for a in job.addons)):
        if not 1e-6 < math.hypot(*normal) < 1e6:
            yield "a placement has no direction"
    for rule in job.base.bodies if isinstance(job.base, ModelBase) else ():
        if rule.colour and not _COLOUR.fullmatch(rule.colour):
            yield f"a body of its model has no colour like #e0a32a but {rule.colour}"
    if min(job.printer.usable) <= 0:
        yield "the margin leaves nothing of the printer's bed"
    for f in job.rack:
        if not isinstance(f, Filament) or not _COLOUR.fullmatch(f.colour):
            yield f"the filament {f.name} has no colour like #e0a32a"
    names = [f.name for f in job.rack]
    if len(set(names)) < len(names):
        yield "two filaments have the same name"
