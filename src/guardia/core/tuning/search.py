"""The search for better settings: which candidates are tried, in which order, and how they are compared.

Single levers first, then lever after lever from the best so far, several at a time: a beam. It counts what it tries and
never looks at the clock, so that the same evidence gives the same answer on every machine.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.words import listed
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import (
    ALERT_CLASSES,
    ALERT_PLAN,
    ALERTS_ON,
    LEVERS,
    MODES,
    NIGHT_NOTCH,
    OBJECTS,
    RECORDING_PLAN,
    Lever,
    limits_broken,
)
from guardia.core.make.settings import PART_OF, Settings
from guardia.core.make.shows_more import could_show_more
from guardia.core.make.zones import MadeBy, PolygonZone, Zone, ZoneDoes, ZoneKind
from guardia.core.replay.objects import object_classes
from guardia.core.tuning.drawing import DRAWINGS, Drawing, Moved, draw
from guardia.core.tuning.entered import as_entered, modes_asked
from guardia.core.tuning.fit_zones import fit
from guardia.core.tuning.propose import propose
from guardia.core.tuning.trials import OF_ALERT, SILENT, Cost, Trial, Trials

MOST_LEVELS = 12
"""Of a longer scale no more levels than this are tried across it at once; the search goes on beside the best."""

MOST_CANDIDATES = 340
"""So many different settings are tried on all days together; the rest of 500 is for days held out."""

LEAST_KNOWN = 0.8
"""An object filter is tried where the class of so many judged visits is known otherwise than by their judgement."""

OF_DRAFT = "zones of the draft"

TRIED_PARTS = ("detection", "recording", "alerts")
"""Parts of the settings whose lists are tried; what is stored decides nothing about what is recorded or alerted."""


BEAM = 3
"""From so many of the best the search goes on."""


class Proposing(NamedTuple):
    """Zones as Zones proposes them, beside those of the candidate."""

    words: str = "zones of the draft, proposed again"
    """What is drawn, in words."""


class Idea(NamedTuple):
    """Settings before their zones are drawn: from whichever days may be looked at."""

    drawing: Drawing | Proposing | None
    """How to draw zones; None to keep those of `settings`."""
    candidate: Candidate
    """All other values, and the make."""


@dataclass(frozen=True)
class Single:
    """One lever moved by itself."""

    words: str
    """Which lever, and to what."""
    trial: Trial
    """What it does."""
    more: bool
    """It could record what motion clips do not show: its false recordings are at least those counted."""


class Search:
    """Tries ideas on the evidence of one camera.

    Args:
        trials: The judged visits.
        installed: Settings in force and the make.
        draft: Settings whose zones are tried as well; those that were proposed are proposed again from the days seen,
            those that tuning drew are drawn again anyway.
        cost: What a miss costs.
        seen: (V,) the visits that may be looked at.
        unseen: Also try what motion clips cannot show the whole price of, such as a shorter rest or more sensitivity.
        check: Called before each trial with the number tried so far; what it raises ends the search.
    """

    def __init__(
        self,
        trials: Trials,
        installed: Candidate,
        draft: Settings | None,
        cost: Cost,
        seen: NDArray[np.bool_],
        unseen: bool,
        check: Callable[[int], None],
    ) -> None:
        self.trials, self.installed, self.cost, self._check = trials, installed, cost, check
        self._levers = _choices(trials, installed, filters=self.filter_known)
        self._zones = [("no zones", Idea(None, installed.with_values(zones=())))]
        if draft is not None and draft.detection.zones != installed.settings.detection.zones:
            self._zones = [*_of_draft(draft, installed), *self._zones]
        self._drawn: dict[tuple[Drawing | Proposing, tuple[Zone, ...], bytes], tuple[Zone, ...] | None] = {}
        self._allowed: dict[Candidate, bool] = {}
        self._moved = Moved.of(trials.evidence, trials.visits, trials.real, installed)
        lights = {trials.evidence.clip_of(visit[0]).dark for visit in trials.visits}
        self._apart = installed.capability.night_notch and len(lights) > 1
        self._weights = trials.weights(cost)
        self.seen = seen
        self.unseen = unseen

    @cached_property
    def filter_known(self) -> bool:
        """Whether it is known what the camera's own eye makes of most things; a judgement says what they truly are."""
        classes = object_classes(self.trials.evidence, self.installed.capability)
        named = [classes[p.id].by in ("camera", "size and speed") for visit in self.trials.visits for p in visit]
        return bool(named) and sum(named) >= LEAST_KNOWN * len(named)

    def of_make(self, installed: Candidate) -> Search:
        """The same search on another make, begun from other settings."""
        return Search(self.trials, installed, None, self.cost, self.seen, self.unseen, self._check)

    def realised(self, idea: Idea, seen: NDArray[np.bool_]) -> Candidate | None:
        """An idea as settings, its zones drawn from the visits that may be seen; None where nothing can be drawn."""
        if idea.drawing is None:
            return idea.candidate
        key = (idea.drawing, idea.candidate.settings.detection.zones, seen.tobytes())
        if key not in self._drawn:
            self._drawn[key] = self._draw(idea.drawing, idea.candidate, seen)
        zones = self._drawn[key]
        return None if zones is None else idea.candidate.with_values(zones=zones)

    def _draw(
        self, drawing: Drawing | Proposing, candidate: Candidate, seen: NDArray[np.bool_]
    ) -> tuple[Zone, ...] | None:
        evidence = self.trials.evidence
        if isinstance(drawing, Drawing):
            return draw(drawing, self._moved, seen, candidate, grid=evidence.stack.grid, within=not self.unseen)
        hidden = {part.id for n in np.flatnonzero(~seen) for part in self.trials.visits[n]}
        known = evidence.with_occurrences([replace(o, kind="") if o.id in hidden else o for o in evidence.occurrences])
        own = self.trials.anchor(candidate.capability).own(candidate)

        def check() -> None:
            self._check(len(self.trials))

        steps = fit(known, propose(known, own, check=check).ignored, own, check=check)
        return steps[-1] if steps else None

    def shows_more(self, candidate: Candidate) -> bool:
        """Whether settings could record what the installed ones never let into a clip: how much, nobody knows."""
        grid = self.trials.evidence.stack.grid
        settings, make = self.installed.settings, self.installed.capability
        return bool(could_show_more(candidate.settings, settings, make, grid=grid))

    def try_(self, idea: Idea, seen: NDArray[np.bool_]) -> Trial | None:
        """Try an idea; None where its zones cannot be drawn."""
        candidate = self.realised(idea, seen)
        if candidate is None:
            return None
        self._check(len(self.trials))
        return self.trials.of(candidate)

    def choice(self, idea: Idea, seen: NDArray[np.bool_]) -> Trial | None:
        """Try an idea that may be chosen; None for one that cannot be drawn, entered, or priced on these clips."""
        candidate = self.realised(idea, seen)
        return self.try_(idea, seen) if candidate is not None and self._may_be_chosen(candidate) else None

    def _may_be_chosen(self, candidate: Candidate) -> bool:
        if candidate not in self._allowed:
            broken = limits_broken(candidate, installed=self.installed.settings)
            self._allowed[candidate] = not broken and (self.unseen or not self.shows_more(candidate))
        return self._allowed[candidate]

    def price(self, trial: Trial, counted: NDArray[np.bool_]) -> NDArray[np.float64]:
        """(V,) what each visit costs under a candidate, 0 for those that are not counted."""
        trials, cost = self.trials, self.cost
        missed = cost.miss * self.risk(trial)
        silent = SILENT if trials.on_alerts else 1.0
        false = silent * trial.risk + (1.0 - silent) * trial.alert_risk
        price = np.where(trials.real, missed + cost.late * trial.late, false)
        return np.where(counted, price * self._weights, 0.0)

    def risk(self, trial: Trial) -> NDArray[np.float64]:
        """(V,) of real ones the share of variants that are not recorded, or not alerted, as they must be."""
        of_alert = np.where(self.trials.to_record, OF_ALERT, 1.0) * self.trials.to_alert
        risk: NDArray[np.float64] = (1.0 - of_alert) * trial.risk + of_alert * trial.alert_risk
        return risk

    def total(self, trial: Trial | None) -> float:
        """What the visits seen cost; infinite for what cannot be tried."""
        return self.sum_of([(trial, self.seen)])

    def sum_of(self, parts: Sequence[tuple[Trial | None, NDArray[np.bool_]]]) -> float:
        """What several trials cost together, each with its own visits; infinite if one cannot be tried."""
        trials, cost = self.trials, 0.0
        base, more = trials.of(self.installed), np.zeros((2, 2))
        for trial, counted in parts:
            if trial is None:
                return np.inf
            for stage, (asked, did) in enumerate(zip(trials.asked, trial.did, strict=True)):
                which, before = asked & counted, base.did[stage]
                # What is likelier lost than not counts, and so does what many visits lose a little of together.
                more[stage] += [(before >= 0.5)[which].sum() - (did >= 0.5)[which].sum(), (before - did)[which].sum()]
            cost += float(self.price(trial, counted).sum())
        return cost + self.cost.more * max(0.0, float(np.round(more).max()))

    def singles(self) -> list[Single]:
        """Every lever moved by itself from the installed settings, those that help most first."""
        tried = []
        for words, idea in self._moves(Idea(None, self.installed)):
            trial = self.try_(idea, self.seen)
            if trial is not None:
                tried.append(Single(words, trial, self.shows_more(trial.candidate)))
        return sorted(tried, key=lambda one: (one.more, self.total(one.trial)))

    def _moves(self, idea: Idea) -> Iterable[tuple[str, Idea]]:
        """Ideas one lever away."""
        make, settings = self.installed.capability, idea.candidate.settings
        for words, notches in _notch_moves(settings, make, apart=self._apart):
            yield words, _with(idea, **notches)
        for zone in settings.detection.zones if idea.drawing is None and make.zone_sensitivity else ():
            if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH:
                for label in tried_levels(make, zone.notch or settings.detection.notch):
                    if label != (zone.notch or settings.detection.notch):
                        own = replace(zone, notch=label)
                        zones = tuple(own if z is zone else z for z in settings.detection.zones)
                        yield f"sensitivity {label} in '{zone.name}'", _with(idea, zones=zones)
        for zone in settings.detection.zones if make.zone_does and self.trials.on_alerts else ():
            if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH and zone.does is ZoneDoes.BOTH:
                own = replace(zone, does=ZoneDoes.RECORDS)
                zones = tuple(own if z is zone else z for z in settings.detection.zones)
                yield f"no alert from '{zone.name}'", Idea(None, idea.candidate.with_values(zones=zones))
        by_class = idea.drawing is None and make.zone_classes and self.filter_known
        for zone in settings.detection.zones if by_class else ():
            if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH:
                for classes in ((), *((name,) for name in make.object_classes)):
                    if classes == zone.classes:
                        continue
                    own = replace(zone, classes=classes)
                    zones = tuple(own if z is zone else z for z in settings.detection.zones)
                    yield f"'{zone.name}' for {listed(classes) or 'every class'}", _with(idea, zones=zones)
        for words, other in self._zones:
            zones = other.candidate.settings.detection.zones
            if other.drawing != idea.drawing or zones != settings.detection.zones:
                yield words, Idea(other.drawing, idea.candidate.with_values(zones=zones))
        for drawing in DRAWINGS:
            if drawing != idea.drawing:
                yield drawing.words, Idea(drawing, idea.candidate)
        for lever, values in self._levers:
            for value in values:
                if value != lever.read(settings):
                    yield f"{lever.name} {lever.say(value, make)}", _with(idea, **{lever.id: value})

    def combinations(self) -> list[tuple[float, Idea]]:
        """Ideas by what they cost on all days, the best first: lever after lever from the best so far."""
        known: dict[Idea, float] = {}
        beam = [Idea(None, self.installed)]
        self._price_all(beam, known)
        while len(self.trials) < MOST_CANDIDATES:
            before = set(beam)
            self._price_all([idea for start in beam for _, idea in self._moves(start)], known)
            beam = self._best(known)
            if set(beam) == before:
                break
        order = {idea: n for n, idea in enumerate(known)}
        return sorted(((cost, idea) for idea, cost in known.items()), key=lambda one: (one[0], order[one[1]]))

    def _best(self, known: Mapping[Idea, float]) -> list[Idea]:
        """The best ideas, of those that cost the same only the first, so that the beam stays wide."""
        first: dict[float, Idea] = {}
        for idea, cost in known.items():
            first.setdefault(round(cost, 6), idea)
        return [first[cost] for cost in sorted(first)[:BEAM]]

    def _price_all(self, ideas: Iterable[Idea], known: dict[Idea, float]) -> None:
        for idea in ideas:
            if idea in known:
                continue
            if len(self.trials) >= MOST_CANDIDATES:
                return
            trial = self.choice(idea, self.seen)
            if trial is not None:
                known[idea] = self.total(trial)


def _of_draft(draft: Settings, installed: Candidate) -> list[tuple[str, Idea]]:
    """The zones of a draft as ideas: as drawn by hand, or proposed again beside those drawn by hand."""
    zones = draft.detection.zones
    makers = {zone.made_by for zone in zones}
    if MadeBy.PROPOSED in makers:
        by_hand = tuple(zone for zone in zones if zone.made_by is MadeBy.HAND)
        return [(Proposing().words, Idea(Proposing(), installed.with_values(zones=by_hand)))]
    # What tuning drew is among what it draws again.
    return [] if MadeBy.TUNED in makers else [(OF_DRAFT, Idea(None, installed.with_values(zones=zones)))]


def _with(idea: Idea, **values: object) -> Idea:
    return idea._replace(candidate=idea.candidate.with_values(**values))


def tried_levels(make: Capability, *present: str) -> tuple[str, ...]:
    """The levels that are tried: all of a short scale, of a long one some across it and those beside present ones."""
    labels = [notch.label for notch in make.notches]
    if len(labels) <= MOST_LEVELS:
        return tuple(labels)
    across = {round(n * (len(labels) - 1) / (MOST_LEVELS - 1)) for n in range(MOST_LEVELS)}
    beside = {labels.index(one) + step for one in present if one in labels for step in (-2, -1, 0, 1, 2)}
    return tuple(label for n, label in enumerate(labels) if n in across | beside)


def _notch_moves(settings: Settings, make: Capability, *, apart: bool) -> Iterable[tuple[str, dict[str, str]]]:
    """The camera's other notches, by day and night alike or each apart."""
    if settings.detection.sensitivity is not None:
        return
    day, night = (settings.in_light(dark=dark).detection.notch for dark in (False, True))
    for label in tried_levels(make, day, night):
        if not label == day == night:
            yield f"sensitivity {label}", {"notch": label, "night_notch": ""}
        if apart and label != day:
            yield f"sensitivity {label} by day", {"notch": label, "night_notch": "" if label == night else night}
        if apart and label != night:
            yield f"sensitivity {label} at night", {"night_notch": "" if label == day else label}


def _choices(trials: Trials, installed: Candidate, *, filters: bool) -> list[tuple[Lever[Any], tuple[Any, ...]]]:
    """The levers of detecting, recording and alerting that a make bounds by a list, its filters, switches and the hours
    that somebody asked for, with their values.

    Hours are tried where the purpose names them: no fortnight is long enough to choose them by.
    """
    make, purpose = installed.capability, trials.evidence.purpose
    values: list[tuple[Lever[Any], tuple[Any, ...]]] = [
        (lever, lever.choices(make))
        for lever in LEVERS
        if lever.choices is not None and lever is not NIGHT_NOTCH and PART_OF[lever.id] in TRIED_PARTS
    ]
    if make.object_classes and filters:
        sets = ((), *((name,) for name in make.object_classes), make.object_classes)
        values += [(lever, tuple(dict.fromkeys(sets))) for lever in (OBJECTS, ALERT_CLASSES)]
    if purpose is not None:
        values.append((ALERTS_ON, (bool(purpose.alert.kinds),)))
        for lever, wanted in ((RECORDING_PLAN, purpose.record), (ALERT_PLAN, purpose.alert)):
            plan = as_entered(wanted.hours, make.schedule, trials.evidence.place, trials.evidence.dates[1])
            values.append((lever, (None,) if plan is None else (None, plan)))
        modes = installed.settings.hours.modes
        values.append((MODES, (modes_asked(modes, purpose, trials.evidence.place, trials.evidence.dates),)))
    now = installed.settings
    return [(lever, offered) for lever, offered in values if any(value != lever.read(now) for value in offered)]
