"""The sheet's small, safe expression language: read, bound to a form's names, compiled to closures."""

from .bind import Scope, bind
from .closures import Access, Closure, compile_expression
from .parse import ExpressionError, parse
from .parts import Part, Shown, deciding, parts_of
from .tree import UNKNOWN, Expression, Node, Reference

__all__ = [
    "UNKNOWN",
    "Access",
    "Closure",
    "Expression",
    "ExpressionError",
    "Node",
    "Part",
    "Reference",
    "Scope",
    "Shown",
    "bind",
    "compile_expression",
    "deciding",
    "parse",
    "parts_of",
]
