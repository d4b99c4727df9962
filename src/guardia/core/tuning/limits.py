"""Store, charge and data as limits: what else is to be set so that chosen settings keep to what is asked of them."""

from __future__ import annotations

from collections.abc import Iterator

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.replay.anchored import Anchor
from guardia.core.replay.replay import Replay
from guardia.core.score.met import Met, met_lines
from guardia.core.storage.rules import RecordingMode

LIMITS = ("record", "keep_days", "gone_days", "charge_days", "data", "px_m")
"""Ids of what is asked that goes by what is stored, and in which quality: what is always written is recorded, too."""

MOST_MOVES = 3
"""So many settings are changed for them at the most."""


def within_limits(evidence: Evidence, anchor: Anchor, chosen: Candidate, installed: Candidate) -> Candidate:
    """Chosen settings with as few changes of what is stored as meet the limits that are asked.

    Nothing that decides what motion records or alerts is changed.

    Args:
        evidence: Of the camera.
        anchor: What the camera did.
        chosen: The settings.
        installed: Those in force, under which readings were taken.

    Returns:
        The same settings where all limits are met, nobody asked for any, or nothing brings one more of them about.
    """
    if evidence.purpose is None:
        return chosen
    before = anchor.replay(installed)
    unmet = _unmet(evidence, anchor.replay(chosen), before)
    for _ in range(MOST_MOVES):
        if not unmet:
            break
        moves = [(_unmet(evidence, anchor.replay(move), before), move) for move in _moves(chosen)]
        better = [(left, move) for left, move in moves if left < unmet]
        if not better:
            break
        unmet, chosen = min(better, key=lambda one: len(one[0]))  # of equals the first, which gives up least
    return chosen


def _unmet(evidence: Evidence, done: Replay, installed: Replay) -> frozenset[str]:
    return frozenset(
        line.id for line in met_lines(evidence, done, installed) if line.id in LIMITS and line.met is Met.NO
    )


def _moves(candidate: Candidate) -> Iterator[Candidate]:
    """Settings one change of what is stored away, those first that give up least."""
    rules, now = candidate.capability.storage, candidate.settings.storage
    if not now.overwrite:
        yield candidate.with_values(overwrite=True)
    if now.second_stream:
        yield candidate.with_values(second_stream=False)
    for seconds in sorted(rules.snapshot_choices_s):
        if now.snapshot_every_s and (seconds == 0 or seconds > now.snapshot_every_s):
            yield candidate.with_values(snapshot_every_s=seconds)
    labels = [quality.label for quality in rules.qualities]
    at = labels.index(now.quality) if now.quality in labels else 0
    for label in labels[at + 1 :]:
        yield candidate.with_values(quality=label)
    for label in reversed(labels[:at]):
        yield candidate.with_values(quality=label)
    if now.mode is RecordingMode.MOTION and RecordingMode.CONTINUOUS in rules.modes:
        yield candidate.with_values(mode=RecordingMode.CONTINUOUS)
