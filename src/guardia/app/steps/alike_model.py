"""The view-model of judging by likeness: groups over all cameras, suggestions, and judgements to look at again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.project.session import Session
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.evidence.clips import Occurrence, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.score.likeness import Features, Likeness, Suggestion, doubtful, features_of, groups, likeness, suggest

ODD_SHARE = 0.2
"""This share of a group, its least typical members, is shown first to be looked at."""

FLIP_WEIGHT = 2.0
"""How much more an occurrence tells that installed and draft treat differently."""

_Key = tuple[int, float, float]


@dataclass(frozen=True)
class AlikeGroup:
    """Occurrences that are alike."""

    ids: tuple[int, ...]
    """The least typical ones first, then the others from the most typical on."""
    odd: int
    """How many of the first are odd."""


class AlikeModel(QObject):
    """Groups of similar occurrences of every camera of a session."""

    changed = pyqtSignal()
    current_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.jobs = JobRunner(self)
        session.adopt(self.jobs)
        self.jobs.succeeded.connect(self._on_features)
        self.jobs.failed.connect(session.messages.tell_error)
        self.motion_only = True
        self.groups: tuple[AlikeGroup, ...] = ()
        self.current = 0
        self._features: dict[_Key, Features] = {}
        self._space: Likeness = likeness({}, {})
        self._camera_of: dict[int, int] = {}
        self._kept: set[int] = set()
        self._suggestions: dict[int, Suggestion] | None = None
        self._stale = False
        session.evidence_changed.connect(self._forget_gone)
        session.judgements_changed.connect(self.judgements_moved)

    def occurrence(self, occurrence_id: int) -> Occurrence:
        """One of the occurrences."""
        return self._session.camera(self._camera_of[occurrence_id]).occurrence(occurrence_id)

    def camera_of(self, occurrence_id: int) -> int:
        """Number of the camera that recorded it."""
        return self._camera_of[occurrence_id]

    def _evidence(self) -> list[tuple[int, Evidence]]:
        loaded = [i for i in self._session.camera_ids() if self._session.is_loaded(i)]
        return [(i, self._session.camera(i).evidence) for i in loaded]

    def _wanted(self) -> list[tuple[int, Evidence, Occurrence]]:
        return [
            (camera, evidence, o)
            for camera, evidence in self._evidence()
            for o in evidence.occurrences
            if o.id not in evidence.repeated and (not self.motion_only or evidence.clip_of(o).origin is Origin.MOTION)
        ]

    def set_motion_only(self, only: bool) -> None:
        """Take motion clips only, or all evidence."""
        self.motion_only = only
        self.refresh()

    def _forget_gone(self) -> None:
        """Leave out at once what a split or an undo took away; what came instead waits for refresh_if_stale()."""
        self._stale = True
        there = {o.id for _, evidence in self._evidence() for o in evidence.occurrences}
        rows = [n for n, i in enumerate(self._space.ids) if i in there]
        if len(rows) == len(self._space.ids):
            return
        self._space = Likeness(tuple(self._space.ids[n] for n in rows), self._space.points[rows])
        left = [
            AlikeGroup(tuple(i for i in g.ids if i in there), sum(i in there for i in g.ids[: g.odd]))
            for g in self.groups
        ]
        self.groups = tuple(g for g in left if g.ids)
        self._suggestions = None
        self.current = min(self.current, max(0, len(self.groups) - 1))
        self.changed.emit()

    def refresh_if_stale(self) -> None:
        """Group anew if evidence has come or gone since."""
        if self._stale:
            self.refresh()

    def refresh(self) -> None:
        """Describe what is new, off the interface thread, then group."""
        self._stale = False
        wanted = self._wanted()
        missing = [(_key(o), evidence, o) for _, evidence, o in wanted if _key(o) not in self._features]
        if not missing:
            self._regroup()
            return

        def describe(token: Token, report: Report) -> dict[_Key, Features]:
            meter = Meter(len(missing), report)
            features = {}
            for number, (key, evidence, occurrence) in enumerate(missing):
                token.check()
                meter.at(number, "Comparing occurrences")
                features[key] = features_of(evidence, occurrence)
            return features

        self.jobs.start("Comparing occurrences", describe)

    def _on_features(self, found: dict[_Key, Features]) -> None:
        self._features |= found
        self.refresh()

    def _regroup(self) -> None:
        wanted = [w for w in self._wanted() if _key(w[2]) in self._features]
        features = {o.id: self._features[_key(o)] for _, _, o in wanted}
        named = {o.id: e.event_of[o.id].named for _, e, o in wanted if o.id in e.event_of}
        self._camera_of = {o.id: camera for camera, _, o in wanted}
        self._space = likeness(features, named)
        families = []
        for ids in groups(self._space):
            odd = int(len(ids) * ODD_SHARE)
            families.append(AlikeGroup((*ids[len(ids) - odd :], *ids[: len(ids) - odd]), odd))
        self.groups = tuple(families)
        self._suggestions = None
        self.current = self._most_telling() or 0
        self.changed.emit()

    def _judged(self) -> dict[int, str]:
        return {i: kind for i in self._space.ids if (kind := self.occurrence(i).kind)}

    def waiting(self, group: int) -> list[int]:
        """Ids of a group that are not judged yet; none before anything is compared."""
        return [i for i in self.groups[group].ids if not self.occurrence(i).kind] if self.groups else []

    @property
    def suggestions(self) -> dict[int, Suggestion]:
        """What the judged occurrences suggest for those that wait."""
        if self._suggestions is None:
            judged = self._judged()
            self._suggestions = suggest(self._space, judged, [i for i in self._space.ids if i not in judged])
        return self._suggestions

    def suggestion(self, group: int) -> Suggestion | None:
        """The kind that most of a group's waiting members are suggested to be, with its mean certainty."""
        total: dict[str, float] = {}
        waiting = self.waiting(group)
        for i in waiting:
            if (suggested := self.suggestions.get(i)) is not None:
                total[suggested.kind] = total.get(suggested.kind, 0.0) + suggested.certainty
        if not total:
            return None
        best = max(total, key=lambda k: total[k])
        return Suggestion(best, total[best] / len(waiting))

    def telling(self, group: int) -> float:
        """How much the score could change by judging a group: more for many, unsure and flipping ones; 0 if judged."""
        worth = 0.0
        for i in self.waiting(group):
            comparison = self._session.camera(self._camera_of[i]).comparison
            flips = comparison.installed_replay.marks(i) != comparison.draft_replay.marks(i)
            suggested = self.suggestions.get(i)
            worth += (1 + FLIP_WEIGHT * flips) * (1 - (suggested.certainty if suggested else 0.0) + 0.05)
        return worth

    def _most_telling(self) -> int | None:
        worth = [self.telling(n) for n in range(len(self.groups))]
        return int(np.argmax(worth)) if worth and max(worth) > 0 else None

    def go(self, group: int) -> None:
        """Show a group."""
        if 0 <= group < len(self.groups) and group != self.current:
            self.current = group
            self.current_changed.emit()

    def judge_group(self, kind: str) -> None:
        """Judge what waits in the current group in one stroke, then go on to the most telling group left."""
        if not self.groups:
            return
        ids = self.waiting(self.current) or list(self.groups[self.current].ids)
        self.judge(ids, kind)
        following = self._most_telling()
        if following is not None:
            self.go(following)

    def accept(self) -> bool:
        """Judge the current group as suggested; gives False when nothing is suggested."""
        suggested = self.suggestion(self.current) if self.groups else None
        if suggested is not None:
            self.judge_group(suggested.kind)
        return suggested is not None

    def judge(self, ids: Iterable[int], kind: str) -> None:
        """Judge occurrences of any cameras; one step of undo."""
        by_camera: dict[int, list[int]] = {}
        for i in ids:
            by_camera.setdefault(self._camera_of[i], []).append(i)
        self._session.occurrences.judge(by_camera, kind)

    def judgements_moved(self) -> None:
        """Take in that judgements changed, here, elsewhere, or by an undo."""
        self._suggestions = None
        self.current_changed.emit()

    def doubtful(self) -> list[tuple[int, Suggestion]]:
        """Judged occurrences that their likes contradict, without those looked at and kept."""
        return [(i, suggested) for i, suggested in doubtful(self._space, self._judged()) if i not in self._kept]

    def keep(self, occurrence_id: int) -> None:
        """Keep a doubtful judgement: it was looked at again."""
        self._kept.add(occurrence_id)
        self.current_changed.emit()

    def close(self) -> None:
        """Stop comparing."""
        self.jobs.drain()


def _key(occurrence: Occurrence) -> Any:
    return (occurrence.id, occurrence.start_s, occurrence.end_s)
