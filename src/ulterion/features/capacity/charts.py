"""A proof of capacity as a chart: where on the medium it is real."""

from __future__ import annotations

from ulterion.core.units import show_size
from ulterion.model.runs.capacity import CapacityRun
from ulterion.show.charts import Caption, Stretch, StripChart, Tone, finding, foot_of, measured_on

WORDS = {"good": "came back as it was written", "bad": "did not", "none": "was not looked at"}
LEAST = 0.004  # of the medium, below which a stretch is drawn as wide as that


def capacity_chart(run: CapacityRun) -> StripChart:
    """Return the medium from its beginning to what it claims, in stretches that came back, did not, or were not looked at."""
    one = run.capacity
    claimed = max(one.claimed_bytes, one.written_bytes, one.read_bytes, 1)
    name = run.target.model or (run.chain[-1] if run.chain else "the medium")
    real = one.sound_bytes if one.real_bytes is None else one.real_bytes
    share = real / claimed
    title = (
        finding(
            f"{name} holds {show_size(real)} of the {show_size(claimed)} it claims",
            f"{show_size(real)} of {show_size(claimed)} are real",
        )
        if share < 0.995
        else finding(f"{name} holds all of its {show_size(claimed)}", f"All {show_size(claimed)} are real")
    )
    caption = Caption(
        title=title,
        subtitle=f"{one.method.capitalize()}: what came back of what was written, from the first byte to the last",
        foot=foot_of(measured_on([run.bench.host], [run.started])),
        runs=(run.id,),
    )
    ends = (0.0, 0.25, 0.5, 0.75, 1.0)
    return StripChart(
        caption, _stretches(run, claimed), tuple((e * claimed, show_size(e * claimed) if e else "0") for e in ends)
    )


def _stretches(run: CapacityRun, claimed: float) -> tuple[Stretch, ...]:
    """Return the medium in stretches; the first of each kind has the words, with the size of all of its kind."""
    one = run.capacity
    marks: list[tuple[float, float, Tone]] = []
    at = 0.0
    for bad in sorted(one.stretches, key=lambda s: s.first):
        if bad.first > at:
            marks.append((at, float(bad.first), "good"))
        at = max(at, float(bad.first + bad.bytes))
        marks.append((float(bad.first), at, "bad"))
    end = float(min(claimed, max(one.read_bytes, at)))
    if one.real_bytes is not None and one.real_bytes < claimed and not one.stretches:
        marks = [(0.0, float(one.real_bytes), "good"), (float(one.real_bytes), claimed, "bad")]
    elif end > at:
        marks.append((at, end, "good"))
    last = marks[-1][1] if marks else 0.0
    if last < claimed * (1 - LEAST):
        marks.append((last, claimed, "none"))
    told, found = set[Tone](), list[Stretch]()
    for start, stop, tone in marks:
        size = sum(b - a for a, b, kind in marks if kind == tone)
        words = "" if tone in told else f"{show_size(size)} {WORDS[tone]}"
        told.add(tone)
        found.append(Stretch(start, max(stop, start + LEAST * claimed), words, tone))
    return tuple(found)
