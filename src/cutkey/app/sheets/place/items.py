"""What the Place sheet puts on the stage."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.app.engine import Engine
from cutkey.app.sheets.base import design_items
from cutkey.app.stage.item import Item
from cutkey.app.theme import theme
from cutkey.worker.shown import ModelBodyView


def place_items(engine: Engine, seen: Sequence[ModelBodyView]) -> list[Item]:
    """The design, or what there is of the model while it is opened, looked at in parts, or laid on."""
    plain = theme.colour("body").name()
    if engine.open_model is not None:
        return [Item("open model", engine.open_model.mesh, plain)]
    if seen:
        return [Item(b.name, b.mesh, b.shown or plain) for b in seen]
    if engine.design is not None:
        return design_items(engine)
    return [Item("body", engine.body.mesh, plain)] if engine.body is not None else []
