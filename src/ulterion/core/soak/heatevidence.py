"""Whether heat made a rate fall, judged by what the drive reports; where nothing shows it, what evidence was missing.

Heat is shown by the drive's own counters, by a temperature that had just come within 3 °C of the limit the drive states and went no
further, or by dips that begin and end at the same two temperatures, as a thermostat makes them.  A
rate that comes back when the drive is cooler shows nothing: a drive that does less cools.  Heat is ruled out by: counters that stood
still and have moved in the drive's life (those at zero may not be implemented: NVM Express Base Specification 2.0, figure 207); the
load's going on at the new rate while the drive grew 5 °C warmer than at the fall (8 °C behind a bridge), which no throttling drive does; and,
where nothing stands between host and drive that may be hot itself, the drive cooling by 12 °C without the rate coming back, a temperature well below the
limit, or below 60 °C where no limit is known, or the same temperature met without a fall.
"""

from __future__ import annotations

from ulterion.core.arrays import Floats, np
from ulterion.core.soak.drops import FOR_GOOD, LASTED, Drop
from ulterion.core.soak.trace import DRIVE, Trace, longest_true, value_at
from ulterion.core.soak.warmth import COOL_DRIVE, COOLED_AWAY, NEAR_LIMIT, cool_below

WARMER_BEFORE = 2.0  # degrees above the fall's temperature met without a fall
ABOVE_FOR = 60.0  # seconds above its limit without a fall after which a drive is taken not to mind
HELD = 0.98  # of a rate that is said to have been held
ROSE = 5.0  # degrees above the fall at the new rate: a drive that throttles keeps itself from that
ROSE_BRIDGED = 8.0  # likewise, where it is what the drive sits behind that would be hot
JUST_BEFORE = 5.0  # seconds before a fall in which its temperature is taken: right after it, it may have dropped
MINDS = 30.0  # seconds above its limit at the full rate after which a drive is known not to mind it
REACHING = 0.5  # degrees below the temperature of a fall from which on it is said to have been reached
JUST_REACHED = 240.0  # seconds at a temperature after which a drive that throttles there has begun to
CYCLES = 3  # dips that begin and end at the same temperatures, from which on they are those of a thermostat
SAME_HEAT = 1.5  # degrees within which they are the same
SWING = 3.0  # degrees that they must lie apart
NO_DIP = 20.0  # seconds that a fall near the limit must last: a drive that tidies up is slow for some seconds too
SETTLES = 90.0  # seconds around a fall in which its temperature is looked for


def heat_of(load: Trace, drop: Drop, drops: list[Drop]) -> tuple[bool | None, str]:
    """Return whether heat made a fall (None: cannot be determined), and the evidence in words."""
    temperature, counted = load.sensor(DRIVE), load.counters.throttled
    at = float(load.at[drop.first])
    now = just_before(load, temperature, at)
    if temperature is None or now is None:
        if counted is False and not load.bridged:
            return False, "the drive's counters, which work, show no throttling"
        shown = counted and sum(not d.for_good for d in drops) == len(drops)
        return (
            (True, "the drive's counters show throttling") if shown else (None, "no temperature of the drive was read")
        )
    ruled_out = _ruled_out(load, temperature, drop, drops, now)
    if ruled_out:
        return False, ruled_out
    cycle = _cycle(load, temperature, drops)
    if cycle and not drop.for_good:
        return True, cycle
    if load.limit is not None and now >= load.limit - NEAR_LIMIT:
        near = f"{now:.0f} °C, drive limit {load.limit:.0f} °C"
        if not counted and float(load.seconds[drop.first : drop.last].sum()) < NO_DIP:
            return None, f"{near}, but too short to be sure"
        if counted or _held_at_limit(load, temperature, drop, load.limit):
            return True, near
        return None, f"{near}: heat, or the write cache filled at that moment"
    if counted:
        return True, f"{now:.0f} °C, and the drive's counters show throttling"
    if counted is False and not load.bridged:
        return False, f"{now:.0f} °C, and the drive's counters, which work, show no throttling"
    if load.bridged and now < COOL_DRIVE:
        return None, f"the drive is cool at {now:.0f} °C, but its bridge may not be: put a probe on the bridge"
    limit = "its limit is not known" if load.limit is None else f"its limit is {load.limit:.0f} °C"
    return None, f"{now:.0f} °C; {limit}, and the drive has no working counters"


def just_before(load: Trace, temperature: Floats | None, at: float) -> float | None:
    """Return the greatest temperature of the rows just before a fall, or the nearest there is."""
    if temperature is None:
        return None
    near = temperature[(load.at >= at - JUST_BEFORE) & (load.at <= at)]
    near = near[np.isfinite(near)]
    return float(near.max()) if near.size else value_at(load.at, temperature, at, SETTLES)


def _ruled_out(load: Trace, temperature: Floats, drop: Drop, drops: list[Drop], now: float) -> str | None:
    """Return what speaks against heat, in words, or None."""
    by = ROSE_BRIDGED if load.bridged else ROSE
    if drop.for_good and _rose(load, temperature, drop, drops=drops, now=now, by=by):
        return f"{now:.0f} °C, and it warmed by more than {by:.0f} °C afterwards at the same rate"
    if load.bridged:
        return None  # the drive's sensor does not know how hot what it sits behind is, and a drive that does less cools
    if drop.for_good and _cooled_away(temperature, drop, now):
        return f"the drive cooled from {now:.0f} °C by more than {COOLED_AWAY:.0f} °C and the rate did not come back"
    if now < cool_below(load.limit) and not _counted_here(load, temperature, drops):
        return f"{now:.0f} °C, too cool for any drive to throttle"
    before = temperature[: drop.first]
    if np.isfinite(before).any() and float(np.nanmax(before)) > now + WARMER_BEFORE and drop.for_good:
        return f"{now:.0f} °C, and it was warmer earlier without slowing down"
    if load.limit is not None:
        above = float(np.sum(load.seconds[: drop.first][before > load.limit + NEAR_LIMIT]))
        if above > ABOVE_FOR and not any(d.first < drop.first for d in drops):
            return f"{now:.0f} °C, and it was above its limit for {above:.0f} s without slowing down"
    return None


def _counted_here(load: Trace, temperature: Floats, drops: list[Drop]) -> bool:
    """Return whether the drive counted throttling that no warmer fall of the load explains: what it says of itself comes first."""
    warmth = [just_before(load, temperature, float(load.at[d.first])) for d in drops]
    return bool(load.counters.throttled) and not any(t is not None and t >= cool_below(load.limit) for t in warmth)


def _cycle(load: Trace, temperature: Floats, drops: list[Drop]) -> str | None:
    """Return in words that dips begin and end at the same temperatures, three times or more, as a thermostat makes them; or None."""
    whole = [d for d in drops if not d.for_good and d.last < load.at.size]
    falls_at = [just_before(load, temperature, float(load.at[d.first])) for d in whole]
    back_at = [value_at(load.at, temperature, float(load.at[d.last]), SETTLES) for d in whole]
    down, up = np.array([t for t in falls_at if t is not None]), np.array([t for t in back_at if t is not None])
    if down.size < CYCLES or up.size != down.size or load.bridged:
        return None
    same = max(float(np.ptp(down)), float(np.ptp(up))) <= SAME_HEAT
    if not same or float(np.mean(down - up)) < SWING or float(down.mean()) < COOL_DRIVE - NEAR_LIMIT:
        return None
    return (
        f"{down.size} times it slowed at {down.mean():.0f} °C and recovered at {up.mean():.0f} °C, as a thermostat does"
    )


def _held_at_limit(load: Trace, temperature: Floats, drop: Drop, limit: float) -> bool:
    """Return whether a fall near the limit did what heat makes a drive do: it had just come near it, and stayed no hotter.

    A drive that had been as hot for long before, or went on growing hotter, was slowed by something else at a bad moment.
    """
    now = just_before(load, temperature, float(load.at[drop.first])) or limit
    fast = load.rate >= FOR_GOOD * drop.before
    if longest_true((temperature > limit + NEAR_LIMIT) & fast, load.seconds) >= MINDS:
        return False  # it does not mind its limit
    cooler = np.flatnonzero(temperature[: drop.first] < now - REACHING)
    before = float(load.seconds[(cooler[-1] + 1 if cooler.size else 0) : drop.first].sum())
    after = temperature[drop.first : drop.last]
    known = after[np.isfinite(after)]
    return before <= JUST_REACHED and bool(known.size) and float(np.max(known)) <= limit + NEAR_LIMIT


def _rose(load: Trace, temperature: Floats, drop: Drop, drops: list[Drop], now: float, *, by: float) -> bool:
    """Return whether the drive grew warmer than at the fall while the new rate held, for a minute: heat would have lowered it further."""
    rows = slice(drop.first + 1, min([drop.last, *(d.first for d in drops if d.first > drop.first)]))
    warmer, rate = temperature[rows] >= now + by, load.rate[rows]
    third = rate.size // 3
    held = third > 0 and float(np.median(rate[-third:])) >= HELD * float(np.median(rate[:third]))
    return held and longest_true(warmer, load.seconds[rows]) >= LASTED


def _cooled_away(temperature: Floats, drop: Drop, now: float) -> bool:
    after = temperature[drop.first : drop.last]
    return bool(np.isfinite(after).any()) and now - float(np.nanmin(after)) > COOLED_AWAY
