"""Lengths as people type them: units, sums, decimal commas."""

from __future__ import annotations

import ast
import math
import operator
import re
from typing import Literal

from cutkey.core.errors import BadInput

Unit = Literal["", "mm", "cm", "m", "inch"]
#: Millimetres in one unit; the inch is 25.4 mm and the foot 304.8 mm exactly (international yard and pound
#: agreement, 1959).
MM_PER = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}
_SUFFIX = {
    **{
        "mm": 1.0,
        "cm": 10.0,
        "m": 1000.0,
        "inches": 25.4,
        "inch": 25.4,
        "in": 25.4,
        '"': 25.4,
        "feet": 304.8,
        "foot": 304.8,
        "ft": 304.8,
    },
    **{"'": 304.8, "deg": 1.0, "°": 1.0, "%": 0.01},
}
_UNIT = "|".join(re.escape(u) for u in sorted(_SUFFIX, key=len, reverse=True))
_NUMBER = r"(?:\d+(?:[.,]\d+)?|[.,]\d+)"
#: A number, a fraction such as 1/4 or a mixed number such as 5 1/2 before a unit; without one, 1/4 is a
#: division like any other.
_TERM = re.compile(
    rf"(?:(?P<whole>\d+)\s+)?(?P<top>\d+)\s*/\s*(?P<bottom>\d+)\s*(?P<of>{_UNIT})(?![a-z])"
    rf"|(?P<mixed>\d+)\s+(?P<above>\d+)\s*/\s*(?P<below>\d+)(?!\s*[\d.,])"
    rf"|(?P<number>{_NUMBER})\s*(?P<unit>{_UNIT})?(?![a-z])"
)
#: Feet and inches that follow one another are one length: 5' 6 1/2".
_FEET = re.compile(rf"({_NUMBER}\s*(?:'|ft|feet|foot))\s*(?=[\d.,])")
#: 5-1/2in is five and a half on a workshop drawing and a difference in a sum.
_EITHER = re.compile(rf"(?<![\d.,])\d+-\d+\s*/\s*\d+\s*(?:{_UNIT})(?![a-z])")
_SUM = re.compile(r"[\d.eE+*/() -]+")
_SIGNS = str.maketrans(
    {"″": '"', "”": '"', "“": '"', "′": "'", "’": "'", "×": "*", "−": "-", "⁄": "/", "\u00a0": " "}
)
_PARTS = {
    "½": "1/2",
    "¼": "1/4",
    "¾": "3/4",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
    "⅓": "1/3",
    "⅔": "2/3",
}
_OPERATORS = {ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv}


def parse_number(text: str) -> float:
    r"""Value of a number, a length or a sum of them, in millimetres (or plain units).

    Parameters
    ----------
    text : str
        For example ``"5in"``, ``"25.4*2"``, ``"60 mm - 2*1,5"``, ``"5 1/2in"``, ``"1/4\""``, ``"5' 6\""``.

    Raises
    ------
    BadInput
        When the text is not a number or a sum, or the value is not finite.

    Examples
    --------
    >>> parse_number("5in")
    127.0
    >>> parse_number("25.4*2")
    50.8
    >>> parse_number("1/4in")
    6.35
    """

    def plain(match: re.Match[str]) -> str:
        m = match.groupdict()
        if m["of"]:
            return repr((float(m["whole"] or 0) + float(m["top"]) / float(m["bottom"])) * _SUFFIX[m["of"]])
        if m["mixed"]:
            return repr(float(m["mixed"]) + float(m["above"]) / float(m["below"]))
        return repr(float(m["number"].replace(",", ".")) * (_SUFFIX[m["unit"]] if m["unit"] else 1.0))

    try:
        typed = text.strip().lower().translate(_SIGNS)
        for sign, fraction in _PARTS.items():
            typed = typed.replace(sign, f" {fraction}")
        typed = _FEET.sub(r"\1+", typed.strip())
        if _EITHER.search(typed):
            raise BadInput(
                f"“{text.strip()}” can be read in two ways; type 5 1/2in for five and a half, or 5 - 1/2in"
                " for the difference."
            )
        term = _TERM.sub(plain, typed)
        if not _SUM.fullmatch(term):
            raise ValueError
        value = _evaluate(ast.parse(term.strip(), mode="eval").body)
    except (SyntaxError, ValueError, ZeroDivisionError, OverflowError, RecursionError):
        raise BadInput(f"“{text.strip()}” is not a number; type for example 60, 5in or 25.4*2.") from None
    if not math.isfinite(value):
        raise BadInput(f"“{text.strip()}” is too large to be a length.")
    return value


def _evaluate(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd)):
        value = _evaluate(node.operand)
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return float(_OPERATORS[type(node.op)](_evaluate(node.left), _evaluate(node.right)))
    raise ValueError


def format_mm(value: float, digits: int = 2) -> str:
    """Shortest text of a length, without trailing zeros: ``12``, ``0.2``, ``25.4``."""
    text = f"{value:.{digits}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text


def format_size(size: tuple[float, ...], digits: int = 1) -> str:
    """Sizes joined by a multiplication sign: ``520 × 300 × 8``."""
    return " × ".join(format_mm(v, digits) for v in size)


def how_many(count: int, one: str, more: str = "") -> str:
    """A number of things in words: `more` is the word for several, the one with an s where it is not said."""
    return f"{count} {one if count == 1 else more or one + 's'}"
