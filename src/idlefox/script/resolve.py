"""Parameters replaced and addresses made whole: an act of the tree with plain values in it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..forms.names.addresses import parse_address
from ..forms.values.durations import parse_duration
from ..forms.values.values import as_text
from ..problems import suggestion
from .tree import Address, Anything, Check, Collection, Duration, Like, Not, Nothing, Parameter, Pick, Template, WordToken

_WHOLE = re.compile(r"-?[0-9]{1,15}")
_DURATIONS = frozenset({"every", "within", "lasting", "duration", "after"})
_NUMBERS = frozenset({"times", "to", "at", "status", "size"})
_TEXTS = frozenset({"text", "name", "button", "type"})
_AS_IT_IS = frozenset({str, int, bool, float, type(None), WordToken})  # types that never contain parameters: a quick check for most values
Env = Mapping[str, Any]


class ResolveError(Exception):
    """A parameter cannot be replaced; *offset* is in its statement, None for all of it."""

    def __init__(self, cause: str, remedy: str = "", offset: int | None = None, length: int = 1) -> None:
        super().__init__(cause)
        self.cause, self.remedy, self.offset, self.length = cause, remedy, offset, length


def plain(value: Any, env: Env) -> Any:
    """Convert a value of the tree to plain data; `any` and `like` stay."""
    if isinstance(value, Parameter):
        return _parameter(value, env)
    if isinstance(value, Template):
        return "".join(p if isinstance(p, str) else _text_of(_parameter(p, env)) for p in value.parts)
    if isinstance(value, Collection):
        if value.kind == "list":
            return [_inner(m.value, env) for m in value.members]
        return {as_text(plain(m.key, env)): _inner(m.value, env) for m in value.members}
    return value


def parameters_in(thing: Any) -> set[str]:
    """The names of all parameters in any part of a tree."""
    if isinstance(thing, Parameter):
        return {thing.name}
    return {name for part in thing for name in parameters_in(part)} if isinstance(thing, tuple) else set()


def _inner(value: Any, env: Env) -> Any:
    """A member of a list or object, which cannot be `nothing`."""
    found = plain(value, env)
    return _fitting(found, "", value) if isinstance(found, Nothing) else found


def _text_of(value: Any) -> str:
    return "nothing" if isinstance(value, Nothing) else as_text(value)


def _parameter(parameter: Parameter, env: Env) -> Any:
    if parameter.name not in env:
        known = f"the parameters here are {', '.join('$' + k for k in env)}" if env else "for a dollar sign write $$"
        remedy = suggestion(parameter.name, env, known)
        where = parameter.offset if parameter.offset >= 0 else None
        raise ResolveError(f"unknown parameter ${parameter.name}", remedy, where, len(parameter.name) + 1)
    return env[parameter.name]


def absolute(address: Address, env: Env, prefix: tuple[Any, ...]) -> Address:
    """*address* with its parameters replaced, from the form's root."""
    if not address.relative and Parameter not in map(type, address.segments):
        return address
    segments: list[str | int] = []
    relative = address.relative
    for i, segment in enumerate(address.segments):
        if not isinstance(segment, Parameter):
            segments.append(segment)
            continue
        value = _parameter(segment, env)
        if i == 0:
            found = parse_address(value.removeprefix(".")) if isinstance(value, str) else None
            if found is None or "*" in found:
                message = f"${segment.name} is {as_text(value)!r}, which is not an address"
                raise ResolveError(message, "", segment.offset, len(segment.name) + 1)
            relative = relative or value.startswith(".")
            segments.extend(found)
        elif isinstance(value, int) and not isinstance(value, bool):
            segments.append(value)
        elif isinstance(value, str) and _WHOLE.fullmatch(value):
            segments.append(int(value))
        else:
            message = f"${segment.name} is {as_text(value)!r}, which is not a row number"
            raise ResolveError(message, "", segment.offset, len(segment.name) + 1)
    whole = (*prefix, *segments) if relative else tuple(segments)
    return Address(whole, False, address.offset, address.length)


def resolve(thing: Any, env: Env, prefix: tuple[Any, ...], name: str = "") -> Any:
    """Return any part of an act with its parameters replaced. *name* is its attribute."""
    if type(thing) in _AS_IT_IS:
        return thing
    if isinstance(thing, Address):
        return absolute(thing, env, prefix)
    if isinstance(thing, Duration):
        return thing.ms
    if isinstance(thing, Collection | Template):
        return plain(thing, env)
    if isinstance(thing, Parameter):
        return _fitting(_parameter(thing, env), name, thing)
    if not isinstance(thing, tuple) or isinstance(thing, WordToken | Like | Anything):
        return thing
    if not hasattr(thing, "_fields"):
        return tuple(resolve(each, env, prefix, name) for each in thing)
    return _resolve_slots(thing, env, prefix)


def _resolve_slots(act: Any, env: Env, prefix: tuple[Any, ...]) -> Any:
    if isinstance(act, Check) and _takes_several(act):
        act = _with_several(act, env, prefix)
    elif isinstance(act, Pick):
        act = act._replace(values=tuple(v for each in act.values for v in _spread(each, env, prefix)))
    changes: dict[str, Any] = {}
    words = isinstance(act, Not) or (isinstance(act, Check) and _of_words(act))
    for each, old in zip(act._fields, act, strict=True):
        new = resolve(old, env, prefix, "word" if words and each in ("arguments", "word") else each)
        if new is not old:
            changes[each] = new
    return act._replace(**changes) if changes else act


def _takes_several(check: Check) -> bool:
    """Return whether the grammar allows a comma list here, so that a list parameter can replace it."""
    addresses = check.noun.kind in ("dirty", "touched") and check.predicate in ("=", "!=")
    return addresses or check.predicate in ("is", "breaks", "breaks only", "shows", "omits")


def _with_several(check: Check, env: Env, prefix: tuple[Any, ...]) -> Check:
    """Replace each list parameter in *check* by its elements; an empty list means *nothing*."""
    arguments = tuple(v for each in check.arguments for v in _spread(each, env, prefix))
    if _of_words(check):
        arguments = tuple(map(_as_word, arguments))
    if arguments or not check.arguments:
        return check._replace(arguments=arguments)
    none = {"breaks": "breaks nothing", "breaks only": "breaks nothing", "shows": "shows nothing", "=": "nothing", "!=": "nothing"}
    if check.predicate not in none:
        raise ResolveError(f"`{check.predicate}` needs a value", "the parameter is an empty list or nothing", check.offset, check.length)
    negated = check.negated is not (check.predicate == "!=")
    return check._replace(predicate=none[check.predicate], arguments=(), negated=negated)


def _spread(thing: Any, env: Env, prefix: tuple[Any, ...]) -> tuple[Any, ...]:
    """Return the elements for one element of a comma list: itself, or the items of its list parameter."""
    inner = thing.word if isinstance(thing, Not) else thing
    lone = isinstance(inner, Address) and len(inner.segments) == 1 and isinstance(inner.segments[0], Parameter)
    parameter = inner.segments[0] if lone else inner
    if not isinstance(parameter, Parameter):
        return (thing,)
    value = _parameter(parameter, env)
    if isinstance(value, Nothing):
        return ()
    if not isinstance(value, list):
        return (thing,)
    if lone:
        return tuple(absolute(inner, {parameter.name: each}, prefix) for each in value)
    if isinstance(thing, Not):
        return tuple(Not(WordToken(as_text(each), parameter.offset)) for each in value)
    return tuple(value)


def _of_words(check: Check) -> bool:
    return check.predicate in ("is", "breaks", "breaks only")


def _as_word(each: Any) -> Any:
    return each if isinstance(each, tuple) else WordToken(as_text(each))


def _fitting(value: Any, name: str, parameter: Parameter) -> Any:
    """A parameter's value as the slot *name* wants it."""
    where = (parameter.offset, len(parameter.name) + 1)
    if isinstance(value, Nothing):
        remedy = "`nothing` can only stand for a list of rules, messages, options or fields: breaks only $x, shows $x, pick R $x"
        raise ResolveError(f"${parameter.name} is nothing, but a value is needed here", remedy, *where)
    if name == "word":
        return WordToken(as_text(value), parameter.offset)
    if name in _DURATIONS:
        ms = parse_duration(value) if isinstance(value, str) else None
        if ms is None:
            raise ResolveError(f"${parameter.name} is {as_text(value)!r}, which is not a duration", 'for example "3s"', *where)
        return ms
    if name in _NUMBERS:
        if isinstance(value, str) and _WHOLE.fullmatch(value):
            return int(value)
        if not isinstance(value, int) or isinstance(value, bool):
            raise ResolveError(f"${parameter.name} is {as_text(value)!r}, which is not a whole number", "", *where)
        return value
    if name == "on":
        states = {"on": True, "off": False, True: True, False: False}
        if not isinstance(value, str | bool) or value not in states:
            raise ResolveError(f"${parameter.name} is {as_text(value)!r}, which is neither on nor off", "", *where)
        return states[value]
    return as_text(value) if name in _TEXTS else value
