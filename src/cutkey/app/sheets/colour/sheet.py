"""Sheet 4, Colour: which filament prints what, and at which height."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QLineEdit, QMenu

from cutkey.app.engine import Question
from cutkey.app.sheets.base import Desk, Sheet, inlay_items, section_items
from cutkey.app.sheets.colour.assignment_card import AssignmentCard
from cutkey.app.sheets.colour.filament_card import FilamentCard
from cutkey.app.sheets.colour.layer_strip import LayerStrip
from cutkey.app.sheets.colour.rack_menu import RackMenu
from cutkey.app.sheets.colour.racks import Rack
from cutkey.app.sheets.colour.way_card import CostsCard, WayCard
from cutkey.app.stage.item import Item
from cutkey.app.widgets.basics import Card, Swatch, allow, button, clear, column, context_menu, label, row
from cutkey.app.widgets.struct_form import StructForm
from cutkey.app.widgets.turns import Turns
from cutkey.core.fields import fields_of
from cutkey.core.model.colouring import Cover, Rung
from cutkey.core.model.edits import change_filament
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer
from cutkey.core.units import format_mm
from cutkey.worker.shown import LayerView
from cutkey.worker.shown_kit import PlanView

#: So many cards are made at once, and in each turn of the window after that.
FIRST, MORE = 1, 2


class ColourSheet(Sheet):
    """The filament rack, the design in its filaments, the layer ladder beside it, assignments."""

    id, rank, title, tip = "colour", 40, "Colour", "Filaments and heights"
    beside = "ladder"
    fed_by = frozenset({"graphic", "sections", "kit"})
    owns = frozenset({"rack"})

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.results = (self.left,)
        self.left.set_heading(self.tr("Filament rack"))
        self.right.set_heading(self.tr("Colours of the design"))
        holder, self.rack = column()
        self.name = QLineEdit()
        self.name.setPlaceholderText(self.tr("its name"))
        self.name.setAccessibleName(self.tr("New filament"))
        self.name.setToolTip(self.tr("Its name; a colour may be typed after it: Heather PLA, #8a6fa8"))
        self.name.returnPressed.connect(self._add)
        self.colour = "#8a6fa8"  # of the next filament
        self.swatch = Swatch(self.colour, 28, round_=True)
        pick = button(self.tr("its colour…"), tip=self.tr("Choose the colour of the new filament"))
        pick.clicked.connect(self._choose_new)
        self.add = button(self.tr("put it on the rack"), "add", "spool")
        self.add.clicked.connect(self._add)
        self.new = Card(self.tr("A new filament"), "")
        self.new.add_below(self.name)
        self.new.add_below(row(self.swatch, pick, 1))
        self.new.add_below(self.add)
        self.total = label("", "small", wrap=True)
        self.picked = FilamentCard(self._change_filament, self._change_cover)
        self.layers = Card(self.tr("Layers"), "")
        self.printer = StructForm(self._change_printer)
        self.layers.add_below(self.printer)
        self.keep = button(
            self.tr("the rack…"),
            "link",
            tip=self.tr("Keep the rack for other jobs, save it, or take another"),
        )
        self.racks = RackMenu(desk, self._take)
        self.keep.setMenu(self.racks.menu(self.keep))
        self.left.add(holder, self.total, self.picked, self.new, self.keep, self.layers)
        self.left.body.addStretch(1)
        inner, self.list = column()
        self._turns = Turns(self.right, MORE)
        self.way = WayCard(desk, lambda: desk.stage.set_items(self.items()))
        self.costs = CostsCard(desk)
        self.right.add(self.way, self.costs.more, self.costs, inner)
        self.right.body.addStretch(1)
        self.layer = LayerStrip()
        self.strip = self.layer
        # the design and the layer that the compute process was asked for
        self._asked: tuple[object, int] | None = None
        self._question: Question | None = None  # the layer that was asked for
        self._tried: Question | None = None  # the plan that is being looked at
        desk.document.renewed.connect(self._forget)
        desk.ladder.layer_chosen.connect(self._choose_layer)
        desk.ladder.rung_dragged.connect(self._drag_rung)
        self.alone = ""
        self._rack_shows: object = None
        self._list_shows: object = None

    def refresh(self) -> None:
        """Show the rack and the assignments."""
        job, kit = self.desk.job, self.desk.engine.kit
        grams: dict[str, float] = {}
        for unit in kit.units if kit else []:
            for _, filament, volume, _ in unit.pieces:
                grams[filament.name] = grams.get(filament.name, 0.0) + filament.grams(volume * unit.copies)
        self.total.setText(
            self.tr("{0} g in {1} filaments, printed solid; with infill it is less.").format(
                format_mm(sum(grams.values()), 0), len(grams)
            )
            if grams
            else self.tr("What each filament prints is weighed here as soon as there is something to print.")
        )
        self._show_rack(grams if kit or job.base is None else None)
        self._show_assignments(kit.filaments if kit else {})
        self.picked.show_filament(
            next((f for f in job.rack if f.name == self.alone), None), job.colouring.cover_of(self.alone)
        )
        self.printer.show_value(job.printer, [f for f in fields_of(Printer) if f.shown])
        ladder = self.desk.ladder
        ladder.show_bands(kit, job.printer)
        heights = kit.heights if kit else None
        ladder.show_stripes(heights.stripes if heights else (), {f.name: f.colour for f in job.rack})
        self.way.refresh(heights, kit.inlays if kit else [], str(kit.trouble or "") if kit else "")
        self.costs.refresh()
        self._look_at_layer()

    def _show_rack(self, grams: Mapping[str, float] | None) -> None:
        """Cards of the rack, made anew when they show something else; without grams nobody knows them yet."""
        rack, known = self.desk.job.rack, grams is not None
        said = {n: format_mm(g, 0 if g > 10 else 1) for n, g in (grams or {}).items()}
        shows = rack, said, known, self.alone
        if shows == self._rack_shows:
            return
        self._rack_shows = shows
        clear(self.rack)
        for filament in rack:
            used = filament.name in said
            unused = self.tr("not used") if known else self.tr("not worked out yet")
            text = self.tr("{0} g if solid").format(said[filament.name]) if used else unused
            card = Card(filament.name, text, Swatch(filament.colour, 30, round_=True))
            card.set_state(picked=self.alone == filament.name)
            card.setToolTip(self.tr("Click to see this filament alone"))
            card.clicked.connect(lambda n=filament.name: self._show_alone(n))
            why = self.tr("It prints something") if used else "" if known else text
            card.context = partial(self._menu_of, filament, why)
            if not why:
                drop = button("", "flat", "bin", self.tr("Take {0} off the rack").format(filament.name))
                drop.clicked.connect(lambda _=False, f=filament: self._take_off(f))
                card.add_beside(drop)
            self.rack.addWidget(card)

    def _show_assignments(self, filaments: Mapping[str, Filament]) -> None:
        """A card for each colour, made anew when they show something else."""
        job = self.desk.job
        shows = dict(filaments), job.rack, job.assignments, job.colouring.way, job.colouring.ways
        if shows == self._list_shows:
            return
        self._list_shows = shows
        clear(self.list)
        self._turns.take((partial(self._add_assignment, *each) for each in filaments.items()), FIRST)
        if not filaments:
            text = self.tr("The colours of the placed graphics will be matched to your filaments here.")
            self.list.addWidget(label(text, "small", wrap=True))

    def _add_assignment(self, colour: str, chosen: Filament) -> None:
        self.list.addWidget(AssignmentCard(self.desk.document, colour, chosen))

    # -- layers
    def _choose_layer(self, layer: int) -> None:
        if not layer:
            # Everything is there already.
            self.desk.stage.set_items(self.items())
        self._look_at_layer()

    def _look_at_layer(self) -> None:
        """Ask for the layer under the cursor; the top one while there is none."""
        engine, ladder = self.desk.engine, self.desk.ladder
        if engine.design is None or not ladder.layers:
            self.layer.show_layer(None)
            return
        number = ladder.layer or ladder.layers
        if self._asked is not None and self._asked[0] is engine.kit and self._asked[1] == number:
            self.desk.stage.set_items(self.items())
            return
        self._asked = engine.kit, number
        if not self.pending:
            self._ask_layer()

    def _ask_layer(self, quick: bool = True) -> None:
        asked = self._asked
        assert asked is not None

        def show(view: LayerView | None) -> None:
            self._question = None
            self.layer.show_layer(view)
            if self.desk.ladder.isVisible():
                self.desk.stage.set_items(self.items())
            # Only the layer that the cursor has come to meanwhile is asked for; gaps are looked for where it
            # rests.
            if self._asked is not None and (
                self._asked is not asked or (view is not None and not view.looked)
            ):
                self._ask_layer(quick=self._asked is not asked)

        self._question = self.desk.engine.look(
            self.desk.job, f"layer {asked[1]}{' quick' if quick else ''}", show
        )

    @property
    def pending(self) -> bool:
        """Whether a layer is on its way."""
        return self.desk.engine.awaits(self._question)

    def _drag_rung(self, rung: int, below: int, done: bool) -> None:
        """A change comes after another layer: what follows is shown at once, and kept when it is let go."""
        kit, job, ladder = self.desk.engine.kit, self.desk.job, self.desk.ladder
        plan = kit.heights if kit else None
        if plan is None or rung + 1 >= len(plan.stripes):
            return
        under, over = plan.stripes[rung], plan.stripes[rung + 1]
        others = tuple(
            r for r in job.colouring.rungs if (r.under, r.filament) != (under.filament, over.filament)
        )
        new = Rung(round(ladder.top_of(below), 4), over.filament, under.filament)
        colouring = replace(job.colouring, rungs=(*others, new))
        if done:
            if below != under.last:
                self.desk.document.edit(self.tr("move a change"), replace(job, colouring=colouring))
            return
        if self.trying:
            return

        def show(found: PlanView) -> None:
            heights = found.heights
            if heights is not None:
                if heights.stripes:
                    ladder.show_stripes(heights.stripes)
                self.way.show_plan(heights)

        self._tried = self.desk.engine.look(replace(job, colouring=colouring), "plan", show)

    @property
    def trying(self) -> bool:
        """Whether a plan is being looked at."""
        return self.desk.engine.awaits(self._tried)

    def _forget(self) -> None:
        """Another job was opened: the filament that was shown alone is not of it."""
        self.alone = ""

    # -- stage
    def items(self) -> list[Item]:
        """Everything up to the layer that is looked at, or one filament with the rest as a ghost."""
        items = section_items(self.desk.engine)
        if self.way.lift.isChecked() and self.desk.engine.kit is not None and self.desk.engine.kit.inlays:
            lifted = inlay_items(
                self.desk.engine.kit,
                max(6.0, 0.06 * max(np.subtract(self.desk.engine.kit.high, self.desk.engine.kit.low))),
            )
            items = [i for i in items if not i.key.startswith("inlay ")] + lifted
        view = self.layer.view
        if self.desk.ladder.layer and view is not None:
            items = [
                i._replace(over=view.top) if view.face_down else i._replace(under=view.top) for i in items
            ]
            items += [
                Item(f"layer {n}", mesh, colour, edges=False) for n, (colour, mesh) in enumerate(view.caps)
            ]
        if not self.alone:
            return items
        colour = next((f.colour for f in self.desk.job.rack if f.name == self.alone), "")
        return [i if i.colour == colour else i._replace(opacity=0.08) for i in items]

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("There is nothing to print yet:\nput a model or a plate on the Place sheet.")

    def menu(self, p: QPointF) -> QMenu | None:
        """The filament under the mouse alone, or all of them; and where to look from."""
        hit, menu = self.desk.stage.pick(p), context_menu(self.desk.stage)
        colour = next((i.colour for i in self.desk.stage.items if hit is not None and i.key == hit.key), "")
        name = next((f.name for f in self.desk.job.rack if f.colour == colour), "")
        if name:
            text = (
                self.tr("Show everything printed")
                if self.alone == name
                else self.tr("Show {0} alone").format(name)
            )
            menu.addAction(text).triggered.connect(lambda _=False: self._show_alone(name))
            menu.addSeparator()
        self.add_looks(menu)
        return menu

    # -- edits
    def _show_alone(self, name: str) -> None:
        self.alone = "" if self.alone == name else name
        self.refresh()
        self.desk.stage.set_items(self.items())

    def leave(self) -> None:
        """Show everything again on the next visit."""
        self.alone = ""
        self.desk.ladder.show_layer(0)
        self._asked = None

    def _menu_of(self, filament: Filament, needed: str) -> QMenu:
        """What can be done with a filament of the rack; why it is needed, "" when it is not."""
        menu = context_menu(self.left)
        menu.addAction(self.tr("Show it alone")).triggered.connect(
            lambda _=False: self._show_alone(filament.name)
        )
        menu.addAction(self.tr("Another colour…")).triggered.connect(lambda _=False: self._recolour(filament))
        off = menu.addAction(self.tr("Take it off the rack"))
        allow(off, needed)
        off.triggered.connect(lambda _=False: self._take_off(filament))
        return menu

    def _ask_colour(self, colour: str, title: str) -> str:
        """A colour from the dialog, "" when it was left."""
        # Drawn by Qt itself, in the colours of the window, and the same on every desktop.
        chosen = QColorDialog.getColor(
            QColor(colour), self.left.window(), title, QColorDialog.ColorDialogOption.DontUseNativeDialog
        )
        return chosen.name() if chosen.isValid() else ""

    def _choose_new(self) -> None:
        colour = self._ask_colour(self.colour, self.tr("Colour of the new filament"))
        if colour:
            self.colour = colour
            self.swatch.set_colour(colour)

    def _recolour(self, filament: Filament) -> None:
        colour = self._ask_colour(filament.colour, self.tr("Colour of {0}").format(filament.name))
        if colour and colour != filament.colour:
            job = change_filament(self.desk.job, filament, replace(filament, colour=colour))
            self.desk.document.edit(self.tr("change the colour of {0}").format(filament.name), job)

    def _add(self) -> None:
        name, _, colour = self.name.text().rpartition(",")
        if not name or not QColor.isValidColorName(colour.strip()):
            name, colour = self.name.text(), self.colour
        name, colour = name.strip(), colour.strip().lower()
        if not name or name in [f.name for f in self.desk.job.rack]:
            self.desk.message.say(self.tr("Type a name that no filament of the rack has yet."))
            return
        self.name.clear()
        rack = (Filament(name, QColor(colour).name()), *self.desk.job.rack)
        self.desk.document.edit(
            self.tr("put {0} on the rack").format(name), replace(self.desk.job, rack=rack)
        )

    def _change_filament(self, old: Filament, new: Filament, merge: bool) -> None:
        job = self.desk.job
        if new.name != old.name and new.name in [f.name for f in job.rack]:
            self.desk.message.say(
                self.tr("Another filament of the rack is called {0} already.").format(new.name)
            )
            self.refresh()
            return
        self.alone = new.name if self.alone == old.name else self.alone
        self.desk.document.edit(self.tr("change {0}").format(old.name), change_filament(job, old, new), merge)

    def _change_cover(self, name: str, layers: int) -> None:
        job = self.desk.job
        if layers != job.colouring.cover_of(name):
            others = tuple(v for v in job.colouring.covers if v.filament != name)
            covers = others if layers == job.colouring.cover else (*others, Cover(name, layers))
            text = self.tr("layers of {0} to cover").format(name)
            self.desk.document.edit(text, replace(job, colouring=replace(job.colouring, covers=covers)), True)

    def _change_printer(self, printer: Printer, merge: bool) -> None:
        self.desk.document.edit(self.tr("change the layers"), replace(self.desk.job, printer=printer), merge)

    # -- racks
    def _take(self, text: str, rack: Rack) -> None:
        self.alone = ""
        self.desk.document.edit(text, replace(self.desk.job, rack=rack))

    def _take_off(self, filament: Filament) -> None:
        rack = tuple(f for f in self.desk.job.rack if f != filament)
        if rack:
            self.desk.document.edit(
                self.tr("take {0} off the rack").format(filament.name), replace(self.desk.job, rack=rack)
            )
