"""The maker's own printers, kept between jobs."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
from platformdirs import user_state_path

from cutkey.core.files import write_atomic
from cutkey.core.model.printer import Printer

#: Beds every maker finds to begin with: common sizes, no source.
COMMON = (
    Printer("Bench 180", (180.0, 180.0, 180.0)),
    Printer("Bench 235"),
    Printer("Bench 256", (256.0, 256.0, 256.0)),
    Printer("Bench 300", (300.0, 300.0, 340.0)),
    Printer("Round 240", (240.0, 240.0, 260.0), shape="round"),
)


def _file() -> Path:
    return user_state_path("cutkey", appauthor=False) / "printers.json"


def own_printers() -> list[Printer]:
    """Printers the maker kept; those to begin with when there are none."""
    try:
        found = msgspec.convert(json.loads(_file().read_text(encoding="utf-8")), list[Printer])
    except (OSError, ValueError, msgspec.ValidationError):
        return list(COMMON)
    return found or list(COMMON)


def keep_printer(printer: Printer) -> None:
    """Add a printer to the list, or change the one of its name."""
    rest = [p for p in own_printers() if p.name != printer.name]
    _write([*rest, printer])


def drop_printer(name: str) -> None:
    """Take a printer off the list."""
    _write([p for p in own_printers() if p.name != name])


def _write(printers: list[Printer]) -> None:
    _file().parent.mkdir(parents=True, exist_ok=True)
    write_atomic(
        _file(), json.dumps(msgspec.to_builtins(sorted(printers, key=lambda p: p.name)), indent=1).encode()
    )
