"""What tuning is worth: settings chosen on the demo's weeks, tried by the bench camera on weeks it never saw."""

from __future__ import annotations

import statistics
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import NamedTuple

from guardia.app.camera.makes import capability_data
from guardia.app.project.demo import own_demo
from guardia.benchcam.live import Truth, run
from guardia.benchcam.tern_quay import PLACES, build_scene
from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import local_date
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.levers import changed_levers
from guardia.core.make.settings import Settings
from guardia.core.purpose.purpose import UNSAID, Purpose
from guardia.core.score.likeness import doubtful, features_of, groups, likeness
from guardia.core.tuning.days import Days
from guardia.core.tuning.trials import Trials
from guardia.core.tuning.tune import Answer, Point, Tuned, tune
from guardia.store.project import Project

WEEK_S = 7 * 86_400.0
FIRST_SEED = 101

HELD_DAYS = 3
"""So many of the last judged days are kept apart where half the keys are tried."""

BAR_CUT, BAR_WORST = 0.8, 0.6
"""So many of the false alerts tuning is to cut in the middle camera, and in the worst but one."""


class Came(NamedTuple):
    """What some settings did in a week."""

    alerts: int
    """False alerts."""
    false: int
    """False recordings."""
    missed: int
    """Real events that had to be recorded and were not."""
    unalerted: int
    """Real events that somebody had to be alerted to and nobody was."""

    @property
    def words(self) -> str:
        """In a cell of a table."""
        return f"{self.alerts} a {self.false} f {self.missed} m {self.unalerted} u"


@dataclass(frozen=True)
class UnseenWeek:
    """One camera in one week that nobody had seen."""

    camera: str
    """Its name."""
    seed: int
    """Of the week."""
    installed: Came
    """Under the installed settings."""
    tuned: Came
    """Under the tuned ones."""
    real: int
    """Real events in it."""
    inside: bool
    """Whether the tuned false recordings lie in the interval predicted (90 %)."""
    missed_inside: bool
    """Whether the tuned misses lie in theirs."""
    alerts_inside: bool
    """Whether the tuned false alerts lie in theirs."""
    whole: Came
    """Under the settings chosen after all keys but without the days kept apart."""
    half: Came
    """The same after half the keys."""
    others: tuple[Came, ...] = ()
    """Under each of the settings on the trade-off's edge, in its order."""

    def cut(self, came: Came) -> float:
        """Share by which some settings cut the false alerts; 0 where there were none."""
        return 1 - came.alerts / self.installed.alerts if self.installed.alerts else 0.0


@dataclass(frozen=True)
class Keys:
    """What half the keys of judging are worth on one camera, the last HELD_DAYS judged days left out."""

    all: int
    """Keys of the whole site for every visit one by one, in order of time."""
    used: int
    """Keys pressed instead: what is alike is judged at once, on all cameras."""
    whole: Settings
    """Settings chosen after all keys."""
    half: Settings
    """Settings chosen after those that were pressed."""
    sure: bool
    """Whether the answer after those was that better settings were found."""
    on_out: tuple[tuple[int, int], tuple[int, int], tuple[int, int]]
    """False alerts and real ones lost on the days left out of the installed settings, of `whole` and of `half`."""
    purpose: Purpose
    """What the camera is for."""


def tune_demo() -> dict[str, tuple[Tuned, Keys]]:
    """Tune every camera of the demo, by name, with all judgements and with half the keys."""
    with tempfile.TemporaryDirectory(prefix="guardia-tuning-") as home, Project(own_demo(Path(home))) as project:
        cameras = [(camera, project.evidence(camera.id)) for camera in project.cameras.all()]
    outs = [frozenset(sorted(set(Trials(evidence).days))[-HELD_DAYS:]) for _, evidence in cameras]
    early = [_judged_before(evidence, out) for (_, evidence), out in zip(cameras, outs, strict=True)]
    every = sum(len({o.visit or -o.id for o in several}) for several in early)
    known, used = judged_alike([(e, several) for (_, e), several in zip(cameras, early, strict=True)], every // 2)
    answers = {}
    for (camera, evidence), out, several in zip(cameras, outs, early, strict=True):
        installed = camera.under(camera.installed)
        truth = {o.id: o.kind for o in several}
        whole, half = (tune(_knowing(evidence, kinds), installed) for kinds in (truth, known))
        trials = Trials(evidence)
        counts = [Days(evidence, trials).counts(trials.of(c), out) for c in (installed, whole.chosen, half.chosen)]
        on_out = tuple((c.false_alerts, c.lost) for c in counts)
        sure = half.answer is Answer.BETTER
        chosen = (whole.chosen.settings, half.chosen.settings)
        purpose = evidence.purpose or UNSAID
        keys = Keys(every, used, *chosen, sure, (on_out[0], on_out[1], on_out[2]), purpose)
        answers[camera.name] = tune(evidence, installed), keys
    return answers


def _judged_before(evidence: Evidence, out: frozenset[date]) -> list[Occurrence]:
    """What is judged of the days that are not left out."""
    zone = evidence.watch.zone
    visits = [v for v in evidence.visits if v.kind and local_date(evidence.span_s(v[0])[0], zone) not in out]
    return [part for visit in visits for part in visit]


def _knowing(evidence: Evidence, kinds: Mapping[int, str]) -> Evidence:
    """The evidence with these judgements only, by occurrence."""
    return evidence.with_occurrences([replace(o, kind=kinds.get(o.id, "")) for o in evidence.occurrences])


def judged_alike(
    cameras: Sequence[tuple[Evidence, Sequence[Occurrence]]], most_keys: int
) -> tuple[dict[int, str], int]:
    """Judge as the step Alike lets one: a key for each group, then what its likes contradict, looked at again.

    Args:
        cameras: Evidence of each camera with its occurrences to be judged, which bear their right kinds.
        most_keys: So many keys may be pressed.

    Returns:
        Kinds by id, some of them wrong, since a key gives a whole group its most usual kind; and keys pressed.
    """
    right = {o.id: o.kind for _, several in cameras for o in several}
    features = {o.id: features_of(evidence, o) for evidence, several in cameras for o in several}
    named = {i: e.event_of[i].named for e, several in cameras for i in (o.id for o in several) if i in e.event_of}
    space = likeness(features, named)
    judged: dict[int, str] = {}
    keys = 0
    for ids in sorted(groups(space), key=len, reverse=True)[:most_keys]:
        judged |= dict.fromkeys(ids, Counter(right[i] for i in ids).most_common(1)[0][0])
        keys += 1
    looked_at: set[int] = set()
    while keys < most_keys:
        again = next((i for i, _ in doubtful(space, judged) if i not in looked_at), None)
        if again is None:
            break
        judged[again] = right[again]
        looked_at.add(again)
        keys += 1
    return judged, keys


def edge_of(one: Tuned) -> list[Point]:
    """The settings on the edge of the trade-off: no other misses fewer without more false alerts."""
    return [point for point in one.points if point.best]


def coming_weeks(found: dict[str, tuple[Tuned, Keys]], seeds: int, tell: Callable[[str], None]) -> Iterator[UnseenWeek]:
    """Let the bench camera run weeks of other seeds with installed, tuned and the edge's settings, on all cores."""
    jobs = [
        _Week(place.slug, FIRST_SEED + n, _several(*found[place.name]), found[place.name][1].purpose)
        for n in range(seeds) for place in PLACES
    ]  # fmt: skip
    with ProcessPoolExecutor() as pool:
        for job, truths in zip(jobs, pool.map(_week, jobs), strict=True):
            place = next(p for p in PLACES if p.slug == job.slug)
            tell(f"{place.name}, week {job.seed}")
            installed, tuned, whole, half, *others = (
                Came(len(t.false_alerts_at), len(t.false_at), len(t.missed), len(t.unalerted)) for t in truths
            )
            week = found[place.name][0].week
            came = (tuned.false, tuned.missed, tuned.alerts)
            inside = [] if week is None else [n.low <= c <= n.high for n, c in zip(week, came, strict=True)]
            false, missed, alerts = inside or (False, False, False)
            yield UnseenWeek(
                place.name, job.seed, installed, tuned, len(truths[1].real), false, missed, alerts, whole, half,
                tuple(others),
            )  # fmt: skip


class _Week(NamedTuple):
    slug: str
    seed: int
    several: list[Settings]
    purpose: Purpose


def _several(one: Tuned, keys: Keys) -> list[Settings]:
    return [one.chosen.settings, keys.whole, keys.half, *(point.candidate.settings for point in edge_of(one))]


def _week(job: _Week) -> list[Truth]:
    place = next(p for p in PLACES if p.slug == job.slug)
    make = capability_from_dict(capability_data(place.installed.capability))
    scene, several = build_scene(place, seed=job.seed), [place.installed, *job.several]
    return run(scene, several, make, only=lambda begin: begin < WEEK_S, purpose=job.purpose)


def verdict_on(one: Tuned, weeks: Sequence[UnseenWeek]) -> tuple[float, float, str]:
    """How far one camera's false alerts were cut, how far they could have been, and why it fell short.

    Args:
        one: What tuning found.
        weeks: Weeks of that camera.

    Returns:
        Cut over all weeks of the tuned settings; of those of the edge, and the tuned ones, that in hindsight lose no
        more than the installed ones the largest cut; the reason, empty where the bar is reached.
    """
    cut = _cut(weeks, [w.tuned for w in weeks])
    most = sum(w.installed.missed + w.installed.unalerted for w in weeks)
    best, point = cut, None
    for n, other in enumerate(edge_of(one)):
        came = [w.others[n] for w in weeks]
        could = _cut(weeks, came)
        if could > best and sum(c.missed + c.unalerted for c in came) <= most:
            best, point = could, other
    if cut >= BAR_CUT:
        return cut, best, ""
    if best < BAR_CUT or point is None:
        return cut, best, f"no setting on the edge of the trade-off reaches it without losing more. {one.why[0]}"
    if point.counts.lost > one.tuned.lost:
        return cut, best, f"the best one loses {point.counts.lost - one.tuned.lost} more on the judged days"
    return cut, best, "the best one is less sure to keep the real ones: on variants of the judged visits it loses more"


def _cut(weeks: Sequence[UnseenWeek], came: Sequence[Came]) -> float:
    """Share by which false alerts are fewer over some weeks; 0 where there were none."""
    before = sum(w.installed.alerts for w in weeks)
    return 1 - sum(c.alerts for c in came) / before if before else 0.0


def lines_of(found: dict[str, tuple[Tuned, Keys]], weeks: list[UnseenWeek]) -> list[str]:
    """The table: tuned against held out on the demo, then the weeks, then camera by camera and all together."""
    lines = [
        f"{'camera':<14}{'installed':>16}{'tuned':>14}{'held out':>14}   answer (a false alerts, l real ones lost)"
    ]
    for name, (one, _) in found.items():
        cells = [f"{c.false_alerts} a {c.lost} l" if c else "none" for c in (one.installed, one.tuned, one.held_out)]
        lines.append(f"{name:<14}{cells[0]:>16}{cells[1]:>14}{cells[2]:>14}   {one.answer.value}: {one.why[0]}")
        lines += [f"{'':<14}{step.words}: {step.counts.false_alerts} a {step.counts.lost} l" for step in one.plan]
    lines.append(
        f"{'camera':<14}{'week':>6}{'installed':>20}{'predicted':>24}{'came':>20}{'real':>6}  in the intervals"
    )
    for w in weeks:
        told = found[w.camera][0].week
        ends = [] if told is None else [f"{n.low:.0f}-{n.high:.0f}" for n in told]
        predicted = f"{ends[2]} a {ends[0]} f {ends[1]} m" if ends else "none"
        inside = " ".join("yes" if one else "no" for one in (w.alerts_inside, w.inside, w.missed_inside))
        lines.append(
            f"{w.camera:<14}{w.seed:>6}{w.installed.words:>20}{predicted:>24}{w.tuned.words:>20}{w.real:>6}  {inside}"
        )
    return [*lines, *_summary(found, weeks)] if weeks else lines


def _summary(found: dict[str, tuple[Tuned, Keys]], weeks: Sequence[UnseenWeek]) -> list[str]:
    lines = [f"{'camera':<14}{'cut':>8}{'in hindsight':>14}{'lost':>12}{'unalerted':>12}  why not {BAR_CUT:.0%}"]
    cuts = []
    for name, (one, _) in found.items():
        own = [w for w in weeks if w.camera == name]
        cut, best, why = verdict_on(one, own)
        cuts.append(cut)
        missed, unalerted = (
            f"{sum(getattr(w.installed, of) for w in own)} to {sum(getattr(w.tuned, of) for w in own)}"
            for of in ("missed", "unalerted")
        )
        lines.append(f"{name:<14}{cut:>8.0%}{best:>14.0%}{missed:>12}{unalerted:>12}  {why or 'reached'}")
    sure = {name for name, (one, _) in found.items() if one.answer is Answer.BETTER}
    entered = [w.tuned if w.camera in sure else w.installed for w in weeks]
    worst_but_one = sorted(cuts)[min(1, len(cuts) - 1)]
    return [
        *lines,
        *_key_lines(found, weeks),
        f"camera-weeks of {len(weeks)} in the interval stated for 90 %: false alerts "
        f"{sum(w.alerts_inside for w in weeks)}, false recordings {sum(w.inside for w in weeks)}, misses "
        f"{sum(w.missed_inside for w in weeks)}",
        f"middle camera {statistics.median(cuts):.0%} (bar {BAR_CUT:.0%}), worst but one {worst_but_one:.0%} "
        f"(bar {BAR_WORST:.0%}); bars: missed and unalerted no more than installed",
        _effect("every proposal entered", weeks, [w.tuned for w in weeks]),
        _effect(f"only where the answer is '{Answer.BETTER.value}'", weeks, entered),
    ]


def _effect(words: str, weeks: Sequence[UnseenWeek], came: Sequence[Came]) -> str:
    """What some settings did in all of the weeks, in words."""
    old, new = (Came(*map(sum, zip(*several, strict=True))) for several in ([w.installed for w in weeks], came))
    parts = zip(("false alerts", "false recordings", "missed", "unalerted"), old, new, strict=True)
    return f"{words}: " + ", ".join(f"{what} {before} to {after}" for what, before, after in parts)


def _key_lines(found: dict[str, tuple[Tuned, Keys]], weeks: Sequence[UnseenWeek]) -> list[str]:
    """What half the keys are worth: on the days kept apart camera by camera, and on all weeks."""
    head = f"{'camera':<14}{'installed':>12}{'all keys':>12}{'half':>10}"
    lines = [f"{head}  on {HELD_DAYS} days kept apart, and which settings differ"]
    for name, (_, keys) in found.items():
        cells = [f"{alerts} a {lost} l" for alerts, lost in keys.on_out]
        differ = ", ".join(lever.name for lever in changed_levers(keys.whole, keys.half)) or "the same settings"
        lines.append(f"{name:<14}{cells[0]:>12}{cells[1]:>12}{cells[2]:>10}  {differ}")
    (_, keys), *_ = found.values()
    entered = [w.half if found[w.camera][1].sure else w.installed for w in weeks]
    return [
        *lines,
        f"{keys.used} keys for {keys.all}",
        _effect("without those days, after all keys, every proposal entered", weeks, [w.whole for w in weeks]),
        _effect("the same after half the keys", weeks, [w.half for w in weeks]),
        _effect(f"after half the keys, only where the answer is '{Answer.BETTER.value}'", weeks, entered),
    ]
