"""Are the bodies watertight as they will be written?"""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.mesh import edge_faults, signed_volume
from cutkey.core.model.finding import Finding
from cutkey.core.printing.piece import Piece, all_pieces
from cutkey.core.words import building as say


def check_watertight(pieces: Sequence[Piece]) -> list[Finding]:
    """Each body's mesh must close and enclose a volume.

    Rounded as in the file and welded by position as a stranger reads it.
    """
    bad = []
    for piece in pieces:
        faults, volume = edge_faults(piece.mesh), signed_volume(piece.mesh)
        if faults.open or volume <= 0:
            says = say.open_edges(faults.open) if faults.open else say.inside_out(volume)
            bad.append(Finding("watertight", "stop", says, piece.name, float(faults.open), 0.0, "edges"))
        elif faults.touching:
            bad.append(touching(faults.touching, piece.name))
    if bad:
        return bad
    return [Finding("watertight", "sound", say.watertight(len(pieces)), figure=0, limit=0, unit="edges")]


def touching(edges: int, name: str) -> Finding:
    """The finding on a body that is closed, but touches itself or another along edges."""
    says = say.touching_edges(edges)
    return Finding("watertight", "look at", says, name, float(edges), 0.0, "edges")


@check(20)
def pieces_close(c: Context) -> list[Finding]:
    """Every piece is watertight as it will be written."""
    return check_watertight(all_pieces(c.kit.units))
