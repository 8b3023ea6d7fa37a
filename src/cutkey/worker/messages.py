"""What the window and the compute process say to each other."""

from __future__ import annotations

from pathlib import Path
from typing import Any, NamedTuple

from cutkey.core.model.cuts import Plan
from cutkey.core.model.job import Job
from cutkey.core.model.placement import SidePlace
from cutkey.core.units import Unit
from cutkey.worker.shown import (
    BodyView,
    CurvesView,
    DesignView,
    FaceView,
    FirstView,
    GraphicView,
    LayerView,
    SectionLine,
    SectionView,
    WaysView,
)
from cutkey.worker.shown_film import BedSolids, FilmView, RehearsalView
from cutkey.worker.shown_kit import CostsView, KitView, PlanView, SectionsView
from cutkey.worker.shown_mended import LyingView, MendedAll, MendedView

Vector = tuple[float, float, float]


class TakeSource(NamedTuple):
    """To the worker: keep these bytes under this digest."""

    digest: str
    data: bytes


class Evaluate(NamedTuple):
    """To the worker: compute a job; send only results whose key is not in `have`."""

    number: int
    job: Job
    have: frozenset[str]
    line: SectionLine | None = None
    drafts: bool = True  # of pictures that are not traced yet, first


class Export(NamedTuple):
    """To the worker: write the kit of a job."""

    number: int
    job: Job
    folder: Path
    over: bool = False  # what is not of an earlier kit may be written over


class Propose(NamedTuple):
    """To the worker: how could the design be cut?"""

    number: int
    job: Job


class Trial(NamedTuple):
    """To the worker: write the clearance test piece for a job's printer."""

    number: int
    job: Job
    path: Path


class Draw(NamedTuple):
    """To the worker: write a graphic as a drawing."""

    number: int
    job: Job
    graphic: str
    path: Path


class Look(NamedTuple):
    """To the worker: what would this part of a job be? The job itself is not changed by asking.

    "graphic ID", the "curves ID" it is made of, the "picture ID" before
    it is traced, the "first ID" settings and the "ways ID" of tracing its
    picture, the "body", its "layer N", the "plan" of changes by height, the "costs" of the ways of colour,
    the "face" of the bare body that lies nearest to a place and its normal, or the place on its "side top".
    """

    number: int
    job: Job
    part: str
    place: tuple[Vector, Vector] | None = None


class Inspect(NamedTuple):
    """To the worker: can this file be used? Asked before it becomes part of a job."""

    number: int
    name: str
    kind: str  # picture, drawing or model
    data: bytes
    unit: Unit
    close: bool = False  # large holes of a model are closed with lids


class Stop(NamedTuple):
    """To the worker: the running request is no longer wanted."""

    number: int


class Ready(NamedTuple):
    """From the worker: it has come up, or (`trouble`) why it could not."""

    trouble: str = ""


class Progress(NamedTuple):
    """From the worker: how far it is, and what it is doing."""

    number: int
    fraction: float
    text: str


class Report(NamedTuple):
    """An answer: the kit is written; what its report says."""

    report: dict[str, Any]


class Plans(NamedTuple):
    """An answer: how the design could be cut, the best first."""

    plans: list[Plan]


class Written(NamedTuple):
    """An answer: a file is there."""

    path: str


#: What the window shows of a job, part by part.
Shown = GraphicView | BodyView | DesignView | SectionView | SectionsView | KitView
#: Whatever answers a request; its type says which part it is.
Answer = (
    Shown
    | FaceView
    | SidePlace
    | Report
    | Plans
    | Written
    | FirstView
    | WaysView
    | CurvesView
    | LayerView
    | PlanView
    | CostsView
    | RehearsalView
    | FilmView
    | BedSolids
    | MendedView
    | MendedAll
    | LyingView
)


class Result(NamedTuple):
    """From the worker: one part of an answer; `value` is None when the receiver already has it."""

    number: int
    part: str
    key: str
    value: Answer | None


class Done(NamedTuple):
    """From the worker: the request is finished."""

    number: int
    tight: bool = False  # earlier results had to be let go for want of room


class Failed(NamedTuple):
    """From the worker: the request ended early.

    `kind` is "bad input", "taken", "unit", "open", "cancelled", "crash", "hung" or "down".
    """

    number: int
    kind: str
    message: str
    detail: Any = None
