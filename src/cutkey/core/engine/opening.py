"""The model of a job before any graphic: opened or made, with its add-ons."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from cutkey.core.digest import digest
from cutkey.core.geometry.areas import union
from cutkey.core.geometry.facets import find_facets
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import as_one, mesh_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job, ModelBase
from cutkey.core.place.fit_out import fit_out
from cutkey.core.results import Body
from cutkey.core.solids.model_bodies import bodies_in, ruled
from cutkey.core.solids.read import Model
from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def fitted(bare: Body, addons: Sequence[AddOn]) -> Body:
    """A model with its add-ons."""
    if not addons:
        return bare
    found = fit_out(bare.parts, bare.solid, bare.mesh, bare.facets, addons)
    mesh = mesh_of(found.solid)
    return bare._replace(
        solid=found.solid, mesh=mesh, facets=find_facets(mesh), parts=found.parts, spots=tuple(found.spots)
    )


def bare_body(evaluator: Evaluator, job: Job) -> Body:
    """The model without add-ons."""
    base = job.base
    assert base is not None
    if isinstance(base, ModelBase):
        name = job.source(base.source).name
        model = evaluator.model(evaluator.sources[base.source], name, base.unit, base.close, base.rebuild)
        return _opened(evaluator, model, base, name)
    figure = None
    if base.from_graphic:
        graphic = evaluator.draw(job, job.graphic(base.from_graphic)).graphic
        figure = union([r.geometry for r in graphic.regions])
    solid = base.solid(figure)
    mesh = mesh_of(solid)
    return Body(solid, mesh, find_facets(mesh), [Part(BODY, solid)])


def _opened(evaluator: Evaluator, model: Model, base: ModelBase, name: str) -> Body:
    """An opened model as the maker wants it: bodies taken away and coloured."""
    key = digest("model bodies", base.source, base.unit, base.close, base.rebuild)
    bodies = evaluator.memo.get(key, lambda: tuple(bodies_in(model.bodies)))
    solid, mesh, pieces, done = model.solid, model.mesh, list(model.pieces), model.done
    decided: tuple[Words, ...] = ()
    stays = 0.0
    if base.bodies:
        kept = ruled(bodies, base.bodies, name)
        pieces, done = kept.pieces, (*done, *kept.missing)
        decided, stays = tuple(kept.decided), kept.volume
        solid = as_one([p.solid for p in pieces])
        mesh = mesh_of(solid)
    return Body(
        solid,
        mesh,
        find_facets(mesh),
        [Part(p.colour or BODY, p.solid) for p in pieces],
        done,
        closed=tuple(model.closed),
        lost=model.lost,
        bodies=bodies,
        rebuilt=model.rebuilt,
        decided=decided,
        stays=stays,
    )
