"""The off-screen window of the graphics library that this machine can draw with.

`python -m cutkey.app.stage.render_window CLASS` ends with 0 when a window of that class draws.
"""

from __future__ import annotations

import os
import subprocess
import sys
from typing import Any

#: The first is asked whether it can draw; the others always say so, and may end the process when they do.
_ASKED, _TRIED = "vtkEGLRenderWindow", ("vtkOSOpenGLRenderWindow", "vtkRenderWindow")
#: A window that has not drawn by then does not, s.
_PATIENCE = 30


class NoGraphics(Exception):
    """No window of the graphics library draws on this machine."""


def render_window() -> Any:
    """The first kind of off-screen window that draws here.

    Raises
    ------
    NoGraphics
        When none does.
    """
    window = _window(_ASKED)
    if window is not None and window.SupportsOpenGL():
        return window
    for name in _TRIED:
        if _draws(name):
            return _window(name)
    raise NoGraphics


def _window(name: str) -> Any:
    """A window of a class that is not shown; None where there is no such class."""
    from vtkmodules import vtkRenderingCore, vtkRenderingOpenGL2

    kind = getattr(vtkRenderingOpenGL2, name, None) or getattr(vtkRenderingCore, name, None)
    if kind is None:
        return None
    window = kind()
    window.SetShowWindow(False)
    window.SetOffScreenRendering(1)
    window.SetMultiSamples(0)
    return window


def _draws(name: str) -> bool:
    """Whether a window of a class draws, tried in a process of its own."""
    command = [sys.executable, "-m", __spec__.name, name]
    try:
        tried = subprocess.run(command, capture_output=True, timeout=_PATIENCE, check=False)
    except (OSError, subprocess.TimeoutExpired):
        return False
    return tried.returncode == 0


def _try(name: str) -> None:
    """Draw a picture and end the process with what came of it."""
    from vtkmodules.vtkCommonCore import vtkUnsignedCharArray
    from vtkmodules.vtkRenderingCore import vtkRenderer

    window = _window(name)
    if window is None or not window.SupportsOpenGL():
        os._exit(1)
    renderer = vtkRenderer()
    renderer.SetBackground(1, 0, 0)
    window.AddRenderer(renderer)
    window.SetSize(8, 8)
    window.Render()
    pixels = vtkUnsignedCharArray()
    window.GetRGBACharPixelData(0, 0, 7, 7, 0, pixels)
    os._exit(0 if pixels.GetNumberOfValues() and pixels.GetValue(0) == 255 else 1)


if __name__ == "__main__":
    _try(sys.argv[1])
