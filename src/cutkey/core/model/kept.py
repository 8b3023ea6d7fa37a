"""Copies of unsaved jobs: a folder each, so that only what changed is written again.

``job.json`` is the document, ``sources`` the files it was made from (each written once), ``about.json`` says
whose it is and when, ``picture.png`` what it looked like. The document alone makes a copy; without the others
it is offered all the same.
"""

from __future__ import annotations

import json
import secrets
import shutil
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from cutkey.core.alive import my_mark, runs
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.model.file import document_bytes, job_of
from cutkey.core.model.job import Job

#: Copies that are left are kept so long, seconds.
KEEP = 30 * 24 * 3600.0


class Kept(NamedTuple):
    """A copy that a window which no longer runs has left."""

    folder: Path
    name: str  # of the job
    path: Path | None  # the file it was of
    when: float  # seconds since 1970
    picture: Path | None
    left: bool  # it was offered before and left

    def open(self) -> tuple[Job, dict[str, bytes]]:
        """The job with its sources.

        Raises
        ------
        BadInput
            When the copy is damaged.
        """
        name = f"The kept copy of {self.name}"
        try:
            job = job_of(json.loads((self.folder / "job.json").read_bytes()), name)
            sources = {s.digest: (self.folder / "sources" / s.digest).read_bytes() for s in job.sources}
        except (OSError, ValueError, RecursionError):
            raise BadInput(f"{name} cannot be read; open the job itself.") from None
        if any(digest_bytes(data) != digest for digest, data in sources.items()):
            raise BadInput(f"{name} is damaged; open the job itself.")
        return job, sources

    def discard(self) -> None:
        """Take the copy away."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def leave(self) -> None:
        """Leave it where it is; it is not offered at the start again, and goes after thirty days."""
        (self.folder / "left").touch()


def new_stem() -> str:
    """A name for the copy of a window."""
    return f"{my_mark()}-{secrets.token_hex(3)}"


def keep(
    folder: Path, job: Job, sources: Mapping[str, bytes], path: Path | None, picture: bytes | None
) -> None:
    """Write a copy of a job to its folder; sources that are there already are not written again.

    Parameters
    ----------
    folder : Path
        Of this job's copy; made when it is not there.
    job : Job
    sources : mapping of digest to bytes
    path : Path or None
        Where the job was opened from or saved.
    picture : bytes or None
        PNG of the stage.

    Raises
    ------
    OSError
        When it cannot be written.

    Raises
    ------
    BadInput
        When it cannot be written.
    """
    try:
        (folder / "sources").mkdir(parents=True, exist_ok=True, mode=0o700)
        folder.chmod(0o700)
    except OSError as error:
        raise BadInput(f"{folder} cannot be made: {error.strerror}.") from None
    for source in job.sources:
        there = folder / "sources" / source.digest
        if not there.exists():
            write_atomic(there, sources[source.digest], private=True)
    about = {"name": job.name, "path": str(path or ""), "when": time.time()}
    write_atomic(folder / "about.json", json.dumps(about).encode(), private=True)
    write_atomic(folder / "job.json", document_bytes(job), private=True)
    if picture is not None:
        write_atomic(folder / "picture.png", picture, private=True)


def kept_copies(places: Sequence[Path]) -> list[Kept]:
    """Copies of windows that no longer run, the newest first; those older than thirty days are taken away."""
    out = []
    for place in places:
        for folder in sorted(place.iterdir()) if place.is_dir() else ():
            if (runs(folder.name.rpartition("-")[0]) and not (folder / "left").exists()) or not (
                folder / "job.json"
            ).is_file():
                continue
            try:
                about = json.loads((folder / "about.json").read_text(encoding="utf-8"))
                name, path, when = str(about["name"]), str(about["path"]), float(about["when"])
            except (OSError, ValueError, KeyError, TypeError):
                name, path, when = "", "", (folder / "job.json").stat().st_mtime
            picture = folder / "picture.png"
            one = Kept(
                folder,
                name or "a job",
                Path(path) if path else None,
                when,
                picture if picture.is_file() else None,
                (folder / "left").exists(),
            )
            if time.time() - when > KEEP:
                one.discard()
            else:
                out.append(one)
    return sorted(out, key=lambda k: -k.when)
