"""Everything the writers of a kit need."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.pieces import Flattened
from cutkey.core.kit.bed import Spot
from cutkey.core.model.colouring import Heights
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import KitFiles
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.spacers.setting_out import SettingOut
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.split.proofs.order import Assembly
from cutkey.core.words.kind import Words


class KitContents(NamedTuple):
    """Everything the writers need."""

    title: str
    units: Sequence[PrintUnit]
    sections: Sequence[Section]
    joints: Sequence[Joint]
    printer: Printer
    findings: Sequence[Finding]
    design_volume: float
    piece_volume: float
    clearance_volume: float
    assembly: Assembly
    hardware: Sequence[tuple[str, int]]
    setting: SettingOut | None = None
    paper: str = "A4"
    beside_volume: float = 0.0
    heights: Heights | None = None
    files: KitFiles = KitFiles()
    # names, graphics, and the curves they were flattened from
    drawings: Sequence[tuple[str, Graphic, Flattened | None]] = ()
    spots: Sequence[Spot] = ()  # where every copy lies
    hints: Sequence[Words] = ()  # for whoever slices it
