"""Writing files so that a half-written one is never left behind."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

from cutkey.core.errors import BadInput

#: Files are written in a hidden folder of this name, the process number and a random end, beside their place.
STAGE = ".cutkey-"


def read_bytes(path: Path) -> bytes:
    """Contents of a file, or one clear sentence."""
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise BadInput(f"{path} does not exist; check the name.") from None
    except IsADirectoryError:
        raise BadInput(f"{path} is a folder; name a file in it.") from None
    except OSError as error:
        raise BadInput(f"{path} cannot be read: {error.strerror}.") from None


def write_atomic(path: Path, data: bytes) -> None:
    """Write beside the target, flush to disk, then rename over it.

    Raises
    ------
    BadInput
        When the folder is missing or not writable.
    """
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    except OSError as error:
        raise BadInput(f"{path} cannot be written: {error.strerror}; choose another place.") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        raise BadInput(f"{path} cannot be written: {error.strerror}; choose another place.") from None
    finally:
        Path(temporary).unlink(missing_ok=True)


def clear_unfinished(folder: Path) -> None:
    """Remove what a writer that was stopped half-way has left in a folder."""
    for stage in folder.glob(f"{STAGE}*"):
        owner = stage.name.removeprefix(STAGE).partition("-")[0]
        if not Path(f"/proc/{owner}").exists():
            shutil.rmtree(stage, ignore_errors=True)
