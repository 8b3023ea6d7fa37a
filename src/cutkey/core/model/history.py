"""Undo and redo without end, over whole jobs."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.model.job import Job


class Step(NamedTuple):
    """A job and the edit that led to it."""

    text: str
    job: Job
    gesture: str = ""  # a drag, or a run of the arrow keys; what follows in the same one is the same step


class History:
    """The jobs there have been. Jobs share their unchanged parts, so a step costs little."""

    def __init__(self, job: Job) -> None:
        self._steps = [Step("", job)]
        self._at = 0

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._steps[self._at].job

    @property
    def at(self) -> int:
        """Number of the step that led to the job as it is now, 0 at the start."""
        return self._at

    @property
    def texts(self) -> list[str]:
        """What each step did, those that were undone too; "" for the start."""
        return [s.text for s in self._steps]

    def edit(self, text: str, job: Job, gesture: str = "") -> None:
        """Add a step; what is done in the gesture of the step before stays that step."""
        if job == self.job:
            return
        del self._steps[self._at + 1 :]
        last = self._steps[self._at]
        if gesture and last.gesture == gesture and self._steps[self._at - 1].job == job:
            # Dragged back to where it was: nothing was done.
            del self._steps[self._at]
            self._at -= 1
        elif gesture and last.gesture == gesture:
            self._steps[self._at] = Step(text, job, gesture)
        else:
            self._steps.append(Step(text, job, gesture))
            self._at += 1

    def undo(self) -> None:
        """Go one step back, if there is one."""
        self.go_to(self._at - 1)

    def redo(self) -> None:
        """Go one step forward, if there is one."""
        self.go_to(self._at + 1)

    def go_to(self, step: int) -> None:
        """Go to a step; the others stay to be gone to, until something else is done."""
        self._at = min(len(self._steps) - 1, max(0, step))

    @property
    def undo_text(self) -> str:
        """What undo would take back, "" at the start."""
        return self._steps[self._at].text

    @property
    def redo_text(self) -> str:
        """What redo would bring back, "" at the end."""
        return self._steps[self._at + 1].text if self._at + 1 < len(self._steps) else ""
