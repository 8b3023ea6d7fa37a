"""What can be done with the window: its menus, its finder, and what an empty one offers."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QCoreApplication
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from cutkey.app.commands import Commands, Finder
from cutkey.app.saying import say_about, say_keys
from cutkey.app.sheets.base import LOOK_KEY, LOOKS
from cutkey.app.widgets.welcome import Welcome

if TYPE_CHECKING:
    from cutkey.app.window import Window


def _tr(text: str) -> str:
    return QCoreApplication.translate("Menus", text)


class Menus(NamedTuple):
    """What the window goes on using of its menus."""

    commands: Commands
    recent: QMenu
    undo: QAction
    redo: QAction
    finder: Finder


def build_menus(w: Window) -> Menus:
    """Fill the menu bar, and make the finder of actions."""
    c = Commands(w)
    job, edit, sheet = (w.menus.addMenu(t) for t in (_tr("Job"), _tr("Edit"), _tr("Sheet")))
    c.add(job, _tr("New job"), w.keeper.new_job, "Ctrl+N")
    c.add(job, _tr("Open a job…"), w.keeper.open_dialog, "Ctrl+O")
    recent = QMenu(_tr("Recent jobs"), w)
    job.addMenu(recent)
    recent.aboutToShow.connect(partial(w.keeper.fill_recent, recent))
    demos = QMenu(_tr("Demo jobs"), w)
    for name, text in demos_of():
        c.add(demos, text, partial(w.keeper.open_demo, name))
    job.addMenu(demos)
    c.add(job, _tr("Go on with a copy"), w.keeper.start_copy)
    c.add(job, _tr("Save"), w.keeper.save, "Ctrl+S")
    c.add(job, _tr("Save as…"), w.keeper.save_as, "Ctrl+Shift+S")
    c.add(job, _tr("Kept copies…"), partial(w.keeper.offer_recovery, True))
    job.addSeparator()
    c.add(job, _tr("Open a picture…"), w.files.open_picture, "Ctrl+I")
    c.add(job, _tr("Use another picture…"), w.files.other_picture, "Ctrl+Shift+I")
    c.add(job, _tr("Open a model…"), w.files.open_model, "Ctrl+M")
    c.add(job, _tr("Save the graphic as a drawing…"), w.files.save_drawing)
    c.add(job, _tr("Write the kit…"), w.files.export, "Ctrl+E")
    c.add(job, _tr("Write the clearance test piece…"), w.files.write_test_piece)
    job.addSeparator()
    c.add(job, _tr("Quit"), w.close, "Ctrl+Q")
    undo = c.add(edit, _tr("Undo"), w.document.undo, "Ctrl+Z")
    redo = c.add(edit, _tr("Redo"), w.document.redo, "Ctrl+Shift+Z|Ctrl+Y")
    c.add(edit, _tr("Steps…"), w.show_steps, "Ctrl+H")
    edit.addSeparator()
    c.add(edit, _tr("Copy"), w.files.copy, "Ctrl+C")
    c.add(edit, _tr("Paste"), w.files.paste, "Ctrl+V", _tr("A picture, or what was copied from a job"))
    c.add(edit, _tr("Lay once more"), w.files.double, "Ctrl+D")
    edit.addSeparator()
    c.add(edit, _tr("Stop computing"), w.engine.cancel)
    for k, (id, tab) in enumerate(w.tabs.tabs.items(), 1):
        # Nine keys there are; the looks have the last three.
        c.add(sheet, tab.text(), partial(w.show_sheet, id), f"Ctrl+{k}" if k < LOOK_KEY else "")
    sheet.addSeparator()
    c.add(sheet, _tr("Show everything"), w.fit_view, "Ctrl+0")
    for n, (text, turn, tilt) in enumerate(LOOKS, LOOK_KEY):
        c.add(sheet, _tr(text), partial(w.stage.look, turn, tilt), f"Ctrl+{n}")
    sheet.addSeparator()
    c.add(sheet, _tr("Paper or night"), w.switch_theme)
    helps = w.menus.addMenu(_tr("Help"))
    c.add(helps, _tr("Mouse and keys"), partial(say_keys, w), "F1")
    c.add(
        helps, _tr("Copy what happened"), w.files.copy_log, "", _tr("The end of the log, to send to somebody")
    )
    c.add(helps, _tr("Show the log"), w.files.show_log)
    c.add(helps, _tr("About Cut Key"), partial(say_about, w))
    finder = Finder(c)
    w.bar.addWidget(finder)
    focus = c.add(edit, _tr("Find an action"), finder.setFocus, "Ctrl+K")
    focus.setVisible(True)
    return Menus(c, recent, undo, redo, finder)


def demos_of() -> tuple[tuple[str, str], ...]:
    """Names and titles of the demo jobs."""
    return (
        ("lid", _tr("Jar lid")),
        ("plate", _tr("Hive plate")),
        ("cap", _tr("Feeder cap")),
        ("coin", _tr("Honey coin")),
        ("sign", _tr("Gate sign")),
        ("wall", _tr("Wall hexagons")),
    )


def built_welcome(w: Window) -> Welcome:
    """What an empty window offers to begin with."""
    starts = (
        (_tr("a picture or drawing"), _tr("PNG, JPEG, SVG, DXF …"), "picture", w.files.open_picture),
        (_tr("a model"), _tr("STL, 3MF, OBJ, PLY …"), "model", w.files.open_model),
        (_tr("a saved job"), _tr("CUTKEY"), "layers", w.keeper.open_dialog),
    )
    return Welcome(starts, demos_of(), w.keeper.open_demo, w.keeper.open_path)
