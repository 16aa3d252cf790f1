"""Estimates on the screen."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ulterion.core.estimates.power import VOLTS, Budget, Cable, Most
from ulterion.core.units import show_between, show_duration, show_rate, show_size, significant
from ulterion.features.estimate import words as words
from ulterion.features.estimate.power_budget import Supply
from ulterion.features.estimate.recordings import Recorded
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.features.estimate.value import Value
from ulterion.model.review import Review
from ulterion.show.bars import share_bar
from ulterion.show.blocks import BARS, BLANK, Cells, Shown, Table, Text, bullet_list
from ulterion.show.sentences import first_few, sentence_of

TOLD_APART = 0.02  # by how much size over the best rate must be off to be shown


def works_table(review: Review, rows: Sequence[TransferTimeRow], unit: str) -> list[Shown]:
    """Return how long a piece of work takes on each setup, the quickest first, and what decides it."""
    done = [(r, r.work) for r in rows if r.work is not None]
    naive = any(abs((r.naive or w.seconds) / w.seconds - 1) > TOLD_APART for r, w in done)
    sizes = [sum(p.bytes for p in work.parts) for _, work in done]
    unlike = len({show_size(s) for s in sizes}) > 1
    columns = [
        ("", "left"),
        ("setup", "left"),
        *([("size", "right")] if unlike else []),
        ("time", "right"),
        (BARS, "left"),
        ("90% interval", "left"),
        (unit, "right"),
    ]
    columns += [*([("at top speed", "right")] if naive else []), ("", "left")]
    body: list[Cells | Text] = []
    longest = max((w.seconds for _, w in done), default=1.0)
    for (row, work), size in zip(done, sizes, strict=True):
        span = show_between(show_duration(work.low), show_duration(work.high))
        why = Text(words.decides(work, unit, name_end=row.source is not None), style="muted")
        differs = abs((row.naive or work.seconds) / work.seconds - 1) > TOLD_APART
        fast = [show_duration(row.naive or 0.0) if differs else ""] if naive else []
        rate = show_rate(size / work.seconds, unit, with_unit=False)
        name: list[Text | str] = [row.title(review), Text(row.setup, style="muted")]
        bar = Text(share_bar(work.seconds / longest), style="name")
        name += [show_size(size)] if unlike else []
        body.append([*name, show_duration(work.seconds), bar, span, rate, *fast, why])
    spare = ("at top speed", BARS, "setup")
    lines: list[Shown] = [BLANK, Table(columns, body, spare=spare, folds=True)] if body else []
    return [*lines, *bullet_list("Warnings", first_few(words.cautions(review, rows)))]


def work_answer(review: Review, rows: Sequence[TransferTimeRow], title: str) -> str:
    """Return how long the quickest and the slowest setup take, in a sentence."""
    done = [(r.title(review), r.work.seconds) for r in rows if r.work is not None]
    if not done:
        return f"{title}: nothing is known yet"
    first, last = min(done, key=lambda d: d[1]), max(done, key=lambda d: d[1])
    if len(done) == 1:
        return f"{title}: {show_duration(first[1])} ({first[0]})"
    return f"{title}: {show_duration(first[1])} on {first[0]}, {show_duration(last[1])} on {last[0]}"


def recordings_table(review: Review, found: Sequence[Recorded], title: str, unit: str) -> list[Shown]:
    """Return whether each setup takes a stream; where it has a length, how many media it fills, and how long they take to be emptied."""
    long = any(one.media is not None or one.emptying is not None for one in found)
    columns = [
        ("", "left"),
        ("setup", "left"),
        ("class", "left"),
        *([("media", "right"), ("to empty", "right")] if long else []),
        ("", "left"),
    ]
    body: list[Cells | Text] = []
    known = [one for one in found if one.recording is not None or one.average is not None]
    for one in known:
        row: list[Text | str] = [review.setup_among_all(one.setup), Text(one.setup, style="muted")]
        row.append(f"V{one.speed_class}" if one.speed_class else "–")
        if long:
            empty = "–" if one.emptying is None else show_duration(one.emptying.seconds)
            row += ["–" if one.media is None else str(one.media), empty]
        body.append([*row, _taken(one, unit)])
    note = "class: the highest video speed class that every second of the soak kept"
    left = [review.setup_among_all(one.setup) for one in found if one not in known]
    missing = [Text(f"not measured: {', '.join(left)}")] if left else []
    answer = Text(sentence_of(_recording_answer(review, known, title)))
    table: list[Shown] = [Table(columns, body, spare=("setup",)), Text(note, style="muted")] if body else []
    return [answer, BLANK, *table, *missing]


def _taken(one: Recorded, unit: str) -> Text:
    """Return whether one setup takes the stream."""
    if one.recording is not None:
        return Text(words.recording_words(one.recording, unit), style="good" if one.recording.keeps else "bad")
    told = words.average_words(one.average or 0.0, below=one.below, unit=unit)
    return Text(told, style="bad" if one.below else "open")


def _recording_answer(review: Review, known: Sequence[Recorded], title: str) -> str:
    """Return which setups take a stream, which do not, and of which only a soak would tell."""
    named: dict[str, list[str]] = {}
    for one in known:
        takes = one.recording.keeps if one.recording is not None else False if one.below else None
        kind = {True: "fast enough", False: "too slow", None: "only a soak would tell"}[takes]
        named.setdefault(kind, []).append(review.setup_among_all(one.setup))
    phrases = [
        f"{kind}: {', '.join(named[kind])}"
        for kind in ("fast enough", "too slow", "only a soak would tell")
        if kind in named
    ]
    if not phrases:
        return f"nothing that was measured says whether {title} is taken"
    first, *rest = phrases
    return "; ".join([first.replace(":", f" for {title}:", 1), *rest])


def budget_table(supply: Supply, cable: Cable | None, found: Budget, most: Most | None = None) -> list[Shown]:
    """Return a budget of power, with how many of one part a supply runs where that was asked; equal loads share a row."""
    columns = (("", "left"), ("at work", "right"), ("at its peak", "right"), ("known from", "left"))
    body: list[Cells | Text] = [
        [f"{count} × {p.name}" if count > 1 else p.name, f"{p.draws:.2f} W", f"{p.peak:.2f} W", p.source]
        for p, count in Counter(found.loads).items()
    ]
    at = f" at {supply.volts:g} V" if supply.volts != VOLTS else ""
    told = words.budget_answer("it" if most else supply.name, supply.gives, found, supply.volts)
    if most is not None:
        told = f"{words.most_words(supply.name, most)} {sentence_of(told)}"
    source = Text(f"supply{at}: {supply.source}", style="muted")
    lines: list[Shown] = [Text(told), BLANK, Table(columns, body), source, BLANK]
    return [*lines, *(Text(line, style=style) for line, style in words.budget_words(found, supply.volts, cable))]


def _value_answer(review: Review, found: Sequence[Value], best: Sequence[Value], unit: str) -> list[Shown]:
    """Return the cheapest that meets what is needed, or the most speed for the money."""
    priced = [v for v in found if v.per_rate is not None and v.short is None]
    least = min(priced, key=lambda v: v.per_rate or 0.0, default=None)
    answer: list[Shown] = [
        Text(f"Cheapest that meets it: {review.label(v.part)}, {v.price}.", style="good") for v in best
    ]
    if not answer and least is not None:
        answer = [
            Text(
                f"Most speed for the money: {review.label(least.part)}, {significant(least.per_rate or 0.0)} {least.price.currency} per {unit}."
            )
        ]
    return answer


def _remark(one: Value) -> Text | str:
    """Return whether a product meets the need, or that it holds less than it claims."""
    if one.short is not None:
        return Text(f"holds only {show_size(one.short)}", style="bad")
    if one.meets is None:
        return ""
    return Text("meets it", style="good") if one.meets else Text("does not", style="bad")


def values_table(review: Review, found: Sequence[Value], best: Sequence[Value], unit: str) -> list[Shown]:
    """Return what money buys: the answer, and a line for each product."""
    currencies = {v.price.currency for v in found}
    money = f"{next(iter(currencies))} " if len(currencies) == 1 else ""
    columns = (
        ("product", "left"),
        ("kind", "left"),
        ("price", "right"),
        (unit, "right"),
        (f"{money}per MB/s", "right"),
        (f"{money}per GB", "right"),
        ("setup", "left"),
        ("", "left"),
    )
    body: list[Cells | Text] = [
        [
            review.label(v.part),
            review.parts[v.part].kind,
            str(v.price),
            "–" if v.rate is None else show_rate(v.rate, unit, with_unit=False),
            "–" if v.per_rate is None else significant(v.per_rate),
            "–" if v.per_size is None else significant(v.per_size),
            v.setup or "not measured",
            _remark(v),
        ]
        for v in found
    ]
    answer = _value_answer(review, found, best, unit)
    lines: list[Shown] = [*answer, *([BLANK] if answer else []), Table(columns, body)]
    dates = ", ".join(f"{review.label(v.part)} {v.seen.isoformat()}" for v in found if v.seen)
    lines += [Text(f"prices seen on: {dates}", style="muted")] if dates else []
    return [
        *lines,
        Text("best result of each product; price excludes other parts", style="muted"),
    ]
