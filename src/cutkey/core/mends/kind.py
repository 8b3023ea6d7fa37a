"""What a mend is."""

from __future__ import annotations

from typing import ClassVar

from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class Mend:
    """A way to mend a finding. Each kind is a file of this folder with one subclass."""

    #: What findings call it, what its button says, and the command of the window that does it, "" for one that is an edit.
    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    icon: ClassVar[str] = ""
    command: ClassVar[str] = ""

    def cost(self, job: Job, finding: Finding) -> str:
        """What it changes besides, in words; "" for nothing."""
        return ""

    def apply(self, job: Job, finding: Finding) -> Job:
        """The job with the mend."""
        return job
