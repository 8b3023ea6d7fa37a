"""Parts of jobs on the clipboard.

Graphics, what is laid, add-ons, with the pictures they need, from one job to another.
"""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QByteArray, QMimeData
from PySide6.QtWidgets import QApplication

from cutkey.app.background import wait_for
from cutkey.core.errors import BadInput
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.job import Job

#: Our own kind of data; it is a job file with a part of a job in it.
KIND = "application/x-cutkey-part"


def put_part(part: Job, sources: Mapping[str, bytes]) -> None:
    """Put a part of a job on the clipboard."""
    data, kept = QMimeData(), dict(sources)
    data.setData(KIND, QByteArray(wait_for(lambda: job_bytes(part, kept))))
    QApplication.clipboard().setMimeData(data)


def part_there() -> tuple[Job, dict[str, bytes]] | None:
    """The part of a job on the clipboard, None when there is none that can be read."""
    data = QApplication.clipboard().mimeData()
    if data is None or not data.hasFormat(KIND):
        return None
    held = bytes(data.data(KIND).data())
    try:
        return wait_for(lambda: read_job(held, "the clipboard"))
    except BadInput:
        return None


def holds_part() -> bool:
    """Whether a part of a job is on the clipboard."""
    data = QApplication.clipboard().mimeData()
    return data is not None and data.hasFormat(KIND)
