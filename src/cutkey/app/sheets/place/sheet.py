"""Sheet 2, Place: graphics and add-ons on the faces of the model."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import QApplication, QComboBox, QMenu

from cutkey.app.arrows import arrow_of
from cutkey.app.hands.hands import Posed
from cutkey.app.hands.on_surface import on_surface
from cutkey.app.hands.picked_on import thing_at
from cutkey.app.hands.stage_hands import StageHands
from cutkey.app.hands.stage_marks import paint_outlines, paint_plane, paint_rims
from cutkey.app.hands.things import Face, Stock, Thing, same_face, things_on
from cutkey.app.sheets.base import Desk, Sheet
from cutkey.app.sheets.place.body_panel import BodyPanel
from cutkey.app.sheets.place.depth_strip import DepthStrip
from cutkey.app.sheets.place.graphic_cards import GraphicCards
from cutkey.app.sheets.place.graphic_fields import GraphicFields
from cutkey.app.sheets.place.items import place_items
from cutkey.app.sheets.place.laying import Laying
from cutkey.app.sheets.place.menu import fill_menu
from cutkey.app.sheets.place.thing_actions import SeveralCard, ThingActions
from cutkey.app.stage.item import Item
from cutkey.app.stage.picking import Hit
from cutkey.app.widgets.basics import Panel, allow, button, label
from cutkey.core.addons.kind import Feature
from cutkey.core.model.changes import Change
from cutkey.core.model.edits import place
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, DepthMode, Placement
from cutkey.worker.shown import FaceView, PlacedView, SectionLine


class PlaceSheet(Sheet):
    """The model and what lies on it; one face square on; the depth strip."""

    id, rank, title, tip = "place", 20, "Place", "Graphics on the model, and how deep"
    beside = "face"
    fed_by = frozenset({"graphic", "body", "design", "section"})
    owns, also = frozenset({"body", "placement", "addon"}), frozenset({"graphic"})

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.left.set_heading(self.tr("On this model"))
        self.right.set_heading(self.tr("Graphic"))
        self._line: SectionLine | None = None  # where the user has dragged the section to
        self._last_face: PlacedView | None = None
        self._stock = Stock()
        self.actions = ThingActions(desk, desk.face.hands, self.pick)
        self.on_stage = StageHands(desk.stage, self._posed)
        self._build_left(self.left)
        self._build_right(self.right)
        self.depth_strip = DepthStrip()
        self.strip = self.depth_strip
        desk.face.posed.connect(self._posed)
        desk.face.picked.connect(self.pick)
        desk.face.cut.connect(self._cut)
        desk.face.menu = self._menu_at
        desk.document.renewed.connect(self._forget)

    def _forget(self) -> None:
        """Another job was opened: nothing of the one before is looked at."""
        self._last_face = self._line = None
        self.body.bodies.hidden.clear()

    @property
    def part(self) -> str:
        """What the sheet shows of what is computed."""
        return "design"

    # -- panels
    def _build_left(self, panel: Panel) -> None:
        self.body = BodyPanel(self.desk, self._arm_addon, lambda id: self.pick((id,) if id else ()))
        self.body.add_to(panel)
        self.cards = GraphicCards(self.desk, self.actions, self.pick)
        self.which = QComboBox()
        self.which.setAccessibleName(self.tr("Graphic to place"))
        self.add = button(
            self.tr("lay it on a face"),
            "add",
            "face",
            self.tr("Then click the face on the stage, or choose a side"),
        )
        self.add.clicked.connect(self._arm)
        self.hint = Laying(self.desk)
        self.fields = GraphicFields(self.desk, self.placement, self._reach_for)
        panel.add(self.cards, self.fields.where, self.which, self.add, self.hint, self.body.addons)
        panel.body.addStretch(1)

    def _build_right(self, panel: Panel) -> None:
        self.several = SeveralCard(self.actions)
        self.remove = button(self.tr("take it off the model"), "link")
        self.remove.clicked.connect(self._remove)
        self.nothing = label(
            self.tr("Lay a graphic on a face: its width, place and depth are set here."), "small", wrap=True
        )
        panel.add(self.several, self.nothing, self.fields, self.remove)
        panel.body.addStretch(1)

    def placement(self) -> Placement | None:
        """The picked placement, else the first."""
        placements = self.desk.job.placements
        first = placements[0] if placements else None
        return next((p for p in placements if p.id == self.desk.placement), first)

    def face(self) -> PlacedView | None:
        """The face of the picked placement."""
        placement, design = self.placement(), self.desk.engine.design
        if placement is None or design is None:
            return None
        return next((f for f in design.placed if f.placement == placement.id), None)

    def shown_face(self) -> tuple[Face | None, str]:
        """The face that is drawn square on, and the thing its dimensions are of.

        An add-on picked last, else the graphic.
        """
        body = self.desk.engine.body
        last = self.desk.picked[-1] if self.desk.picked else ""
        addon = next((a for a in body.addons if a.id == last), None) if body is not None else None
        face = self.face()
        if addon is not None:
            # On the face of the graphic the view stays as it is.
            return face if face is not None and same_face(face, addon) else addon, addon.id
        if face is None and self.placement() is None and body is not None and body.addons:
            return body.addons[0], body.addons[0].id
        if face is None and self.placement() is not None and self.desk.engine.busy:
            # What was laid just now has no face yet: the one before stays until it has.
            return self._last_face, ""
        self._last_face = face
        return face, face.placement if face is not None else ""

    def refresh(self) -> None:
        """Show the model and what is picked on it."""
        job = self.desk.job
        there = {*(p.id for p in job.placements), *(a.id for a in job.addons)}
        self.desk.picked = tuple(i for i in self.desk.picked if i in there)
        self.body.refresh(next((i for i in self.desk.picked if any(a.id == i for a in job.addons)), ""))
        names = [(g.name, g.id) for g in job.graphics]
        if names != [(self.which.itemText(k), self.which.itemData(k)) for k in range(self.which.count())]:
            self.which.clear()
            for name, id in names:
                self.which.addItem(name, id)
        spec = self.desk.spec()
        if spec is not None:
            self.which.setCurrentIndex(self.which.findData(spec.id))
        allow(self.add, self._why_not())
        self.which.setVisible(len(job.graphics) > 1)
        self.cards.show_graphics(self.placement())
        self._show_fields()
        self._show_face()

    def _why_not(self) -> str:
        """Why nothing can be laid yet."""
        if not self.desk.job.graphics:
            return self.tr("There is no graphic yet: open a picture on the Trace sheet")
        return self.tr("There is no model yet: open one or make a body") if self.desk.job.base is None else ""

    def _show_face(self) -> None:
        engine, placement = self.desk.engine, self.placement()
        face, main = self.shown_face()
        things: list[Thing] = []
        if face is not None:
            placed = engine.design.placed if engine.design is not None else []
            things = things_on(
                face, self.desk.job, placed, engine.body, engine.graphics, self._printed(), self._stock
            )
        margin = placement.margin if placement is not None and placement.id == main else 0.0
        self.desk.face.show_things(face, things, self.desk.picked, main, margin)
        self.on_stage.show(face, self.desk.face.hands, margin)
        self.several.show_count(len(self.desk.face.hands.mine()))
        view = engine.graphics.get(placement.graphic) if placement is not None else None
        colours = [c for c, _ in view.regions] if view is not None else []
        self.depth_strip.show_section(self._cut_face(), placement, self.desk.job.printer.layer, colours)

    def _cut_face(self) -> PlacedView | None:
        """The face of the picked placement with the section where the user has it."""
        face, cut = self.face(), self.desk.engine.section
        if face is None or cut is None or cut.line.placement != face.placement or self._line != cut.line:
            return face
        return face._replace(section=cut.section, floor=cut.floor)

    def _cut(self, x: float, y: float, angle: float) -> None:
        """Take the section along another line; through the middle when it was put back there."""
        placement = self.placement()
        if placement is None:
            return
        middle = (x, y, angle) == (*placement.offset, 0.0)
        self._line = None if middle else SectionLine(placement.id, x, y, angle)
        self.desk.engine.cut_along(self._line)
        self.refresh()

    def _printed(self) -> dict[str, str]:
        design = self.desk.engine.design
        return {colour: printed for colour, printed, _ in design.parts} if design else {}

    def _show_fields(self) -> None:
        placement = self.placement()
        for w in (self.fields, self.fields.where, self.remove):
            w.setVisible(placement is not None)
        self.nothing.setVisible(placement is None)
        if placement is None:
            self.right.set_heading(self.tr("Graphic"))
            return
        self.right.set_heading(self.desk.job.graphic(placement.graphic).name)
        self.fields.show_placement(placement, self.face())

    # -- stage
    def items(self) -> list[Item]:
        """The design, or the bare model while it is being placed."""
        return place_items(self.desk.engine, self.body.bodies.seen())

    def pickable(self) -> list[Item]:
        """The bare body, also where graphics cover it; what is drawn while some of its bodies are hidden."""
        body = self.desk.engine.body
        if body is None or self.body.bodies.seen():
            return []
        return [Item("body", body.mesh, "#000000")]

    def show_change(self, change: Change) -> None:
        """Pick the placement."""
        if change.part == "placement":
            self.desk.placement = change.id

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("Drop a model here, open one,\nor make a plate with the button on the left.")

    def paint(self, painter: QPainter) -> None:
        """The cutting plane of the depth strip, what is picked and its handles.

        Of a model with holes, their rims.
        """
        engine, stage, square_on = self.desk.engine, self.desk.stage, self.desk.face
        if engine.open_model is not None:
            paint_rims(painter, stage, engine.open_model.rims)
            return
        if engine.body is not None and self.body.where.isChecked():
            paint_rims(painter, stage, engine.body.closed)
        face = self.face()
        shown, _ = self.shown_face()
        if face is not None and shown is face:
            paint_plane(painter, stage, face, square_on.line(), square_on.graphic_box().width())
        if shown is not None and (engine.busy or self.on_stage.hands.hold or square_on.hands.hold):
            held = [o for t in self.on_stage.hands.preview() for o in t.outlines()]
            paint_outlines(painter, stage, shown, held or square_on.placed_outlines())
        if self.desk.picked:
            self.on_stage.paint(painter)

    def grab(self, p: QPointF) -> Callable[[QPointF, bool], None] | None:
        """Take hold of what is picked."""
        return None if self.hint.armed else self.on_stage.grab(p)

    def click(self, hit: Hit | None) -> None:
        """Lay the armed thing where the model was clicked, or pick what was laid there.

        With Shift, that too.
        """
        if hit is not None and self.hint.take(hit):
            return
        found = thing_at(self.desk.engine, self.desk.job, hit, self._stock) if hit is not None else ""
        more = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        if not more:
            self.pick((found,) if found else ())
        elif found:
            kept = tuple(i for i in self.desk.picked if i != found)
            self.pick(kept if found in self.desk.picked else (*kept, found))

    def menu(self, p: QPointF) -> QMenu | None:
        """What can be done where the stage was clicked."""
        hit = self.desk.stage.pick(p)
        if hit is None or self.desk.job.base is None:
            return super().menu(p)
        found = thing_at(self.desk.engine, self.desk.job, hit, self._stock)
        if found and found not in self.desk.picked:
            self.pick((found,))
        return fill_menu(self, hit)

    def _menu_at(self, at: tuple[float, float], id: str) -> QMenu | None:
        """What can be done at a place of the square-on view."""
        face, _ = self.shown_face()
        if face is None:
            return None
        if id and id not in self.desk.picked:
            self.pick((id,))
        point = on_surface(face, np.array([at]), 0.0)[0]
        hit = Hit("face", point, face.normal)
        return fill_menu(self, hit)

    def key(self, event: QKeyEvent) -> bool:
        """Esc disarms and lets go, Delete takes off, arrows nudge, Ctrl+A picks everything on the face."""
        k = Qt.Key
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() == k.Key_Escape and self.hint.armed:
            self.leave()
            return True
        if event.key() == k.Key_Escape and self.desk.picked:
            self.pick(())
            return True
        if event.key() == k.Key_Delete and self.actions.ids():
            self.actions.remove()
            return True
        if control and event.key() == k.Key_A:
            self.pick(tuple(t.id for t in self.desk.face.hands.things))
            return True
        if not control and arrow_of(event.key()) is not None:
            self.desk.face.keyPressEvent(event)
            return True
        return False

    def copy(self) -> bool:
        """Put what is picked on the clipboard."""
        self.actions.copy()
        return bool(self.actions.ids())

    def paste(self, part: Job) -> None:
        """Lay what was on the clipboard on this model."""
        self.actions.paste(part)

    def double(self) -> bool:
        """Lay what is picked once more."""
        self.actions.double()
        return bool(self.actions.ids())

    def leave(self) -> None:
        """End laying."""
        self.hint.leave()

    # -- edits
    def _arm(self) -> None:
        graphic = self.which.currentData()
        if graphic:
            self.hint.ask(
                partial(self._lay, graphic),
                self.tr("Click a face of the model, or choose a side. Esc leaves it."),
            )

    def _arm_addon(self, feature: Feature) -> None:
        self.hint.ask(
            partial(self.body.add_addon, feature),
            self.tr("Click a face of the model, or choose a side. Esc leaves it."),
        )

    def _reach_for(self, colour: str) -> None:
        """Ask for the place that a colour is to reach."""
        text = self.tr("Click what it is to reach: higher raises it, lower sinks it. Esc leaves it.")
        self.hint.ask(partial(self._reach, colour), text, sides=False)

    def _reach(self, colour: str, hit: Hit) -> None:
        face = self.face()
        if face is None:
            return
        height = round(float((hit.point - face.origin) @ face.normal), 3)
        old = self.placement()
        kept = old is not None and old.depth_of(colour).mode == "flush"
        mode: DepthMode = "raised" if height > 0 else "flush" if kept else "recessed"
        self.fields.set_depth(colour, mode, abs(height), False)

    def _lay(self, graphic: str, hit: Hit, there: bool = False) -> None:
        """Lay a graphic on the face that was clicked.

        In its middle, or where it was clicked: when that is wanted, and where the middle is a hole.
        """
        if graphic not in {g.id for g in self.desk.job.graphics}:
            # It was taken back while its place was looked for.
            return
        where = _three(hit.point), _three(hit.normal)

        def known(face: FaceView) -> None:
            x, y = face.free if face.flat else (0.0, 0.0)
            at = round(x, 1), round(y, 1)
            if face.flat and not hit.named and (there or at != (0.0, 0.0)):
                off = hit.point - face.middle
                at = round(float(off @ face.right), 1), round(float(off @ face.up), 1)
            self._put(graphic, hit, at)

        self.desk.engine.look(self.desk.job, f"face {graphic}", known, where)

    def _put(self, graphic: str, hit: Hit, offset: tuple[float, float]) -> None:
        if graphic not in {g.id for g in self.desk.job.graphics}:
            return
        depth = Depth("raised", round(4 * self.desk.job.printer.layer, 3))
        where = _three(hit.point), _three(hit.normal)
        job, placement = place(self.desk.job, graphic, *where, depth, offset)
        self.desk.placement = placement.id
        name = job.graphic(graphic).name
        self.desk.document.edit(self.tr("lay {0} on the model").format(name), job)

    def lay_at(self, hit: Hit, graphic: str) -> None:
        """Lay a graphic with its middle where the mouse was."""
        self._lay(graphic, hit, there=True)

    def pick(self, ids: tuple[str, ...]) -> None:
        """Pick things on the model."""
        self.desk.picked = tuple(ids)
        graphics = [i for i in ids if any(p.id == i for p in self.desk.job.placements)]
        if graphics and self.desk.placement != graphics[-1]:
            self.desk.placement = graphics[-1]
            self._line = None
            self.desk.face.set_line(None)
        self.refresh()
        self.desk.stage.update()

    def _posed(self, wanted: Sequence[Posed], done: bool) -> None:
        self.actions.pose(wanted, True)

    def _remove(self) -> None:
        placement = self.placement()
        if placement is not None:
            self.desk.picked = (placement.id,)
            self.actions.remove()


def _three(v: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in v)
    return x, y, z
