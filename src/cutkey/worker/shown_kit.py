"""What the window is shown of a kit: sections, joints, beds, plans and costs."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.keys.kind import Key
from cutkey.core.kit.bed import Spot
from cutkey.core.model.colouring import Cost, Heights, Offer
from cutkey.core.model.cuts import JointKeys, Keys, Word
from cutkey.core.model.filament import Filament
from cutkey.core.model.finding import Finding
from cutkey.core.split.plane import Plane
from cutkey.core.split.proofs.order import Assembly
from cutkey.core.words.kind import Words
from cutkey.worker.shown import (
    InlayView,
    MeshView,
    Rings,
)


class SideView(NamedTuple):
    """A side that a section can be printed on."""

    down: tuple[float, float, float]  # out of it, in the design
    name: str
    reasons: list[Words]
    good: bool


class LiesView(NamedTuple):
    """How a section lies on the bed, and how else it could."""

    sides: list[SideView]  # the best first
    chosen: int
    by_hand: bool
    fixed: str  # why it cannot be laid otherwise, "" when it can


class UnitView(NamedTuple):
    """A section, or a key, with its pieces in the assembled place (a key at the origin)."""

    name: str
    is_key: bool
    copies: int
    low: tuple[float, float, float]
    size: tuple[float, float, float]
    pieces: list[tuple[str, Filament, float, MeshView]]  # name, filament, volume mm3, mesh
    outline: Rings  # as it lies, seen from above, from the lower corner
    on_bed: tuple[float, float, float]  # size as it lies
    lies: LiesView | None  # None for what is no section


class JointView(NamedTuple):
    """Two sections that meet."""

    cut: int
    letter: str
    sections: tuple[str, str]
    numbers: tuple[int, int]
    plane: Plane
    face: Rings  # where they meet, in plane coordinates
    area: float  # mm2 to glue
    keys: tuple[Key, ...]
    footprints: list[Rings]  # of each key on the face
    # of each key along its length: sockets, printed on (which side), loose
    cuts_through: list[tuple[Rings, Rings, int, Rings]]
    note: Words | None
    by_hand: bool
    settings: Keys
    own: JointKeys | None  # where they differ from the cut's
    place: tuple[float, float]  # on its face
    labels: list[tuple[str, Rings]]  # writing on the near face, in plane coordinates
    one_way: bool

    @property
    def name(self) -> str:
        """For example ``A1|B1``."""
        return "|".join(self.sections)


class LooseView(NamedTuple):
    """A loose key in its place."""

    joint: int
    name: str
    colour: str
    mesh: MeshView


class CutView(NamedTuple):
    """A cut: its plane, and what speaks for it and against it."""

    letter: str
    plane: Plane
    words: list[Word]


class SettingView(NamedTuple):
    """Islands of a design and the spacers between them, seen from the front."""

    islands: list[tuple[str, Rings, tuple[float, float]]]  # name, outline, a place inside
    # number, outline, its peg, the piece in its place
    pieces: list[tuple[int, Rings, tuple[float, float], MeshView]]
    free: list[str]
    order: list[tuple[str, tuple[int, ...]]]


class BareSection(NamedTuple):
    """A section without its keys."""

    name: str
    cell: tuple[int, int, int]
    low: tuple[float, float, float]
    size: tuple[float, float, float]
    parts: list[tuple[str, MeshView]]  # filament colour


class SectionsView(NamedTuple):
    """What new cuts make of the design, shown until its keys and findings are there too."""

    sections: list[BareSection]
    low: tuple[float, float, float]
    high: tuple[float, float, float]


class KitView(NamedTuple):
    """Everything the Split, Colour and Proof sheets show."""

    units: list[UnitView]
    cuts: list[CutView]
    joints: list[JointView]
    loose: list[LooseView]
    assembly: Assembly
    pairs: int  # of cut faces that were tried against each other
    hardware: list[tuple[str, int]]
    findings: list[Finding]
    spots: list[Spot]
    filaments: dict[str, Filament]
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    design_volume: float
    clearance_volume: float
    heights: Heights | None  # the plan by height
    inlays: list[InlayView]
    trouble: Words | None  # why there are none, when they are wanted
    bands: list[tuple[str, float, float]]  # filament colour, lowest and highest z, mm
    setting: SettingView | None
    islands: int  # separate bodies of the design


class PlanView(NamedTuple):
    """A plan of changes by height that is being tried."""

    heights: Heights | None


class CostsView(NamedTuple):
    """What each way of colour would cost, and what makes do with the filaments that can be loaded."""

    costs: list[Cost]
    offers: list[Offer]
