"""A dictionary that can't be changed, and that can be pickled, copied and compared like any other."""

from __future__ import annotations

from operator import is_
from typing import Any, NoReturn, TypeVar

from msgspec import Struct
from msgspec.structs import replace

K = TypeVar("K")
V = TypeVar("V")


class Frozen(dict[K, V]):
    """A dictionary that refuses every change.

    >>> Frozen(level=40)["level"]
    40
    >>> Frozen(level=40).update(level=50)
    Traceback (most recent call last):
    TypeError: this mapping can't be changed; make a copy with dict(...)
    """

    __slots__ = ()

    def _refuse(self, *_: object, **__: object) -> NoReturn:
        raise TypeError("this mapping can't be changed; make a copy with dict(...)")

    __setitem__ = __delitem__ = clear = pop = popitem = setdefault = update = __ior__ = _refuse

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (dict(self),)

    def __copy__(self) -> Frozen[K, V]:
        return self

    def __deepcopy__(self, _: object) -> Frozen[K, V]:
        return self


def deep_frozen(value: Any) -> Any:
    """A value whose mappings and lists can't be changed, at any depth; what is immutable already stays as it is.

    >>> deep_frozen({"a": [1, {"b": 2}]})
    {'a': (1, {'b': 2})}
    """
    return _frozen(value, {})


_PLAIN = frozenset((str, int, float, bool, type(None)))


def _frozen(value: Any, known: dict[int, Any]) -> Any:
    """``known`` are the structs that were frozen already: what a thousand devices share stays one thing."""
    kind = type(value)
    if kind in _PLAIN:
        return value
    if isinstance(value, dict):
        return Frozen({k: v if type(v) in _PLAIN else _frozen(v, known) for k, v in value.items()})
    if isinstance(value, (list, tuple)):
        made = tuple([v if type(v) in _PLAIN else _frozen(v, known) for v in value])
        return value if kind is tuple and all(map(is_, made, value)) else made
    if isinstance(value, Struct):
        held = known.get(id(value))
        if held is None:
            changed = {}
            for name in value.__struct_fields__:
                field = getattr(value, name)
                if type(field) not in _PLAIN:
                    made = _frozen(field, known)
                    if made is not field:
                        changed[name] = made
            held = known[id(value)] = replace(value, **changed) if changed else value
        return held
    return value
