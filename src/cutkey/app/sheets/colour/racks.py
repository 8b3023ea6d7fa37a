"""The maker's rack, kept between jobs and exchanged as JSON."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
from platformdirs import user_state_path

from cutkey.core.errors import BadInput
from cutkey.core.files import read_bytes, write_atomic
from cutkey.core.model.filament import Filament
from cutkey.core.model.job import Job
from cutkey.core.model.validate import problem_of

Rack = tuple[Filament, ...]


def _file() -> Path:
    return user_state_path("cutkey", appauthor=False) / "rack.json"


def kept_rack() -> Rack | None:
    """The rack that was kept last; None when there is none."""
    try:
        return rack_of(_file().read_bytes(), "The kept rack")
    except (OSError, BadInput):
        return None


def keep_rack(rack: Rack) -> None:
    """Keep a rack for other jobs."""
    _file().parent.mkdir(parents=True, exist_ok=True)
    write_rack(_file(), rack)


def write_rack(path: Path, rack: Rack) -> None:
    """Write a rack as JSON: a list of filaments."""
    write_atomic(path, json.dumps(msgspec.to_builtins(rack), indent=1, ensure_ascii=False).encode())


def read_rack(path: Path) -> Rack:
    """A rack from a JSON file.

    Raises
    ------
    BadInput
        When it holds none.
    """
    return rack_of(read_bytes(path), path.name)


def rack_of(data: bytes, name: str) -> Rack:
    """A rack of the bytes of its file.

    Raises
    ------
    BadInput
        When they hold none.
    """
    try:
        rack = msgspec.convert(json.loads(data), Rack)
    except (ValueError, RecursionError, msgspec.ValidationError):
        raise BadInput(f"{name} is no list of filaments as Cut Key writes it; save the rack again.") from None
    problem = problem_of(Job(rack=rack)) if rack else "it is empty"
    if problem:
        raise BadInput(f"{name} holds no rack that can be used: {problem}.")
    return rack
