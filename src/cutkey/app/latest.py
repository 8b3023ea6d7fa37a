"""The latest result of each part of the job, and whether it belongs to the job as it is."""

from __future__ import annotations

import time
from typing import Literal

from PySide6.QtCore import QObject, QTimer, Signal

from cutkey.app.document import Document
from cutkey.core.model.job import Job
from cutkey.worker.messages import Shown
from cutkey.worker.shown import BodyView, DesignView, GraphicView, OpenModelView, SectionView
from cutkey.worker.shown_kit import KitView, SectionsView

#: Seconds after which results of the job as it was are marked as such.
NOTICED = 0.15


class Latest(QObject):
    """What the compute process last said of each part; it stays until a newer result takes its place."""

    updated = Signal(str)  # "graphic", "body", "design" or "kit"
    aged = Signal()  # what is shown has not followed the job for a while

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.graphics: dict[str, GraphicView] = {}
        self.body: BodyView | None = None
        self.design: DesignView | None = None
        self.section: SectionView | None = None
        self.open_model: OpenModelView | None = None  # one that was not taken, to be looked at
        self.kit: KitView | None = None
        self.sections: SectionsView | None = None  # of new cuts, until their kit is there
        self._designs: dict[str, DesignView | None] = {}  # what the sections and the kit were cut from
        self._belongs: dict[str, Job] = {}  # the job that each part that is shown was last computed for
        self._seen: set[str] = set()  # parts that the present computation has brought
        self._changed = 0.0  # when the job last was
        self._ageing = QTimer(self)
        self._ageing.setSingleShot(True)
        self._ageing.setInterval(int(NOTICED * 1000) + 10)
        self._ageing.timeout.connect(self.aged)

    def current(self, part: str) -> bool:
        """Whether a part ("design", "kit", "graphic ID" ...) belongs to the job as it is now."""
        return self._belongs.get(part) is self._document.job

    def late(self, part: str) -> bool:
        """Whether what is shown of a part belongs to the job as it was.

        And has for longer than the eye takes to see it.
        """
        return not self.current(part) and part in self._belongs and time.monotonic() - self._changed > NOTICED

    @property
    def nearest(self) -> Literal["sections", "kit", "design", ""]:
        """What shows the bodies of the job as it is now, or comes nearest to it.

        Bare sections, the kit, or the uncut design.
        """
        knives = [c.knife for c in self._document.job.cuts]
        for part, view in (("sections", self.sections), ("kit", self.kit)):
            of = self._belongs.get(part)
            if (
                view is not None
                and of is not None
                and [c.knife for c in of.cuts] == knives
                and self._designs.get(part) is self.design
            ):
                return "sections" if part == "sections" else "kit"
        return "design" if self.design is not None else "kit" if self.kit is not None else ""

    def show_open(self, model: OpenModelView | None) -> None:
        """Show a model with its holes instead of the job's own, or that again."""
        if model is not self.open_model:
            self.open_model = model
            self.updated.emit("body")

    def _age(self) -> None:
        """The job has changed: what is shown begins to be of the one before."""
        self._changed = time.monotonic()
        self._ageing.start()

    def _take(self, part: str, value: Shown, job: Job) -> None:
        """Show the result of a part that was computed for a job."""
        kind, _, id = part.partition(" ")
        if isinstance(value, SectionsView | KitView):
            self._designs[kind] = self.design
        self._seen.add(part)
        before, self._belongs[part] = self.current(part), job
        if self._put(id, value) or not before:
            self.updated.emit(kind)

    def _put(self, id: str, value: Shown) -> bool:
        """Keep what is shown of a part of the job; whether it is another than before."""
        if isinstance(value, GraphicView):
            same = self.graphics.get(id) is value
            self.graphics[id] = value
        elif isinstance(value, BodyView):
            same, self.body = self.body is value, value
        elif isinstance(value, DesignView):
            same, self.design = self.design is value, value
        elif isinstance(value, SectionView):
            same, self.section = self.section is value, value
        elif isinstance(value, SectionsView):
            same, self.sections = self.sections is value, value
        else:
            # The kit takes the place of its bare sections.
            same = self.kit is value and self.sections is None
            self.kit, self.sections = value, None
        return not same

    def _drop_unseen(self) -> None:
        """Forget results of parts the job no longer has."""
        for part in ("body", "design", "section", "sections", "kit"):
            if part not in self._seen and getattr(self, part) is not None:
                setattr(self, part, None)
                self.updated.emit(part)
        for id in [i for i in self.graphics if f"graphic {i}" not in self._seen]:
            del self.graphics[id]
            self.updated.emit("graphic")

    def _forget(self) -> None:
        self._belongs.clear()
        self.graphics, self.body, self.design, self.section, self.sections, self.kit = (
            {},
            None,
            None,
            None,
            None,
            None,
        )
        for part in ("graphic", "body", "design", "section", "kit"):
            self.updated.emit(part)
