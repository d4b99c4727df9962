"""Too many alerts, and bad at night: what the evidence names, in the order in which it pays.

For alerts every lever is tried by itself and ordered by false alerts silenced less what is lost, since practitioners
disagree which one comes first. At night every reason is held against what is seen by day.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np

from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.plan import if_known, on_at
from guardia.core.prove.diagnose import Diagnosis, Question, Reason
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.replay.gate import State
from guardia.core.replay.replay import Replay
from guardia.core.score.hours import Cure
from guardia.core.view.picture import DARK_LUMA, GLARE_SHARE, PictureFacts

LOST_WEIGHT = 5
"""A real one lost or not told weighs as much as so many false alerts (common practice, no source)."""

_AT_THE_CAMERA = {
    "foliage": ("Cut it back, or leave it out by a zone that keeps a margin from where people walk.", 20.0),
    "animal": ("Is its size unlike a person's? Calibrate the view, then set the size.", 15.0),
    "insect_or_web": ("Brush the web off; move the lamp away from the lens, or use one beside it.", 10.0),
    "rain_or_snow": ("Is drip from an edge before the lens? A hood, or a longer hold.", 15.0),
    "headlights": ("Turn it from the road, or leave the wall out that they sweep over.", 15.0),
    "shadow": ("A longer hold, or leave out where the shadow runs.", 10.0),
    "reflection_or_water": ("Leave the water out; against glass, move it to the outside.", 15.0),
    "flag_or_rope": ("Tie it, or leave it out by a zone.", 10.0),
    "outside_traffic": ("Is the way past it in the zone? Filming it is regulated: local law decides.", 10.0),
    "camera_moved": ("Tighten its bracket.", 10.0),
}
"""What can be done about a cause where it is, and its minutes (common practice, no source)."""


def too_many(evidence: Evidence, done: Replay, cures: Sequence[Cure], at_s: float) -> Diagnosis:
    """Why so many alerts.

    Args:
        evidence: Of the camera.
        done: Replay of the settings that are complained about.
        cures: From usual_cures(), those settings first.
        at_s: When it is asked, POSIX seconds.

    Returns:
        Levers that gain more than they lose are closed gates, those that lose the fewest real ones first; what can be
        done at the camera is not known.
    """
    now = cures[0].alerts
    told = [o for o, alerted in zip(evidence.occurrences, done.told, strict=True) if alerted]
    causes = Counter(o.kind for o in told if o.verdict is Verdict.FALSE)
    ranked: list[tuple[tuple[int, int, int], Reason]] = []
    for cure in cures[1:]:
        silenced = now.false - cure.alerts.false
        lost = max(cure.lost, now.real_told - cure.alerts.real_told)
        late = f", {cure.late} alerted late" if cure.late else ""
        late += " (chosen on these very days)" if cure.remedy.chosen_here else ""
        words = (
            f"silences {silenced} of {count_of(now.false, 'false alert')}, {lost} real ones lost or not alerted{late}"
        )
        worth = silenced - LOST_WEIGHT * lost - cure.late
        name, detail = cure.remedy.name, cure.remedy.detail
        words = f"{words}: {detail}" if detail else words
        reason = Reason(name, State.CLOSED if worth > 0 else State.OPEN, words, weight=float(worth))
        ranked.append(((lost, cure.late, -silenced), reason))
    gates = [reason for _, reason in sorted(ranked, key=lambda one: (one[1].state is State.OPEN, one[0]))]
    total = sum(causes.values())
    for kind, count in causes.most_common():
        check, minutes = _AT_THE_CAMERA.get(kind, ("Look at these: what moves there?", 5.0))
        words = f"{count} of {total} false ones that alert"
        gates.append(Reason(kind_of(kind).text, State.UNKNOWN, words, check, minutes, count / total))
    if now.longest_burst > 2:
        gates.append(Reason("bursts", State.CLOSED, f"up to {now.longest_burst} alerts within minutes of each other"))
    rate = f", {now.per_day[0]:.1f} a day" if now.per_day else ""
    most = causes.most_common(1)
    head = f"{count_of(now.false, 'false alert')}{rate}"
    head += f", most by {kind_of(most[0][0]).text} ({most[0][1]})." if most else "."
    if not now.false:
        head = "No false alert on the evidence." if told else "Nothing on the evidence alerts."
    return Diagnosis(Question.TOO_MANY, at_s, tuple(gates if now.false else ()), head=head)


def bad_at_night(evidence: Evidence, done: Replay, looks: PictureFacts | None, at_s: float) -> Diagnosis:
    """Why is it bad at night.

    Args:
        evidence: Of the camera.
        done: Replay of the settings in force.
        looks: What its latest pictures tell, None where there are none.
        at_s: When it is asked, POSIX seconds.

    Returns:
        What differs from the day, the largest first.
    """
    by_light: dict[bool, list[Occurrence]] = {False: [], True: []}
    for occurrence in evidence.occurrences:
        by_light[evidence.clip_of(occurrence).dark].append(occurrence)
    gates = [_lamp(looks), _glare(looks), _hours(evidence, done), _reach(done, by_light), *_false(by_light)]
    if done.candidate.settings.storage.white_light is False:
        check = "Try its white light, or a lamp beside it: colour and a longer reach, but seen and felt by neighbours."
        gates.append(Reason("white light", State.UNKNOWN, "its infrared lamp is used", check, 10, 0.1))
    check = "Look at a night picture of somebody who walks: smeared means too long an exposure, so more light."
    gates.append(Reason("exposure", State.UNKNOWN, "not known", check, 5, 0.15))
    closed = sorted((g for g in gates if g.state is State.CLOSED), key=lambda g: -g.weight)
    rest = [g for g in gates if g.state is not State.CLOSED]
    head = "" if by_light[True] else "Nothing on the evidence is of the night. Footage of one night would show most."
    return Diagnosis(Question.AT_NIGHT, at_s, (*closed, *rest), head=head)


def _lamp(looks: PictureFacts | None) -> Reason:
    name, check = "lamp", "Look at its night picture: does its lamp work, is it set to switch on?"
    if looks is None or looks.lit is None:
        return Reason(name, State.UNKNOWN, "no picture of the night is here", check, 3, 0.3)
    words = f"its night pictures have {looks.lit:.0f} of 255 on average"
    return Reason(name, State.CLOSED, f"{words}: not lit", weight=0.9) if looks.lit < DARK_LUMA else Reason(
        name, State.OPEN, words
    )  # fmt: skip


def _glare(looks: PictureFacts | None) -> Reason:
    name = "glare of its own lamp"
    if looks is None or looks.burnt is None:
        return Reason(name, State.UNKNOWN, "no picture of the night is here", "Look for a bright, flat patch.", 2, 0.2)
    words = f"{looks.burnt:.1%} of its night pictures is burnt out in one piece"
    return Reason(name, State.CLOSED if looks.burnt >= GLARE_SHARE else State.OPEN, words, weight=0.8)


def _hours(evidence: Evidence, done: Replay) -> Reason:
    """Whether the recording hours leave out the dark in which real ones come."""
    name, plan = "recording hours", if_known(done.candidate.settings.hours.recording_plan, evidence.place)
    if plan is None:
        return Reason(name, State.OPEN, "it may record at any hour")
    begins = [evidence.span_s(o)[0] for o in evidence.occurrences if evidence.clip_of(o).dark]
    outside = int((~on_at(plan, begins, evidence.place)).sum()) if begins else 0
    words = f"the recording hours are {plan.words}"
    if not outside:
        return Reason(name, State.OPEN, f"{words}; nothing seen in the dark lies outside")
    more = f"{words}: {outside} of {count_of(len(begins), 'occurrence')} in the dark lie outside"
    return Reason(name, State.CLOSED, more, weight=outside / len(begins))


def _reach(done: Replay, by_light: dict[bool, list[Occurrence]]) -> Reason:
    """Whether real ones are missed by their size more often in the dark than by day."""
    missed: dict[bool, int] = {}
    real: dict[bool, int] = {}
    for dark, some in by_light.items():
        mine = [o for o in some if o.verdict is Verdict.REAL]
        real[dark] = len(mine)
        missed[dark] = sum(str(done.outcomes[o.id].gate) in ("size", "zone", "minimum duration") for o in mine)
    if not real[True]:
        check = "Walk there in the dark, near and far: where does it trigger?"
        return Reason("reach in the dark", State.UNKNOWN, "no real one of the night is judged", check, 10, 0.4)
    shares = {dark: missed[dark] / real[dark] if real[dark] else 0.0 for dark in (False, True)}
    words = (
        f"{missed[True]} of {real[True]} real ones in the dark do not trigger, {missed[False]} of {real[False]} by day"
    )
    worse = shares[True] > shares[False] and missed[True] > 0
    return Reason("reach in the dark", State.CLOSED if worse else State.OPEN, words, weight=shares[True])


def _false(by_light: dict[bool, list[Occurrence]]) -> list[Reason]:
    """Causes of false occurrences that come in the dark."""
    dark = Counter(o.kind for o in by_light[True] if o.verdict is Verdict.FALSE)
    light = Counter(o.kind for o in by_light[False] if o.verdict is Verdict.FALSE)
    total = int(np.sum(list(dark.values())) + np.sum(list(light.values())))
    gates = []
    for kind, count in dark.most_common():
        check, minutes = _AT_THE_CAMERA.get(kind, ("Look at these: what moves there?", 5.0))
        words = f"{count} false in the dark, {light[kind]} by day. {check}"
        mostly = count > light[kind]
        gates.append(
            Reason(
                kind_of(kind).text, State.CLOSED if mostly else State.OPEN, words, "", minutes, count / max(total, 1)
            )
        )
    return gates
