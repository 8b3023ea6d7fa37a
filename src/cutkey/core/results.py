"""What the steps of a job come to.

The body, graphics as they were drawn and laid, the uncut design, the kit.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.facets import Facets
from cutkey.core.geometry.graphic import Box, Graphic, Measure
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.pieces import Flattened
from cutkey.core.geometry.solid import Solid
from cutkey.core.lettering.text import Lettering
from cutkey.core.model.finding import Finding
from cutkey.core.model.frame import Frame
from cutkey.core.model.job import GraphicSpec
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import Lie
from cutkey.core.place.fit_out import Spot
from cutkey.core.place.site import Site
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.solids.model_bodies import ModelBody
from cutkey.core.spacers.setting_out import SettingOut
from cutkey.core.trace.run import Trace
from cutkey.core.words.kind import Words


class Drawn(NamedTuple):
    """A graphic ready to be placed; `trace` is None for a vector drawing."""

    spec: GraphicSpec
    graphic: Graphic
    measures: list[Measure]
    trace: Trace | None
    box: Box  # px that the width in mm was given to
    notes: tuple[Words, ...] = ()  # what of a drawing was not read as it stands
    open_lines: tuple[shapely.LineString, ...] = ()  # of a drawing, mm
    # text that is known to be text: of a drawing, or added on the table
    lettering: tuple[Lettering, ...] = ()
    frame: Frame | None = None  # what mm mean in it
    stated_mm: float | None = None  # the width that a drawing states of itself
    curves: Flattened | None = None  # that its boundaries were fitted with, mm
    told: tuple[Words, ...] = ()  # what edits did, as the maker wanted it


class Body(NamedTuple):
    """The model before any graphic."""

    solid: Solid
    mesh: Mesh
    facets: Facets
    parts: list[Part]  # the same by colour
    done: tuple[Words, ...] = ()  # what was wrong with it and what was done
    spots: tuple[Spot, ...] = ()  # the places of its add-ons
    closed: tuple[np.ndarray, ...] = ()  # rims of holes of an opened model that were closed
    lost: int = 0  # surfaces of an opened model that are nowhere in its solid
    bodies: tuple[ModelBody, ...] = ()  # of an opened model, those that were taken away too
    rebuilt: tuple[Words, ...] = ()  # what was rebuilt of an opened model
    decided: tuple[Words, ...] = ()  # what the maker did with them
    stays: float = 0.0  # volume of those that were left, mm3, where something was decided


class Placed(NamedTuple):
    """One graphic, laid once."""

    placement: Placement
    site: Site
    before: Solid
    after: list[Part]


class Design(NamedTuple):
    """The model with its graphics, uncut."""

    parts: list[Part]
    volume: float
    low: np.ndarray
    high: np.ndarray
    lies: dict[str, list[Lie]]  # by placement, how its regions came to lie
    whole: Solid  # all parts as one
    steps: list[Placed]  # what each graphic was laid on, and what was there afterwards
    numbered: tuple[int, ...] = ()  # inlays whose number stands in the floor of their pocket


class Kit(NamedTuple):
    """What is printed."""

    units: list[PrintUnit]
    findings: list[Finding]
    design_volume: float
    piece_volume: float  # all pieces with their counts
    clearance_volume: float  # sockets, gaps and labels less the loose keys that are printed
    hardware: list[tuple[str, int]]  # what is bought: rods, magnets, screws, and how many
    setting: SettingOut | None = None  # spacers of a design of loose islands
    beside_volume: float = 0.0  # mm3 of pieces that are no part of the design: the spacers
