"""Occurrences that pass a filter, over arrays: what is looked at again and again is laid out once for each evidence."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.gate import Gate
from guardia.core.replay.replay import Replay


@dataclass(frozen=True)
class Filter:
    """What is looked for."""

    judged: str = "all"
    """'all', 'unjudged', 'real', 'false', 'unsure', 'missed' (real, missed by the draft) or 'false recorded'."""
    day: date | None = None
    """Only this local day."""
    origin: Origin | None = None
    """Only clips recorded this way."""
    ids: frozenset[int] | None = None
    """Only these occurrences (those behind a number)."""
    kind: str | None = None
    """Only those judged as this kind."""
    hours: tuple[int, int] | None = None
    """Only those that begin in these local hours, from the first to before the second; over midnight when turned."""
    dark: bool | None = None
    """Only those with a dark (True) or a bright (False) picture."""
    named: str | None = None
    """Only those that the camera named so; '' is those that it named nothing."""
    gate: Gate | None = None
    """Only those that this gate stops under the draft."""


def matching(evidence: Evidence, wanted: Filter, draft: Replay) -> NDArray[np.bool_]:
    """Which occurrences pass a filter.

    Args:
        evidence: N occurrences.
        wanted: The filter.
        draft: The draft on that evidence.

    Returns:
        (N,), in the order of the evidence.
    """
    columns = evidence.columns
    passes = _judged(wanted.judged, columns.verdict, draft)
    if wanted.ids is not None:
        passes &= np.isin(columns.id, list(wanted.ids))
    if wanted.origin is not None:
        passes &= columns.origin == wanted.origin
    if wanted.kind is not None:
        passes &= columns.kind == wanted.kind
    if wanted.dark is not None:
        passes &= columns.dark == wanted.dark
    if wanted.day is not None or wanted.hours is not None:
        passes &= _at(evidence, passes, wanted)
    if wanted.named is not None:
        for n in np.flatnonzero(passes).tolist():
            event = evidence.event_of.get(evidence.occurrences[n].id)
            passes[n] = (event.named if event else "") == wanted.named
    if wanted.gate is not None:
        for n in np.flatnonzero(passes).tolist():
            passes[n] = wanted.gate in draft.outcomes[evidence.occurrences[n].id].stopped_at
    return passes


def _judged(judged: str, verdict: NDArray[np.str_], draft: Replay) -> NDArray[np.bool_]:
    passes = np.ones(len(verdict), bool)
    match judged:
        case "unjudged":
            passes = verdict == ""
        case "real" | "false" | "unsure":
            passes = verdict == judged
        case "missed":
            passes = (verdict == Verdict.REAL) & ~draft.recorded
        case "false recorded":
            passes = (verdict == Verdict.FALSE) & draft.marked
    return passes


def _at(evidence: Evidence, passes: NDArray[np.bool_], wanted: Filter) -> NDArray[np.bool_]:
    """Which of those that pass begin on the local day and in the local hours that are wanted."""
    zone, begin_s = evidence.watch.zone, evidence.columns.begin_s
    inside = np.zeros(len(passes), bool)
    first, last = wanted.hours or (0, 24)
    for n in np.flatnonzero(passes).tolist():
        moment = datetime.fromtimestamp(begin_s[n], zone)
        in_hours = first <= moment.hour < last if first < last else moment.hour >= first or moment.hour < last
        inside[n] = in_hours and wanted.day in (None, moment.date())
    return inside
