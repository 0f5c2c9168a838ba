"""What is worked out from an immutable value, kept with it for whoever asks next.

A function of a pattern (or of a reach table) that is asked for again and again is decorated with ``derived``. Its
result is worked out once for each set of further arguments, and goes when its owner goes:

>>> from deft_reach.core.notation.stroke_text import parse
>>> @derived
... def limbs_of(pattern: "Pattern") -> str:
...     return "".join(stroke.limb for stroke in pattern.strokes)
>>> pattern = parse("R L K")
>>> limbs_of(pattern), limbs_of.known(pattern)
('RLK', 'RLK')
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Concatenate, Generic, ParamSpec, Protocol, TypeVar, cast


class DerivedValues:
    """The results kept for one owner. Several threads may ask at once; the first result to arrive is kept."""

    def __init__(self) -> None:
        self._values: dict[tuple[Hashable, ...], object] = {}
        self._lock = Lock()

    def get(self, key: tuple[Hashable, ...]) -> object | None:
        with self._lock:
            return self._values.get(key)

    def keep(self, key: tuple[Hashable, ...], value: object) -> object:
        """Keep a value unless there is one already, and return the one that is kept."""
        with self._lock:
            return self._values.setdefault(key, value)

    def replace(self, key: tuple[Hashable, ...], value: object) -> None:
        with self._lock:
            self._values[key] = value

    def __reduce__(self) -> tuple[type[DerivedValues], tuple[()]]:
        # A copy works everything out anew.
        return DerivedValues, ()


class Owner(Protocol):
    """Something immutable that values can be derived from."""

    @property
    def derived(self) -> DerivedValues: ...


O = TypeVar("O", bound=Owner)  # noqa: E741
P = ParamSpec("P")
T = TypeVar("T")


class derived(Generic[O, P, T]):
    """Decorator: a function of an owner and further hashable arguments whose results are kept with the owner."""

    def __init__(self, work: Callable[Concatenate[O, P], T]) -> None:
        self._work = work
        self.__doc__, self.__name__, self.__module__ = work.__doc__, work.__name__, work.__module__
        self.__wrapped__ = work

    def __call__(self, owner: O, *args: P.args, **kwargs: P.kwargs) -> T:
        assert not kwargs, "the arguments of derived functions are positional: they are the key of the result"
        key = (self, *cast("tuple[Hashable, ...]", args))
        found = owner.derived.get(key)
        if found is None:
            # Worked out without the lock: at worst twice, never waiting for each other.
            found = owner.derived.keep(key, (self._work(owner, *args, **kwargs),))
        return cast("tuple[T]", found)[0]

    def known(self, owner: O, *args: Any) -> T | None:
        """The result if it has been worked out already."""
        found = owner.derived.get((self, *args))
        return None if found is None else cast("tuple[T]", found)[0]

    def give(self, owner: O, value: T, *args: Any) -> None:
        """Keep a result that is known from elsewhere."""
        owner.derived.keep((self, *args), (value,))

    def share(self, owner: O, other: O, *args: Any) -> None:
        """Keep the result of another owner, if it is known and the same."""
        found = other.derived.get((self, *args))
        if found is not None:
            owner.derived.keep((self, *args), found)


class newest(Generic[O, P, T]):
    """Decorator like ``derived``, but only the result for the newest arguments is kept."""

    def __init__(self, work: Callable[Concatenate[O, P], T]) -> None:
        self._work = work
        self.__doc__, self.__name__, self.__module__ = work.__doc__, work.__name__, work.__module__
        self.__wrapped__ = work

    def __call__(self, owner: O, *args: P.args, **kwargs: P.kwargs) -> T:
        asked = (args, tuple(kwargs.items()))
        found = cast("tuple[object, T] | None", owner.derived.get((self,)))
        if found is None or found[0] != asked:
            found = asked, self._work(owner, *args, **kwargs)
            owner.derived.replace((self,), found)
        return found[1]
