"""Records read from plain data: what is sound is read as it is, and of what is not every fault is named with its place."""

from __future__ import annotations

import copy
import datetime
import json
import math
import unittest
from functools import cached_property, reduce
from typing import Annotated, ClassVar, Literal, NamedTuple

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.documents.fields import Before, Field, Limits, ToldBy, optional
from ulterion.core.documents.json_schema import json_schema
from ulterion.core.documents.plain import Plain, plain
from ulterion.core.documents.reading import reader_of
from ulterion.core.documents.values import InvalidError
from ulterion.core.documents.written import Written
from ulterion.core.records import dataclass

Small = Annotated[int, Limits(ge=0, le=100)]
Part = Annotated[float, Limits(gt=0, lt=1)]


@dataclass(frozen=True)
class Circle:
    """One of two shapes."""

    shape: Literal["circle"]
    radius: float


@dataclass(frozen=True)
class Box:
    """The other."""

    shape: Literal["box", "cube"]
    sides: tuple[float, float] | None = None


class Pair(NamedTuple):
    """A named tuple."""

    name: str
    value: Small


class Inner(Written):
    """A record in a record."""

    word: str = Field(min_length=1, pattern="^[a-z]*$")
    parts: list[Part | None] = []
    pairs: list[tuple[int, Small]] = []


class Outer(Written):
    """A record with fields of every kind."""

    kind_: Literal["outer"] = Field(default="outer", key="kind")
    count: Small
    rate: float | None = Field(default=None, ge=0.5)
    open: bool = False
    day: datetime.date | None = None
    form: Annotated[Circle | Box, ToldBy("shape", (Circle, Box))]
    inner: Inner | None = None
    named: dict[str, Inner] = {}
    pair: Pair | None = None
    series: list[int] = []
    words: tuple[str, ...] = ()


words = st.text("abcxyz", min_size=1, max_size=5)
smalls, floats = st.integers(0, 100), st.floats(allow_nan=False, allow_infinity=False)
parts = st.floats(0, 1, exclude_min=True, exclude_max=True)
inners = st.fixed_dictionaries(
    {"word": words},
    optional={
        "parts": st.lists(st.none() | parts, max_size=4),
        "pairs": st.lists(st.tuples(st.integers(), smalls).map(list), max_size=4),
    },
)
shapes = st.fixed_dictionaries({"shape": st.just("circle"), "radius": floats}) | st.fixed_dictionaries(
    {"shape": st.sampled_from(["box", "cube"])}, optional={"sides": st.tuples(floats, floats).map(list)}
)
documents = st.fixed_dictionaries(
    {"count": smalls, "form": shapes},
    optional={
        "kind": st.just("outer"),
        "rate": st.floats(0.5, 1e300),
        "open": st.booleans(),
        "day": st.dates().map(str),
        "inner": inners,
        "named": st.dictionaries(words, inners, max_size=2),
        "pair": st.tuples(words, smalls).map(list),
        "series": st.lists(st.integers(), max_size=5),
        "words": st.lists(st.text("aé\x00", max_size=3), max_size=3),
    },
)


def places(data: object, at: tuple[int | str, ...] = ()) -> list[tuple[int | str, ...]]:
    """Return where the values of plain data are that are no list or table."""
    steps = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else None
    return [at] if steps is None else [p for step, value in steps for p in places(value, (*at, step))]


def at(data: object, place: tuple[int | str, ...]) -> object:
    """Return what is at a place of plain data."""
    return reduce(lambda told, step: told[step], place, data)  # type: ignore[index]


def put(data: Plain, place: tuple[int | str, ...], value: object) -> None:
    """Put a value in its place."""
    at(data, place[:-1])[place[-1]] = value  # type: ignore[index]


def faults_of(data: object) -> set[tuple[tuple[int | str, ...], str]]:
    """Return the places and kinds of the faults of a document."""
    try:
        Outer.from_data(data)
    except InvalidError as error:
        return {(f.place, f.kind) for f in error.faults}
    return set()


class Reading(unittest.TestCase):
    @given(documents)
    def test_what_is_sound_is_read_and_written_as_it_was(self, data: Plain) -> None:
        """Every value comes back, through JSON too; what was left out is as it is by default; the schema takes it."""
        record = Outer.from_data(data)
        again = json.loads(json.dumps(plain(record)))
        self.assertEqual([(p, at(again, p)) for p in places(data)], [(p, at(data, p)) for p in places(data)])
        self.assertEqual(Outer.from_data(again), record)
        self.assertEqual(Outer.made_of(**{f: getattr(record, f) for f in Outer.__dataclass_fields__}), record)
        jsonschema.validate(again, SCHEMA)

    @given(documents, st.data())
    def test_every_fault_is_named_with_its_place(self, data: Plain, draw: st.DataObject) -> None:
        """Values of no type there is, at any places: just these are named, and the schema refuses what the reader refuses."""
        told = [p for p in places(data) if p[-1] != "shape"]
        bad = draw.draw(st.lists(st.sampled_from(told), min_size=1, max_size=4, unique=True))
        damaged = copy.deepcopy(data)
        for place in bad:
            put(damaged, place, {"none": "of these"})
        self.assertEqual(faults_of(damaged), {(place, "wrong") for place in bad})
        self.assertFalse(jsonschema.Draft202012Validator(SCHEMA).is_valid(damaged))

    @given(documents, words)
    def test_keys_too_many_and_too_few(self, data: Plain, word: str) -> None:
        """A key that is not known, here and further in, and one that is missing."""
        damaged = copy.deepcopy(data) | {"inner": {"word": "a", "q" + word: 1}, "z" + word: 2}
        del damaged["count"]
        self.assertEqual(
            faults_of(damaged),
            {(("inner", "q" + word), "unknown"), (("z" + word,), "unknown"), (("count",), "missing")},
        )
        self.assertFalse(jsonschema.Draft202012Validator(SCHEMA).is_valid(damaged))

    @given(st.lists(st.integers(-2, 2**70) | st.floats() | st.none() | st.booleans() | st.just("1"), max_size=4))
    def test_a_list_is_read_as_its_values_are(self, values: list[object]) -> None:
        """At once or one by one: the same values, or the same ones are wrong."""
        for kind in (int, float, float | None, Small, Part | None, tuple[Small, Small]):
            listed = [[v, v] for v in values] if kind == tuple[Small, Small] else values
            one, each, wrong = reader_of(kind), list[object](), set[object]()
            for at, value in enumerate(listed):
                try:
                    each.append(one(value))
                except ValueError:
                    wrong.add(at)
            try:
                got = reader_of(list[kind])(listed)  # type: ignore[valid-type]
            except InvalidError as error:
                self.assertEqual({f.place[0] for f in error.faults}, wrong)
            else:
                self.assertEqual((got, wrong), (each, set()))
                self.assertEqual([type(g) for g in got], [type(e) for e in each])  # type: ignore[attr-defined]

    @given(st.floats() | st.integers(), st.floats(-5, 5), st.floats(-5, 5), st.booleans())
    def test_limits(self, value: float, low: float, high: float, ends: bool) -> None:
        """A number is read where it is inside, its ends as they are said, and never one that is none."""
        limits = Limits(ge=low, le=high) if ends else Limits(gt=low, lt=high)
        inside = low <= value <= high if ends else low < value < high
        for kind in (float, int) if isinstance(value, int) else (float,):
            hint = Annotated[kind, limits]  # type: ignore[valid-type]
            if inside:
                self.assertEqual(reader_of(hint)(value), value)
            else:
                with self.assertRaises(ValueError):
                    reader_of(hint)(value)
        if math.isnan(value) or math.isinf(value):
            self.assertRaises(ValueError, reader_of(float), value)

    def test_what_is_wrong_is_said_in_words(self) -> None:
        """For each kind of field, as a reviewer reads it behind the place."""
        cases = {
            "count: is 1.5, not a whole number": {"count": 1.5},
            "count: is true, not a whole number": {"count": True},
            "count: is 101; it must be at least 0 and at most 100": {"count": 101},
            "rate: is '5', not a number": {"rate": "5"},
            "rate: is 0.1; it must be at least 0.5": {"rate": 0.1},
            "rate: is too large a number": {"rate": 10**400},
            "open: is 'yes', not true or false": {"open": "yes"},
            "kind: is 'other'; it must be 'outer'": {"kind": "other"},
            "day: is 'soon', not a date, such as 2026-03-02": {"day": "soon"},
            "inner.word: is empty; fill it in, or leave it out": {"inner": {"word": ""}},
            "inner.word: is 'A', which does not fit ^[a-z]*$": {"inner": {"word": "A"}},
            "inner: is a list, not a table": {"inner": []},
            "form.shape: is 'ball'; it must be one of: circle, box, cube": {"form": {"shape": "ball"}},
            "named.b.word: is missing; add it": {"named": {"b": {}}},
            "series: is null, not a list": {"series": None},
            "words.1: holds bytes that are not UTF-8": {"words": ["a", "\udcff"]},
        }
        whole: Plain = {"count": 1, "form": {"shape": "box"}}
        for says, change in cases.items():
            with self.assertRaises(InvalidError) as caught:
                Outer.from_data(whole | change)
            self.assertEqual(str(caught.exception), says)
        self.assertRaisesRegex(InvalidError, "^is a list, not a table$", Outer.from_data, [])


class Records(unittest.TestCase):
    def test_a_record_is_checked_whoever_makes_it(self) -> None:
        """By the names of its fields; what is only held is not looked at, but for what it says of the whole."""

        class Length(Written):
            metres: Annotated[float, Before(lambda told: float(str(told).removesuffix(" m")))]
            most: float = 10.0

            def check_whole(self) -> None:
                if self.metres > self.most:
                    raise ValueError("is too long")

        self.assertEqual(Length(metres="5 m").metres, 5.0)  # type: ignore[arg-type]
        self.assertEqual(Length.made_of(metres=5).metres, 5)
        self.assertRaisesRegex(ValueError, "too long", Length.made_of, metres=11)
        self.assertRaisesRegex(InvalidError, "^is too long$", Length.from_data, {"metres": "11 m"})
        self.assertRaisesRegex(InvalidError, "metres: is missing", Length)
        self.assertRaisesRegex(InvalidError, "feet: unknown key", Length, metres="5 m", feet=3)

    def test_a_changed_copy(self) -> None:
        """It has the new values and works out anew what follows from them; a name that is no field is refused; nothing else changes."""

        class Counted(Written):
            tells_given: ClassVar[bool] = True
            values: list[int] = []
            more: int = 0

            @cached_property
            def total(self) -> int:
                return sum(self.values)

        one = Counted(values=[1, 2])
        self.assertEqual((one.total, one.given), (3, {"values"}))
        other = one.changed(more=5, values=[7])
        self.assertEqual((other.total, other.given, one.total, one.more), (7, {"values", "more"}, 3, 0))
        self.assertRaisesRegex(AttributeError, "no field mroe", one.changed, mroe=1)
        self.assertRaises(AttributeError, setattr, one, "more", 1)
        self.assertIsNot(Counted().values, Counted().values)
        self.assertEqual(Counted(), Counted(values=[], more=0))

    def test_what_is_none(self) -> None:
        """It is left out of a document, and null in an answer, unless the field is an optional one."""

        @dataclass(frozen=True)
        class Told:
            rate: float | None
            why: str | None = optional()

        self.assertEqual(plain(Told(None)), {})
        self.assertEqual(plain(Told(None), nulls=True), {"rate": None})
        self.assertEqual(plain([Told(1.0, "so")], nulls=True), [{"rate": 1.0, "why": "so"}])
        self.assertRaises(TypeError, plain, object())


SCHEMA = json_schema(Outer)
