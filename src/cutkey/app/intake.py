"""Taking pictures and models into the job, however they come: opened, dropped or pasted."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMimeData, QObject
from PySide6.QtGui import QImage

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.trace.way_names import said_of, way_names
from cutkey.app.widgets.message_strip import STEP
from cutkey.core.errors import BadInput
from cutkey.core.files import read_bytes
from cutkey.core.formats import held_by
from cutkey.core.model.edits import add_graphic
from cutkey.core.model.file import SUFFIX
from cutkey.core.model.job import ModelBase, Source
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import EVENED_BY
from cutkey.core.units import Unit, format_mm
from cutkey.worker.messages import Failed
from cutkey.worker.shown import FirstView

#: A new graphic starts at this width, mm, or at 60 % of the model when there is one.
FIRST_WIDTH = 60.0


class Intake(QObject):
    """Has a file read by the compute process first; the job changes only when it is sound."""

    def __init__(
        self, desk: Desk, open_job: Callable[[Path], None], show_sheet: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._desk = desk
        self._open_job = open_job
        self._show_sheet = show_sheet
        self._unit: Unit = ""  # of the model that was asked about last
        desk.engine.refused.connect(self._refused)

    def take_path(self, path: Path) -> None:
        """Take a file by what its name says it is."""
        holds = held_by(path.name)
        try:
            if path.suffix.lower() == SUFFIX:
                self._open_job(path)
            elif holds in ("picture", "drawing"):
                self.take_picture(path.name, read_bytes(path), holds)
            elif holds == "model":
                self.take_model(path.name, read_bytes(path))
            else:
                self._desk.message.say(
                    self.tr("{0} is no picture, model or job; drop one of those.").format(path.name),
                    topic=STEP,
                )
        except BadInput as error:
            self._desk.message.say(str(error), topic=STEP)

    def take_picture(self, name: str, data: bytes, kind: str = "picture") -> None:
        """Add a picture or drawing as a new graphic, as soon as it has been read in full."""
        self._desk.engine.inspect(name, kind, data, "", lambda: self._add_graphic(name, data, kind))

    def swap_path(self, graphic: str, path: Path) -> None:
        """Try a picture or drawing in the place of a graphic's own."""
        kind = "drawing" if held_by(path.name) == "drawing" else "picture"
        try:
            self._desk.commands["take_other_picture"](graphic, path.name, read_bytes(path), kind)
        except BadInput as error:
            self._desk.message.say(str(error), topic=STEP)

    def _add_graphic(self, name: str, data: bytes, kind: str) -> None:
        source = self._desk.document.take(name, kind, data)
        body = self._desk.engine.body
        width = round(0.6 * body.size[0], 1) if body is not None else FIRST_WIDTH
        job, spec = add_graphic(self._desk.job, source, width)
        if kind == "drawing":
            # A drawing knows how large it is.
            self._desk.engine.look(
                job, f"graphic {spec.id}", lambda view: self._add(name, source, view.stated_mm or width)
            )
        else:
            self._desk.engine.look(
                job, f"first {spec.id}", lambda first: self._add_picture(name, source, width, first)
            )

    def _add_picture(self, name: str, source: Source, width: float, first: FirstView) -> None:
        self._add(name, source, first.width_mm or width, first.trace)
        if first.trace == TraceSettings():
            return
        kind, way = said_of(first.kind, first.light), way_names()[first.way][0]
        undone = next((s.title for s in first.trace.steps if type(s) is EVENED_BY.get(first.light)), None)
        said = self.tr("{0}. {1}, so “{2}” was chosen; try the ways that suit it for others.")
        if first.way == "gradients":
            said = self.tr(
                "{0}. {1}. A soft gradient in it is one colour; a click on the right keeps its steps."
            )
        if undone is not None:
            said, way = self.tr("{0}. {1}. The step “{2}” takes it out; switch it off to keep it."), undone
        text = said.format(name, kind, way)
        if first.sheet is not None:
            said = self.tr("{0}: the sheet in it was squared up; its corners are in the step “Square up”.")
            text = said.format(name)
            if first.sheet:
                known = self.tr(" It was taken for {0}, which tells the true size: {1} mm wide.")
                text += known.format(first.sheet, format_mm(first.width_mm or width))
                if first.sheet == "A4":
                    # ISO 216: all sheets of the series have one proportion.
                    smaller = format_mm((first.width_mm or width) / math.sqrt(2))
                    text += self.tr(" If it is A5, type {0} mm.").format(smaller)
        self._desk.message.say(text, topic=STEP)

    def _add(self, name: str, source: Source, width: float, trace: TraceSettings | None = None) -> None:
        job, spec = add_graphic(self._desk.job, source, min(5000.0, max(0.5, round(width, 3))), trace)
        self._desk.graphic = spec.id
        self._desk.message.hide()
        self._desk.document.edit(self.tr("add {0}").format(name), job)
        self._show_sheet("trace")

    def take_model(self, name: str, data: bytes, unit: Unit = "", close: bool = False) -> None:
        """Make a model the job's body, as soon as it has been read.

        A doubtful size asks for the unit first, large holes too.
        """
        self._unit = unit
        self._desk.engine.inspect(
            name, "model", data, unit, lambda: self._set_base(name, data, unit, close), close
        )

    def _set_base(self, name: str, data: bytes, unit: Unit, close: bool) -> None:
        source = self._desk.document.take(name, "model", data)
        self._desk.message.hide()
        self._desk.commands["take_body"](
            self.tr("open {0}").format(name), ModelBase(source.digest, unit, close), source
        )
        self._show_sheet("place")

    def _refused(self, name: str, data: bytes, failed: Failed) -> None:
        """Say why a file was not taken; a doubtful unit can be told with one click."""
        actions: list[tuple[str, Callable[[], None]]] = []
        if failed.kind == "unit":
            actions = [
                (self.tr("it is in {0}").format(g), partial(self.take_model, name, data, g))
                for g in failed.detail
            ]
        if failed.kind == "open":
            self._show_sheet("place")
            self._desk.engine.show_open(failed.detail)
            back = partial(self._desk.engine.show_open, None)
            actions = [
                (self.tr("close the holes"), partial(self.take_model, name, data, self._unit, True)),
                (self.tr("leave it"), back),
            ]
        self._desk.message.say(failed.message, actions, topic="" if actions else STEP)

    def wants(self, data: QMimeData) -> bool:
        """Whether something dragged over the window can be taken."""
        return data.hasImage() or any(u.isLocalFile() for u in data.urls())

    def take_data(self, data: QMimeData, name: str) -> bool:
        """Take files or a bare picture that was dropped or pasted; False when there is neither."""
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]
        for path in paths:
            self.take_path(path)
        image = QImage(data.imageData()) if data.hasImage() and not paths else QImage()
        if not image.isNull():
            self.take_picture(name, _png(image))
        return bool(paths) or not image.isNull()


def _png(image: QImage) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())
