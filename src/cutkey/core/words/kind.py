"""What the program has to say, as a code with arguments, and how it is put into words."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Iterable, Mapping
from typing import Any, ParamSpec

import msgspec

P = ParamSpec("P")
#: The wording of one code: takes its arguments, gives the sentence, or a heading and the sentence.
Wording = Callable[..., "str | tuple[str, str]"]

#: Wordings of the language that is spoken, by code; a code that is not among them is said in English.
_spoken: Mapping[str, Wording] = {}
#: Every code there is, with its English wording.
CODES: dict[str, Wording] = {}


class Words(msgspec.Struct, frozen=True):
    """A sentence as what it is made of; printed, it is the sentence in the language that is spoken."""

    code: str
    args: dict[str, Any]
    english: str
    heading: str = ""  # in English, "" where it has none

    def __hash__(self) -> int:
        return hash((self.code, self.heading, self.english))

    def __str__(self) -> str:
        return self.text

    @property
    def text(self) -> str:
        """The sentence."""
        wording = _spoken.get(self.code)
        return _parts(wording(**self.args))[1] if wording else self.english

    @property
    def title(self) -> str:
        """The heading over it."""
        wording = _spoken.get(self.code)
        return _parts(wording(**self.args))[0] if wording else self.heading


def worded(wording: Callable[P, str | tuple[str, str]]) -> Callable[P, Words]:
    """Make of a wording a function of the same arguments that gives what is to be said.

    Its code is the name of the wording.
    """
    code, takes = wording.__name__.replace("_", " "), inspect.signature(wording)
    if code in CODES:
        raise TypeError(f"“{code}” is worded twice")
    CODES[code] = wording

    @functools.wraps(wording)
    def say(*args: P.args, **kwargs: P.kwargs) -> Words:
        bound = takes.bind(*args, **kwargs)
        bound.apply_defaults()
        given = {name: _kept(value) for name, value in bound.arguments.items()}
        heading, english = _parts(wording(**given))  # type: ignore[call-arg]
        return Words(code, given, english, heading)

    return say


def speak(wordings: Mapping[str, Wording]) -> None:
    """Say everything in another language from now on; in English again where there are none.

    Parameters
    ----------
    wordings : mapping of str to callable
        By code, with the arguments that the English wording of the same code takes.
    """
    global _spoken
    _spoken = dict(wordings)


def _parts(worded: str | tuple[str, str]) -> tuple[str, str]:
    return ("", worded) if isinstance(worded, str) else worded


def _kept(value: Any) -> Any:
    """An argument as it is kept: plain numbers, and lists that nobody changes any more."""
    if hasattr(value, "item"):
        return value.item()
    return tuple(map(_kept, value)) if isinstance(value, list | tuple) else value


def listed(some: Iterable[object], between: str = ", ", most: int = 0, more: str = "") -> str:
    """Things in a row, no more than `most` of them, and what is said where there are more.

    Parameters
    ----------
    some : iterable
    between : str
    most : int
        0 for all.
    more : str
        A ``{}`` in it stands for how many are left out.
    """
    all_of = [str(s) for s in some]
    shown = all_of[:most] if most else all_of
    return between.join(shown) + (more.format(len(all_of) - len(shown)) if len(shown) < len(all_of) else "")
