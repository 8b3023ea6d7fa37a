"""The job file: a zip with the document as JSON and the sources as they came."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import msgspec

from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput
from cutkey.core.files import PRIVATE, read_bytes, write_atomic
from cutkey.core.limits import reading, unpacked
from cutkey.core.model.colouring import NEVER_SAVED
from cutkey.core.model.job import Job
from cutkey.core.model.validate import problem_of

SCHEMA = 12
SUFFIX = ".cutkey"
_MIMETYPE = b"application/x-cutkey-job"
_NO_JOB = "is not a Cut Key job, or it is damaged; open an older copy."
#: Steps that lift an older document to the next schema: {old version: function on the JSON object}.
MIGRATIONS: dict[int, Callable[[Any], Any]] = {}


def _steps_of_settings(job: Any) -> Any:
    """Schema 1 to 2: crop, light, inversion and the picked background became preparation steps."""
    for graphic in job.get("graphics", []):
        old = graphic.get("trace", {})
        steps: list[dict[str, Any]] = []
        crop = old.pop("crop", None)
        if crop:
            steps.append({"type": "crop", "first": crop[:2], "second": crop[2:]})
        if old.pop("even_light", False):
            steps.append({"type": "light"})
        if old.pop("invert", False):
            steps.append({"type": "invert"})
        at = old.pop("background_at", None)
        if old.get("background") == "point":
            old["background"] = "none"
            steps.append(
                {"type": "take away", "at": at or [0.0, 0.0], "touching": not old.get("everywhere", False)}
            )
        if steps:
            old["steps"] = steps
    return job


MIGRATIONS[1] = _steps_of_settings
# Schema 3 added bodies, add-ons, copies and how graphics follow a surface; what it leaves out takes their
# defaults.
MIGRATIONS[2] = lambda job: job


def _sized_keys(job: Any) -> Any:
    """Schema 3 to 4: the diameter of dowels became the size of any kind of key."""
    keys = job.get("keys", {})
    if "diameter" in keys:
        keys["size"] = keys.pop("diameter")
    return job


MIGRATIONS[3] = _sized_keys
# Schema 5 added what the mm of edits mean, and which way lettering reads.
MIGRATIONS[4] = lambda job: job


def _named_thresholds(job: Any) -> Any:
    """Schema 5 to 6: several thresholds of a trace are called so."""
    for graphic in job.get("graphics", []):
        trace = graphic.get("trace", {})
        if "cut_offs" in trace:
            trace["thresholds"] = trace.pop("cut_offs")
    return job


MIGRATIONS[5] = _named_thresholds
# Schema 7 added what was decided about single bodies of an opened model.
MIGRATIONS[6] = lambda job: job
# Schema 8 added pixel art to the ways of finding regions.
MIGRATIONS[7] = lambda job: job

# Schema 9 added edges bent by hand, text in lines and round circles, fonts that a job holds, and colour by
# height.
MIGRATIONS[8] = lambda job: job
# Schema 10 added ways of single colours, printing face down, and numbers of inlays.
MIGRATIONS[9] = lambda job: job
# Schema 11 added bridges, rebuilding, what a printer spans, widening, and findings that were accepted.
MIGRATIONS[10] = lambda job: job


def _paper_of_all(job: Any) -> Any:
    """Schema 11 to 12: the paper of the template is that of all sheets.

    Sides and places on the bed, set by hand, were added.
    """
    paper = job.get("gauge", {}).pop("paper", None)
    if paper:
        job.setdefault("files", {})["paper"] = paper
    return job


MIGRATIONS[11] = _paper_of_all


def document_bytes(job: Job) -> bytes:
    """The document alone, as JSON."""
    return json.dumps(
        {"schema": SCHEMA, "job": msgspec.to_builtins(job)}, indent=1, ensure_ascii=False
    ).encode()


def job_bytes(job: Job, sources: Mapping[str, bytes]) -> bytes:
    """The file's contents."""
    buffer = io.BytesIO()
    used = {s.digest for s in job.sources}
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(_entry("mimetype", zipfile.ZIP_STORED), _MIMETYPE)
        archive.writestr(_entry("job.json"), document_bytes(job))
        for digest in sorted(used):
            archive.writestr(_entry(f"sources/{digest}"), sources[digest])
    return buffer.getvalue()


def _entry(name: str, how: int = zipfile.ZIP_DEFLATED) -> zipfile.ZipInfo:
    """An entry without a time, so that the same job gives the same bytes."""
    entry = zipfile.ZipInfo(name)
    entry.compress_type = how
    entry.external_attr = PRIVATE << 16
    return entry


def save_job(path: Path, job: Job, sources: Mapping[str, bytes]) -> None:
    """Save a job in one step: the file is either the old one or the whole new one."""
    write_atomic(path, job_bytes(job, sources), private=True)


def open_job(path: Path) -> tuple[Job, dict[str, bytes]]:
    """Read a job file; see `read_job`."""
    return read_job(read_bytes(path), path.name)


def read_job(data: bytes, name: str) -> tuple[Job, dict[str, bytes]]:
    """A job of the bytes of its file.

    Raises
    ------
    BadInput
        When it is no job file, damaged, or from a newer version.
    """
    if not data:
        raise BadInput(f"{name} is empty (0 bytes); open its autosaved copy or an older one.")
    with reading(name):
        return _read(data, name)


def _read(data: bytes, name: str) -> tuple[Job, dict[str, bytes]]:
    members = unpacked(data, name, _NO_JOB)
    try:
        document = json.loads(members["job.json"])
    except (KeyError, ValueError, RecursionError):
        raise BadInput(f"{name} {_NO_JOB}") from None
    sources = {n.removeprefix("sources/"): body for n, body in members.items() if n.startswith("sources/")}
    job = job_of(document, name)
    for source in job.sources:
        if source.digest not in sources or digest_bytes(sources[source.digest]) != source.digest:
            raise BadInput(
                f"{name} is damaged: its copy of {source.name} is missing or changed; open an older copy."
            )
    return job, sources


def job_of(document: Any, name: str) -> Job:
    """The job of a document read from JSON, lifted to the present schema.

    Raises
    ------
    BadInput
        When it is none, damaged, or from a newer version.
    """
    schema = document.get("schema") if isinstance(document, dict) else None
    if type(schema) is not int or schema < 1:
        raise BadInput(f"{name} {_NO_JOB}")
    if schema > SCHEMA:
        raise BadInput(
            f"{name} was saved by a newer Cut Key (schema {schema}, this one reads {SCHEMA}); update Cut Key."
        )
    body = document.get("job")
    try:
        while schema < SCHEMA:
            body = MIGRATIONS[schema](body) if isinstance(body, dict) else body
            schema += 1
    except (AttributeError, KeyError, TypeError, IndexError, ValueError):
        raise BadInput(f"{name} is damaged; open an older copy.") from None
    try:
        job = msgspec.convert(body, Job)
    except (msgspec.MsgspecError, RecursionError) as error:
        raise BadInput(f"{name} is damaged ({error}); open an older copy.") from None
    problem = problem_of(job)
    if problem:
        raise BadInput(f"{name} is damaged: {problem}; open an older copy.")
    return msgspec.structs.replace(job, colouring=msgspec.structs.replace(job.colouring, **NEVER_SAVED))
