"""Whether a job read from a file makes sense: what it refers to is there, and numbers are within reason."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any

import msgspec

from cutkey.core.bodies.kind import MadeBody
from cutkey.core.fields import fields_of
from cutkey.core.model.filament import Filament
from cutkey.core.model.job import Job, ModelBase

_COLOUR = re.compile(r"#[0-9a-fA-F]{6}")


def problem_of(job: Job) -> str:
    """What is wrong with a job, in a few words; "" when it makes sense."""
    return next(_dangling(job), "") or next(_numbers(job, "job"), "") or next(_further(job), "")


def _dangling(job: Job) -> Iterator[str]:
    sources = {s.digest: s for s in job.sources}
    graphics = [g.id for g in job.graphics]
    for name, ids in (
        ("graphics", graphics),
        ("placements", [p.id for p in job.placements]),
        ("add-ons", [a.id for a in job.addons]),
    ):
        if len(set(ids)) < len(ids):
            yield f"two of its {name} have the same id"
    for g in job.graphics:
        if g.source not in sources:
            yield f"the graphic {g.name} belongs to a file that it does not hold"
        elif sources[g.source].kind not in ("picture", "drawing"):
            yield f"the graphic {g.name} is made from the {sources[g.source].kind} {sources[g.source].name}"
    for p in job.placements:
        if p.graphic not in graphics:
            yield f"a placement belongs to a graphic {p.graphic} that it does not hold"
    base = job.base
    if isinstance(base, ModelBase) and (base.source not in sources or sources[base.source].kind != "model"):
        yield "its model is a file that it does not hold"
    if isinstance(base, MadeBody) and base.from_graphic and base.from_graphic not in graphics:
        yield f"its body is made from a graphic {base.from_graphic} that it does not hold"


def _numbers(value: Any, name: str) -> Iterator[str]:
    """Numbers anywhere in a job that are not finite, or out of the range of their field."""
    if isinstance(value, float) and not math.isfinite(value):
        yield f"{name} is not a number"
    elif isinstance(value, tuple):
        for v in value:
            yield from _numbers(v, name)
    elif isinstance(value, msgspec.Struct):
        said = {f.name: f for f in fields_of(type(value))}
        for name_ in value.__struct_fields__:
            inner, field = getattr(value, name_), said.get(name_)
            words = f"{name_.replace('_', ' ')} of a {type(value).__name__.removesuffix('Base').lower()}"
            yield from _numbers(inner, words)
            if field is None or field.least is None or field.most is None or inner is None:
                continue
            for v in inner if isinstance(inner, tuple) else (inner,):
                if not field.least <= v <= field.most:
                    yield f"{words} is {v:g}, which must lie between {field.least:g} and {field.most:g}"


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
