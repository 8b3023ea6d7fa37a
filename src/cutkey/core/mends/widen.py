"""Widening what a nozzle cannot draw."""

from __future__ import annotations

from cutkey.core.mends._graphic_edit import EditForLine
from cutkey.core.model.table_edits import Widen


class WidenThin(EditForLine):
    """Strokes of a graphic that are narrower than a line are made as wide as one."""

    id, label, icon = "widen", "widen what is narrow", "edit"
    edit, does = Widen, "strokes under {} mm grow into what is beside them"
