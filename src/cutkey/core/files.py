"""Reading files, and writing them so that nothing of the user's is lost.

A half-written one is never left behind.
"""

from __future__ import annotations

import errno
import os
import secrets
import stat
import zipfile
import zlib
from pathlib import Path
from typing import NamedTuple

from cutkey.core.alive import my_mark, runs
from cutkey.core.errors import BadInput, Taken

#: Names of files and folders that are being written begin with a point and end in this; the mark of their
#: process stands before it.
PART = ".part"
#: Rights of files that are nobody else's business.
PRIVATE = 0o600
#: Words by which a file is known to be of this program, looked for at its beginning.
MADE_HERE = b"Cut Key"
_HEAD = 4096


class Stamp(NamedTuple):
    """How a file looked when it was read or written, to see whether somebody else has changed it since."""

    size: int
    changed: int  # nanoseconds
    number: int  # of the file on its disk


def read_bytes(path: Path) -> bytes:
    """Contents of a file, or one clear sentence."""
    try:
        if path.exists() and not path.is_file() and not path.is_dir():
            raise BadInput(f"{path} is no file that can be read to its end; name a file.")
        return path.read_bytes()
    except FileNotFoundError:
        raise BadInput(f"{path} does not exist; check the name.") from None
    except IsADirectoryError:
        raise BadInput(f"{path} is a folder; name a file in it.") from None
    except (OSError, ValueError) as error:
        raise BadInput(f"{path} cannot be read: {getattr(error, 'strerror', None) or error}.") from None


def stamp_of(path: Path) -> Stamp | None:
    """How a file looks now, None when there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return Stamp(found.st_size, found.st_mtime_ns, found.st_ino)


def write_atomic(path: Path, data: bytes, private: bool = False) -> None:
    """Write beside the target, flush to disk, then rename over it.

    A link keeps being one: what it points to is written. The rights of a file that exists are kept.

    Parameters
    ----------
    private : bool
        A new file is readable by its owner only.

    Raises
    ------
    BadInput
        When the folder is missing or not writable, the disk is full, or the file is read-only.
    """
    target = Path(os.path.realpath(path))
    rights = _rights_for(target, private)
    sweep(target.parent)
    part = part_of(target)
    try:
        with open(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, PRIVATE), "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(part, rights)
        os.replace(part, target)
        flush_folder(target.parent)
    except OSError as error:
        raise unwritable(path, error) from None
    finally:
        part.unlink(missing_ok=True)


def _rights_for(target: Path, private: bool) -> int:
    try:
        found = target.stat()
    except OSError:
        return PRIVATE if private else 0o666 & ~_umask()
    if stat.S_ISDIR(found.st_mode):
        raise BadInput(f"{target} is a folder; name a file in it.")
    if not stat.S_ISREG(found.st_mode):
        raise BadInput(f"{target} is no ordinary file and is not written over; choose another name.")
    if not found.st_mode & stat.S_IWUSR or not os.access(target, os.W_OK):
        raise BadInput(
            f"{target} is read-only and is left as it is; save under another name, or allow writing to it."
        )
    return stat.S_IMODE(found.st_mode)


def _umask() -> int:
    mask = os.umask(0o077)
    os.umask(mask)
    return mask


def part_of(target: Path) -> Path:
    """A new name beside a target for what is being written, which tells whose it is."""
    # Names may be as long as a disk allows already.
    return target.parent / f".{target.name[:40]}.{my_mark()}-{secrets.token_hex(3)}{PART}"


def sweep(folder: Path) -> None:
    """Take away what writers that no longer run have left half-written in a folder."""
    for part in folder.glob(f".*{PART}"):
        if part.is_file() and not part.is_symlink() and not owner_runs(part):
            part.unlink(missing_ok=True)


def owner_runs(part: Path) -> bool:
    """Whether the writer of something half-written still runs.

    What bears no mark is nobody's of ours, and is left alone.
    """
    mark, _, end = part.name.removesuffix(PART).rpartition(".")[2].rpartition("-")
    return not (mark.count("-") == 1 and mark.replace("-", "").isdigit() and len(end) == 6) or runs(mark)


def flush_folder(folder: Path) -> None:
    """Make sure that names in a folder are on the disk too."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError:
        return
    try:
        os.fsync(handle)
    except OSError:
        # Some file systems do not flush folders.
        pass
    finally:
        os.close(handle)


def unwritable(path: Path, error: OSError) -> BadInput:
    """The sentence for something that could not be written."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return BadInput(
            f"The disk is full: {path} was not written, and what was there is as it was; make room or choose"
            " another place."
        )
    if error.errno == errno.ENAMETOOLONG:
        return BadInput(f"{path.name[:40]}… is too long a name; choose a shorter one.")
    if error.errno == errno.ENOTDIR:
        return BadInput(f"{path.parent} is no folder; choose another place.")
    if error.errno == errno.ENOENT:
        return BadInput(f"{path.parent} does not exist; make the folder first or choose another.")
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return BadInput(
            f"{path} cannot be written: there is no right to write in that folder; choose another place."
        )
    return BadInput(f"{path} cannot be written: {error.strerror}; choose another place.")


def made_here(path: Path) -> bool:
    """Whether a file says of itself that this program wrote it."""
    try:
        with path.open("rb") as file:
            head = file.read(_HEAD)
        if head[:2] == b"PK":
            with zipfile.ZipFile(path) as archive, archive.open("3D/3dmodel.model") as model:
                head = model.read(_HEAD)
    except (OSError, KeyError, ValueError, NotImplementedError, EOFError, zipfile.BadZipFile, zlib.error):
        return False
    return MADE_HERE in head


def may_write(path: Path, inputs: tuple[Path, ...] = (), over: bool = False) -> None:
    """Refuse an output before any work is done.

    Parameters
    ----------
    inputs : tuple of Path
        What the same command reads: never written over, whatever is asked.
    over : bool
        Files that are not of this program may be written over.

    Raises
    ------
    BadInput
        When it is one of the inputs, a file of somebody else's, or its folder is missing.
    """
    if not path.parent.is_dir():
        raise BadInput(f"{path.parent} does not exist; make the folder first or choose another.")
    for source in inputs:
        if path.exists() and source.exists() and path.samefile(source):
            raise BadInput(f"{path} is what is read here; choose another name for what is written.")
    if path.is_file() and not over and path.stat().st_size and not made_here(path):
        raise Taken(
            f"{path} is there already and was not written by Cut Key; choose another name, or say --over to"
            " write over it."
        )
