"""The graphics library loaded piece by piece: in one go it would hold the window for a sixth of a second."""

from __future__ import annotations

import ctypes
import gc
import os
import time
from importlib import import_module
from importlib.util import find_spec
from pathlib import Path

_PACKAGE = "vtkmodules"
#: What the scene needs, from the bottom up: each brings little with it that is not there yet.
_MODULES = [
    "CommonCore",
    "CommonMath",
    "CommonTransforms",
    "CommonDataModel",
    "CommonExecutionModel",
    "CommonMisc",
    "CommonSystem",
    "FiltersCore",
    "FiltersGeneral",
    "ImagingCore",
    "IOCore",
    "IOImage",
    "ParallelCore",
    "RenderingCore",
    "RenderingHyperTreeGrid",
    "RenderingFreeType",
    "RenderingLabel",
    "RenderingUI",
    "RenderingOpenGL2",
]
#: Between two of them the window has its turn, s.
_TURN = 0.002


def load_graphics() -> None:
    """Load the graphics library in the calling thread, and let the window's go on meanwhile."""
    spec = find_spec(_PACKAGE)
    if spec is not None and spec.submodule_search_locations:
        for folder in map(Path, spec.submodule_search_locations):
            _open_files([f for name in _MODULES for f in sorted(folder.glob(f"vtk{name}.*so"))])
    for name in _MODULES:
        try:
            import_module(f"{_PACKAGE}.vtk{name}")
        except ImportError:
            # Another version has it elsewhere; whoever needs it brings it.
            continue
        time.sleep(_TURN)
    # What is there now stays: looking through all of it for what may go holds the window for a twentieth of a
    # second, again and again.
    gc.freeze()


def _open_files(files: list[Path]) -> None:
    """Open shared libraries.

    Unlike the import of a module, a call of the C library lets go of Python meanwhile.
    """
    opened = ctypes.CDLL(None).dlopen
    opened.restype, opened.argtypes = ctypes.c_void_p, (ctypes.c_char_p, ctypes.c_int)
    for file in files:
        opened(os.fsencode(file), os.RTLD_NOW)
