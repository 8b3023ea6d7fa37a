"""What a colour of the design is printed with, and how."""

from __future__ import annotations

from typing import get_args

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QComboBox

from cutkey.app.document import Document
from cutkey.app.widgets.basics import Card, Swatch, row
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.colour.names import plain_name
from cutkey.core.model.colouring import OwnWay, Way
from cutkey.core.model.edits import assign
from cutkey.core.model.filament import BODY, Filament
from cutkey.core.units import format_mm


def _tr(text: str) -> str:
    return QCoreApplication.translate("AssignmentCard", text)


def way_names() -> dict[Way, str]:
    """The ways of colour, as they are called."""
    names = {"bodies": _tr("as bodies"), "heights": _tr("by height"), "inlays": _tr("inlays")}
    return {way: names[way] for way in get_args(Way)}


class AssignmentCard(Card):
    """A colour: its filament, and its way where it has one of its own."""

    def __init__(self, document: Document, colour: str, chosen: Filament) -> None:
        job = document.job
        body = colour == BODY
        own = job.assigned(colour) is not None
        name = _tr("the model itself") if body else plain_name(colour)
        if body:
            text = _tr("your choice") if own else _tr("not chosen: the last filament of the rack")
        else:
            off = float(difference(rgb_of(colour), rgb_of(chosen.colour)))
            text = _tr("{0}: colour difference {1}").format(
                _tr("your choice") if own else _tr("nearest"), format_mm(off, 1)
            )
        super().__init__(name, text, Swatch(chosen.colour if body else colour, 26))
        self.subtitle.setToolTip(_tr("CIEDE2000: 1 is just visible, above 10 is another colour"))
        filament = QComboBox()
        filament.setAccessibleName(_tr("Filament for {0}").format(name))
        for f in job.rack:
            filament.addItem(f.name)
        filament.setCurrentText(chosen.name)
        filament.textActivated.connect(
            lambda n: document.edit(
                _tr("print {0} with {1}").format(name, n), assign(document.job, colour, n)
            )
        )
        self.filament, self.way = filament, QComboBox()
        if body:
            self.add_below(filament)
            return
        self.way.setAccessibleName(_tr("Way of {0}").format(name))
        self.way.setToolTip(_tr("A single colour may be printed another way than the others"))
        self.way.addItem(_tr("as the rest"), "")
        for key, called in way_names().items():
            if key != job.colouring.way:
                self.way.addItem(called, key)
        single = next((w.way for w in job.colouring.ways if w.colour == colour), "")
        self.way.setCurrentIndex(max(0, self.way.findData(single)))

        def chose(index: int) -> None:
            way = self.way.itemData(index)
            now = document.job
            rest = tuple(w for w in now.colouring.ways if w.colour != colour)
            ways = (*rest, OwnWay(colour, way)) if way else rest
            document.edit(
                _tr("print {0}: {1}").format(name, self.way.itemText(index)),
                replace(now, colouring=replace(now.colouring, ways=ways)),
            )

        self.way.activated.connect(chose)
        self.add_below(row(filament, self.way, 1))
