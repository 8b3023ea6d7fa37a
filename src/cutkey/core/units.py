"""Lengths as people type them: units, sums, decimal commas."""

from __future__ import annotations

import ast
import math
import operator
import re

from cutkey.core.errors import BadInput

#: Millimetres in one unit; the inch is 25.4 mm exactly (international yard and pound agreement, 1959).
MM_PER = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}
_SUFFIX = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "in": 25.4, '"': 25.4, "deg": 1.0, "°": 1.0, "%": 0.01}
_TERM = re.compile(r'(\d+(?:[.,]\d+)?|[.,]\d+)\s*(mm|cm|inch|in|m|deg|"|°|%)?')
_OPERATORS = {ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv}


def parse_number(text: str) -> float:
    """Value of a number, a length or a sum of them, in millimetres (or plain units).

    Parameters
    ----------
    text : str
        For example ``"5in"``, ``"25.4*2"``, ``"60 mm - 2*1,5"``.

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
    """

    def plain(match: re.Match[str]) -> str:
        factor = _SUFFIX[match[2]] if match[2] else 1.0
        return repr(float(match[1].replace(",", ".")) * factor)

    try:
        value = _evaluate(ast.parse(_TERM.sub(plain, text.strip().lower()), mode="eval").body)
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
