"""Colours, type and style of the window, from the theme files."""

from __future__ import annotations

import json
import re
import tempfile
from functools import lru_cache
from importlib.resources import as_file, files
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

_ASSETS = files("cutkey.app") / "assets"
NAMES = ("paper", "night")


class Theme:
    """The theme in use; widgets ask it for colours by what they mean."""

    def __init__(self) -> None:
        self.name = ""
        self._colours: dict[str, str] = {}
        self._icons: dict[tuple[str, str], QIcon] = {}
        self._folder = tempfile.TemporaryDirectory(prefix="cutkey-theme-")

    def load(self, application: QApplication, name: str = "paper") -> None:
        """Read a theme and dress the application in it."""
        self.name = name if name in NAMES else NAMES[0]
        self._colours = json.loads((_ASSETS / "themes" / f"{self.name}.json").read_text(encoding="utf-8"))
        self._icons.clear()
        for file in sorted((_ASSETS / "fonts").iterdir(), key=lambda f: f.name):
            if file.name.endswith(".ttf"):
                with as_file(file) as path:
                    QFontDatabase.addApplicationFont(str(path))
        style = (_ASSETS / "themes" / "window.qss").read_text(encoding="utf-8")
        images = {"arrow": self._write("arrow", "ink"), "tick": self._write("sound", "on_ink")}
        application.setStyleSheet(re.sub(r"@(\w+)", lambda m: images.get(m[1]) or self._colours[m[1]], style))

    def _write(self, icon: str, colour: str) -> str:
        """An icon in a colour as a file, which is what a style sheet can show."""
        path = Path(self._folder.name) / f"{self.name}-{icon}.svg"
        path.write_text(self._svg(icon, colour), encoding="utf-8")
        return path.as_posix()

    def _svg(self, icon: str, colour: str) -> str:
        return (
            (_ASSETS / "icons" / f"{icon}.svg")
            .read_text(encoding="utf-8")
            .replace("#000000", self._colours[colour])
        )

    def colour(self, name: str, alpha: int = 255) -> QColor:
        """A colour by its meaning: ink, madder, ultramarine ..."""
        c = QColor(self._colours[name])
        c.setAlpha(alpha)
        return c

    def icon(self, name: str, colour: str = "ink") -> QIcon:
        """One of the application's icons in a theme colour."""
        key = (name, colour)
        if key not in self._icons:
            renderer = QSvgRenderer(QByteArray(self._svg(name, colour).encode()))
            pixmap = QPixmap(40, 40)
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            renderer.render(painter, QRectF(0, 0, 40, 40))
            painter.end()
            pixmap.setDevicePixelRatio(2.0)
            self._icons[key] = QIcon(pixmap)
        return self._icons[key]

    @staticmethod
    def swatch(colour: str) -> QIcon:
        """A square of a colour, for entries of menus."""
        pixmap = QPixmap(16, 16)
        pixmap.fill(QColor(colour))
        return QIcon(pixmap)


theme = Theme()


def application_icon() -> QIcon:
    """The icon of the window."""
    with as_file(_ASSETS / "icons" / "cutkey.svg") as path:
        return QIcon(str(path))


@lru_cache(maxsize=64)
def drawing_font(px: float, bold: bool = False) -> QFont:
    """The narrow face of dimensions and labels on drawings, with figures of one width; not to be changed."""
    font = QFont("Barlow Condensed SemiBold" if bold else "Barlow Condensed Medium")
    font.setPixelSize(round(px))
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


@lru_cache(maxsize=64)
def writing_font(px: int, bold: bool = True) -> QFont:
    """The face of headings and tags that are painted; not to be changed."""
    font = QFont("Barlow SemiBold" if bold else "Barlow Medium")
    font.setPixelSize(px)
    return font
