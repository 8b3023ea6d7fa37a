"""What the fields of the job's data are called and may be.

Written beside each field, read by forms and by the check of a job file.
"""

from __future__ import annotations

from functools import cache
from typing import Any, NamedTuple, get_args, get_type_hints

import msgspec

#: Longest length that anything here has, mm; and the smallest that is a size.
LONG, TINY = 20_000.0, 1e-3


class Field(NamedTuple):
    """One field of a piece of data.

    `least` and `most` are what a job file may hold, `low` and `high` what can be typed.
    """

    name: str
    title: str = ""
    unit: str = ""
    least: float | None = None
    most: float | None = None
    low: float = 0.0
    high: float = 5000.0
    step: float = 1.0
    factor: float = 1.0  # of what is shown
    tip: str = ""
    choices: tuple[tuple[str, str], ...] = ()  # value and name
    whole: bool = False
    tick: bool = False
    zero: str = ""  # what 0 is called

    @property
    def shown(self) -> bool:
        """Whether forms show it."""
        return bool(self.title)


def _meta(**what: Any) -> msgspec.Meta:
    return msgspec.Meta(extra=what)


def size(
    title: str = "", tip: str = "", low: float = 0.1, high: float = 5000.0, most: float = LONG, **more: Any
) -> msgspec.Meta:
    """A length above 0, mm.

    Parameters
    ----------
    title, tip : str
        What a form shows.
    low, high : float
        What may be typed, mm.
    most : float
        What a file may hold, mm.
    """
    return _meta(title=title, tip=tip, unit="mm", least=TINY, most=most, low=low, high=high, **more)


def length(
    title: str = "", tip: str = "", high: float = 5000.0, most: float = LONG, **more: Any
) -> msgspec.Meta:
    """A length of 0 or more, mm.

    Parameters
    ----------
    title, tip : str
        What a form shows.
    high : float
        What may be typed, mm.
    most : float
        What a file may hold, mm.
    """
    return _meta(title=title, tip=tip, unit="mm", least=0.0, most=most, high=high, **more)


def number(
    least: float, most: float, title: str = "", tip: str = "", unit: str = "", **more: Any
) -> msgspec.Meta:
    """Any number, or each of several; what is typed has the range of what is held when not said otherwise.

    Parameters
    ----------
    least, most : float
        What a file may hold.
    title, tip, unit : str
        What a form shows.
    """
    factor = more.get("factor", 1.0)
    return _meta(
        title=title,
        tip=tip,
        unit=unit,
        least=least,
        most=most,
        **{"low": least * factor, "high": most * factor, **more},
    )


def tick(title: str, tip: str = "") -> msgspec.Meta:
    """Yes or no."""
    return _meta(title=title, tip=tip, tick=True)


def choice(title: str, tip: str = "", **choices: str) -> msgspec.Meta:
    """One of several; what each is called."""
    return _meta(title=title, tip=tip, choices=tuple(choices.items()))


def among(title: str, values: tuple[str, ...]) -> msgspec.Meta:
    """One of several that are called as they are."""
    return _meta(title=title, choices=tuple((v, v) for v in values))


@cache
def fields_of(kind: type) -> tuple[Field, ...]:
    """The fields of a kind of data of which something is said, in their order."""
    out = []
    for name, hint in get_type_hints(kind, include_extras=True).items():
        meta = next((a for a in get_args(hint)[1:] if isinstance(a, msgspec.Meta) and a.extra), None)
        if meta is not None and meta.extra is not None:
            out.append(Field(name, **meta.extra))
    return tuple(out)
