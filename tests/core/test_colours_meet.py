"""Colours that meet: regions in one filament at one height, plain faces by height.

Judged by columns cut out of the finished bodies.
"""

from __future__ import annotations

from itertools import product

import manifold3d as m3
import pytest
from msgspec.structs import replace

from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.heights import seen_in_their_colours
from cutkey.core.checks.kind import Context
from cutkey.core.colouring.bodies import filament_of
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.part import Part
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.edits import add_graphic, assign, place
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job, Source
from cutkey.core.model.placement import Copies, Depth
from cutkey.core.model.printer import Printer

#: A figure of two colours that share an edge of 6 mm.
TWO = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="12mm" viewBox="0 0 20 12">'
    b'<path d="M0 0H20V4H8V12H0Z" fill="#000000"/><rect x="8" y="4" width="6" height="4" fill="#c02030"/>'
    b"</svg>"
)
BLACK, RED = "#000000", "#c02030"


def job_of(mode, mm=0.8, way="bodies", thick=3.0, base=None, **changes):
    job, spec = add_graphic(
        Job(base=base or PlateBase(60, 40, thick, 4)), Source("g", "g.svg", "drawing"), 20.0
    )
    job, _ = place(job, spec.id, (0.0, 0.0, thick), (0.0, 0.0, 1.0), Depth(mode, mm))
    return replace(job, colouring=Colouring(way), **changes), Evaluator({"g": TWO})


def on_top(design, filaments, x, y):
    """The filament that is uppermost at a place, by columns of the bodies."""
    column = m3.Manifold.cube((0.5, 0.5, 200)).translate((x - 0.25, y - 0.25, -100))
    tops = {}
    for part in design.parts:
        cut = part.solid ^ column
        if not cut.is_empty():
            tops[filaments[part.colour].name] = cut.bounding_box()[5]
    return max(tops, key=tops.get)


def depth_over(rule):
    """Height of a colour's top over its face, mm."""
    return {"raised": rule.mm, "recessed": -rule.mm}.get(rule.mode, 0.0)


SAME = [{}, {BLACK: "body"}, {BLACK: "body", RED: "body"}, {RED: BLACK}]


@pytest.mark.parametrize(("mode", "way"), [*product(("flush", "raised", "recessed"), ("bodies", "heights"))])
@pytest.mark.parametrize("same", SAME)
def test_what_cannot_be_told_apart_is_said(mode, way, same):
    """Two colours, each in its own filament, in the model's or in the other's; a column on each tells."""
    job, e = job_of(mode, way=way)
    for colour, other in same.items():
        job = assign(job, colour, filament_of(job, BODY if other == "body" else other).name)
    found = {f.title for f in e.kit(job).findings if f.kind == "visible" and f.severity == "look at"}
    design, filaments = e.design(job), e.filaments(job)
    black, red, beside = (on_top(design, filaments, *p) for p in ((-8.0, 0.0), (1.0, 0.5), (25.0, 15.0)))
    printed = e.as_printed(job).placements[0]
    high = {c: depth_over(printed.depth_of(c)) for c in (BLACK, RED)}
    hidden = {c for c, seen in ((BLACK, black), (RED, red)) if seen == beside and abs(high[c]) < 0.05}
    merged = black == red and abs(high[BLACK] - high[RED]) < 0.05 and not hidden
    assert ("Cannot be seen" in found) == bool(hidden == {BLACK, RED})
    assert ("Colours merge" in found) == merged


LAYERS = [(h, first, layer) for h in (1.95, 2.0, 3.0) for first in (0.2, 0.3) for layer in (0.2, 0.12)]


@pytest.mark.parametrize(("thick", "first", "layer"), LAYERS)
@pytest.mark.parametrize("mode", ["raised", "recessed", "flush"])
def test_by_height_the_plain_face_is_of_the_models_filament(mode, thick, first, layer):
    """A band that ended at the layer below the face left a film of the next filament over all of it."""
    job, e = job_of(mode, 0.8, "heights", thick, printer=Printer(layer=layer, first_layer=first))
    heights, filaments = e.heights(job), e.filaments(job)
    assert heights.trouble is None
    assert on_top(e.design(job), filaments, -25.0, -15.0) == filaments[BODY].name
    kit = e.kit(job)
    assert not [f for f in kit.findings if f.severity == "stop"]
    # The rim of a coin is a plain face too.
    coin = CoinBase(50.0, thick, rim=2.0, rim_height=0.6)
    job, e = job_of(mode, 0.4, "heights", thick, coin, printer=job.printer)
    if e.heights(job).trouble is None:
        assert on_top(e.design(job), e.filaments(job), 0.0, 24.0) == filaments[BODY].name
        assert not [f for f in e.kit(job).findings if f.title == "Face covered by a film"]


def test_a_film_over_the_plain_face_is_a_stop():
    """The uppermost 0.05 mm of the plate given to another filament: nothing else is wrong with it."""
    job, e = job_of("raised", way="heights")
    design = e.design(job)
    film = next(p for p in design.parts if p.colour == BODY).solid.trim_by_plane((0, 0, 1), 2.95)
    by_colour = {p.colour: p.solid for p in design.parts}
    by_colour[BODY], by_colour[BLACK] = by_colour[BODY] - film, by_colour[BLACK] + film
    parts = [Part(colour, solid) for colour, solid in by_colour.items()]
    findings = {}
    for name, some in (("as it is", design.parts), ("with a film", parts)):
        context = Context(
            e.as_printed(job), e.bare(job), e.body(job), [], design._replace(parts=some), e.split(job),
            e.kit(job),
            lambda _, f: f(), lambda _, f: f(), e.heights(job), None,
            {c: f.name for c, f in e.filaments(job).items()},
        )  # fmt: skip
        findings[name] = {(f.title, f.severity) for f in seen_in_their_colours.run(context)}
    assert ("Face covered by a film", "stop") in findings["with a film"]
    assert all(s == "sound" for _, s in findings["as it is"])


STAR = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="12mm" viewBox="0 0 20 12">'
    b'<path d="M0 0H20V12H0Z" fill="#204080"/><rect x="6" y="4" width="6" height="4" fill="#ffcc00"/></svg>'
)


@pytest.mark.parametrize(("mode", "mm"), [("recessed", 0.8), ("through", 0.0)])
def test_a_colour_within_another_that_is_taken_out_merges_with_it(mode, mm):
    """The inner one is printed in nothing; one told thing, and another depth is what helps."""
    job, spec = add_graphic(Job(base=PlateBase(60, 40, 3.0, 4)), Source("g", "g.svg", "drawing"), 20.0)
    job, laid = place(job, spec.id, (0, 0, 3.0), (0, 0, 1), Depth(mode, mm))
    e = Evaluator({"g": STAR})
    found = [f for f in e.kit(job).findings if f.kind == "visible" and f.severity != "sound"]
    assert [f.title for f in found] == ["Colours merge"] and found[0].text.endswith("another depth")
    # What is not there at all is told by what came out, once.
    away = replace(job, placements=(replace(laid, offset=(200.0, 0.0), depths=(Depth("flush", 0.8),)),))
    found = [f for f in e.kit(away).findings if f.severity != "sound"]
    assert [f.title for f in found] == ["Beside the model"]


@pytest.mark.parametrize(("middle", "hidden"), [(7.0, True), (-7.0, True), (30.0, False)])
def test_a_copy_that_lies_in_its_own_filament_is_told(middle, hidden):
    """A black disc, and a black bar twice, 14 mm apart: one copy lies in the disc, or both beside it."""
    head = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 20">'
    disc = f'{head}<circle cx="10" cy="10" r="10"/></svg>'.encode()
    bar = f'{head}<rect width="20" height="8"/></svg>'.encode()
    job = Job(base=PlateBase(90, 40, 4.0, 4))
    for digest, width, at, how in (
        ("d", 14.0, (0.0, 0.0), Copies()),
        ("b", 6.0, (middle, 0.0), Copies("grid", (2, 1), (14.0, 0.0))),
    ):
        job, spec = add_graphic(job, Source(digest, f"{digest}.svg", "drawing"), width)
        job, laid = place(job, spec.id, (0, 0, 4.0), (0, 0, 1), Depth("flush", 0.8), at)
        job = replace(job, placements=(*job.placements[:-1], replace(laid, copies=how)))
    e = Evaluator({"d": disc, "b": bar})
    told = [f for f in e.kit(job).findings if f.title == "Cannot be seen"]
    assert bool(told) == hidden


def test_what_lies_in_a_hole_is_not_called_printed():
    """Nothing is there to be seen; one finding tells that it is not on the model."""
    dot = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 4"><rect width="4" height="4"/></svg>'
    job, spec = add_graphic(Job(base=PlateBase(60, 40, 3.0, 4)), Source("g", "g.svg", "drawing"), 20.0)
    job, _ = place(job, spec.id, (0, 0, 3.0), (0, 0, 1), Depth("through", 0.0))
    job, spec = add_graphic(job, Source("d", "d.svg", "drawing"), 4.0)
    job, _ = place(job, spec.id, (0, 0, 3.0), (0, 0, 1), Depth("flush", 0.8))
    found = [f for f in Evaluator({"g": STAR, "d": dot}).kit(job).findings if f.severity != "sound"]
    assert {f.title for f in found if f.piece == "D"} == {"Beside the model"}, found
