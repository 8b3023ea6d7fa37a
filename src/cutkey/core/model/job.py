"""The job document: one immutable tree from which everything else is computed."""

from __future__ import annotations

import uuid
from typing import TYPE_CHECKING, Annotated, Literal

import msgspec

from cutkey.core.bodies import all_bodies
from cutkey.core.bodies.kind import MadeBody
from cutkey.core.fields import size
from cutkey.core.kinds import one_of
from cutkey.core.model.accepted import Accepted
from cutkey.core.model.addon import AddOn
from cutkey.core.model.body_rule import BodyRule
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.filament import DEFAULT_RACK, Filament
from cutkey.core.model.frame import Frame
from cutkey.core.model.lying import Lay, Put
from cutkey.core.model.placement import Placement, Reads
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.core.model.table_edits import Edit
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.units import Unit


class Source(msgspec.Struct, frozen=True):
    """A file taken into the job; its bytes are kept beside the document under the digest."""

    digest: str
    name: str
    kind: Literal["picture", "drawing", "model", "font"]


class GraphicSpec(msgspec.Struct, frozen=True):
    """A picture or drawing that becomes regions of a stated width."""

    id: str
    name: str
    source: str  # digest
    width_mm: Annotated[float, size()]
    trace: TraceSettings = TraceSettings()
    edits: tuple[Edit, ...] = ()
    # the width is that of the whole picture, so that several graphics of one source fit one another
    whole: bool = False
    # what the mm of the edits meant when they were made; None takes them as they are
    frame: Frame | None = None
    reads: Reads = ""  # which way lettering in it is to read on the finished thing; "" when nobody has said


class ModelBase(msgspec.Struct, frozen=True, tag="model"):
    """An opened model as the body."""

    source: str
    unit: Unit = ""  # "" takes millimetres and asks when the size makes no sense
    close: bool = False  # large holes are closed with lids
    rebuild: bool = False  # where its surface crosses itself it is rebuilt
    bodies: tuple[BodyRule, ...] = ()  # what was decided about single bodies of it


if TYPE_CHECKING:
    Base = ModelBase | MadeBody
else:
    Base = one_of((ModelBase, *all_bodies()))


class Assignment(msgspec.Struct, frozen=True):
    """A colour of the design ("body" for the model itself) and the filament it is printed with."""

    colour: str
    filament: str


class KitFiles(msgspec.Struct, frozen=True):
    """What is written beside the 3MF, the STL files and the sheet."""

    beds: bool = False  # a 3MF for each bed load too
    drawings: bool = True  # SVG and DXF of the graphics and of the faces at joints
    obj: bool = False  # an OBJ a piece too
    paper: Literal["A4", "Letter"] = "A4"  # of the sheets and of the template at 1:1


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
    colouring: Colouring = Colouring()
    accepted: tuple[Accepted, ...] = ()  # findings that were looked at and left as they are
    files: KitFiles = KitFiles()
    lays: tuple[Lay, ...] = ()  # sections whose side on the bed the maker chose
    puts: tuple[Put, ...] = ()  # copies of units whose place on a bed the maker chose
    series: str = ""  # values for {} in texts, one kit each

    def source(self, digest: str) -> Source:
        """The source with a digest."""
        return next(s for s in self.sources if s.digest == digest)

    def font(self, name: str) -> Source | None:
        """A font that the job holds, None when it does not."""
        return next((s for s in self.sources if s.kind == "font" and s.name == name), None)

    def graphic(self, id: str) -> GraphicSpec:
        """The graphic with an id."""
        return next(g for g in self.graphics if g.id == id)

    def assigned(self, colour: str) -> str | None:
        """Name of the filament chosen for a colour, None when it is found by nearness."""
        return next((a.filament for a in self.assignments if a.colour == colour), None)


def new_id() -> str:
    """A short id for a graphic or a placement."""
    return uuid.uuid4().hex[:8]
