"""The font nearest to what a drawing asks for.

By family, weight and slant, or by a generic name (CSS Fonts Level 4, section 5).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from cutkey.core.lettering.fonts import Face, installed_faces
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Shipped fonts as faces.
SHIPPED_FACES = (
    Face("Barlow", "Barlow", 400, False),
    Face("Barlow Medium", "Barlow", 500, False),
    Face("Barlow Bold", "Barlow", 700, False),
    Face("Barlow Condensed", "Barlow Condensed", 600, False),
)
#: Families that stand for generic names, where they are on the machine.
_GENERIC = {
    "serif": ("DejaVu Serif", "Liberation Serif", "Noto Serif", "FreeSerif", "Times New Roman"),
    "monospace": ("DejaVu Sans Mono", "Liberation Mono", "Noto Sans Mono", "FreeMono", "Courier New"),
    "sans-serif": ("Barlow",),
    "system-ui": ("Barlow",),
    "cursive": (),
    "fantasy": (),
}
#: Words of a style in a font's name, and the weight they mean (OpenType 1.9, OS/2, usWeightClass).
_WEIGHTS = {
    **dict.fromkeys(("thin", "hairline"), 100),
    **dict.fromkeys(("extralight", "ultralight"), 200),
    "light": 300,
    **dict.fromkeys(("book", "roman", "regular", "normal", "plain"), 400),
    "medium": 500,
    **dict.fromkeys(("semibold", "demibold", "demi"), 600),
    "bold": 700,
    **dict.fromkeys(("extrabold", "ultrabold"), 800),
    **dict.fromkeys(("black", "heavy"), 900),
}
_SLANTS = ("italic", "oblique", "kursiv", "it")
_NAMED = {"normal": 400, "bold": 700, "bolder": 700, "lighter": 300}


class Match(NamedTuple):
    """The font that is taken."""

    name: str
    note: Words | None  # what is to be said of it, None when it is what was asked for


def matching_font(families: str, weight: str = "400", style: str = "normal") -> Match:
    """The font nearest to a CSS font-family list, weight and style.

    A shipped one when none of its families is here.

    Parameters
    ----------
    families : str
        The first that is here is taken; a name may hold words of a style too, as in ``DejaVu Sans Bold
        Oblique``.
    weight : str
        A number or a word of CSS.
    style : str
        "normal", "italic" or "oblique".
    """
    wanted = _NAMED.get(weight.strip(), 400) if not weight.strip().isdigit() else int(weight)
    italic = style.strip().startswith(("italic", "oblique"))
    names = [f.strip().strip("'\"") for f in families.split(",") if f.strip()]
    faces = (*SHIPPED_FACES, *installed_faces())
    for name in names:
        for family, said, slanted in _readings(name):
            of = [f for f in faces if _key(f.family) == _key(family)]
            if not of and _key(family) in _GENERIC:
                of = next(
                    (g for g in ([f for f in faces if f.family == n] for n in _GENERIC[_key(family)]) if g),
                    [],
                )
            if of:
                face = _nearest(of, said or wanted, italic or slanted)
                upright = (italic or slanted) and not face.italic
                note = say.no_italic(face.family) if upright else None
                return Match(face.name, note if name == names[0] else _instead(names[0], face.name))
    face = _nearest(SHIPPED_FACES[:3], wanted, False)
    return Match(face.name, _instead(names[0], face.name) if names else None)


def _instead(asked: str, taken: str) -> Words:
    return say.no_such_font(asked, taken)


def _key(family: str) -> str:
    return re.sub(r"[\s_]+", " ", family.casefold()).strip()


def _readings(name: str) -> list[tuple[str, int, bool]]:
    """A name as a family, then with words of a style taken off its end.

    Family, weight (0 for none said) and whether it slants.
    """
    words = (
        re.sub(r"(?<=[a-z])(?=[A-Z])|[-_]", " ", name).split()
        if " " not in name
        else name.replace("-", " ").split()
    )
    out = [(name, 0, False)]
    weight, slanted = 0, False
    while len(words) > 1:
        last = words[-1].casefold()
        two = (words[-2] + words[-1]).casefold() if len(words) > 2 else ""
        if two in _WEIGHTS:
            weight, words = _WEIGHTS[two], words[:-2]
        elif last in _WEIGHTS:
            weight, words = _WEIGHTS[last], words[:-1]
        elif last in _SLANTS:
            slanted, words = True, words[:-1]
        else:
            break
        out.append((" ".join(words), weight, slanted))
    return out


def _nearest(faces: Sequence[Face], weight: int, italic: bool) -> Face:
    """The face that CSS takes: slant first, then weight (CSS Fonts Level 4, section 5.2)."""

    def off(face: Face) -> tuple[bool, int, int]:
        w = face.weight
        if 400 <= weight <= 500:
            rank = 0 if weight <= w <= 500 else 1 if w < weight else 2
        elif weight < 400:
            rank = 0 if w <= weight else 1
        else:
            rank = 0 if w >= weight else 1
        return face.italic != italic, rank, abs(w - weight)

    return min(faces, key=off)
