"""The menu at a place of the model."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu

from cutkey.app.stage.picking import Hit
from cutkey.app.widgets.basics import allow, context_menu

if TYPE_CHECKING:
    from cutkey.app.sheets.place.sheet import PlaceSheet


def _tr(text: str) -> str:
    return QCoreApplication.translate("PlaceSheet", text)


def fill_menu(sheet: PlaceSheet, hit: Hit) -> QMenu:
    """What can be done at a place of the model: with what is picked, and what can be laid there."""
    desk = sheet.desk
    menu = context_menu(desk.stage)
    sheet.actions.fill_menu(menu)
    menu.addSeparator()
    here = menu.addMenu(_tr("Lay here"))
    for spec in desk.job.graphics:
        here.addAction(spec.name).triggered.connect(lambda _=False, id=spec.id: sheet.lay_at(hit, id))
    allow(here.menuAction(), "" if desk.job.graphics else _tr("There is no graphic yet"))
    sheet.body.addons.fill_kinds(
        menu.addMenu(_tr("Add here")), lambda feature: sheet.body.add_addon(feature, hit)
    )
    menu.addSeparator()
    menu.addAction(_tr("Square on: whole face")).triggered.connect(lambda _=False: desk.face.show_all())
    menu.addAction(_tr("Square on: what is picked")).triggered.connect(
        lambda _=False: desk.face.show_picked()
    )
    return menu
