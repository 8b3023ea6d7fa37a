"""The body that graphics are laid on: opened or made, and its add-ons."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.place.addon_list import AddOnList
from cutkey.app.sheets.place.bodies_card import BodiesCard
from cutkey.app.stage.picking import Hit
from cutkey.app.widgets.basics import Card, Panel, button
from cutkey.app.widgets.struct_form import StructForm, said
from cutkey.core.addons.kind import Feature
from cutkey.core.bodies import all_bodies
from cutkey.core.bodies.kind import MadeBody
from cutkey.core.errors import BadInput
from cutkey.core.fields import fields_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.body_rule import BodyRule
from cutkey.core.model.job import ModelBase, new_id
from cutkey.core.units import format_size
from cutkey.worker.messages import Vector
from cutkey.worker.shown import FaceView


def _tr(text: str) -> str:
    return QCoreApplication.translate("BodyPanel", text)


class BodyPanel:
    """Cards and buttons of the left panel that change the body.

    `arm` has the next click on the stage lay an add-on.
    """

    def __init__(self, desk: Desk, arm: Callable[[Feature], None], pick: Callable[[str], None]) -> None:
        self._desk, self._pick = desk, pick
        self.card = Card(_tr("No model yet"), _tr("open a model or make a body"))
        self.form = StructForm(self._change_base)
        self.card.add_below(self.form)
        self.where = button(_tr("show the closed holes"), "link")
        self.where.setCheckable(True)
        self.where.clicked.connect(lambda: desk.stage.update())
        self.card.add_below(self.where)
        self.opened = button(
            _tr("open a model"), "add", "model", _tr("STL, OBJ, PLY or 3MF; you can also drop one")
        )
        self.opened.clicked.connect(lambda: desk.commands["open_model"]())
        self.make = button(
            _tr("make a body"),
            "add",
            "plate",
            _tr("A plate, coin, ring or polygon, or the graphic's own outline"),
        )
        self.make.setMenu(self._menu())
        self.bodies = BodiesCard(self._decide, lambda: desk.commands["refresh"]())
        self.addons = AddOnList(self._change_addons, arm, pick)

    def add_to(self, panel: Panel) -> None:
        """Put what is about the body itself on top of a panel."""
        panel.add(self.card, self.opened, self.make, self.bodies)

    def refresh(self, picked: str) -> None:
        """Show the job's body, and its add-ons, the picked one open."""
        job, engine = self._desk.job, self._desk.engine
        base = job.base
        self.form.setVisible(base is not None and not isinstance(base, ModelBase))
        self.where.setVisible(bool(engine.body and engine.body.closed))
        self.addons.setVisible(base is not None)
        self.addons.show_addons(job.addons, picked)
        self.bodies.show_bodies(
            engine.body.bodies if engine.body is not None and isinstance(base, ModelBase) else ()
        )
        size = format_size(engine.body.size, 2) + " mm" if engine.body else _tr("being made")
        if base is None:
            self.card.set_text(_tr("No model yet"), _tr("open a model or make a body"))
        elif isinstance(base, ModelBase):
            done = "".join(f"; {d}" for d in engine.body.done) if engine.body else ""
            self.card.set_text(
                job.source(base.source).name, f"{size}, {_tr('watertight')}{done}" if engine.body else size
            )
        else:
            self.card.set_text(said(base.title), size)
            self.form.show_value(base, fields_of(type(base)))

    def _menu(self) -> QMenu:
        menu = QMenu(self.make)
        for kind in all_bodies():
            menu.addAction(said(kind.offer)).triggered.connect(lambda _=False, kind=kind: self._make(kind))
        return menu

    def _make(self, kind: type[MadeBody]) -> None:
        try:
            view, spec = self._desk.graphic_view(), self._desk.spec()
            base = kind.suited(view.size if view else None, spec.id if spec else "")
        except BadInput as error:
            self._desk.message.say(said(str(error)))
            return
        name = said(base.title).lower()
        self._desk.commands["take_body"](
            _tr("make a {0}").format(name), base, lay=spec.id if spec is not None else ""
        )

    def _decide(self, text: str, rules: tuple[BodyRule, ...]) -> None:
        base = self._desk.job.base
        if isinstance(base, ModelBase):
            self._desk.document.edit(text, replace(self._desk.job, base=replace(base, bodies=rules)))

    def _change_base(self, base: MadeBody, merge: bool) -> None:
        name = said(base.title).lower()
        self._desk.document.edit(
            _tr("change the {0}").format(name), replace(self._desk.job, base=base), merge
        )

    def add_addon(self, feature: Feature, hit: Hit) -> None:
        """Put an add-on where the model was clicked."""
        x, y, z = (float(v) for v in hit.point)
        nx, ny, nz = (float(v) for v in hit.normal)
        point, normal = (x, y, z), (nx, ny, nz)
        bare = replace(self._desk.job, addons=(), placements=(), cuts=())
        self._desk.engine.look(
            bare, "face", partial(self._put_addon, feature, point, normal), (point, normal)
        )

    def _put_addon(self, feature: Feature, point: Vector, normal: Vector, face: FaceView) -> None:
        # A rim goes round the whole face, and a half is of the whole body: they have no place of their own.
        off = np.zeros(3) if feature.whole_face else np.array(point) - face.middle
        offset = (round(float(off @ face.right), 1), round(float(off @ face.up), 1))
        addon = AddOn(new_id(), feature, point, normal, offset)
        job = replace(self._desk.job, addons=(*self._desk.job.addons, addon))
        self._desk.document.edit(_tr("add {0}").format(said(feature.title).lower()), job)
        self._pick(addon.id)

    def _change_addons(self, what: str, addons: tuple[AddOn, ...], merge: bool) -> None:
        self._desk.document.edit(what, replace(self._desk.job, addons=addons), merge)
