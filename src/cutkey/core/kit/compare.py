"""What of an older kit must be printed again, and what can stay."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

from cutkey.core.folders import REPORT


class Again(NamedTuple):
    """Pieces of a kit beside those of the kit before, by name."""

    changed: tuple[str, ...]  # to be printed again
    new: tuple[str, ...]
    gone: tuple[str, ...]
    same: tuple[str, ...]  # can stay

    def told(self) -> str:
        """In one sentence."""
        if not (self.changed or self.new or self.gone):
            return f"all {len(self.same)} pieces are as in the kit before: nothing has to be printed again"
        parts = []
        for names, one, many in (
            (self.changed, "piece changed", "pieces changed"),
            (self.new, "is new", "are new"),
            (self.gone, "is gone", "are gone"),
        ):
            if names:
                listed = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
                parts.append(f"{len(names)} {one if len(names) == 1 else many} ({listed})")
        stays = f"{len(self.same)} can stay" if self.same else "none of the kit before can stay"
        return f"{', '.join(parts)}; {stays}"


class Known(NamedTuple):
    """What a report says of a piece."""

    file: str  # digest, "" where there is none
    shape: str  # digest of its form, "" in an older report
    filament: str
    copies: int

    def same(self, other: Known) -> bool:
        """Whether it is the same piece, on whichever side it was printed."""
        alike = (self.file and self.file == other.file) or (self.shape and self.shape == other.shape)
        return bool(alike) and (self.filament, self.copies) == (other.filament, other.copies)


def pieces_of(report: Mapping[str, Any]) -> dict[str, Known]:
    """What is known of every piece of a kit, by its name."""
    files = report.get("files") or {}
    return {
        str(p["name"]): Known(
            str(files.get(p["file"], "")), str(p.get("shape", "")), str(p["filament"]), int(u["copies"])
        )
        for u in report.get("units", ())
        for p in u["pieces"]
    }


def kit_before(folder: Path) -> dict[str, Known]:
    """Pieces of the kit that lies in a folder; none where there is none, or one that nobody can read."""
    try:
        return pieces_of(json.loads((folder / REPORT).read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return {}


def compared(before: Mapping[str, Known], after: Mapping[str, Known]) -> Again | None:
    """A kit beside the one before, None where there was none.

    Parameters
    ----------
    before, after : mapping
        As `pieces_of` gives them.
    """
    if not before:
        return None
    both = [n for n in after if n in before]
    same = [n for n in both if after[n].same(before[n])]
    changed = [n for n in both if n not in same]
    return Again(
        tuple(changed),
        tuple(n for n in after if n not in before),
        tuple(n for n in before if n not in after),
        tuple(same),
    )
