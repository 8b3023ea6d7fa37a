"""Results that are remembered are those that would be computed anew, whatever in a job was changed."""

from __future__ import annotations

import types
from collections.abc import Iterator
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import msgspec
from msgspec.structs import replace
from tests.conftest import checker

from cutkey.core.addons.hole import Hole
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.model.addon import AddOn
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.job import Assignment, Job, Source
from cutkey.core.model.placement import Depth
from cutkey.core.model.table_edits import AddText
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.validate import problem_of
from cutkey.core.results import Kit
from cutkey.core.steps.tone import Tone
from cutkey.demo.pictures import png_bytes

#: What only names things, or says what they are bound to.
_NAMES = {"id", "digest", "source", "graphic", "inside"}


def whole_job() -> tuple[Job, dict[str, bytes]]:
    """A small job with a picture, a step, an edit, an add-on, a cut and everything else at its start."""
    data = png_bytes(checker())
    source = Source(digest_bytes(data), "checker.png", "picture")
    plate = PlateBase(70.0, 40.0, 6.0, 4.0, "chamfer", 0.5)
    hole = AddOn("hole", Hole(4.0, 2.0), (0.0, 0.0, 6.0), (0.0, 0.0, 1.0), (-28.0, 12.0))
    job = Job(name="Whole", base=plate, addons=(hole,), cuts=(Cut("x", 14.0),), series="7, 8")
    job, spec = add_graphic(job, source, 24.0)
    spec = replace(
        spec,
        trace=TraceSettings(steps=(Tone(0.05, 0.1),), colours=2),
        edits=(AddText("{}", (0.0, 9.0), 3.0, "#202020"),),
    )
    job = replace(job, graphics=(spec,), assignments=(Assignment("body", "Linen PLA"),))
    job, _ = place(job, spec.id, (0.0, 0.0, 6.0), (0.0, 0.0, 1.0), Depth("raised", 0.6))
    return job, {source.digest: data}


def others(hint: Any, value: Any) -> Iterator[Any]:
    """Other values of a field of a type: one, or for a choice all."""
    if get_origin(hint) is Annotated:
        hint = get_args(hint)[0]
    if get_origin(hint) is Literal:
        yield from (v for v in get_args(hint) if v != value)
    elif isinstance(value, bool):
        yield not value
    elif isinstance(value, int):
        yield value + 1
    elif isinstance(value, float):
        yield value * 1.25 + 0.25
    elif isinstance(value, str):
        yield "#335577" if value.startswith("#") else value + "x"
    elif value is None and get_origin(hint) in (types.UnionType, Union):
        yield from (0.5 for kind in get_args(hint) if kind is float)
    elif isinstance(value, tuple) and value and all(isinstance(v, float | int) for v in value):
        yield (value[0] + 1, *value[1:])


def changed(value: Any, path: str = "job") -> Iterator[tuple[str, Any]]:
    """Every job that differs from this one in a single field."""
    hints = get_type_hints(type(value), include_extras=True)
    for name in value.__struct_fields__:
        inner, where = getattr(value, name), f"{path}.{name}"
        if name in _NAMES:
            continue
        if isinstance(inner, msgspec.Struct):
            yield from ((w, replace(value, **{name: o})) for w, o in changed(inner, where))
        elif isinstance(inner, tuple) and inner and isinstance(inner[0], msgspec.Struct):
            yield where, replace(value, **{name: inner[:-1]})
            yield from ((w, replace(value, **{name: (o, *inner[1:])})) for w, o in changed(inner[0], where))
        else:
            yield from ((f"{where} = {o}", replace(value, **{name: o})) for o in others(hints[name], inner))


def judged(evaluator: Evaluator, job: Job) -> object:
    """What a job comes to."""
    try:
        kit = evaluator.kit(job)
    except BadInput as error:
        return str(error)
    assert isinstance(kit, Kit)
    units = [
        (u.name, u.copies, u.size, [(p.name, p.filament, p.volume, len(p.mesh.triangles)) for p in u.pieces])
        for u in kit.units
    ]
    return units, kit.findings, kit.hardware, kit.design_volume, kit.clearance_volume


def cold(warm: Evaluator, job: Job, other: Job) -> Evaluator:
    """One that has computed nothing; but a graphic that is not what was changed is not traced again."""
    fresh = Evaluator(warm.sources)
    if (job.graphics, job.sources, job.rack) == (other.graphics, other.sources, other.rack):
        for spec in job.graphics:
            fresh.memo.put(fresh.graphic_key(other, spec), warm.draw(job, spec))
    return fresh


def test_whatever_is_changed_warm_and_cold_are_the_same():
    job, sources = whole_job()
    warm = Evaluator(sources)
    before = judged(warm, job)
    tried, same, unlike, seen = 0, [], [], set()
    for where, other in changed(job):
        # One other value of a field shows whether a step forgot it.
        if (field := where.partition(" = ")[0]) in seen or problem_of(other):
            continue
        seen.add(field)
        tried += 1
        found = judged(warm, other)
        if found == before:
            same.append(where)
        # Of what seems to change nothing every third is looked at, the rest in long turns: a fresh evaluation
        # of each takes a while.
        if ((found == before and len(same) % 3 == 0) or tried % 60 == 0) and found != judged(
            cold(warm, job, other), other
        ):
            unlike.append(where)
    assert unlike == []
    # Most of what can be changed shows; the rest is how the window shows it, or needs something this job has
    # not.
    assert tried > 90 and len(same) < tried / 2, (tried, same)


def test_a_field_that_a_step_forgot_would_be_found(monkeypatch):
    job, sources = whole_job()
    warm = Evaluator(sources)
    judged(warm, job)
    other = replace(job, keys=replace(job.keys, clearance=0.3))
    monkeypatch.setattr(Evaluator, "split_key", lambda self, job: "always the same")
    stale = Evaluator(sources)
    judged(stale, job)
    assert judged(stale, other) != judged(warm, other)
