"""What settings write in a day: seconds recorded by day and in the dark, at rates measured, typed in or assumed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Clip, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S, Span, length, without
from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import ALWAYS, DAY_MIN, EVERY_DAY, Edge, Stretch, WeekPlan, common, if_known, plan_spans
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.replay.gate import Done
from guardia.core.storage.facts import fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, total, with_name
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
    return _edges(
        [span for clip, stretches in zip(done.evidence.clips, done.stretches, strict=True)
         if clip.by_motion and dark in (None, clip.dark) for span in stretches]
    )  # fmt: skip


def _edges(spans: Sequence[Span]) -> Edges:
    edges = np.array(spans, float).reshape(-1, 2)
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
    return _volume_of(done, done.candidate)


def motion_volume_of(done: Done) -> Figure:
    """What of it motion and other causes record, whatever is written always."""
    return _volume_of(done, done.candidate.with_values(mode=RecordingMode.MOTION))


def _volume_of(done: Done, candidate: Candidate) -> Figure:
    evidence = done.evidence
    edges = {}
    for dark in (False, True):
        others = [
            (c.start_s, c.end_s) for c in evidence.other_causes
            if c.dark is dark and c.cause not in candidate.settings.alerts.causes_off
        ]  # fmt: skip
        edges[dark] = _edges([*zip(*recorded_edges(done, dark), strict=True), *others])
    return _volume(evidence, candidate.settings, candidate.capability, edges, "by the replay")


def volume_by_files(evidence: Evidence, settings: Settings, make: Capability) -> Figure:
    """What a camera writes in a day under the settings in force, GB, by cause; nothing is replayed.

    Args:
        evidence: Its clips, its watched time and what is known of its storage; traces are not asked.
        settings: In force.
        make: Its make.

    Returns:
        As volume_of(), but what motion records is what the camera's own files cover.
    """
    edges = {
        dark: _edges([(c.start_s, c.end_s) for c in evidence.clips if c.origin is Origin.MOTION and c.dark is dark])
        for dark in (False, True)
    }
    return _volume(evidence, settings, make, edges, "by its files")


def _volume(evidence: Evidence, settings: Settings, make: Capability, edges: Mapping[bool, Edges], how: str) -> Figure:
    """What settings write in a day, by what motion and other causes record by day (False) and in the dark (True)."""
    facts, storage = evidence.storage.facts, settings.storage
    light, dark = _seconds_a_day(evidence, settings, edges, how)
    every = storage.snapshot_every_s
    second = make.storage.second_mbit_s if storage.second_stream else 0.0
    footage = Footage(
        light, dark, _rate(evidence, settings, make, dark=False), _rate(evidence, settings, make, dark=True),
        DAY_S / every if every else 0.0, known_fact(facts, "snapshot_size"),
        exactly("rate of the second stream", second, "Mbit/s", Source.ASSUMED, "as the make states it")
        if second else None,
    )  # fmt: skip
    return daily_volume(footage)


def _parted(evidence: Evidence, plan: WeekPlan | None) -> tuple[Figure, Figure]:
    """Seconds a day of a plan, None for always, by day and in the dark.

    The sun parts them, that of the week in the middle of the evidence; where it is not known, or somebody typed it in,
    the dark lies around midnight.
    """
    facts, (first, last) = evidence.storage.facts, evidence.dates
    middle = first + (last - first) // 2
    week = middle - timedelta(days=middle.weekday()), middle + timedelta(days=6 - middle.weekday())
    hours = ALWAYS if plan is None else WeekPlan(plan.stretches)

    def seconds(daylight: WeekPlan) -> float:
        lit = common(plan_spans(hours, *week, evidence.place), plan_spans(daylight, *week, evidence.place))
        return length(lit.tolist()) / 7

    on = min(length(plan_spans(hours, *week, evidence.place).tolist()) / 7, DAY_S)
    if "dark_share" not in facts and evidence.place.has_sun and evidence.clips:
        up = min(seconds(WeekPlan((Stretch(EVERY_DAY, Edge(0, SunEvent.SUNRISE), Edge(0, SunEvent.SUNSET)),))), on)
        lit = exactly("by day", up, "s", Source.MEASURED, f"by the sun of {week[0]:%d %b} to {week[1]:%d %b}")
        return with_name(lit, "recorded by day"), with_name(lit, "recorded in the dark", lambda s: on - s)
    share = known_fact(facts, "dark_share")
    ups = [min(seconds(_daylight(p / 100)), on) for p in (share.value, share.low, share.high)]
    by_part = {"recorded by day": ups, "recorded in the dark": [on - up for up in ups]}
    light, dark = (
        Figure(name, at[0], min(at), max(at), "s", share.source, share.how, (share,)) for name, at in by_part.items()
    )
    return light, dark


def _daylight(dark: float) -> WeekPlan:
    """The rest of each day, when a share of it around midnight is dark."""
    half = round(dark * DAY_MIN / 2)
    return WeekPlan((Stretch(EVERY_DAY, Edge(half), Edge(DAY_MIN - half)),) if half < DAY_MIN / 2 else ())


def _seconds_a_day(
    evidence: Evidence, settings: Settings, edges: Mapping[bool, Edges], how: str
) -> tuple[Figure, Figure]:
    """Seconds written a day, by day and in the dark."""
    mode, plan = settings.storage.mode, if_known(settings.hours.recording_plan, evidence.place)
    if mode is RecordingMode.MOTION:
        return _by_motion(evidence, edges, (), how)
    light, dark = _parted(evidence, plan)
    if mode is RecordingMode.MIXED and plan is not None:
        spans = plan_spans(plan, *evidence.dates, evidence.place).tolist()
        more_light, more_dark = _by_motion(evidence, edges, [(a, b) for a, b in spans], how)
        return total("recorded by day", "s", light, more_light), total("recorded in the dark", "s", dark, more_dark)
    return light, dark


def _by_motion(
    evidence: Evidence, edges: Mapping[bool, Edges], always: Sequence[Span], how: str
) -> tuple[Figure, Figure]:
    """Seconds that motion records a day, by day and in the dark, outside of hours in which it records anyway."""
    facts, watch = evidence.storage.facts, evidence.watch
    days = length(watch.spans) / DAY_S
    if "recorded" in facts or not days:
        recorded = known_fact(facts, "recorded")
        parts = [with_name(part, f"share {part.name[9:]}", lambda s: s / DAY_S) for part in _parted(evidence, None)]
        names = ("recorded by day", "recorded in the dark")
        light, dark = (product(n, "s", recorded, replace(p, unit="")) for n, p in zip(names, parts, strict=True))
        return light, dark
    figures = []
    whole = [d for d in watch.counted.values() if length(d) >= WHOLE_DAY_SHARE * DAY_S]
    for in_dark, name in ((False, "recorded by day"), (True, "recorded in the dark")):
        value = seconds_within(edges[in_dark], without(watch.spans, always)) / days
        by_day = [seconds_within(edges[in_dark], without(d, always)) / length(d) * DAY_S for d in whole]
        on = f"{how} on {days:.1f} days covered"
        if by_day and sum(by_day) > 0:
            one = mean_with_interval(by_day, name, "s", on)
            factor = value / one.value
            figures.append(Figure(name, value, one.low * factor, one.high * factor, "s", Source.MEASURED, one.how))
        else:
            figures.append(Figure(name, value, value / 2, value * 2, "s", Source.MEASURED, f"{on}; no whole day"))
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
        then = [evidence.settings_of(clip) or in_force for clip in clips]
        known = {id(one): _quality_factor(one, make, settings) for one in {id(one): one for one in then}.values()}
        factors = [known[id(one)] for one in then]  # a few settings made thousands of clips
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
