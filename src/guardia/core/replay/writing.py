"""What settings write in a day: seconds recorded by day and in the dark, at rates measured, typed in or assumed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import rate_interval
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Clip, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S, Span, length, without
from guardia.core.hours.place import SunEvent, sun_seconds
from guardia.core.hours.plan import if_known, plan_spans
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.replay.gate import Done
from guardia.core.storage.facts import fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, total
from guardia.core.storage.rates import FileSize, mean_with_interval, measured_rate, rate_by_pixels
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.volume import Footage, daily_volume

WHOLE_DAY_SHARE = 0.8
"""A day watched for at least this share tells how days differ."""

SCALED = 1.25
"""A rate measured at one quality holds for another within this factor (common practice, no source)."""


Edges = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Beginnings and ends of recordings that do not overlap, POSIX seconds."""


def recorded_edges(done: Done, dark: bool | None = None) -> Edges:
    """Recordings on motion clips in order of time; what two of them share counts with the earlier one.

    Args:
        done: The replay.
        dark: Of clips in the dark only, or by day only; None for all.

    Returns:
        (R,) each.
    """
    edges = np.array(
        [span for clip, stretches in zip(done.evidence.clips, done.stretches, strict=True)
         if clip.by_motion and dark in (None, clip.dark) for span in stretches]
    ).reshape(-1, 2)  # fmt: skip
    if not len(edges):
        return np.zeros(0), np.zeros(0)
    begin, end = edges[np.argsort(edges[:, 0], kind="stable")].T
    # What began earlier covers up to here.
    covered = np.maximum.accumulate(end)
    begin[1:] = np.maximum(begin[1:], covered[:-1])
    return begin, end


def seconds_within(edges: Edges, spans: Sequence[Span]) -> float:
    """Seconds of recordings within spans."""
    begin, end = edges
    return sum(float(np.maximum(np.minimum(end, high) - np.maximum(begin, low), 0).sum()) for low, high in spans)


def volume_of(done: Done) -> Figure:
    """What settings write in a day, GB, by cause.

    Args:
        done: Their replay.

    Returns:
        Seconds of recordings by day and in the dark times the rate of each, measured where there is something to
        measure, else assumed and said so.
    """
    evidence, settings, make = done.evidence, done.candidate.settings, done.candidate.capability
    facts, storage = evidence.storage.facts, settings.storage
    light, dark = _seconds_a_day(done)
    every = storage.snapshot_every_s
    second = make.storage.second_mbit_s if storage.second_stream else 0.0
    footage = Footage(
        light, dark, _rate(evidence, settings, make, dark=False), _rate(evidence, settings, make, dark=True),
        DAY_S / every if every else 0.0, known_fact(facts, "snapshot_size"),
        exactly("rate of the second stream", second, "Mbit/s", Source.ASSUMED, "as the make states it")
        if second else None,
    )  # fmt: skip
    return daily_volume(footage)


def dark_share(evidence: Evidence) -> Figure:
    """Share of the day that is dark, 0..1: by the sun in the middle of the evidence, else typed or assumed."""
    facts = evidence.storage.facts
    if "dark_share" not in facts and evidence.place.has_sun and evidence.clips:
        first, last = evidence.dates
        day = first + (last - first) / 2
        rise, down = (
            float(sun_seconds(evidence.place, event, day.toordinal())[0])
            for event in (SunEvent.SUNRISE, SunEvent.SUNSET)
        )
        if math.isfinite(rise) and math.isfinite(down) and down > rise:
            return exactly(
                "dark", 1 - (down - rise) / DAY_S, "of the day", Source.MEASURED, f"by the sun on {day:%d %b}"
            )
    share = known_fact(facts, "dark_share")
    return Figure(
        "dark", share.value / 100, share.low / 100, share.high / 100, "of the day", share.source, share.how, (),
        "dark_share",
    )  # fmt: skip


def _seconds_a_day(done: Done) -> tuple[Figure, Figure]:
    """Seconds written a day, by day and in the dark."""
    evidence, settings = done.evidence, done.candidate.settings
    mode = settings.storage.mode
    always: tuple[Span, ...] = ()
    if mode is RecordingMode.MOTION:
        return _by_motion(done, ())
    plan = if_known(settings.hours.recording_plan, evidence.place)
    first, last = evidence.dates
    on = 1.0
    if plan is not None:
        always = tuple((float(a), float(b)) for a, b in plan_spans(plan, first, last, evidence.place))
        whole = (last - first).days + 1
        on = min(1.0, length(always) / (whole * DAY_S))
    share = dark_share(evidence)
    hours = exactly("of its hours", on * DAY_S, "s", Source.TYPED, "by its hours" if plan is not None else "all day")
    lit = Figure("light", 1 - share.value, 1 - share.high, 1 - share.low, "of the day", share.source, "", (share,))
    light, dark = product("recorded by day", "s", hours, lit), product("recorded in the dark", "s", hours, share)
    if mode is RecordingMode.MIXED and plan is not None:
        more_light, more_dark = _by_motion(done, always)
        return total("recorded by day", "s", light, more_light), total("recorded in the dark", "s", dark, more_dark)
    return light, dark


def _by_motion(done: Done, always: Sequence[Span]) -> tuple[Figure, Figure]:
    """Seconds that motion records a day, by day and in the dark, outside of hours in which it records anyway."""
    evidence = done.evidence
    facts, watch = evidence.storage.facts, evidence.watch
    days = length(watch.spans) / DAY_S
    if "recorded" in facts or not days:
        recorded = known_fact(facts, "recorded")
        share = dark_share(evidence)
        lit = Figure("light", 1 - share.value, 1 - share.high, 1 - share.low, "", share.source, "", (share,))
        return product("recorded by day", "s", recorded, lit), product("recorded in the dark", "s", recorded, share)
    figures = []
    whole = [d for d in watch.counted.values() if length(d) >= WHOLE_DAY_SHARE * DAY_S]
    for dark, name in ((False, "recorded by day"), (True, "recorded in the dark")):
        edges = recorded_edges(done, dark)
        value = seconds_within(edges, without(watch.spans, always)) / days
        by_day = [seconds_within(edges, without(d, always)) / length(d) * DAY_S for d in whole]
        how = f"by the replay on {days:.1f} watched days"
        if by_day and sum(by_day) > 0:
            one = mean_with_interval(by_day, name, "s", how)
            factor = value / one.value
            figures.append(Figure(name, value, one.low * factor, one.high * factor, "s", Source.MEASURED, one.how))
        else:
            figures.append(Figure(name, value, value / 2, value * 2, "s", Source.MEASURED, f"{how}; no whole day"))
    return figures[0], figures[1]


def files_of(clips: Sequence[Clip], *, dark: bool, moving: bool) -> list[Clip]:
    """Clips whose files tell a rate: recorded by the camera itself, in the dark or by day."""
    wanted = Origin.MOTION if moving else Origin.CONTINUOUS
    return [c for c in clips if c.size_bytes > 0 and c.duration_s > 0 and c.origin is wanted and c.dark is dark]


def _rate(evidence: Evidence, settings: Settings, make: Capability, *, dark: bool) -> Figure:
    """Megabits a second in the dark or by day: typed, measured on the files that are most like it, or by pixels."""
    facts = evidence.storage.facts
    fact = "rate_dark" if dark else "rate_light"
    name = f"rate {'in the dark' if dark else 'by day'}"
    typed = fact_figure(facts, fact)
    if typed is not None:
        return _at_quality(typed, evidence, settings, make)
    moving = settings.storage.mode is RecordingMode.MOTION
    quality = make.storage.quality(settings.storage.quality)
    in_force = evidence.epochs[-1].settings if evidence.epochs else None
    for in_dark, by_motion in ((dark, moving), (dark, not moving), (not dark, moving), (not dark, not moving)):
        clips = files_of(evidence.clips, dark=in_dark, moving=by_motion)
        if not clips:
            continue
        factors = [_quality_factor(evidence.settings_of(clip) or in_force, make, settings) for clip in clips]
        files = [FileSize(round(c.size_bytes * f), c.duration_s, c.dark, by_motion)
                 for c, f in zip(clips, factors, strict=True)]  # fmt: skip
        rate = measured_rate(files, name)
        if rate is None:
            continue
        alike = (in_dark, by_motion) == (dark, moving) and max(factors) == min(factors) == 1.0
        other = Figure("other light, motion or quality", 1.0, 1 / SCALED, SCALED, "", Source.ASSUMED,
                       "no file is just like it (common practice, no source)")  # fmt: skip
        alone = rate if alike else product(name, "Mbit/s", rate, other)
        return Figure(name, alone.value, alone.low, alone.high, "Mbit/s", alone.source, alone.how, alone.parts, fact)
    wide, high, frames = (quality.width, quality.height, quality.frame_rate) if quality else (1920, 1080, 15.0)
    if quality is not None and quality.mbit_s:
        band = (quality.mbit_s, quality.mbit_s / SCALED, quality.mbit_s * SCALED)
        return Figure(name, *band, "Mbit/s", Source.ASSUMED, "as the make states it", (), fact)
    return rate_by_pixels(wide, high, frames, known_fact(facts, "bits_per_pixel"), name)


def _at_quality(typed: Figure, evidence: Evidence, settings: Settings, make: Capability) -> Figure:
    """A rate that was typed in, which holds for the quality in force, at that of other settings."""
    in_force = evidence.epochs[-1].settings if evidence.epochs else None
    factor = _quality_factor(in_force, make, settings)
    if factor == 1.0:
        return typed
    change = Figure("by another quality", factor, factor / SCALED, factor * SCALED, "", Source.ASSUMED,
                    "by the rates or pixels that the make states")  # fmt: skip
    return product(typed.name, typed.unit, typed, change)


def _quality_factor(then: Settings | None, make: Capability, settings: Settings) -> float:
    """By how much the quality of some settings changes the size of files, against that of others."""
    old = make.storage.quality(then.storage.quality) if then is not None else None
    new = make.storage.quality(settings.storage.quality)
    return new.weight / old.weight if old is not None and new is not None else 1.0


def volume_by_files(
    clips: Sequence[Clip], watched_days: float, settings: Settings, make: Capability, facts: Mapping[str, float]
) -> Figure:
    """What a camera writes in a day under the settings in force, by the sizes of its files; nothing is replayed.

    Args:
        clips: Of the camera.
        watched_days: Days on which it was up and recording by motion.
        settings: In force.
        make: Its make.
        facts: Typed in of the camera.

    Returns:
        GB a day.
    """
    moving = settings.storage.mode is RecordingMode.MOTION
    files = [FileSize(c.size_bytes, c.duration_s, c.dark, moving) for dark in (False, True)
             for c in files_of(clips, dark=dark, moving=moving)]  # fmt: skip
    typed = [figure for name in ("rate_light", "rate_dark") if (figure := fact_figure(facts, name)) is not None]
    quality = make.storage.quality(settings.storage.quality)
    if typed:
        mean = sum(f.value for f in typed) / len(typed)
        ends = (min(f.value for f in typed), max(f.value for f in typed))
        rate = Figure("rate", mean, *ends, "Mbit/s", Source.TYPED, "by day to in the dark, as typed in")
    else:
        rate = measured_rate(files, "rate") or rate_by_pixels(
            *((quality.width, quality.height, quality.frame_rate) if quality else (1920, 1080, 15.0)),
            known_fact(facts, "bits_per_pixel"), "rate",
        )  # fmt: skip
    if not moving:
        seconds = exactly("all day", DAY_S, "s", Source.MEASURED)
    elif watched_days and files:
        mean = sum(f.duration_s for f in files) / watched_days
        low, high = (end / len(files) * watched_days for end in rate_interval(len(files), watched_days, confidence=0.9))
        how = f"{count_of(len(files), 'file')} of {watched_days:.1f} watched days"
        seconds = Figure("recorded", mean, mean * low, mean * high, "s", Source.MEASURED, how)
    else:
        seconds = known_fact(facts, "recorded")
    return product("written a day", "GB", seconds, rate, factor=1 / 8000)
