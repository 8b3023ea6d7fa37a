"""Are the bodies watertight as they will be written?"""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import signed_volume, strangers_edges
from cutkey.core.model.finding import Finding
from cutkey.core.printing.piece import Piece, all_pieces
from cutkey.core.words import building as say


def check_watertight(pieces: Sequence[Piece]) -> list[Finding]:
    """Each body's mesh must close and enclose a volume.

    Rounded as in the file and welded by position as a stranger reads it.
    """
    bad = []
    for piece in pieces:
        n, volume = strangers_edges(piece.mesh), signed_volume(piece.mesh)
        if n or volume <= 0:
            says = say.open_edges(n) if n else say.inside_out(volume)
            bad.append(Finding("watertight", "stop", says, piece.name, float(n), 0.0, "edges"))
    if bad:
        return bad
    return [Finding("watertight", "sound", say.watertight(len(pieces)), figure=0, limit=0, unit="edges")]


@check(20)
def pieces_close(c: Context) -> list[Finding]:
    """Every piece is watertight as it will be written."""
    return check_watertight(all_pieces(c.kit.units))
