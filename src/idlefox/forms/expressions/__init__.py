"""The sheet's small, safe expression language: read, bound to a form's names, compiled to closures."""

from .bind import Scope, bind
from .closures import Access, Closure, compile_expression
from .parse import ExpressionError, parse
from .tree import UNKNOWN, Expression, Node, Reference

__all__ = [
    "UNKNOWN",
    "Access",
    "Closure",
    "Expression",
    "ExpressionError",
    "Node",
    "Reference",
    "Scope",
    "bind",
    "compile_expression",
    "parse",
]
