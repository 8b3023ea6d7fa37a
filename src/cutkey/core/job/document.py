"""The job document: one immutable tree from which everything else is computed."""

from __future__ import annotations

import uuid
from typing import Literal

import msgspec

from cutkey.core.artwork.edits import Edit
from cutkey.core.artwork.frame import Frame
from cutkey.core.colour.filament import DEFAULT_RACK, Filament
from cutkey.core.gauge.settings import Gauge
from cutkey.core.relief.features import AddOn
from cutkey.core.relief.placement import Placement, Reads
from cutkey.core.solids.bases import BackingBase, CoinBase, FigureBase, MadeBase, PlateBase, PolygonBase, RingBase
from cutkey.core.solids.body_rule import BodyRule
from cutkey.core.split.printer import Printer
from cutkey.core.split.settings import Cut, Keys, Labels
from cutkey.core.trace.settings import TraceSettings
from cutkey.core.units import Unit

__all__ = [
    "AddOn",
    "Assignment",
    "BackingBase",
    "Base",
    "CoinBase",
    "FigureBase",
    "GraphicSpec",
    "Job",
    "ModelBase",
    "PlateBase",
    "PolygonBase",
    "Reads",
    "RingBase",
    "Source",
    "new_id",
]


class Source(msgspec.Struct, frozen=True):
    """A file taken into the job; its bytes are kept beside the document under the digest."""

    digest: str
    name: str
    kind: Literal["picture", "drawing", "model"]


class GraphicSpec(msgspec.Struct, frozen=True):
    """A picture or drawing that becomes regions of a stated width."""

    id: str
    name: str
    source: str  # digest
    width_mm: float
    trace: TraceSettings = TraceSettings()
    edits: tuple[Edit, ...] = ()
    whole: bool = False  # the width is that of the whole picture, so that several graphics of one source fit one another
    frame: Frame | None = None  # what the mm of the edits meant when they were made; None takes them as they are
    reads: Reads = ""  # which way lettering in it is to read on the finished thing; "" when nobody has said


class ModelBase(msgspec.Struct, frozen=True, tag="model"):
    """An opened model as the body."""

    source: str
    unit: Unit = ""  # "" takes millimetres and asks when the size makes no sense
    close: bool = False  # large holes are closed with lids
    bodies: tuple[BodyRule, ...] = ()  # what was decided about single bodies of it


Base = ModelBase | MadeBase


class Assignment(msgspec.Struct, frozen=True):
    """A colour of the design ("body" for the model itself) and the filament it is printed with."""

    colour: str
    filament: str


class Job(msgspec.Struct, frozen=True):
    """Everything the maker decided. An edit makes a new job; nothing in it is ever changed in place."""

    name: str = "Untitled"
    sources: tuple[Source, ...] = ()
    graphics: tuple[GraphicSpec, ...] = ()
    base: Base | None = None
    addons: tuple[AddOn, ...] = ()
    placements: tuple[Placement, ...] = ()
    cuts: tuple[Cut, ...] = ()
    keys: Keys = Keys()
    labels: Labels = Labels()
    gauge: Gauge = Gauge()
    printer: Printer = Printer()
    rack: tuple[Filament, ...] = DEFAULT_RACK
    assignments: tuple[Assignment, ...] = ()
    series: str = ""  # values for {} in texts, one kit each

    def source(self, digest: str) -> Source:
        """The source with a digest."""
        return next(s for s in self.sources if s.digest == digest)

    def graphic(self, id: str) -> GraphicSpec:
        """The graphic with an id."""
        return next(g for g in self.graphics if g.id == id)

    def assigned(self, colour: str) -> str | None:
        """Name of the filament chosen for a colour, None when it is found by nearness."""
        return next((a.filament for a in self.assignments if a.colour == colour), None)


def new_id() -> str:
    """A short id for a graphic or a placement."""
    return uuid.uuid4().hex[:8]
