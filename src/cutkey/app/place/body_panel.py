"""The body that graphics are laid on: opened or made, and its add-ons."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu

from cutkey.app.place.addon_list import AddOnList
from cutkey.app.place.bodies_card import BodiesCard
from cutkey.app.place.wording import body_entries, body_name, feature_name
from cutkey.app.stage.picking import Hit
from cutkey.app.views.base import Desk
from cutkey.app.widgets.basics import Card, Panel, button
from cutkey.app.widgets.struct_form import StructForm
from cutkey.core.errors import BadInput
from cutkey.core.job.document import ModelBase, new_id
from cutkey.core.relief.features import AddOn, Border, Feature, Half, Hollow
from cutkey.core.solids.bases import BackingBase, CoinBase, FigureBase, MadeBase, PlateBase, PolygonBase, RingBase
from cutkey.core.solids.body_rule import BodyRule
from cutkey.core.units import format_size
from cutkey.worker.messages import Vector
from cutkey.worker.shown import FaceView


def _tr(text: str) -> str:
    return QCoreApplication.translate("BodyPanel", text)


class BodyPanel:
    """Cards and buttons of the left panel that change the body; `arm` has the next click on the stage lay an add-on."""

    def __init__(self, desk: Desk, arm: Callable[[Feature], None], pick: Callable[[str], None]) -> None:
        self._desk, self._pick = desk, pick
        self.card = Card(_tr("No model yet"), _tr("open a model or make a body"))
        self.form = StructForm(self._change_base)
        self.card.add_below(self.form)
        self.where = button(_tr("show the closed holes"), "link")
        self.where.setCheckable(True)
        self.where.clicked.connect(lambda: desk.stage.update())
        self.card.add_below(self.where)
        self.opened = button(_tr("open a model"), "add", "model", _tr("STL, OBJ, PLY or 3MF; you can also drop one"))
        self.opened.clicked.connect(lambda: desk.commands["open_model"]())
        self.make = button(_tr("make a body"), "add", "plate", _tr("A plate, coin, ring or polygon, or the graphic's own outline"))
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
        self.bodies.show_bodies(engine.body.bodies if engine.body is not None and isinstance(base, ModelBase) else ())
        size = format_size(engine.body.size, 2) + " mm" if engine.body else _tr("being made")
        if base is None:
            self.card.set_text(_tr("No model yet"), _tr("open a model or make a body"))
        elif isinstance(base, ModelBase):
            done = "".join(f"; {d}" for d in engine.body.done) if engine.body else ""
            self.card.set_text(job.source(base.source).name, f"{size}, {_tr('watertight')}{done}" if engine.body else size)
        else:
            self.card.set_text(body_name(base), size)
            self.form.show_value(base, body_entries(base))

    def _menu(self) -> QMenu:
        menu = QMenu(self.make)
        for name, make in (
            (_tr("Plate with rounded corners"), self._plate),
            (_tr("Coin, with or without a rim"), self._coin),
            (_tr("Ring"), self._ring),
            (_tr("Regular polygon"), lambda: PolygonBase(6, self._across() + 10)),
            (_tr("Backing: the graphic's outline, grown"), lambda: BackingBase(self._graphic())),
            (_tr("The graphic itself as the body"), lambda: FigureBase(self._graphic())),
        ):
            menu.addAction(name).triggered.connect(lambda _=False, make=make: self._make(make))
        return menu

    def _graphic(self) -> str:
        spec = self._desk.spec()
        if spec is None:
            raise BadInput(_tr("There is no graphic yet; open a picture on the Trace sheet first."))
        return spec.id

    def _across(self) -> float:
        view = self._desk.graphic_view()
        return float(round(math.hypot(*view.size))) if view else 60.0

    def _plate(self) -> MadeBase:
        view = self._desk.graphic_view()
        w, h = view.size if view else (70.0, 70.0)
        return PlateBase(round(w + 10), round(h + 10), 3.0, 4.0)

    def _coin(self) -> MadeBase:
        return CoinBase(self._across() + 8, 4.0, 1.2, 1.0)

    def _ring(self) -> MadeBase:
        across = self._across() + 10
        return RingBase(across, round(0.6 * across))

    def _make(self, make: Callable[[], MadeBase]) -> None:
        try:
            base = make()
        except BadInput as error:
            self._desk.message.say(str(error))
            return
        name = body_name(base).lower()
        spec = self._desk.spec()
        self._desk.commands["take_body"](_tr("make a {0}").format(name), base, lay=spec.id if spec is not None else "")

    def _decide(self, text: str, rules: tuple[BodyRule, ...]) -> None:
        base = self._desk.job.base
        if isinstance(base, ModelBase):
            self._desk.document.edit(text, replace(self._desk.job, base=replace(base, bodies=rules)))

    def _change_base(self, base: MadeBase, merge: bool) -> None:
        name = body_name(base).lower()
        self._desk.document.edit(_tr("change the {0}").format(name), replace(self._desk.job, base=base), merge)

    def add_addon(self, feature: Feature, hit: Hit) -> None:
        """Put an add-on where the model was clicked."""
        x, y, z = (float(v) for v in hit.point)
        nx, ny, nz = (float(v) for v in hit.normal)
        point, normal = (x, y, z), (nx, ny, nz)
        bare = replace(self._desk.job, addons=(), placements=(), cuts=())
        self._desk.engine.look(bare, "face", partial(self._put_addon, feature, point, normal), (point, normal))

    def _put_addon(self, feature: Feature, point: Vector, normal: Vector, face: FaceView) -> None:
        # A rim goes round the whole face, and a half is of the whole body: they have no place of their own.
        off = np.zeros(3) if isinstance(feature, Border | Hollow | Half) else np.array(point) - face.middle
        offset = (round(float(off @ face.right), 1), round(float(off @ face.up), 1))
        addon = AddOn(new_id(), feature, point, normal, offset)
        job = replace(self._desk.job, addons=(*self._desk.job.addons, addon))
        self._desk.document.edit(_tr("add {0}").format(feature_name(feature).lower()), job)
        self._pick(addon.id)

    def _change_addons(self, what: str, addons: tuple[AddOn, ...], merge: bool) -> None:
        self._desk.document.edit(what, replace(self._desk.job, addons=addons), merge)
