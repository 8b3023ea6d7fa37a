"""Edits of the picked graphic: their list, and text and shapes that are added to it or changed."""

from __future__ import annotations

from functools import lru_cache

from msgspec.structs import replace
from PySide6.QtCore import QObject

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.trace.added import AddedForm
from cutkey.app.sheets.trace.colour_panel import ColourPanel
from cutkey.app.sheets.trace.edit_list import EditList
from cutkey.app.widgets.basics import button
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput
from cutkey.core.lettering.fonts import SHIPPED, font_bytes, kept_in_jobs
from cutkey.core.model.edits import add_edit, add_source, change_graphic, edits_now
from cutkey.core.model.job import GraphicSpec, Job, Source
from cutkey.core.model.table_edits import AddShape, AddText, Edit


class Adding(QObject):
    """Makes edits of the job; fonts go along with it where their licence lets them."""

    def __init__(self, desk: Desk, colours: ColourPanel) -> None:
        super().__init__()
        self._desk = desk
        self.list = EditList(self._set, self._reopen)
        self.form = AddedForm(self.add, self._replace, lambda: colours.ink, self._said_of)
        self.form.hide()
        self.button = button(self.tr("add text or a shape"), "link")
        self.button.clicked.connect(self._toggle)

    def refresh(self, spec: GraphicSpec | None) -> None:
        """Show the edits of a graphic."""
        for part in (self.list, self.button):
            part.setVisible(spec is not None)
        if spec is None:
            self.form.hide()
        else:
            self.list.show_edits(spec.edits)

    def add(self, text: str, edit: Edit) -> None:
        """One more edit of the picked graphic."""
        spec = self._desk.spec()
        if spec is not None:
            self._desk.table.pick([])
            view = self._desk.graphic_view()
            job = add_edit(self._desk.job, spec, edit, view.frame if view is not None else None)
            self._desk.document.edit(text, self._with_font(job, edit))

    def _set(self, text: str, edits: tuple[Edit, ...]) -> None:
        spec = self._desk.spec()
        if spec is not None:
            self._desk.document.edit(text, change_graphic(self._desk.job, replace(spec, edits=edits)))

    def _now(self) -> tuple[GraphicSpec, tuple[Edit, ...]] | None:
        """The picked graphic, and its edits in the mm it has now."""
        spec, view = self._desk.spec(), self._desk.graphic_view()
        return None if spec is None else (spec, edits_now(spec, view.frame if view is not None else None))

    def _toggle(self) -> None:
        self.form.start_anew()
        self.form.setVisible(not self.form.isVisible())

    def _reopen(self, k: int) -> None:
        now = self._now()
        if now is not None and isinstance(now[1][k], AddText | AddShape):
            self.form.show_edit(k, now[1][k])  # type: ignore[arg-type]  # as was just asked

    def _replace(self, text: str, k: int, edit: Edit) -> None:
        now, view = self._now(), self._desk.graphic_view()
        if now is None or k >= len(now[1]):
            return
        spec, edits = now
        frame = view.frame if view is not None else None
        edits = (*edits[:k], replace(edit, on=edits[k].on), *edits[k + 1 :])
        job = change_graphic(self._desk.job, replace(spec, edits=edits, frame=frame or spec.frame))
        self._desk.document.edit(text, self._with_font(job, edit))

    # -- fonts
    def _with_font(self, job: Job, edit: Edit) -> Job:
        """The job with the font of a text in it, so that it looks the same elsewhere."""
        if (
            not isinstance(edit, AddText)
            or edit.font in SHIPPED
            or job.font(edit.font) is not None
            or not _may_go(edit.font)
        ):
            return job
        data = font_bytes(edit.font)
        source = Source(digest_bytes(data), edit.font, "font")
        self._desk.document.sources[source.digest] = data
        return add_source(job, source)

    def _said_of(self, font: str) -> str:
        if font in SHIPPED or "…" in font:
            return ""
        if self._desk.job.font(font) is not None or _may_go(font):
            return self.tr("The font is kept in the job.")
        return self.tr(
            "Its licence does not let the font go along with the job: another machine needs it too."
        )


@lru_cache(maxsize=256)
def _may_go(font: str) -> bool:
    try:
        return kept_in_jobs(font_bytes(font))
    except (BadInput, OSError):
        return False
