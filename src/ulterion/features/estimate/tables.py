"""Estimates on the screen."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.estimates.conversions import Conversion
from ulterion.core.estimates.power import VOLTS, Budget, Cable
from ulterion.core.units import show_between, show_duration, show_rate, significant
from ulterion.features.estimate import words as words
from ulterion.features.estimate.power_budget import Supply
from ulterion.features.estimate.recordings import Recorded
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.features.estimate.value import Value
from ulterion.model.review import Review
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list, heading
from ulterion.show.sentences import first_few, sentence_of

TOLD_APART = 0.02  # by how much size over the best rate must be off to be shown


def works_table(review: Review, rows: Sequence[TransferTimeRow], unit: str) -> list[Shown]:
    """Return how long a piece of work takes on each setup, the quickest first, and what decides it."""
    done = [(r, r.work) for r in rows if r.work is not None]
    naive = any(abs((r.naive or w.seconds) / w.seconds - 1) > TOLD_APART for r, w in done)
    columns = [("setup", "left"), ("time", "right"), ("90% interval", "left")]
    columns += [*([("at top speed", "right")] if naive else []), ("", "left")]
    body: list[Cells | Text] = []
    for row, work in done:
        span = show_between(show_duration(work.low), show_duration(work.high))
        why = Text(words.decides(work, unit, name_end=row.source is not None), style="muted")
        fast = [show_duration(row.naive or 0.0)] if naive else []
        body.append([row.setup, show_duration(work.seconds), span, *fast, why])
    lines: list[Shown] = [BLANK, Table(columns, body, folds=True)] if body else []
    return [*lines, *bullet_list("Warnings", first_few(words.cautions(review, rows)))]


def work_answer(rows: Sequence[TransferTimeRow], title: str) -> str:
    """Return how long the quickest and the slowest setup take, in a sentence."""
    done = [(r.setup, r.work.seconds) for r in rows if r.work is not None]
    if not done:
        return f"{title}: nothing was measured for it"
    first, last = min(done, key=lambda d: d[1]), max(done, key=lambda d: d[1])
    if len(done) == 1:
        return f"{title}: {show_duration(first[1])} ({first[0]})"
    return f"{title}: {show_duration(first[1])} on {first[0]}, the fastest, to {show_duration(last[1])} on {last[0]}"


def recordings_table(found: Sequence[Recorded], title: str, unit: str) -> list[Shown]:
    """Return whether each setup takes a stream; where it has a length, how many media it fills, and how long they take to be emptied."""
    long = any(one.media is not None or one.emptying is not None for one in found)
    columns = [
        ("setup", "left"),
        ("class", "left"),
        *([("media", "right"), ("to empty", "right")] if long else []),
        ("", "left"),
    ]
    body: list[Cells | Text] = []
    soaked = [one for one in found if one.recording is not None]
    for one in soaked:
        told = one.recording
        style = "muted" if told is None else "good" if told.keeps else "bad"
        row: list[Text | str] = [one.setup, f"V{one.speed_class}" if one.speed_class else "–"]
        if long:
            empty = "–" if one.emptying is None else show_duration(one.emptying.seconds)
            row += ["–" if one.media is None else str(one.media), empty]
        body.append([*row, Text(words.recording_words(told, unit), style=style)])
    note = "class: the highest video speed class that every second of the soak kept"
    left = [one.setup for one in found if one.recording is None]
    missing = [Text(f"not soaked yet: {', '.join(left)}")] if left else []
    answer = Text(sentence_of(_recording_answer(soaked, title)))
    table: list[Shown] = [Table(columns, body), Text(note, style="muted")] if body else []
    return [answer, BLANK, *table, *missing]


def _recording_answer(soaked: Sequence[Recorded], title: str) -> str:
    """Return which setups take a stream, and which do not."""
    able = [one.setup for one in soaked if one.recording is not None and one.recording.keeps]
    unable = [one.setup for one in soaked if one.recording is not None and not one.recording.keeps]
    phrases = [f"fast enough for {title}: {', '.join(able)}"] if able else []
    phrases += [f"too slow{'' if able else f' for {title}'}: {', '.join(unable)}"] if unable else []
    return "; ".join(phrases) or f"nothing was soaked, so nothing can be said of {title}"


def units_table(text: str, found: Conversion) -> list[Shown]:
    """Return a quantity in other units; of links the slowest of each kind that carries a rate."""
    first = next(iter(found.quantities.values()))
    rows: list[Cells | Text] = [[name, value] for name, value in found.quantities.items()]
    lines: list[Shown] = [Text(f"{text} is {first}."), BLANK, Table((("", "left"), ("", "left")), rows)]
    shown: list[Cells | Text] = [[name, found.links[name]] for name in found.carriers if name in found.links]
    if shown:
        lines += [BLANK, Table((("carried by", "left"), ("how full it is", "left")), shown)]
        lines.append(
            Text("of each kind of link the slowest that carries it in practice; all of them with --json", "muted")
        )
    return lines


def budget_table(supply: Supply, cable: Cable | None, found: Budget) -> list[Shown]:
    """Return a budget of power."""
    columns = (("", "left"), ("at work", "right"), ("at its peak", "right"), ("by", "left"))
    body: list[Cells | Text] = [[p.name, f"{p.draws:.2f} W", f"{p.peak:.2f} W", p.source] for p in found.loads]
    at = f" at {supply.volts:g} V" if supply.volts != VOLTS else ""
    told = f"{supply.name} gives {supply.gives:.1f} W{at} ({supply.source})"
    lines: list[Shown] = [heading(told), BLANK, Table(columns, body), BLANK]
    return [*lines, *(Text(line, style=style) for line, style in words.budget_words(found, supply.volts, cable))]


def values_table(review: Review, found: Sequence[Value], best: Sequence[Value], unit: str) -> list[Shown]:
    """Return what money buys."""
    columns = (
        ("product", "left"),
        ("kind", "left"),
        ("price", "right"),
        (unit, "right"),
        ("per MB/s", "right"),
        ("per GB", "right"),
        ("on", "left"),
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
            "" if v.meets is None else Text("meets it", style="good") if v.meets else Text("does not", style="bad"),
        ]
        for v in found
    ]
    priced = [v for v in found if v.per_rate is not None]
    least = min(priced, key=lambda v: v.per_rate or 0.0, default=None)
    answer = [Text(f"Cheapest that meets it: {review.label(v.part)}, {v.price}.", style="good") for v in best]
    if not answer and least is not None:
        answer = [
            Text(
                f"Most speed for the money: {review.label(least.part)}, {significant(least.per_rate or 0.0)} {least.price.currency} per {unit}."
            )
        ]
    lines: list[Shown] = [*answer, *([BLANK] if answer else []), Table(columns, body)]
    dates = ", ".join(f"{review.label(v.part)} {v.seen.isoformat()}" for v in found if v.seen)
    lines += [Text(f"prices seen on: {dates}", style="muted")] if dates else []
    return [
        *lines,
        Text("best result of each product; price excludes other parts", style="muted"),
    ]
