"""Data classes that cost nothing when they are imported.

The decorator of the standard library compiles up to six methods for each class, which takes half a millisecond, and a
command imports 150 such classes. Here all classes share the same methods, which go through the fields of the class. The
names and meanings are those of the standard library, without `slots`, `eq`, `order`, and `init`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    # For a checker of types they are the same.
    from dataclasses import asdict as asdict
    from dataclasses import dataclass as dataclass
    from dataclasses import field as field
    from dataclasses import fields as fields
    from dataclasses import is_dataclass as is_dataclass
    from dataclasses import replace as replace
else:
    from copy import deepcopy
    from operator import attrgetter

    NOTHING = object()

    class Field:
        """A field of a data class; `field(default_factory=list)` in its body makes one."""

        __slots__ = ("compare", "default", "default_factory", "kw_only", "name", "repr")

        def __init__(self, *, default=NOTHING, default_factory=NOTHING, repr=True, compare=True):  # noqa: A002 - the standard word
            self.default = default
            self.default_factory = default_factory
            self.repr = repr
            self.compare = compare

    field = Field

    def dataclass(cls=None, /, *, frozen=False, repr=True, kw_only=False):  # noqa: A002
        """Make a class with annotated fields a data class."""

        def made(cls):
            own = vars(cls)
            found = {each.name: each for base in reversed(cls.__mro__[1:]) for each in vars(base).get("_fields_", ())}
            for name, kind in cls.__annotations__.items():
                if not kind.startswith("ClassVar"):
                    given = own.get(name, NOTHING)
                    each = given if type(given) is Field else Field(default=given)
                    each.name, each.kw_only = name, kw_only
                    found[name] = each
            cls._fields_ = tuple(found.values())
            cls.__match_args__ = tuple(each.name for each in cls._fields_ if not each.kw_only)
            cls._names_ = found.keys()
            cls._defaults_ = {name: each.default for name, each in found.items() if each.default is not NOTHING}
            cls._makers_ = tuple(
                (name, each.default_factory) for name, each in found.items() if each.default_factory is not NOTHING
            )
            cls._prepares_ = hasattr(cls, "__post_init__")
            cls._key_ = _key_of([each.name for each in cls._fields_ if each.compare])
            methods = {"__init__": _init, "__eq__": _equal}
            if repr:
                methods["__repr__"] = _text
            if frozen:
                methods |= {"__setattr__": _protected, "__delattr__": _protected}
            if "__eq__" not in own and own.get("__hash__") is None:
                methods["__hash__"] = _hash if frozen else None
            for name, method in methods.items():
                if name == "__hash__" or name not in own:
                    setattr(cls, name, method)
            return cls

        return made if cls is None else made(cls)

    def fields(part):
        """Return the fields of a data class, or of one of its instances, in their order."""
        return part._fields_

    def is_dataclass(part):
        """Return whether this is a data class, or an instance of one."""
        return hasattr(part, "_fields_")

    def replace(part, /, **changes):
        """Return a copy with some values changed."""
        return type(part)(**{each.name: getattr(part, each.name) for each in part._fields_} | changes)

    def asdict(part):
        """Return the values by name; data classes, lists, and dictionaries inside are copied as well."""
        if is_dataclass(part):
            return {each.name: asdict(getattr(part, each.name)) for each in part._fields_}
        if isinstance(part, list | tuple):
            return type(part)(map(asdict, part))
        if isinstance(part, dict):
            return {asdict(key): asdict(value) for key, value in part.items()}
        return deepcopy(part)

    def _key_of(names):
        """Return the function that reads what instances are compared by."""
        if len(names) > 1:
            return attrgetter(*names)
        return lambda part: tuple(getattr(part, name) for name in names)

    def _init(self, /, *values, **named):
        cls = type(self)
        own = self.__dict__
        if named or len(values) != len(cls._fields_):
            own.update(cls._defaults_)
            own.update(named)
            for name, make in cls._makers_:
                if name not in named:
                    own[name] = make()
        own.update(zip(cls.__match_args__, values, strict=False))
        if own.keys() != cls._names_ or len(values) > len(cls.__match_args__):
            wrong = ", ".join(sorted(own.keys() ^ cls._names_)) or f"{len(values)} by position"
            raise TypeError(f"{cls.__name__} does not take these values: {wrong}")
        if cls._prepares_:
            self.__post_init__()

    def _equal(self, other):
        if self is other:
            return True
        cls = type(self)
        return cls._key_(self) == cls._key_(other) if type(other) is cls else NotImplemented

    def _hash(self):
        return hash(type(self)._key_(self))

    def _text(self):
        shown = ", ".join(f"{each.name}={getattr(self, each.name)!r}" for each in self._fields_ if each.repr)
        return f"{type(self).__qualname__}({shown})"

    def _protected(self, name, *value):
        raise AttributeError(f"`{name}` of {type(self).__name__} cannot be changed")
