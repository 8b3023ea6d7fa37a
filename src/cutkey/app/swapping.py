"""Another picture for a graphic, another model for a job: tried, shown beside what was, and kept or left.

One step of undo.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QObject, Signal
from PySide6.QtGui import QImageReader

from cutkey.app.document import Document
from cutkey.app.engine import Engine
from cutkey.app.widgets.message_strip import STEP, MessageStrip
from cutkey.core.bodies.kind import MadeBody
from cutkey.core.engine.swap import (
    Box,
    Shade,
    Swapped,
    carried_to,
    made_from,
    match_colours,
    not_given_on,
    spec_of,
    with_matches,
    with_source,
)
from cutkey.core.model.body_rule import found_again, mostly_there
from cutkey.core.model.edits import add_source, place
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.core.model.placement import Depth
from cutkey.worker.shown import BodyView, GraphicView, MeshView, Rings


class Trial(NamedTuple):
    """Another picture that is being tried."""

    graphic: str
    name: str  # of the step of undo
    before: Job
    swapped: Job  # with the new picture, its colours not yet matched
    old: GraphicView
    new: GraphicView
    matches: dict[str, str]  # new colour to the old one whose rules it takes
    made: Callable[[Job], Job]  # carries what lies on a body made from the graphic


class Swapping(QObject):
    """Tries another picture or body on the job."""

    begun = Signal(str)  # the graphic that another picture is tried for
    tried = Signal()  # there is a trial, or none any more, or its matches have changed

    def __init__(self, document: Document, engine: Engine, message: MessageStrip) -> None:
        super().__init__()
        self._document, self._engine, self._message = document, engine, message
        self.trial: Trial | None = None
        self._made_it: Job | None = None  # the job that the trial made
        self._document.changed.connect(self._look_after)
        self._document.renewed.connect(self._forget)

    # -- another picture
    def take_picture(self, id: str, name: str, data: bytes, kind: str) -> None:
        """Try a picture or drawing in the place of a graphic's own, as soon as it has been read in full."""
        self._engine.inspect(name, kind, data, "", lambda: self._begin(id, name, data, kind))

    def _begin(self, id: str, name: str, data: bytes, kind: str) -> None:
        before = self._document.job
        if spec_of(before, id) is None:
            return
        old = self._engine.graphics.get(id)
        compare = partial(self._compare, id, name, data, kind, before)
        if old is not None and not old.draft and self._engine.current(f"graphic {id}"):
            compare(old)
        else:
            self._engine.look(before, f"graphic {id}", compare)

    def _compare(self, id: str, name: str, data: bytes, kind: str, before: Job, old: GraphicView) -> None:
        source = self._document.take(name, kind, data)
        same = old.picture is not None and _pixels(data) == tuple(old.picture.original_size)
        swapped = with_source(before, id, source, same, round(old.size[0], 3))
        self._engine.look(
            swapped.job, f"graphic {id}", partial(self._drawn, id, source, before, swapped, old)
        )

    def _drawn(
        self, id: str, source: Source, before: Job, swapped: Swapped, old: GraphicView, new: GraphicView
    ) -> None:
        matches = match_colours(shades_of(old), shades_of(new))
        name = self.tr("use {0} for {1}").format(source.name, before.graphic(id).name)
        trial = Trial(id, name, before, swapped.job, old, new, matches, lambda job: job)
        if not made_from(before, id):
            self._apply(trial, swapped.said)
            return
        self._bodies(before, swapped.job, partial(self._refitted, trial, swapped.said))

    def _refitted(self, trial: Trial, said: Sequence[object], before: BodyView, after: BodyView) -> None:
        old, new = _box(before.mesh), _box(after.mesh)
        self._apply(
            trial._replace(made=lambda job: carried_to(job, old, new).job),
            [*said, *carried_to(trial.before, old, new).said],
        )

    def _bodies(self, before: Job, after: Job, then: Callable[[BodyView, BodyView], None]) -> None:
        """Go on with the bare bodies of two jobs."""

        def second(old: BodyView) -> None:
            self._engine.look(_bare(after), "body", lambda new: then(old, new))

        self._engine.look(_bare(before), "body", second)

    def _apply(self, trial: Trial, said: Sequence[object]) -> None:
        if self._document.job is not trial.before:
            # Something else was decided meanwhile: begin again with the job as it is.
            source = trial.swapped.source(trial.swapped.graphic(trial.graphic).source)
            self._begin(trial.graphic, source.name, self._document.sources[source.digest], source.kind)
            return
        self._make(trial, trial.matches)
        self.begun.emit(trial.graphic)
        self._tell(said)

    def _tell(self, said: Sequence[object]) -> None:
        """Say what the trial could not take over, of the picture and of its colours."""
        trial = self.trial
        if trial is None:
            return
        colours = [c for c, _ in trial.old.regions]
        every = [*said, *not_given_on(trial.before, trial.graphic, colours, trial.matches)]
        if every:
            self._message.say(
                self.tr("Not taken over from the old picture: {0}.").format("; ".join(map(str, every))),
                calm=True,
                topic=STEP,
            )

    def _make(self, trial: Trial, matches: Mapping[str, str]) -> None:
        colours = [c for c, _ in trial.old.regions]
        job = trial.made(with_matches(trial.swapped, trial.graphic, matches, trial.before, colours))
        self.trial, self._made_it = trial._replace(matches=dict(matches)), job
        self._document.edit(trial.name, job, merge=f"swap {id(trial.before)}")
        self.tried.emit()

    def match(self, new: str, old: str) -> None:
        """Give a new colour the rules of an old one, or none (""); whoever had them before goes without."""
        if self.trial is None:
            return
        matches = {n: o for n, o in self.trial.matches.items() if n != new and o != old}
        if old:
            matches[new] = old
        self._make(self.trial, matches)
        self._tell(())

    def keep(self) -> None:
        """Go on with the new picture."""
        self._forget()

    def leave(self) -> None:
        """Go back to the old picture."""
        self._forget()
        self._document.undo()

    def _look_after(self) -> None:
        """Any other change settles a trial."""
        if (
            self.trial is not None
            and self._document.job is not self._made_it
            and self._document.job != self._made_it
        ):
            self._forget()

    def _forget(self) -> None:
        self.trial = self._made_it = None
        self.tried.emit()

    # -- another body
    def take_body(
        self, text: str, base: MadeBody | ModelBase, source: Source | None = None, lay: str = ""
    ) -> None:
        """Give the job another body; what lay on the old one goes to the same side, in the same part of it.

        Where nothing is placed yet, the graphic `lay` is laid on the made body's top.
        """
        before = self._document.job
        if isinstance(base, ModelBase) and isinstance(before.base, ModelBase) and not base.bodies:
            base = replace(base, bodies=before.base.bodies)
        job = replace(add_source(before, source) if source is not None else before, base=base)
        if lay and not before.placements and isinstance(base, MadeBody) and base.carries:
            depth = Depth("raised", round(4 * job.printer.layer, 3))
            job, _ = place(job, lay, (0.0, 0.0, base.top), (0.0, 0.0, 1.0), depth)
        decided = isinstance(base, ModelBase) and bool(base.bodies)
        if before.base is None or not (before.placements or before.addons or before.cuts or decided):
            self._document.edit(text, job)
            return

        def known(old: BodyView, new: BodyView) -> None:
            if self._document.job is before:
                self._carry(text, job, old, new)
            else:
                self.take_body(text, base, source, lay)

        self._bodies(before, job, known)

    def _carry(self, text: str, job: Job, old: BodyView, new: BodyView) -> None:
        given_up = 0
        if isinstance(job.base, ModelBase):
            # Rules about bodies that the new model has not are given up.
            there = tuple(r for r in job.base.bodies if any(found_again(b, r) for b in new.known))
            given_up = len(job.base.bodies) - len(there)
            if there and len(there) == len(new.known) and all(r.away for r in there):
                there, given_up = (), len(job.base.bodies)
            job = replace(job, base=replace(job.base, bodies=there))
        said: list[object] = (
            [
                self.tr(
                    "{0} decisions about bodies that are not in it, or not the same, were given up"
                ).format(given_up)
            ]
            if given_up
            else []
        )
        if not mostly_there(old.known, new.known):
            carried = carried_to(job, _box(old.mesh), _box(new.mesh))
            job = carried.job
            if job.placements or job.addons:
                said = [
                    self.tr("what lay on the old body lies on the same side of this one"),
                    *said,
                    *carried.said,
                ]
        self._document.edit(text, job)
        if said:
            self._message.say(
                self.tr("Please look at it: {0}.").format("; ".join(map(str, said))),
                [(self.tr("undo"), self._document.undo)],
                calm=True,
                topic=STEP,
            )


def shades_of(view: GraphicView) -> list[Shade]:
    """Colours of a graphic with their share of the figure and their middle."""
    total = sum(m.area for m in view.measures) or 1.0
    area = {m.colour: m.area / total for m in view.measures}
    w, h = (max(v, 1e-9) for v in view.size)
    return [
        Shade(c, area.get(c, 0.0), (x / w, y / h)) for c, rings in view.regions for x, y in [_middle(rings)]
    ]


def _middle(rings: Rings) -> tuple[float, float]:
    """Centroid of an area given by its rings, holes the other way round."""
    total, sx, sy = 0.0, 0.0, 0.0
    for ring in rings.rings():
        x, y = ring[:, 0], ring[:, 1]
        cross = x * np.roll(y, -1) - np.roll(x, -1) * y
        total += cross.sum() / 2
        sx += float(((x + np.roll(x, -1)) * cross).sum()) / 6
        sy += float(((y + np.roll(y, -1)) * cross).sum()) / 6
    return (sx / total, sy / total) if abs(total) > 1e-9 else (0.0, 0.0)


def _bare(job: Job) -> Job:
    """A job of nothing but its body, whole: what was decided about bodies of a model is left aside."""
    base = replace(job.base, bodies=()) if isinstance(job.base, ModelBase) else job.base
    return replace(job, base=base, addons=(), placements=(), cuts=())


def _pixels(data: bytes) -> tuple[int, int] | None:
    """Width and height of a picture, None when it is none."""
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    size = QImageReader(buffer).size()
    return (size.width(), size.height()) if size.isValid() else None


def _box(mesh: MeshView) -> Box:
    (a, b, c), (d, e, f) = mesh.box.astype(float).tolist()
    return Box((a, b, c), (d, e, f))
