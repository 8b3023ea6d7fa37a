"""Giving what a nozzle cannot draw to what lies beside it."""

from __future__ import annotations

from cutkey.core.mends._graphic_edit import EditForLine
from cutkey.core.model.table_edits import JoinNarrow


class JoinThin(EditForLine):
    """Strokes of a graphic that are narrower than a line join the colour beside them."""

    id, label, icon = "join narrow", "as printable", "edit"
    edit, does = JoinNarrow, "what is narrower than {} mm joins the colour beside it, or goes"
