"""What the window says on its message strip."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QCoreApplication

from cutkey import __version__
from cutkey.app import logbook
from cutkey.app.widgets.message_strip import STEP

if TYPE_CHECKING:
    from cutkey.app.window import Window


def _tr(text: str) -> str:
    return QCoreApplication.translate("Window", text)


def say_problem(w: Window, kind: str, text: str, detail: Any) -> None:
    """Say what went wrong while something was computed or written, and what can be done.

    Parameters
    ----------
    w : Window
    kind : str
        What went wrong.
    text : str
        In words.
    detail : object
        What the log keeps of it.
    """
    told: list[tuple[str, Callable[[], object]]] = []
    if kind in ("crash", "hung", "down") or isinstance(detail, str):
        logbook.note(kind, text, detail)
        told = [
            (_tr("copy what happened"), w.files.copy_log),
            (_tr("show the log"), w.files.show_log),
        ]
    if kind == "taken" and w.files.folder is not None:
        folder = w.files.folder
        over = partial(w.files.export_to, folder, True)
        w.message.say(text, [(_tr("write over it"), over), (_tr("another folder"), w.files.export)])
        return
    if kind == "down":
        w.message.say(
            text,
            [(_tr("try again"), w.engine.revive), (_tr("save the job"), w.keeper.save)],
        )
        return
    if kind == "export":
        w.message.say(text, [(_tr("try another folder"), w.files.export)])
        return
    if kind == "question":
        # Nothing of the job is the cause.
        w.message.say(text, told)
        return
    actions = [(_tr("undo"), w.document.undo)] if w.document.undo_text else []
    w.message.say(text, [*actions, *told], topic="compute")


def say_refused(w: Window, problem: str) -> None:
    """Say that an edit was not made, and why."""
    w.message.say(_tr("That was not done: {0}.").format(problem), topic=STEP)
    w.refresh()


def say_keys(w: Window) -> None:
    """What mouse and keys do."""
    stage = _tr(
        "Stage: left drag turns, right drag moves, wheel zooms, double click shows everything,"
        " Ctrl+arrows turn."
    )
    place = _tr(
        "Place: arrows nudge by 0.1 mm, with Shift by 1 mm; Delete takes the graphic off. Split: drag a"
        " cut's tab, or use the arrows."
    )
    numbers = _tr(
        "Numbers: 5in, 25.4*2; arrow keys step. Ctrl+1 to 5 open the sheets, Ctrl+K finds any action, Esc"
        " stops what is computed."
    )
    w.message.say(f"{stage} {place} {numbers}", calm=True)


def say_about(w: Window) -> None:
    """Version and licences."""
    w.message.say(
        _tr("Cut Key {0}, MIT licence. Type: Barlow, SIL Open Font License.").format(__version__),
        calm=True,
    )
