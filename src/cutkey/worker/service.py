"""The loop of the compute process."""

from __future__ import annotations

import os
import traceback
from collections import deque
from collections.abc import Callable
from functools import partial
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from cutkey.core import limits
from cutkey.core.curves.fitting import curves_of
from cutkey.core.digest import digest
from cutkey.core.engine.colour_ways import costs, offers
from cutkey.core.engine.draw import prepared_picture
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import write_job_kit
from cutkey.core.errors import BadInput, Cancelled, Taken
from cutkey.core.formats import read_drawing, write_drawing
from cutkey.core.geometry.facets import facet_at, facet_near
from cutkey.core.kit.trial import write_trial
from cutkey.core.memo import Memo, budget
from cutkey.core.model.job import GraphicSpec, Job
from cutkey.core.model.series import as_shown
from cutkey.core.picture.read import read_picture
from cutkey.core.place.side import middle_on, place_on_side
from cutkey.core.place.site import is_face
from cutkey.core.results import Body
from cutkey.core.solids.read import OpenModel, UnitDoubt
from cutkey.core.stopping import listen, stoppable, whole
from cutkey.worker.channel import receive, send
from cutkey.worker.film_view import bed_solids, film_view, rehearsal_view
from cutkey.worker.graphic_view import graphic_view, picture_view
from cutkey.worker.kit_view import kit_view, sections_view
from cutkey.worker.layer_view import layer_view
from cutkey.worker.mended_view import lying_view, mended_all, mended_view
from cutkey.worker.messages import (
    Answer,
    Done,
    Draw,
    Evaluate,
    Export,
    Failed,
    Inspect,
    Look,
    Plans,
    Progress,
    Propose,
    Report,
    Result,
    Shown,
    Stop,
    TakeSource,
    Trial,
    Written,
)
from cutkey.worker.shown import BodyView, CurvesView, FaceView, GraphicView, LayerView, OpenModelView
from cutkey.worker.shown_kit import CostsView, PlanView
from cutkey.worker.views import (
    addon_views,
    coloured_parts,
    design_view,
    model_body_views,
    section_view,
    view_of_mesh,
)
from cutkey.worker.ways_view import first_view, ways_view

Request = Draw | Evaluate | Export | Look | Propose | Trial | Inspect


class Service:
    """Requests one after the other; between the steps of one it looks whether it is still wanted."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._waiting: deque[Any] = deque()
        self._sources: dict[str, bytes] = {}
        self._evaluator = Evaluator(self._sources)
        self._views = Memo(budget() // 4)
        self._stopped: set[int] = set()
        self._number = 0  # of the request that is answered

    def _stuck(self, sentence: str) -> None:
        """A library does not come back from a file: say so, and let the window start another process."""
        self._send(Failed(self._number, "bad input", sentence))
        os._exit(0)

    def run(self) -> None:
        """The loop."""
        limits.on_stuck = self._stuck
        listen()
        try:
            while True:
                message = self._waiting.popleft() if self._waiting else self._take()
                if message is not None:
                    self._answer(message)
        except (EOFError, ConnectionError):
            # The window is gone.
            os._exit(0)

    def _take(self) -> Any:
        """The next request; messages that need no answer are dealt with here."""
        message = receive(self._connection)
        if isinstance(message, TakeSource):
            self._sources[message.digest] = message.data
        elif isinstance(message, Stop):
            self._stopped.add(message.number)
        else:
            return message
        return None

    def _answer(self, request: Request) -> None:
        number = self._number = request.number
        try:
            self._carry_out(request)
            self._send(Done(number, self._evaluator.memo.tight))
        except (EOFError, ConnectionError):
            raise
        except (Exception, Cancelled) as error:
            self._send(_failed(number, error))
        self._stopped.discard(number)

    def _carry_out(self, request: Request) -> None:
        number = request.number
        if isinstance(request, Export):
            report = write_job_kit(
                request.folder,
                request.job,
                self._evaluator,
                lambda f, t: self._progress(number, f, t),
                request.over,
            )
            self._send(Result(number, "report", "", Report(report)))
        elif isinstance(request, Propose):
            self._progress(number, 0.1, "looking for the best cuts")
            with stoppable(self._unwanted):
                self._send(Result(number, "plans", "", Plans(self._evaluator.plans(as_shown(request.job)))))
        elif isinstance(request, Trial):
            self._write_trial(request)
        elif isinstance(request, Draw):
            job = as_shown(request.job)
            spec = job.graphic(request.graphic)
            drawn = self._evaluator.draw(job, spec)
            write_drawing(request.path, drawn.graphic, spec.name, drawn.curves)
            self._send(Result(number, "drawing", "", Written(str(request.path))))
        elif isinstance(request, Inspect):
            self._inspect(request)
        else:
            with stoppable(self._unwanted):
                if isinstance(request, Evaluate):
                    self._evaluate(request)
                else:
                    self._send(Result(number, request.part, "", self._looked(request)))

    def _send(self, message: Any) -> None:
        with whole():
            send(self._connection, message)

    def _progress(self, number: int, fraction: float, text: str) -> None:
        self._send(Progress(number, fraction, text))
        if self._unwanted():
            raise Cancelled

    def _unwanted(self) -> bool:
        """Whether the request that is answered is no longer wanted."""
        with whole():
            while self._connection.poll():
                message = self._take()
                if message is not None:
                    self._waiting.append(message)
        return self._number in self._stopped

    def _write_trial(self, request: Trial) -> None:
        if not request.job.rack:
            raise BadInput("The filament rack is empty; add a filament on the Colour sheet.")
        write_trial(request.path, request.job.printer, request.job.rack[0])
        self._send(Result(request.number, "trial", "", Written(str(request.path))))

    def _inspect(self, request: Inspect) -> None:
        """Read a file far enough to know that it can be used; raises BadInput, UnitDoubt or OpenModel."""
        if request.kind == "picture":
            read_picture(request.data, request.name)
        elif request.kind == "drawing":
            read_drawing(request.data, request.name)
        else:
            self._evaluator.model(request.data, request.name, request.unit, request.close)

    def _mended(self, kind: str, id: str, job: Job, number: int) -> Answer | None:
        """What a mend makes of a job, how a section of it lies, or all mends at once."""
        told = partial(self._progress, number)
        if kind == "lying":
            return lying_view(job, self._evaluator, id)
        return (
            mended_view(job, self._evaluator, told, id == "rehearsed")
            if kind == "mended"
            else mended_all(job, self._evaluator, told)
        )

    def _picture(self, kind: str, job: Job, id: str, number: int) -> Answer:
        """Answer what is asked of the picture of a graphic."""
        spec, memo = job.graphic(id), self._evaluator.memo
        source = job.source(spec.source)
        data, what = self._sources[source.digest], f"looking at {spec.name}"
        self._progress(number, 0.1, what)
        if kind == "picture":
            return picture_view(spec, *prepared_picture(spec, source, data, memo))
        if kind == "first":
            return first_view(spec, source, data, memo)
        return ways_view(
            spec, source, data, memo, job.printer.line, lambda f: self._progress(number, f, what)
        )

    def _looked(self, request: Look) -> Answer | None:
        e, job = self._evaluator, as_shown(request.job)
        kind, _, id = request.part.partition(" ")
        if kind == "graphic":
            self._progress(request.number, 0.1, f"tracing {job.graphic(id).name}")
            return graphic_view(e.draw(job, job.graphic(id)), job.printer.nozzle)
        if kind == "curves":
            drawn = e.draw(job, job.graphic(id))
            curves = curves_of(drawn.graphic.regions, drawn.curves)
            return CurvesView(curves.pieces.control, curves.pieces.kind)
        if kind in ("picture", "first", "ways"):
            return self._picture(kind, job, id, request.number)
        if kind == "rehearsal":
            return rehearsal_view(job, e, lambda f, text: self._progress(request.number, f, text))
        if kind == "film":
            bed, _, number = id.partition(" ")
            return film_view(job, e, int(bed), int(number))
        if kind == "bed":
            return bed_solids(job, e, int(id))
        if kind in ("mended", "lying", "mends"):
            return self._mended(kind, id, job, request.number)
        if kind in ("layer", "plan", "costs"):
            return self._colours(kind, id, job)
        self._progress(request.number, 0.1, "reading the model")
        if request.place is not None:
            bare = e.counted_from(job)
            point, normal = (np.array(v) for v in request.place)
            near = facet_near(bare.mesh, bare.facets, point, normal)
            facet = facet_at(bare.mesh, bare.facets, near)
            laid = e.draw(job, job.graphic(id)).graphic if id else None
            size = (laid.width, laid.height) if laid is not None else (0.0, 0.0)
            return FaceView(
                facet.origin,
                facet.right,
                facet.up,
                is_face(bare.mesh, bare.facets, near, facet, size),
                middle_on(facet, size if laid is not None else None),
            )
        body = e.body(job)
        if body is not None and kind == "side":
            return place_on_side(body.solid, body.mesh, body.facets, id)
        return None if body is None else _body_view(body, job, e)

    def _colours(self, kind: str, id: str, job: Job) -> LayerView | PlanView | CostsView | None:
        """What is asked of the Colour sheet: quickly, while something is dragged."""
        e = self._evaluator
        if kind == "plan":
            return PlanView(e.heights(job))
        design = e.design(job)
        if design is None:
            return None
        if kind == "costs":
            return CostsView(costs(e, job), offers(e, job))
        number, _, quick = id.partition(" ")
        return layer_view(job, e, design, int(number), bool(quick))

    def _evaluate(self, request: Evaluate) -> None:
        """Each part of the answer goes out as soon as it is known.

        The light table does not wait for the solids.
        """
        e, job, number = self._evaluator, as_shown(request.job), request.number

        def tell(fraction: float, text: str) -> None:
            self._progress(number, fraction, text)

        def give(part: str, key: str, compute: Callable[[], Shown]) -> None:
            value = None if key in request.have else self._views.get(key, compute)
            self._send(Result(number, part, key, value))

        for spec in job.graphics:
            tell(0.0, f"tracing {spec.name}")
            key = digest("graphic view", e.graphic_key(job, spec), spec.id, job.printer.nozzle)
            if request.drafts and key not in request.have and not e.drawn_already(job, spec):
                self._send(
                    Result(
                        number,
                        f"graphic {spec.id}",
                        digest("draft", key),
                        graphic_view(e.draw(job, spec, draft=True), draft=True),
                    )
                )
                tell(0.05, f"tracing {spec.name}")
            give(f"graphic {spec.id}", key, partial(_graphic_view, e, job, spec))
        if job.base is None:
            return
        tell(0.2, "reading the model")
        body = e.body(job)
        assert body is not None
        b = body
        give(
            "body",
            digest("body view", e.body_key(job)),
            lambda: _body_view(b, job, e),
        )
        tell(0.3, "placing")
        design = e.design(job, lambda f, t: tell(0.3 + 0.2 * f, t))
        assert design is not None
        give(
            "design",
            digest("design view", e.design_key(job), job.rack, job.assignments),
            lambda: design_view(job, e, design),
        )
        line = request.line
        placement = next((p for p in job.placements if line is not None and p.id == line.placement), None)
        if line is not None and placement is not None:
            cut = placement
            key = digest("section view", e.design_key(job), line, job.rack, job.assignments)
            give(
                "section",
                key,
                lambda: section_view(cut, e.site(job, cut), b.solid, coloured_parts(job, e, design), line),
            )
        if job.cuts and e.split_key(job) not in e.memo:
            tell(0.5, "cutting")
            cutting = e.cutting(job)
            assert cutting is not None
            c = cutting
            give(
                "sections",
                digest("sections view", e.cutting_key(job), job.rack, job.assignments),
                lambda: sections_view(job, e, design, c),
            )
        split = e.split(job, lambda f, t: tell(0.5 + 0.3 * f, t))
        kit = e.kit(job, lambda f, t: tell(0.8 + 0.15 * f, t))
        assert split is not None and kit is not None
        tell(0.95, "drawing")
        give(
            "kit",
            digest("kit view", e.loads_key(job), job.accepted),
            lambda: kit_view(job, e, design, split, kit),
        )


def _failed(number: int, error: BaseException) -> Failed:
    """What is told of a request that ended early."""
    if isinstance(error, Cancelled):
        return Failed(number, "cancelled", "")
    if isinstance(error, OpenModel):
        return Failed(number, "open", str(error), OpenModelView(view_of_mesh(error.mesh), error.rims))
    if isinstance(error, UnitDoubt):
        return Failed(number, "unit", str(error), error.guesses)
    if isinstance(error, BadInput):
        return Failed(number, "taken" if isinstance(error, Taken) else "bad input", str(error))
    sentence = "A step failed unexpectedly; undo the last change or save the job and try again."
    return Failed(number, "crash", sentence, "".join(traceback.format_exception(error)))


def _graphic_view(e: Evaluator, job: Job, spec: GraphicSpec) -> GraphicView:
    return graphic_view(e.draw(job, spec), job.printer.nozzle)


def _body_view(body: Body, job: Job, e: Evaluator) -> BodyView:
    known = tuple(b.rule() for b in body.bodies)
    bodies = model_body_views(job, e)
    size, addons = _size(body.mesh.vertices), addon_views(job, e.bare(job))
    return BodyView(view_of_mesh(body.mesh), size, body.done, body.closed, addons, bodies, known)


def _size(vertices: Any) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in vertices.max(0) - vertices.min(0))
    return x, y, z
