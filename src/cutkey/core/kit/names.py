"""What the files of a kit are called: after the job."""

from __future__ import annotations

import re
from typing import NamedTuple

#: A job that nobody has named yet, and what its kit is called.
UNNAMED, PLAIN = "Untitled", "kit"
#: What it is called that is always called the same: for people, and for machines.
README, CHANGES_TXT, CHANGES_CSV = "README.txt", "changes.txt", "changes.csv"
#: Folders of a kit.
BEDS, DRAWINGS, OBJ = "beds", "drawings", "obj"
#: Longest stem of a file's name, bytes; file systems take 255 for the whole of it.
LONGEST = 180


class KitNames(NamedTuple):
    """File names of a kit."""

    model: str
    sheet: str
    template: str
    setting_out: str


def kit_names(title: str) -> KitNames:
    """File names for a job, safe everywhere: letters and digits of any script, the rest as hyphens."""
    stem = re.sub(r"[^\w.]+", "-", title).strip("-._")
    stem = stem.encode()[:LONGEST].decode(errors="ignore").rstrip("-._")
    if not stem or title == UNNAMED:
        return KitNames(f"{PLAIN}.3mf", "assembly-sheet.pdf", "template.pdf", "setting-out.pdf")
    return KitNames(
        f"{stem}.3mf", f"{stem}-assembly-sheet.pdf", f"{stem}-template.pdf", f"{stem}-setting-out.pdf"
    )
