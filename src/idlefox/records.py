"""Named tuples that are made quickly.

A run of the command line makes some eighty classes before it reads the first file. `typing.NamedTuple` compiles a
constructor for each of them; here all share one. Made 76 times, a class of three fields takes an eighth of the time
(`python benchmarks/bench.py records`), which is a tenth of a short run; an instance made by keywords takes six times as
long. To readers and type
checkers it is `typing.NamedTuple`: fields, defaults, `_replace`, `_fields`, equality and order as there. Classes
whose instances are made by the ten thousand stay with `typing.NamedTuple`, whose own constructors are quicker.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from typing import NamedTuple as NamedTuple
else:
    from collections import _tuplegetter
    from sys import intern

    class _Meta(type):
        """Makes the class of a record from its annotations; methods and properties stay as they are written."""

        def __new__(mcls, name: str, bases: tuple[type, ...], space: dict[str, Any]) -> type:
            if bases == (tuple,):
                return type.__new__(mcls, name, bases, space)
            annotate = space.get("__annotate_func__")  # Python 3.14 keeps annotations as a function
            names = tuple(map(intern, space.get("__annotations__", ()) if annotate is None else annotate(1)))
            space["_field_defaults"] = {n: space[n] for n in names if n in space}
            space["_fields"] = names
            space["_size"] = len(names)
            space["__match_args__"] = names
            space["_last"] = tuple(space["_field_defaults"].values())  # defaults are at the end
            space["__slots__"] = ()
            for index, each in enumerate(names):
                space[each] = _tuplegetter(index, None)
            return type.__new__(mcls, name, bases, space)

    class NamedTuple(tuple, metaclass=_Meta):
        """The base class of records. See the module for why this is not `typing.NamedTuple`."""

        __slots__ = ()
        _fields: tuple[str, ...] = ()
        _field_defaults: dict[str, Any] = {}
        _size = 0
        _last: tuple[Any, ...] = ()

        def __new__(cls, *values: Any, **named: Any) -> Any:
            if not named:
                missing = cls._size - len(values)
                if not missing:
                    return tuple.__new__(cls, values)
                if 0 < missing <= len(cls._last):
                    return tuple.__new__(cls, values + cls._last[-missing:])
            names = cls._fields
            found = {**cls._field_defaults, **dict(zip(names, values, strict=False)), **named}
            twice = named.keys() & set(names[: len(values)])
            unknown = found.keys() - set(names)
            if twice or unknown or len(values) > len(names):
                odd = ", ".join(sorted(twice | unknown)) or f"{len(values)} values"
                raise TypeError(f"{cls.__name__} has no use for {odd}")
            try:
                return tuple.__new__(cls, [found[n] for n in names])
            except KeyError as missing:
                raise TypeError(f"{cls.__name__} needs {missing}") from None

        @classmethod
        def _make(cls, values: Any) -> Any:
            return cls(*values)

        def _replace(self, **changes: Any) -> Any:
            values = list(self)
            unknown = changes.keys() - set(self._fields)
            if unknown:
                raise TypeError(f"{type(self).__name__} has no field {', '.join(sorted(unknown))}")
            for name, value in changes.items():
                values[self._fields.index(name)] = value
            return tuple.__new__(type(self), values)

        def _asdict(self) -> dict[str, Any]:
            return dict(zip(self._fields, self, strict=True))

        def __repr__(self) -> str:
            return f"{type(self).__name__}({', '.join(f'{n}={v!r}' for n, v in zip(self._fields, self, strict=True))})"

        def __getnewargs__(self) -> tuple[Any, ...]:
            return tuple(self)
