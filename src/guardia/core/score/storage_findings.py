"""What is wrong with the storage, the battery or the data of a camera, in sentences, the worst first."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from guardia.core.replay.keeping import Keeping
from guardia.core.replay.replay import Replay
from guardia.core.score.power import Charge, charge_of, drains_most, sent_of
from guardia.core.score.storage import held_days, kept_counts, longest, requirement
from guardia.core.storage.figure import days_words, short
from guardia.core.storage.readings import Measure
from guardia.core.storage.stores import Fitted, filled_a_day, reading_errors, stopped_rising

SHORT_CHARGE_DAYS = 30.0
"""A battery that must be charged more often than once a month is told of (common practice, no source)."""

APART = 1.5
"""Readings and files that differ by more than this factor contradict each other (common practice, no source)."""

NEARLY_FULL = 0.9
"""A store that stops filling from this share of what is printed on it is full (common practice, no source)."""

GREAT_SHARE = 0.25
"""A cause with at least this share of the drain is named."""


@dataclass(frozen=True)
class Finding:
    """Something to do about storage, power or data."""

    words: str
    """What is found, and what to do."""
    serious: bool
    """Footage is lost by it now."""
    brief: str = ""
    """The same in a few words."""


def storage_findings(done: Replay, installed: Replay | None = None) -> list[Finding]:
    """What is wrong under some settings, the worst first.

    Args:
        done: Their replay.
        installed: Replay of the settings under which the readings were taken; the same when None.

    Returns:
        None where all is well as far as anybody knows.
    """
    keeping, found = done.keeping, []
    if keeping.known.stores:
        found += _store_findings(done, keeping)
        _, gone = kept_counts(done)
        if gone:
            words = f"{gone} judged real recordings of the evidence are not on the store."
            found.append(Finding(words, serious=True, brief=f"{gone} real recordings not on the store"))
    if (charge := charge_of(done, installed)) is not None:
        found += _charge_findings(charge)
    sent = sent_of(done)
    if sent is not None and sent.runs_out is not None and sent.allowance is not None:
        words = (
            f"The data allowance of {sent.allowance.words} a month is used up on {sent.runs_out}: {sent.a_month.words}."
        )
        found.append(Finding(words, serious=False))
    return sorted(found, key=lambda f: not f.serious)


def _store_findings(done: Replay, keeping: Keeping) -> list[Finding]:
    fitted, chosen = keeping.fitted, done.candidate.settings.storage.target
    if fitted is None:
        there = " or ".join(f"'{f.store.kind}'" for f in keeping.known.stores)
        words = f"It is set to record to '{chosen}', which it does not have: nothing is kept. Choose {there}."
        return [Finding(words, serious=True, brief=f"records to '{chosen}', which is not there")]
    found, name = [], fitted.store.name
    for one in (fitted, *keeping.copies):
        found += _state_findings(done, one, "nothing is kept" if one is fitted else "nothing goes there")
    if keeping.full_s is not None:
        full, stops = _day(keeping.full_s, done), "Switch overwriting on"
        past = keeping.full_s <= keeping.known.asked_s
        words = (
            f"'{name}' is full since {full} and does not overwrite: nothing is kept since. {stops}, or empty it."
            if past
            else f"'{name}' will be full on {full} and does not overwrite: nothing is kept from then on. {stops}."
        )
        found.append(Finding(words, serious=past, brief=f"'{name}' full since {full}"))
    filled, expected = filled_a_day(fitted), fitted.expected
    if filled is not None and expected is not None and not 1 / APART < filled.value / expected.value < APART:
        words = (
            f"By its readings '{name}' fills {short(filled.value)} GB a day, by the files {short(expected.value)} GB. "
            "Something else is on it, or it records differently than entered."
        )
        found.append(Finding(words, serious=False))
    stopped = stopped_rising(fitted)
    if stopped is not None and stopped.value is not None and stopped.value < NEARLY_FULL * fitted.store.capacity_gb:
        words = (
            f"The used space of '{name}' has stayed at {short(stopped.value)} GB since {_day(stopped.at_s, done)}: it "
            "overwrites before it is full, or nothing is recorded. Look for the latest recording."
        )
        found.append(Finding(words, serious=False))
    needed = requirement(keeping)
    if needed is not None and keeping.days is not None and keeping.days.value < needed.value:
        words = f"It keeps {keeping.days.words}; {short(needed.value)} days are required."
        found.append(Finding(words, serious=False))
    found += _kept_too_long(done)
    return found


def _kept_too_long(done: Replay) -> list[Finding]:
    """Stores that hold footage for longer than it may be kept on the site."""
    most, found = longest(done.keeping), []
    if most is None:
        return []
    for fitted, days in held_days(done):
        if days > most.value:
            name = fitted.store.name
            lasts = f"keeps {days_words(days)}" if math.isfinite(days) else "never deletes"
            words = (
                f"'{name}' {lasts}; footage must be gone after {short(most.value)} days. Let it delete by date where "
                "it can, or use a smaller medium. Local rules on privacy decide."
            )
            found.append(Finding(words, serious=False, brief=f"'{name}' keeps longer than {short(most.value)} days"))
    return found


def _state_findings(done: Replay, fitted: Fitted, then: str) -> list[Finding]:
    """What is wrong with a store itself: its state, its end, its readings."""
    asked_s, name, found = done.keeping.known.asked_s, fitted.store.name, []
    state, ends = fitted.state_at(asked_s), fitted.store.ends
    if state not in (None, Measure.HEALTHY):
        words = f"'{name}' is {state}: {then}. Format or replace it, and read it again."
        found.append(Finding(words, serious=True, brief=f"'{name}' is {state}"))
    if ends is not None and ends < _day(asked_s, done):
        found.append(
            Finding(f"The plan of '{name}' ended on {ends}: {then} since.", serious=True, brief=f"plan ended on {ends}")
        )
    elif ends is not None:
        found.append(Finding(f"The plan of '{name}' ends on {ends}.", serious=False))
    return found + [Finding(words, serious=False) for words in reading_errors(fitted)]


def _charge_findings(charge: Charge) -> list[Finding]:
    findings = []
    if charge.packs:
        findings.append(Finding(charge.packs, serious=False))
    if charge.days.value < SHORT_CHARGE_DAYS:
        causes = [f"{name} {share:.0%}" for name, share in drains_most(charge) if share >= GREAT_SHARE]
        most = f" Most of it goes to: {', '.join(causes)}." if causes else ""
        on = f", on {charge.charge_on}" if charge.charge_on is not None else ""
        findings.append(Finding(f"It must be charged in {charge.days.words}{on}.{most}", serious=False))
    if charge.failing_month:
        months = charge.failing_month
        findings.append(Finding(f"The panel does not keep up: it fails first in {months}.", serious=False))
    return findings


def _day(at_s: float, done: Replay) -> date:
    return datetime.fromtimestamp(at_s, UTC).astimezone(ZoneInfo(done.evidence.time_zone)).date()
