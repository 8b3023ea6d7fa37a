"""What every sheet has: a panel left and right, a strip below, and hands on the drawing in the middle."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

import numpy as np
from PySide6.QtCore import QObject, QPointF
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import QMenu, QWidget

from cutkey.app.document import Document
from cutkey.app.engine import Engine
from cutkey.app.face.face_view import FaceView
from cutkey.app.sizing import Sizing
from cutkey.app.stage.item import Item
from cutkey.app.stage.stage import Stage
from cutkey.app.swapping import Swapping
from cutkey.app.table.light_table import LightTable
from cutkey.app.widgets.basics import Panel, context_menu
from cutkey.app.widgets.film import Film
from cutkey.app.widgets.layer_ladder import LayerLadder
from cutkey.app.widgets.message_strip import MessageStrip
from cutkey.core.model.changes import Change
from cutkey.core.model.job import GraphicSpec, Job
from cutkey.core.split.proofs.order import shifts_apart
from cutkey.worker.shown import GraphicView
from cutkey.worker.shown_kit import KitView, SectionsView


@dataclass
class Desk:
    """What the sheets share. Which graphic or placement is picked is of the window, not of the job."""

    document: Document
    engine: Engine
    table: LightTable
    stage: Stage
    face: FaceView
    ladder: LayerLadder
    film: Film
    message: MessageStrip
    swapping: Swapping
    sizing: Sizing
    commands: dict[str, Callable[..., Any]] = field(default_factory=dict)
    graphic: str = ""
    placement: str = ""  # whose fields are shown
    picked: tuple[str, ...] = ()  # what is picked on the model, placements and add-ons, the last one last

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self.document.job

    def spec(self) -> GraphicSpec | None:
        """The picked graphic, else the first."""
        graphics = self.job.graphics
        return next((g for g in graphics if g.id == self.graphic), graphics[0] if graphics else None)

    def graphic_view(self) -> GraphicView | None:
        """What the worker made of the picked graphic."""
        spec = self.spec()
        return self.engine.graphics.get(spec.id) if spec else None


#: The key, with Ctrl, of the first of them.
LOOK_KEY = 7
#: Named directions of the stage: turn and tilt, degrees, as the keys Ctrl+7 to 9 take them.
LOOKS = (("Look from above", 0, 90), ("Look from the front", 0, 0), ("Look at an angle", -28, 52))


class Sheet(QObject):
    """One sheet."""

    #: What it is called by the program, its place among the tabs, what stands on its tab and what that says.
    id: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    title: ClassVar[str] = ""
    tip: ClassVar[str] = ""
    #: What it is drawn on, and which drawing stands beside the stage.
    centre: ClassVar[Literal["table", "stage"]] = "stage"
    beside: ClassVar[Literal["", "face", "ladder", "film"]] = ""
    #: Answers of the compute process after which it is shown anew.
    fed_by: ClassVar[frozenset[str]] = frozenset()
    #: Parts of the job that are changed here, and such that can be changed here as well as elsewhere.
    owns: ClassVar[frozenset[str]] = frozenset()
    also: ClassVar[frozenset[str]] = frozenset()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.left, self.right = Panel(), Panel()
        self.strip: QWidget = QWidget()
        self.results: tuple[Panel, ...] = ()  # panels that show what was computed

    @property
    def part(self) -> str:
        """What the sheet shows of what is computed."""
        return "kit"

    def refresh(self) -> None:
        """Show the job and the results as they are now."""

    def items(self) -> list[Item]:
        """Bodies for the stage."""
        return []

    def empty_text(self) -> str:
        """What the stage says while there is nothing on it."""
        return ""

    def pickable(self) -> list[Item]:
        """What can be picked on the stage though it is not drawn.

        Nothing when everything drawn can be picked.
        """
        return []

    def offers(self) -> dict[str, Callable[..., Any]]:
        """What it does for others, by name."""
        return {}

    def show_change(self, change: Change) -> None:
        """Pick what was changed, after undo and redo."""

    @property
    def waiting(self) -> int:
        """How much on it waits to be looked at, for its tab."""
        return 0

    def paint(self, painter: QPainter) -> None:
        """Draw on top of the stage."""

    def grab(self, p: QPointF) -> Callable[[QPointF, bool], None] | None:
        """A function that follows the drag of a handle at a widget place, None when there is none."""
        return None

    def click(self, hit: Any) -> None:
        """A click on the stage."""

    def make_room(self, width: int) -> None:
        """Show more in a wide window, px."""

    def menu(self, p: QPointF) -> QMenu | None:
        """What can be done at a widget place of the stage.

        On every sheet it can be looked at from a few sides.
        """
        menu = context_menu(self.desk.stage)
        self.add_looks(menu)
        return menu

    def add_looks(self, menu: QMenu) -> None:
        """Entries that turn the stage."""
        stage = self.desk.stage
        menu.addAction(self.tr("Show everything\tCtrl+0")).triggered.connect(lambda _=False: stage.fit())
        for text, turn, tilt in LOOKS:
            menu.addAction(self.tr(text)).triggered.connect(
                lambda _=False, turn=turn, tilt=tilt: stage.look(turn, tilt)
            )

    def copy(self) -> bool:
        """Put what is picked on the clipboard; False when nothing is."""
        return False

    def paste(self, part: Job) -> None:
        """Take in a part of a job that was on the clipboard."""

    def double(self) -> bool:
        """Make what is picked once more; False when nothing is."""
        return False

    def key(self, event: QKeyEvent) -> bool:
        """A key nobody else wanted; True when it was used."""
        return False

    def leave(self) -> None:
        """Another sheet is opened."""


def design_items(engine: Engine) -> list[Item]:
    """The uncut design in the colours of its filaments."""
    return (
        [Item(f"design {c}", mesh, printed) for c, printed, mesh in engine.design.parts]
        if engine.design
        else []
    )


def section_items(engine: Engine, share: float = 0.0, apart: float = 0.0) -> list[Item]:
    """Sections of the kit in place, or with a share of their assembly undone.

    `apart` mm lie between what a step joins.
    """
    kit, nearest = engine.kit, engine.nearest
    if nearest == "sections" and engine.sections is not None:
        return _bare_items(engine.sections, share * apart)
    if nearest == "design":
        return design_items(engine)
    if kit is None:
        return []
    units = [u for u in kit.units if not u.is_key]
    shifts = shifts_apart(len(units), kit.assembly, share, apart)
    out = []
    for unit, shift in zip(units, shifts.tolist(), strict=True):
        out += [
            Item(name, mesh, filament.colour, (shift[0], shift[1], shift[2]))
            for name, filament, _, mesh in unit.pieces
        ]
    # Inlays lie in the pockets of sections that stand together.
    return out if share else [*out, *inlay_items(kit)]


def inlay_items(kit: KitView, apart: float = 0.0) -> list[Item]:
    """Loose inlays in their pockets, or so many mm out of them."""
    return [
        Item(f"inlay {i.number}", i.mesh, i.colour, (apart * i.out[0], apart * i.out[1], apart * i.out[2]))
        for i in kit.inlays
    ]


def _bare_items(view: SectionsView, apart: float) -> list[Item]:
    """Sections whose keys are still being set.

    Nothing is known yet of how they go together, so they are drawn apart by their cells.
    """
    cells = np.array([s.cell for s in view.sections], float)
    shifts = ((cells - cells.mean(0)) * apart).tolist()
    return [
        Item(f"{section.name} {n}", mesh, colour, (x, y, z))
        for section, (x, y, z) in zip(view.sections, shifts, strict=True)
        for n, (colour, mesh) in enumerate(section.parts)
    ]
