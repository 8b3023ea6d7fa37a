"""Undo and redo without end, over whole jobs."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.job.document import Job


class Step(NamedTuple):
    """A job and the edit that led to it."""

    text: str
    job: Job


class History:
    """The jobs there have been. Jobs share their unchanged parts, so a step costs little."""

    def __init__(self, job: Job) -> None:
        self._steps = [Step("", job)]
        self._at = 0

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._steps[self._at].job

    def edit(self, text: str, job: Job, merge: bool = False) -> None:
        """Add a step; with `merge` a run of edits of the same name (a drag) stays one step."""
        if job == self.job:
            return
        del self._steps[self._at + 1 :]
        if merge and self._at > 0 and self._steps[self._at].text == text:
            self._steps[self._at] = Step(text, job)
        else:
            self._steps.append(Step(text, job))
            self._at += 1

    def undo(self) -> None:
        """Go one step back, if there is one."""
        self._at = max(0, self._at - 1)

    def redo(self) -> None:
        """Go one step forward, if there is one."""
        self._at = min(len(self._steps) - 1, self._at + 1)

    @property
    def undo_text(self) -> str:
        """What undo would take back, "" at the start."""
        return self._steps[self._at].text

    @property
    def redo_text(self) -> str:
        """What redo would bring back, "" at the end."""
        return self._steps[self._at + 1].text if self._at + 1 < len(self._steps) else ""
