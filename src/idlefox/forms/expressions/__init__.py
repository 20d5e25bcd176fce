"""The sheet's small, safe expression language: read, bound to a form's names, compiled to closures."""

from .bind import Scope, bind
from .closures import Closure, ValueAccess, compile_expression
from .parse import ExpressionError, parse
from .parts import ConditionPart, EvaluatedPart, deciding, parts_of
from .tree import UNKNOWN, Expression, Node, Reference

__all__ = [
    "UNKNOWN",
    "Closure",
    "ConditionPart",
    "EvaluatedPart",
    "Expression",
    "ExpressionError",
    "Node",
    "Reference",
    "Scope",
    "ValueAccess",
    "bind",
    "compile_expression",
    "deciding",
    "parse",
    "parts_of",
]
