"""The one thing to do next on a camera, by one rule over its evidence, its score and the check of its last change.

What loses footage comes first, then what is missing to judge by: nothing imported, nothing judged, not known how it is
set. Then a change that did not do as predicted, one that waits for its check, a draft that waits to be entered, then
what is not met of what it is for, or where nobody said that, what tuning could mend.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.levers import unknown_words
from guardia.core.score.met import Line, Met, first_unmet, met_words
from guardia.core.score.score import Comparison, Score
from guardia.core.score.storage_findings import storage_findings
from guardia.core.tuning.check import Check

DAY_S = 86_400.0

MISSED_WEIGHT = 5
"""A real occurrence missed weighs as much as so many false recordings a day (common practice, no source)."""

CHECK_AFTER_DAYS = 7
"""A change is checked on the evidence of a week (common practice, no source)."""


@dataclass(frozen=True)
class NextAction:
    """The one thing to do next on a camera."""

    step: str
    """Id of the step of the work where it is done."""
    text: str
    """What to do."""
    why: str
    """The reason, with its figures."""


def trouble(installed: Score, lines: Sequence[Line] = ()) -> tuple[float, float]:
    """How much care a camera needs under its installed settings: by false alerts a day and misses, of equal ones by
    false recordings a day. Where somebody said what it is for, what is not met counts: misses, alerts that do not
    come, false alerts, and as one each everything else."""
    alerts, missed = installed.false_alerts_per_day or 0.0, set(installed.real_missed)
    unmet = {line.id: line for line in lines if line.met is Met.NO}
    if lines:
        missed = {i for id in ("record", "alert") if id in unmet for i in unmet[id].ids}
        others = len(unmet.keys() - {"record", "alert", "false_alerts"})
        alerts = (alerts if "false_alerts" in unmet else 0.0) + others
    return alerts + MISSED_WEIGHT * len(missed), installed.false_per_day or 0.0


def next_action(
    evidence: Evidence, comparison: Comparison, check: Check | None, now_s: float, lines: Sequence[Line] = ()
) -> NextAction:
    """The one thing to do next on a camera and why.

    Args:
        evidence: Of the camera.
        comparison: Its installed settings and its draft.
        check: The last change held against what came after; None while nothing did.
        now_s: Now, POSIX seconds.
        lines: What it is for, met or not under the installed settings.

    Returns:
        The first that applies, in the order of the module's head.
    """
    installed = comparison.installed
    under, draft = (r.candidate.settings for r in (comparison.installed_replay, comparison.draft_replay))
    mend = next((f for f in storage_findings(comparison.installed_replay) if f.serious), None)
    if mend is not None and draft.storage == under.storage:
        return NextAction("storage", "Look at the storage", mend.brief)
    if not evidence.clips:
        return NextAction("evidence", "Import clips", "nothing this camera recorded is here yet")
    if unjudged := sum(not o.kind for o in evidence.occurrences):
        why = f"{unjudged} of {len(evidence.occurrences)} are not judged yet"
        return NextAction("evidence", f"Judge {count_of(unjudged, 'occurrence')}", why)
    if not under.says_what_triggers:
        return NextAction("handover", "Say how it is set", f"not known: {unknown_words(under)}")
    if check is not None and not check.agrees:
        return NextAction("tune", "Look at the last change", check.words)
    if due := _check_due(evidence, now_s):
        return due
    if draft != under:
        alerts, false, missed = (
            len(getattr(comparison.draft, name)) - len(getattr(installed, name))
            for name in ("false_alerted", "false_recorded", "real_missed")
        )
        alerted = f"false alerts {alerts:+d}, " if alerts != false else ""
        why = f"{alerted}false recordings {false:+d}, real missed {missed:+d} against installed"
        return NextAction("handover", "Hand over the draft", why)
    if evidence.motion_clips and not evidence.watch.spans:
        return NextAction("coverage", "Enter the time covered", "without that there is no rate per day")
    if lines:
        return _by_purpose(lines)
    if installed.false_recorded or installed.real_missed:
        counts = count_of(len(installed.false_recorded), "false recording"), len(installed.real_missed)
        return NextAction("tune", "Tune", "{}, {} real missed on the evidence".format(*counts))
    return NextAction("purpose", "Say what it is for", "nothing false, missed or unjudged on the evidence")


def _check_due(evidence: Evidence, now_s: float) -> NextAction | None:
    """The check of the last change, when its days have passed and nothing was brought in since."""
    epochs, clips = evidence.epochs, evidence.motion_clips
    since = epochs[-1].from_s if epochs else -math.inf
    if not clips or since < clips[-1].start_s or now_s - since < CHECK_AFTER_DAYS * DAY_S:
        return None
    why = f"the settings were changed {(now_s - since) / DAY_S:.0f} days ago, and nothing since then is here"
    return NextAction("evidence", "Import the days since the change", why)


def _by_purpose(lines: Sequence[Line]) -> NextAction:
    """What mends the worst that is not met; else what shows the first that is not known."""
    line = first_unmet(lines) or next((line for line in lines if line.met is Met.UNKNOWN), None)
    if line is None:
        return NextAction("evidence", "Nothing to do", met_words(lines))
    why = met_words(lines) if line.met is Met.NO else f"{met_words(lines)}. {line.asked}: {line.found}"
    return NextAction(line.step, _ACTS[line.step], why)


_ACTS = {
    "tune": "Tune", "hours": "Look at the alerts", "sensitivity": "Look at the lengths", "view": "Look at the view",
    "storage": "Look at the storage", "prove": "Walk-test it", "evidence": "Judge more",
    "coverage": "Enter the time covered", "purpose": "Draw what matters",
}  # fmt: skip
"""What is done about a line at the step where it is mended."""
