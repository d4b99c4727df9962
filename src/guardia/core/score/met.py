"""Whether a camera does what it is for: each thing that is asked of it, met or not, with what that is based on."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.distances import density, distance
from guardia.core.base.words import count_of, listed
from guardia.core.evidence.clips import Origin, Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.required import Required, required_of
from guardia.core.evidence.watch import Span, merged
from guardia.core.purpose.judgement import kind_of
from guardia.core.purpose.purpose import Purpose, Wanted
from guardia.core.replay.replay import Replay
from guardia.core.score.alerts import alert_path_words
from guardia.core.score.power import charge_of, sent_of
from guardia.core.score.score import Comparison, Score, any_part, outcome_of, score
from guardia.core.score.storage import held_days
from guardia.core.storage.figure import days_words, short
from guardia.core.storage.readings import Measure

NEAR_S = 0.5
"""Times of a recording are known to half a second: files begin at whole ones."""

MOST_NAMED = 3
"""So many single reasons are told in a line."""


class Met(StrEnum):
    """How a thing that is asked stands."""

    YES = "met"
    NO = "not met"
    UNKNOWN = "not known"


@dataclass(frozen=True)
class Line:
    """One thing that is asked of a camera."""

    id: str
    """Which: the name of the value in Purpose."""
    asked: str
    """What is asked, in a few words."""
    met: Met
    """How it stands."""
    found: str
    """What is, in a few words, with what it is held against."""
    why: tuple[str, ...]
    """The arithmetic, the gates, what is not known: sentences."""
    ids: tuple[int, ...]
    """The occurrences behind it: those that do not meet it, else all that were counted."""
    step: str
    """Id of the step of the work where it is mended."""


class _Case(NamedTuple):
    """What is looked at."""

    evidence: Evidence
    done: Replay
    required: Required
    purpose: Purpose


class Stands(NamedTuple):
    """How a thing that is asked stands; fields as in Line."""

    met: Met
    found: str
    step: str
    why: tuple[str, ...] = ()
    ids: tuple[int, ...] = ()


def met_lines(
    evidence: Evidence, done: Replay, installed: Replay | None = None, counts: Score | None = None
) -> tuple[Line, ...]:
    """Each thing that is asked of a camera under some settings.

    Args:
        evidence: Of the camera, as it is judged now.
        done: Their replay on its clips.
        installed: Replay of the settings in force, as in charge_of().
        counts: score() of `done`, where it is at hand.

    Returns:
        In the order of the work; none while nobody said what the camera is for.
    """
    purpose = evidence.purpose
    if purpose is None:
        return ()
    if done.evidence is not evidence:
        done = replace(done, evidence=evidence)  # replays are kept when judgements change
    case = _Case(evidence, done, required_of(evidence), purpose)
    checks: dict[str, Callable[[], Stands | None]] = {
        "record": lambda: _recorded(case),
        "before_s": lambda: _around(case),
        "px_m": lambda: _density(case),
        "alert": lambda: _alerted(case),
        "within_s": lambda: _soon(case),
        "false_alerts": lambda: _false_alerts(case, counts or score(evidence, done)),
        "keep_days": lambda: _kept(case),
        "gone_days": lambda: _gone(case),
        "charge_days": lambda: _charge(case, installed),
        "data": lambda: _data(case),
    }
    found = [(id, words, checks[id]()) for id, words in asked_words(purpose).items()]
    return tuple(Line(id, words, f.met, f.found, f.why, f.ids, f.step) for id, words, f in found if f is not None)


def asked_words(purpose: Purpose) -> dict[str, str]:
    """What is asked, in a few words each, by the id of the line; in the order of the work."""
    words = {
        "record": f"Recorded: {wanted_words(purpose.record)}" if purpose.record.kinds else "",
        "before_s": f"From {purpose.before_s:g} s before to {purpose.after_s:g} s after"
        if purpose.record.kinds and (purpose.before_s or purpose.after_s) else "",
        "px_m": f"At least {density(purpose.px_m, asked=True)}" if purpose.px_m is not None else "",
        "alert": f"Alerted: {wanted_words(purpose.alert)}" if purpose.alert.kinds else "",
        "within_s": f"Alerted within {purpose.within_s:g} s"
        if purpose.alert.kinds and purpose.within_s is not None else "",
        "false_alerts": f"At most {_rate(purpose.false_alerts)} a day" if purpose.false_alerts is not None else "",
        "keep_days": f"Kept at least {days_words(purpose.keep_days)}" if purpose.keep_days is not None else "",
        "gone_days": f"Gone after {days_words(purpose.gone_days)}" if purpose.gone_days is not None else "",
        "charge_days": f"A charge lasts {days_words(purpose.charge_days)}" if purpose.charge_days is not None else "",
        "data": "Data within the allowance" if purpose.data else "",
    }  # fmt: skip
    return {id: text for id, text in words.items() if text}


Lines = tuple[Line, ...]


def met_both(evidence: Evidence, both: Comparison) -> tuple[Lines, Lines]:
    """What is asked of a camera under its installed settings and under its draft, the same lines in each."""
    return (
        met_lines(evidence, both.installed_replay, counts=both.installed),
        met_lines(evidence, both.draft_replay, both.installed_replay, both.draft),
    )


def met_words(lines: Sequence[Line]) -> str:
    """How many are met, and what the worst that is not finds; empty where nothing is asked."""
    if not lines:
        return ""
    met, unknown = (sum(line.met is state for line in lines) for state in (Met.YES, Met.UNKNOWN))
    words = f"{met} of {len(lines)} met"
    if unmet := first_unmet(lines):
        return f"{words}: {unmet.found}"
    return f"{words}, {unknown} not known" if unknown else words


def first_unmet(lines: Sequence[Line]) -> Line | None:
    """The worst that is not met; None where none is."""
    return min((line for line in lines if line.met is Met.NO), key=lambda one: _WORST.index(one.id), default=None)


_WORST = (
    "record", "alert", "false_alerts", "gone_days", "within_s", "before_s", "keep_days", "charge_days", "data", "px_m",
)  # fmt: skip


def wanted_words(wanted: Wanted) -> str:
    """What is asked, in words: kinds, hours, and that it is of a part of the picture."""
    kinds = listed([kind_of(kind).text for kind in wanted.kinds]) or "nothing"
    hours = f", {wanted.hours.words}" if wanted.hours is not None else ""
    return f"{kinds}{hours}{', in the part drawn' if wanted.in_part else ''}"


def _visits(evidence: Evidence, which: NDArray[np.bool_]) -> list[Visit]:
    return [visit for visit, asked in zip(evidence.visits, which, strict=True) if asked]


def _ids(visits: Sequence[Visit]) -> tuple[int, ...]:
    return tuple(visit.id for visit in visits)


def _reasons(done: Replay, visits: Sequence[Visit], *, alert: bool = False) -> tuple[str, ...]:
    """Why some are not recorded, or alerted: the gate that closed first, with its numbers."""
    said = []
    for visit in visits[:MOST_NAMED]:
        outcome = outcome_of(visit, done)
        gate, reason = (outcome.alert_gate, outcome.alert_reason) if alert else (outcome.gate, outcome.reason)
        if alert and gate is None:
            gate, reason = outcome.gate, outcome.reason
        if gate is not None:
            said.append(f"{kind_of(visit.kind).text}: {gate}, {reason}.")
    more = len(visits) - MOST_NAMED
    return (*dict.fromkeys(said), *([f"{more} more."] if more > 0 else ()))


def _not_seen(evidence: Evidence, visits: Sequence[Visit]) -> str:
    """That nothing here shows what was missed, in a sentence; empty where footage or a walk does."""
    shown = any(evidence.clip_of(part).origin is not Origin.MOTION for visit in visits for part in visit)
    walked = any(walk.triggered for walk in evidence.walks)
    return "" if shown or walked else "Motion clips alone cannot show what was missed: walk, or import footage."


def _recorded(case: _Case) -> Stands:
    evidence, done = case.evidence, case.done
    recorded = any_part(evidence.visit_table, done.marked) | any_part(evidence.visit_table, done.written)
    asked = _visits(evidence, case.required.recorded)
    if missed := _visits(evidence, case.required.recorded & ~recorded):
        found = f"{len(missed)} of {len(asked)} not recorded"
        return Stands(Met.NO, found, "tune", _reasons(done, missed), _ids(missed))
    if not asked:
        return Stands(Met.UNKNOWN, "none judged yet", "evidence", ("None of them is judged on the evidence.",))
    found = f"all {len(asked)} judged ones recorded"
    if unseen := _not_seen(evidence, asked):
        return Stands(Met.UNKNOWN, found, "prove", (unseen,), _ids(asked))
    return Stands(Met.YES, found, "tune", (), _ids(asked))


def _around(case: _Case) -> Stands:
    """Whether recordings begin early and end late enough."""
    evidence, done, purpose, table = case.evidence, case.done, case.purpose, case.evidence.visit_table
    always = case.required.recorded & any_part(table, done.written)
    visits = _visits(evidence, case.required.recorded & any_part(table, done.marked) & ~always)
    spans = merged(span for of_clip in done.stretches for span in of_clip)
    margins = [_margins(evidence, visit, spans) for visit in visits]
    if not margins:
        known = bool(always.any())
        return Stands(
            Met.YES if known else Met.UNKNOWN, "it writes always" if known else "none recorded yet", "sensitivity"
        )
    cut = [
        visit for visit, (before, after) in zip(visits, margins, strict=True)
        if before < purpose.before_s - NEAR_S or after < purpose.after_s - NEAR_S
    ]  # fmt: skip
    before_s, after_s = (max(0.0, min(ends)) for ends in zip(*margins, strict=True))
    why = (f"At the shortest {short(before_s)} s before and {short(after_s)} s after.",)
    if cut:
        found = f"{len(cut)} of {count_of(len(margins), 'recording')} too late or too short"
        return Stands(Met.NO, found, "sensitivity", why, _ids(cut))
    return Stands(Met.YES, "every recording covers that", "sensitivity", why, _ids(visits))


def _margins(evidence: Evidence, visit: Visit, spans: Sequence[Span]) -> tuple[float, float]:
    """Seconds recorded before a visit begins and after it ends; negative where its ends are not recorded."""
    begin, end = evidence.span_s(visit[0])[0], evidence.span_s(visit[-1])[1]

    def around(at_s: float) -> Span | None:
        place = bisect_right(spans, (at_s + NEAR_S, math.inf)) - 1
        return spans[place] if place >= 0 and spans[place][1] >= at_s - NEAR_S else None

    first, last = around(begin), around(end)
    return (-math.inf if first is None else begin - first[0], -math.inf if last is None else last[1] - end)


def _density(case: _Case) -> Stands | None:
    evidence, done, purpose = case.evidence, case.done, case.purpose
    quality = done.candidate.capability.storage.quality(done.candidate.settings.storage.quality)
    recorded = next((clip.width_px for clip in reversed(evidence.clips) if clip.width_px), 0)
    width = quality.width if quality is not None else recorded
    if evidence.view is None:
        return _no_density("view", "Calibrate the view: it is not known how far anything is.")
    if not purpose.area or purpose.px_m is None:
        return _no_density("purpose", "Draw the part of the picture where it matters: its far end counts.")
    if not width:
        return _no_density("evidence", "Import a clip: it is not known how wide the picture is.")
    ground = evidence.view.to_ground(np.array(purpose.area))
    if np.isnan(ground).any():
        return _no_density("purpose", "The part drawn reaches above the horizon: draw it on the ground.")
    ahead_m = float(ground[:, 1].max())
    px_m = evidence.view.density(ahead_m, width)
    found = f"{density(px_m)} at its far end, {density(purpose.px_m, asked=True)} asked"
    why = (f"Its far end is {distance(ahead_m)} ahead, in a picture {width} px wide.",)
    return Stands(Met.YES if px_m >= purpose.px_m else Met.NO, found, "view", why)


def _no_density(step: str, why: str) -> Stands:
    return Stands(Met.UNKNOWN, "pixel density not known", step, (why,))


def _alerted(case: _Case) -> Stands:
    evidence, done = case.evidence, case.done
    told = any_part(evidence.visit_table, done.told)
    asked = _visits(evidence, case.required.alerted)
    if silent := _visits(evidence, case.required.alerted & ~told):
        found = f"nobody alerted to {len(silent)} of {len(asked)}"
        # What never triggered is no matter of the alerts.
        step = "hours" if any(outcome_of(visit, done).gate is None for visit in silent) else "tune"
        return Stands(Met.NO, found, step, _reasons(done, silent, alert=True), _ids(silent))
    tests, path = _delays(evidence), alert_path_words(evidence)
    if tests and tests[-1] is None:
        return Stands(Met.NO, "the last test alert never came", "hours", (path,))
    if not asked:
        return Stands(Met.UNKNOWN, "none judged to alert to", "evidence", ("None of them is judged on the evidence.",))
    found = f"alerts to all {len(asked)} judged ones"
    return Stands(Met.UNKNOWN if path else Met.YES, found, "hours", (path,) if path else (), _ids(asked))


def _delays(evidence: Evidence) -> list[float | None]:
    """Seconds from trigger to phone of every test alert, None for one that never came."""
    return [r.value for r in evidence.storage.readings if r.what is Measure.ALERT_DELAY]


def _soon(case: _Case) -> Stands:
    """Whether alerts come soon enough: what the camera takes to trigger, and the slowest test alert on top."""
    evidence, done, asked_s = case.evidence, case.done, case.purpose.within_s or 0.0
    took = []
    for visit in _visits(evidence, case.required.alerted):
        first = [float(done.trigger_s[n]) for p in visit if done.told[n := done.place[p.id]]]
        if first and math.isfinite(first[0]):
            took.append((max(0.0, first[0] - evidence.span_s(visit[0])[0]), visit.id))
    if not took:
        return Stands(Met.UNKNOWN, "no alert to time yet", "hours")
    came = [delay for delay in _delays(evidence) if delay is not None]
    way_s, longest_s = max(came, default=0.0), max(seconds for seconds, _ in took)
    slow = tuple(id for seconds, id in took if seconds + way_s > asked_s)
    way = f", the slowest test alert {short(way_s)} s to the phone" if came else ""
    why = (f"The camera takes at most {short(longest_s)} s to trigger{way}.",)
    if slow:
        found = f"{len(slow)} of {count_of(len(took), 'alert')} later than {asked_s:g} s"
        return Stands(Met.NO, found, "hours", why, slow)
    if not came:
        more = "No test alert shows how long the way to the phone takes."
        return Stands(Met.UNKNOWN, "time to the phone not known", "hours", (*why, more))
    return Stands(Met.YES, f"within {short(longest_s + way_s)} s", "hours", why, tuple(id for _, id in took))


def _false_alerts(case: _Case, counts: Score) -> Stands:
    asked = case.purpose.false_alerts or 0.0
    rate, ends = counts.false_alerts_per_day, counts.false_alerts_per_day_interval
    if rate is None or ends is None:
        why = "Say when the camera was up, and judge those days whole: without that there is no rate."
        return Stands(Met.UNKNOWN, "no rate of false alerts yet", "coverage", (why,))
    met = Met.YES if rate <= asked else Met.NO
    lines = [f"On {short(counts.watched_days)} days; {ends[0]:.1f} to {ends[1]:.1f} a day by chance alone (95 %)."]
    if met is Met.YES and ends[1] > asked:
        lines.append("More days would show it more surely.")
    if needless := _needless(case):
        lines.append(f"Besides, {count_of(len(needless), 'alert')} to real ones nobody asked to hear of.")
    return Stands(met, f"{rate:.1f} false alerts a day, at most {asked:g}", "tune", tuple(lines), counts.false_alerted)


def _rate(a_day: float) -> str:
    return "1 false alert" if a_day == 1 else f"{a_day:g} false alerts"


def _needless(case: _Case) -> tuple[int, ...]:
    """Real ones that are alerted though nobody asked for it."""
    evidence = case.evidence
    told = any_part(evidence.visit_table, case.done.told)
    return _ids(_visits(evidence, evidence.visit_table.real & told & ~case.required.alerted))


def _kept(case: _Case) -> Stands:
    keeping, asked = case.done.keeping, case.purpose.keep_days or 0.0
    if keeping.days is None:
        why = (
            "Choose a store that it has."
            if keeping.known.stores
            else "Enter the store that it records to, and its size."
        )
        return Stands(Met.UNKNOWN, "days kept not known", "storage", (why,))
    stops = math.isinf(held_days(case.done)[0][1])
    found = "it stops recording when full" if stops else f"kept {days_words(keeping.days.value)}, {short(asked)} asked"
    met = Met.YES if keeping.days.value >= asked and not stops else Met.NO
    return Stands(met, found, "storage", (f"{keeping.days.words}: {keeping.days.how}.",))


def _gone(case: _Case) -> Stands:
    holds, asked = held_days(case.done), case.purpose.gone_days or 0.0
    if not holds:
        return Stands(Met.UNKNOWN, "days kept not known", "storage", ("Enter the store that it records to.",))
    fitted, days = max(holds, key=lambda one: one[1])
    held = f"'{fitted.store.name}' " + (f"keeps {days_words(days)}" if math.isfinite(days) else "never deletes")
    return Stands(Met.YES if days <= asked else Met.NO, f"{held}, at most {short(asked)}", "storage")


def _charge(case: _Case, installed: Replay | None) -> Stands | None:
    charge, asked = charge_of(case.done, installed), case.purpose.charge_days or 0.0
    if charge is None:
        return None
    lasts = charge.days.words if math.isfinite(charge.days.value) else "as long as its panel keeps up"
    basis = (
        f"By its readings: {charge.per_day.words}." if charge.measured is not None
        else "Worked out from assumed draws: read the battery twice, some days apart."
    )  # fmt: skip
    fails = (f"It fails first in {charge.failing_month}.",) if charge.failing_month else ()
    met = Met.YES if charge.days.value >= asked else Met.NO
    return Stands(met, f"a charge lasts {lasts}, {short(asked)} days asked", "storage", (basis, *fails))


def _data(case: _Case) -> Stands | None:
    sent = sent_of(case.done)
    if sent is None:
        return None
    if sent.allowance is None:
        why = "Enter the data allowance of its SIM."
        return Stands(Met.UNKNOWN, "data allowance not known", "storage", (why,))
    used = f"{sent.a_month.words} a month of {sent.allowance.words}"
    if sent.runs_out is None:
        return Stands(Met.YES, used, "storage")
    return Stands(Met.NO, f"data used up on {sent.runs_out}", "storage", (f"{used}.",))
