"""How the window starts."""

from __future__ import annotations

import subprocess
import sys

import pytest

#: What only the compute process needs.
HEAVY = (
    "scipy",
    "manifold3d",
    "reportlab",
    "lib3mf",
    "PIL",
    "skimage",
    "ezdxf",
    "cutkey.core.trace.run",
    "cutkey.core.engine.evaluate",
)


@pytest.mark.parametrize("module", ["cutkey.app.window", "cutkey.worker.client"])
def test_the_window_loads_nothing_that_computes(module):
    code = f"import sys, {module}; print(*[m for m in {HEAVY} if m in sys.modules])"
    assert (
        subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        ).stdout.strip()
        == ""
    )


def test_the_nouns_of_a_job_load_nothing_heavy():
    """Reading, changing and saving a job takes no array library, let alone one of solids."""
    names = ("job", "edits", "history", "validate", "file", "changes", "things", "series", "kept", "lock")
    code = f"import sys, cutkey.core.mends, {', '.join(f'cutkey.core.model.{n}' for n in names)}\n"
    code += (
        "print(*[m for m in ('numpy', 'shapely', 'manifold3d', 'cv2', 'PIL', 'trimesh') if m in sys.modules])"
    )
    assert (
        subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        ).stdout.strip()
        == ""
    )
