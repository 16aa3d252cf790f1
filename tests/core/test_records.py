"""Data classes whose methods are made late behave as those of the standard library."""

from __future__ import annotations

import copy
import dataclasses
import inspect
import pickle
import unittest
from collections.abc import Callable
from functools import partial
from typing import Any, ClassVar

from hypothesis import given
from hypothesis import strategies as st

from ulterion.core import records

KINDS = ("plain", "default", "factory", "hidden", "uncompared", "by name", "set later")


def made(decorate: Callable[..., Any], kinds: list[str], options: dict[str, bool], *, post: bool, child: bool) -> Any:
    """Return a data class with a field of each kind, made by a decorator; `child` adds a class that inherits from it."""
    body: dict[str, object] = {"__annotations__": {"never": ClassVar[int]}, "__doc__": "One.", "never": 0}
    for number, kind in enumerate(kinds):
        name = f"f{number}"
        body["__annotations__"][name] = "int"  # type: ignore[index]
        how: dict[str, dict[str, Any]] = {
            "plain": {},
            "default": {"default": number},
            "factory": {"default_factory": lambda: [1]},
            "hidden": {"default": number, "repr": False, "init": False},
            "uncompared": {"default": number, "compare": False},
            "by name": {"kw_only": True},
            "set later": {"init": False, "default_factory": list},
        }
        if kind != "plain":
            body[name] = dataclasses.field(**how[kind])
    if post:
        body["__post_init__"] = lambda self: object.__setattr__(self, "seen", True)
    first = decorate(**options)(type("One", (), body))
    if not child:
        return first
    more = {"__annotations__": {"more": "int"}, "more": 7, "__doc__": "Two."}
    return decorate(**options)(type("Two", (first,), more))


def outcome(do: Callable[[], object]) -> object:
    """Return what a call gives, or the type and words of its error."""
    try:
        return do()
    except Exception as error:
        return type(error), str(error)


def changed(one: object, name: str, gone: bool) -> None:
    """Set a field, or take it away."""
    if gone:
        delattr(one, name)
    else:
        setattr(one, name, 9)


class Records(unittest.TestCase):
    @given(
        st.lists(st.sampled_from(KINDS), max_size=5),
        st.fixed_dictionaries({"frozen": st.booleans(), "kw_only": st.booleans()}),
        st.booleans(),
        st.booleans(),
        st.lists(st.integers(0, 3), max_size=6),
    )
    def test_as_the_standard_library_has_it(
        self, kinds: list[str], options: dict[str, bool], post: bool, child: bool, values: list[int]
    ) -> None:
        """The same arguments, errors, equality, order of fields, text, hash and copies; whatever the fields are."""
        order = sorted(kinds, key=lambda k: k != "plain")  # those without a default come first
        ours, theirs = (
            made(d, order, options, post=post, child=child) for d in (records.dataclass, dataclasses.dataclass)
        )
        self.assertEqual([f.name for f in dataclasses.fields(ours)], [f.name for f in dataclasses.fields(theirs)])
        self.assertEqual(list(inspect.signature(ours).parameters), list(inspect.signature(theirs).parameters))
        self.assertEqual(ours.__match_args__, theirs.__match_args__)
        names = [f.name for f in dataclasses.fields(ours) if f.init]
        by_name = dict(zip(names, values, strict=False))
        pairs = []
        for cls in (ours, theirs):
            done = [outcome(partial(cls, *values)), outcome(partial(cls, **by_name))]
            pairs.append(done)
        for mine, other in zip(*pairs, strict=True):
            if isinstance(other, tuple):
                self.assertEqual(mine, other)
            else:
                self._alike(mine, other, options)

    def _alike(self, mine: Any, other: Any, options: dict[str, bool]) -> None:
        self.assertEqual((repr(mine), dataclasses.asdict(mine)), (repr(other), dataclasses.asdict(other)))
        self.assertEqual(vars(mine), vars(other))
        self.assertEqual(copy.copy(mine), mine)
        self.assertFalse(mine == other, "objects of two classes are never equal")
        hashed, wanted = outcome(lambda: isinstance(hash(mine), int)), outcome(lambda: isinstance(hash(other), int))
        self.assertEqual(hashed, wanted)
        for one in dataclasses.fields(mine):
            for gone in (False, True):
                tried = [outcome(partial(changed, copy.copy(o), one.name, gone)) for o in (mine, other)]
                self.assertEqual(*tried)
            if one.init:
                twice = [dataclasses.replace(o, **{one.name: 99}) for o in (mine, other)]
                self.assertEqual(mine == twice[0], other == twice[1])

    def test_pickled_and_told_apart(self) -> None:
        """One that is sent to another process is the same there, before and after its methods were made."""
        first = Sent(1, [2.5])
        self.assertEqual(pickle.loads(pickle.dumps(first)), first)
        self.assertNotEqual(Sent(2), first)
        self.assertRaises(TypeError, Sent)


@records.dataclass(frozen=True)
class Sent:
    """What is sent."""

    one: int
    many: list[float] = dataclasses.field(default_factory=list)
