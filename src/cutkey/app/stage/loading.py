"""The graphics library loaded piece by piece.

In one go it would hold the window for a sixth of a second, and for most of one when nothing of it has been
read from the disk yet.
"""

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
#: Also needed by the scene, and large.
_PICTURES = "cv2"
#: EGL_PLATFORM_DEVICE_EXT.
_PLATFORM_DEVICE = 0x313F
_P = ctypes.c_void_p
#: Between two of them the window has its turn, s.
_TURN = 0.002


def load_graphics() -> None:
    """Load the graphics library in the calling thread, and let the window's go on meanwhile."""
    for package, stems in ((_PACKAGE, [f"vtk{name}" for name in _MODULES]), (_PICTURES, [_PICTURES])):
        spec = find_spec(package)
        for folder in map(Path, (spec and spec.submodule_search_locations) or ()):
            _open_files([f for stem in stems for f in sorted(folder.glob(f"{stem}.*so"))])
    _wake_driver()
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


def _wake_driver() -> None:
    """Have the driver of the graphics card loaded, for the first device and so the scene's window.

    That window would load it too, but holds Python meanwhile: a third of a second when the driver is still on
    the disk. Where there is no EGL nothing is done.

    Source of names, types and the number of the platform: Khronos EGL 1.5, EGL_EXT_device_enumeration and
    EGL_EXT_platform_device.
    """
    try:
        egl = ctypes.CDLL("libEGL.so.1")
    except OSError:
        return
    find, begin = egl.eglGetProcAddress, egl.eglInitialize
    find.restype, find.argtypes = _P, (ctypes.c_char_p,)
    begin.restype, begin.argtypes = ctypes.c_uint, (_P, _P, _P)
    at = find(b"eglQueryDevicesEXT"), find(b"eglGetPlatformDisplayEXT")
    if not all(at):
        return
    devices = ctypes.CFUNCTYPE(ctypes.c_uint, ctypes.c_int32, _P, _P)(at[0])
    display_of = ctypes.CFUNCTYPE(_P, ctypes.c_uint, _P, _P)(at[1])
    first, count = _P(), ctypes.c_int32()
    if devices(1, ctypes.byref(first), ctypes.byref(count)) and count.value:
        display = display_of(_PLATFORM_DEVICE, first, None)
        if display:
            # Never ended: the scene's window uses the same.
            begin(display, None, None)


def _open_files(files: list[Path]) -> None:
    """Open shared libraries.

    Unlike the import of a module, a call of the C library lets go of Python meanwhile.
    """
    opened = ctypes.CDLL(None).dlopen
    opened.restype, opened.argtypes = ctypes.c_void_p, (ctypes.c_char_p, ctypes.c_int)
    for file in files:
        opened(os.fsencode(file), os.RTLD_NOW)
