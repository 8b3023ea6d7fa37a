"""Proposing cuts for what is larger than the bed."""

from __future__ import annotations

from cutkey.core.mends.kind import Mend


class ProposeCuts(Mend):
    """Cuts that are proposed by the planner; pinned ones stay."""

    id, label, icon, command = "propose cuts", "propose cuts", "cut", "propose_cuts"
    rank = 1
