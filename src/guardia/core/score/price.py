"""What settings mean beside what they miss: alerts, time recorded, days that store and charge last."""

from __future__ import annotations

import math
from dataclasses import dataclass

from guardia.core.replay.replay import Replay
from guardia.core.score.power import charge_of
from guardia.core.score.score import Score, score
from guardia.core.score.storage import kept_words
from guardia.core.storage.figure import short


@dataclass(frozen=True)
class Price:
    """What one set of settings takes of a camera; None where that is not known or does not apply."""

    false_alerts: float | None
    """False alerts a day."""
    unalerted: int
    """Real visits of the evidence nobody is alerted to."""
    recorded_s: float | None
    """Seconds recorded per 24 watched hours by motion."""
    kept_days: float | None
    """Days of footage that the store holds."""
    kept_words: str
    """The same in words, empty where it is not known."""
    charge_days: float | None
    """Days that the battery lasts, infinite where its panel keeps up; None for a camera on mains."""

    @property
    def charge_words(self) -> str:
        """The last in words, empty on mains."""
        if self.charge_days is None:
            return ""
        return f"{short(self.charge_days)} days" if math.isfinite(self.charge_days) else "its panel keeps up"


def price_of(done: Replay, installed: Replay | None = None, counts: Score | None = None) -> Price:
    """What settings cost; `installed` as in charge_of(), `counts` their score where it is known already."""
    charge = charge_of(done, installed)
    days, counts = done.keeping.days, counts or score(done.evidence, done)
    return Price(
        counts.false_alerts_per_day,
        len(counts.not_alerted),
        counts.recorded_s_per_day,
        None if days is None else days.value,
        kept_words(done.keeping) if done.evidence.storage.stores else "",
        None if charge is None else charge.days.value,
    )


def price_words(old: Price, new: Price) -> str:
    """What changes from one to the other, in a sentence; empty where nothing does or nothing is known."""
    minutes = [("" if p.recorded_s is None else f"{p.recorded_s / 60:.1f} min") for p in (old, new)]
    alerts = ["" if p.false_alerts is None else f"{p.false_alerts:.1f}" for p in (old, new)]
    pairs = (
        ("false alerts a day", *alerts),
        ("real ones nobody is alerted to", str(old.unalerted), str(new.unalerted)),
        ("recorded a day", minutes[0], minutes[1]),
        ("the store keeps", old.kept_words, new.kept_words),
        ("a charge lasts", old.charge_words, new.charge_words),
    )
    parts = [f"{what} {after}, was {before}" for what, before, after in pairs if before and after and before != after]
    return f"{'; '.join(parts).capitalize()}." if parts else ""
