"""Finding kinds: each is a file of its own in the folder of its family, and is there because the file is.

The head of such a file imports nothing that computes; what computes is imported where it is used, so that the
window can show and change a kind without loading what carries it out.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from types import ModuleType
from typing import Any, TypeVar, Union

K = TypeVar("K")


@cache
def modules_of(package: str) -> tuple[ModuleType, ...]:
    """The modules of a package, but for those whose name begins with an underscore and for its ``kind``."""
    folder = importlib.import_module(package)
    names = sorted(
        m.name
        for m in pkgutil.iter_modules(folder.__path__)
        if not m.name.startswith("_") and m.name != "kind"
    )
    return tuple(importlib.import_module(f"{package}.{name}") for name in names)


def classes_of(package: str, base: type[K]) -> tuple[type[K], ...]:
    """The classes of a family that the files of a package define, by their ``rank``."""
    found = [
        value
        for module in modules_of(package)
        for value in vars(module).values()
        if isinstance(value, type)
        and issubclass(value, base)
        and value is not base
        and value.__module__ == module.__name__
    ]
    return tuple(sorted(found, key=lambda k: (getattr(k, "rank", 0), k.__name__)))


def objects_of(package: str, base: type[K]) -> tuple[K, ...]:
    """The objects of a family that the files of a package define, by their ``rank``."""
    found = [v for module in modules_of(package) for v in vars(module).values() if isinstance(v, base)]
    return tuple(sorted(dict.fromkeys(found), key=lambda k: getattr(k, "rank", 0)))


def one_of(kinds: tuple[type, ...]) -> Any:
    """The type of data that is one of these kinds."""
    return Union[kinds]  # noqa: UP007
