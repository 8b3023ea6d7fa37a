"""Writing several files to a folder as one: all of them are there, or the folder is as it was.

They are written beside the folder, flushed, joined by what is the user's in the old one, and then both
folders change places in one step. Where a disk cannot do that (a memory stick, the root of a drive) the files
are moved one by one, the manifest last.
"""

from __future__ import annotations

import contextlib
import ctypes
import json
import os
import shutil
import stat
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from cutkey import __version__
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput, Taken
from cutkey.core.files import PART, flush_folder, made_here, owner_runs, part_of, unwritable

#: Names the files of a kit, and what they were when they were written.
REPORT = "report.json"
#: Lies in a folder that is being exchanged and names what of the old one must be carried over.
_CARRY = ".cutkey-carry.json"
_EXCHANGE, _HERE = 2, -100


class Stage:
    """A folder that is being written.

    Attributes
    ----------
    folder : Path
        Write here.
    """

    def __init__(self, target: Path, over: bool = False) -> None:
        self.target, self.over = Path(os.path.realpath(target)), over
        self._own, self._changed = own_files(self.target)
        self._made: list[Path] = []  # folders above that were made for it
        self.folder = self._begin()

    def _begin(self) -> Path:
        target = self.target
        if target.exists() and not target.is_dir():
            raise BadInput(f"{target} is a file; choose a folder for the kit.")
        clear_unfinished(target)
        try:
            for parent in reversed([p for p in target.parents if not p.exists()]):
                parent.mkdir()
                self._made.insert(0, parent)
            self._beside = not target.is_mount() and os.access(target.parent, os.W_OK)
            folder = part_of(target) if self._beside else part_of(target / target.name)
            folder.mkdir()
        except OSError as error:
            raise unwritable(target, error) from None
        return folder

    def check(self, names: Mapping[str, str]) -> None:
        """Refuse to write over what this program did not write, or what was changed since.

        Parameters
        ----------
        names : mapping of relative path to digest
            What is to be written.

        Raises
        ------
        BadInput
            Naming the first such file.
        """
        for name in names:
            there = self.target / name
            if there.is_dir():
                raise BadInput(f"{there} is a folder where a file of the kit belongs; choose another folder.")
            if self.over or name in self._own or not os.path.lexists(there):
                continue
            if name == REPORT and made_here(there):
                continue
            how = (
                "was changed since it was written" if name in self._changed else "was not written by Cut Key"
            )
            raise Taken(
                f"{there} {how}; move it away, choose another folder, or say that it may be written over."
            )

    def finish(self, report: dict[str, Any]) -> dict[str, Any]:
        """Put what was written, with its manifest, in the folder's place.

        Everything in it that is the user's stays.

        Parameters
        ----------
        report : dict
            Is written too; names of files and their digests, and what of the kit before stays as it was
            changed since, are put in.
        """
        paths = [p for p in sorted(self.folder.rglob("*")) if p.is_file()]
        names = {str(p.relative_to(self.folder)): digest_bytes(p.read_bytes()) for p in paths}
        self.check({**names, REPORT: ""})
        left = sorted(n for n in self._changed if n not in names and (self.target / n).is_file())
        report = {"made_by": f"Cut Key {__version__}", **report, "files": names, "left": left}
        (self.folder / REPORT).write_text(json.dumps(report, indent=1, ensure_ascii=False), encoding="utf-8")
        new = {*names, REPORT}
        try:
            _flush(self.folder)
            if not self.target.exists():
                self.folder.rename(self.target)
            elif not self._beside or not self._exchange(new):
                self._move(new)
            flush_folder(self.target.parent)
        except OSError as error:
            raise unwritable(self.target, error) from None
        return report

    def _exchange(self, new: set[str]) -> bool:
        """Both folders change places in one step; False where the disk cannot do that."""
        note = json.dumps({"to": self.target.name, "carry": self._carried(new)})
        os.chmod(self.folder, stat.S_IMODE(self.target.stat().st_mode))
        for folder in (self.folder, self.target):
            (folder / _CARRY).write_text(note, encoding="utf-8")
            flush_folder(folder)
        if not _exchanged(self.folder, self.target):
            for folder in (self.folder, self.target):
                (folder / _CARRY).unlink(missing_ok=True)
            return False
        # What is called the stage is the old folder from here on.
        _carry(self.folder, self.target)
        return True

    def _carried(self, new: set[str]) -> list[str]:
        """What of the old folder is the user's.

        Whole folders where nothing of ours is in them, else single files.
        """
        ours = {str(parent) for name in (*self._own, *new) for parent in Path(name).parents}
        out: list[str] = []

        def look(folder: Path) -> None:
            for entry in sorted(folder.iterdir()):
                name = str(entry.relative_to(self.target))
                if entry.is_dir() and not entry.is_symlink() and name in ours:
                    look(entry)
                elif name not in new and name not in self._own and name != _CARRY:
                    out.append(name)

        look(self.target)
        return out

    def _move(self, new: set[str]) -> None:
        """File by file, the manifest last.

        Whatever stops this half-way, the next kit still knows the files of the one before.
        """
        for name in sorted(new, key=lambda n: (Path(n).name == REPORT, n == REPORT, n)):
            (self.target / name).parent.mkdir(parents=True, exist_ok=True)
            os.replace(self.folder / name, self.target / name)
        for name in self._own - new:
            (self.target / name).unlink(missing_ok=True)
        for folder in sorted(
            {(self.target / n).parent for n in self._own - new}, key=lambda p: -len(p.parts)
        ):
            if folder != self.target:
                with contextlib.suppress(OSError):
                    folder.rmdir()

    def end(self) -> None:
        """Take the stage away, and folders that were made for a kit that was not written."""
        shutil.rmtree(self.folder, ignore_errors=True)
        for parent in self._made:
            with contextlib.suppress(OSError):
                parent.rmdir()


@contextlib.contextmanager
def staged(target: Path, over: bool = False) -> Iterator[Stage]:
    """A stage for a folder; what was not finished by its end is gone."""
    stage = Stage(target, over)
    try:
        yield stage
    except OSError as error:
        raise unwritable(target, error) from None
    finally:
        stage.end()


def own_files(folder: Path) -> tuple[set[str], set[str]]:
    """Files that the kit before has written to a folder, as relative paths.

    Those still as they were, and those changed since.
    """
    manifest = _manifest(folder)
    own: set[str] = set()
    changed: set[str] = set()
    for name, written in manifest.items():
        path = folder / name
        if path.is_symlink() or not path.is_file():
            continue
        try:
            same = not written or digest_bytes(path.read_bytes()) == written
        except OSError:
            same = False
        (own if same else changed).add(name)
    if manifest and (folder / REPORT).is_file():
        own.add(REPORT)
    return own, changed


def _manifest(folder: Path) -> dict[str, str]:
    """Relative paths and digests that a folder's report names.

    Also those of the folders of an earlier series.
    """
    try:
        report: Any = json.loads((folder / REPORT).read_text(encoding="utf-8"))
        files = (
            {_safe(n): str(d) for n, d in report["files"].items()}
            if isinstance(report.get("files"), dict)
            else {}
        )
        # A report of an earlier version names the pieces' files only.
        files |= {
            _safe(p["file"]): ""
            for u in report.get("units", ())
            for p in u["pieces"]
            if _safe(p["file"]) not in files and not files
        }
        for _, name in report.get("series", ()):
            inner = _safe(name)
            if inner and (folder / inner / REPORT).is_file():
                files |= {f"{inner}/{n}": d for n, d in _manifest(folder / inner).items()}
                files.setdefault(f"{inner}/{REPORT}", "")
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return {}
    return {n: d for n, d in files.items() if n}


def _safe(name: object) -> str:
    """A relative path that stays in its folder, "" when it does not."""
    path = Path(str(name))
    return "" if path.is_absolute() or ".." in path.parts else str(path)


def clear_unfinished(target: Path) -> None:
    """Finish or take away what a writer that was stopped half-way has left in a folder or beside it."""
    for place in (target.parent, target):
        for part in place.glob(f".*{PART}") if place.is_dir() else ():
            if part.is_symlink() or not part.is_dir() or owner_runs(part):
                continue
            _carry(part, place)
            shutil.rmtree(part, ignore_errors=True)
    with contextlib.suppress(OSError):
        (target / _CARRY).unlink()


def _carry(old: Path, home: Path) -> None:
    """Bring over what of an old folder is the user's; done again, it goes on where it was stopped.

    Parameters
    ----------
    home : Path
        The new folder, or the one that both lie in.
    """
    try:
        note = json.loads((old / _CARRY).read_text(encoding="utf-8"))
        new = home if home.parent == old.parent else home / str(note["to"])
        names = [n for n in map(_safe, note["carry"]) if n]
    except (OSError, ValueError, KeyError, TypeError):
        return
    for name in names:
        if os.path.lexists(old / name) and not os.path.lexists(new / name):
            (new / name).parent.mkdir(parents=True, exist_ok=True)
            os.rename(old / name, new / name)
    flush_folder(new)
    (new / _CARRY).unlink(missing_ok=True)


def _exchanged(one: Path, other: Path) -> bool:
    """Let two folders change places in one step (renameat2(2)); False where that cannot be done."""
    try:
        call = ctypes.CDLL(None, use_errno=True).renameat2
    except (OSError, AttributeError):
        return False
    return bool(call(_HERE, os.fsencode(one), _HERE, os.fsencode(other), _EXCHANGE) == 0)


def _flush(folder: Path) -> None:
    """Make sure that everything in a folder is on the disk; raises OSError where it does not fit."""
    for path in folder.rglob("*"):
        if path.is_file() and not path.is_symlink():
            with path.open("rb") as file:
                os.fsync(file.fileno())
        elif path.is_dir():
            flush_folder(path)
    flush_folder(folder)
