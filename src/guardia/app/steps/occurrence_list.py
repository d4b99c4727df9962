"""The list of occurrences that Evidence shows: a model, and a filter over it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import IntEnum
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QSortFilterProxyModel, Qt

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.evidence.evidence import Clip, Occurrence, Origin
from guardia.core.evidence.judgement import Verdict
from guardia.core.replay.gate import Gate


class Role(IntEnum):
    """Data of an occurrence beyond its text."""

    OCCURRENCE = Qt.ItemDataRole.UserRole + 1
    CLIP = Qt.ItemDataRole.UserRole + 2
    INSTALLED = Qt.ItemDataRole.UserRole + 3
    DRAFT = Qt.ItemDataRole.UserRole + 4
    REPEATED = Qt.ItemDataRole.UserRole + 5


class OccurrenceListModel(QAbstractListModel):
    """All occurrences of a camera in order of time.

    Parameters
    ----------
    session
        For local times.
    model
        The camera.
    parent
        Qt's owner.
    """

    def __init__(self, session: Session, model: CameraModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._model = model
        model.evidence_changed.connect(self._reset)
        model.judgements_changed.connect(self._refresh)
        model.comparison_changed.connect(self._refresh)

    def _reset(self) -> None:
        self.beginResetModel()
        self.endResetModel()

    def _refresh(self) -> None:
        if self.rowCount():
            self.dataChanged.emit(self.index(0), self.index(self.rowCount() - 1))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Number of occurrences."""
        return 0 if parent is not None and parent.isValid() else len(self._model.evidence.occurrences)

    def occurrence(self, row: int) -> Occurrence:
        """Occurrence of a row."""
        return self._model.evidence.occurrences[row]

    def clip(self, row: int) -> Clip:
        """Its clip."""
        evidence = self._model.evidence
        return evidence.clips[evidence.clip_index[self.occurrence(row).clip_id]]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text or one of the roles above."""
        if not index.isValid():
            return None
        occurrence = self.occurrence(index.row())
        if role == Qt.ItemDataRole.DisplayRole:
            return self.title(index.row())
        if role == Role.OCCURRENCE:
            return occurrence
        if role == Role.CLIP:
            return self.clip(index.row())
        if role == Role.INSTALLED:
            return self._model.comparison.installed_replay.outcomes[occurrence.id]
        if role == Role.DRAFT:
            return self._model.comparison.draft_replay.outcomes[occurrence.id]
        if role == Role.REPEATED:
            return occurrence.id in self._model.evidence.repeated
        return None

    def draft_records(self, row: int) -> bool:
        """Whether the draft records the occurrence of a row."""
        return self._model.comparison.draft_replay.records(self.occurrence(row).id)

    def title(self, row: int) -> str:
        """When it happened, at the site."""
        begin = self.clip(row).start_s + self.occurrence(row).start_s
        form = "%a %d %b %Y  %H:%M:%S" if self._several_years() else "%a %d %b  %H:%M:%S"
        return f"{self._session.local_time(begin):{form}}"

    def _several_years(self) -> bool:
        """Whether the clips, which stand in order of time, are of more than one year."""
        clips = self._model.evidence.clips
        first, last = (self._session.local_time(clips[n].start_s).year for n in (0, -1))
        return first != last

    def hour(self, row: int) -> float:
        """Local hour of the day at which it began, 0..24."""
        moment = self._session.local_time(self.clip(row).start_s + self.occurrence(row).start_s)
        return moment.hour + moment.minute / 60 + moment.second / 3600

    def named(self, row: int) -> str:
        """Class that the camera named for it, empty for none."""
        event = self._model.evidence.event_of.get(self.occurrence(row).id)
        return event.named if event else ""

    def day(self, row: int) -> date:
        """The local day on which it happened."""
        return self._session.local_time(self.clip(row).start_s + self.occurrence(row).start_s).date()


@dataclass(frozen=True)
class Filter:
    """What Evidence shows.

    Parameters
    ----------
    judged
        'all', 'unjudged', 'real', 'false', 'unsure', 'missed' (real, missed by the draft) or 'false recorded'.
    day
        Only this local day.
    origin
        Only clips recorded this way.
    ids
        Only these occurrences (those behind a number).
    kind
        Only those judged as this kind.
    hours
        Only those that begin in these local hours, from the first to before the second; over midnight when turned.
    dark
        Only those with a dark (True) or a bright (False) picture.
    named
        Only those that the camera named so; '' is those that it named nothing.
    gate
        Only those that this gate stops under the draft.
    """

    judged: str = "all"
    day: date | None = None
    origin: Origin | None = None
    ids: frozenset[int] | None = None
    kind: str | None = None
    hours: tuple[int, int] | None = None
    dark: bool | None = None
    named: str | None = None
    gate: Gate | None = None


class OccurrenceFilter(QSortFilterProxyModel):
    """Shows the occurrences that pass a filter."""

    def __init__(self, source: OccurrenceListModel) -> None:
        super().__init__(source)
        self._source = source
        self.filter = Filter()
        self.setDynamicSortFilter(False)
        self.setSourceModel(source)

    def set_filter(self, wanted: Filter) -> None:
        """Show other occurrences."""
        self.beginFilterChange()
        self.filter = wanted
        self.endFilterChange()

    def filterAcceptsRow(self, row: int, parent: QModelIndex) -> bool:
        """Whether an occurrence passes."""
        wanted = self.filter
        occurrence = self._source.occurrence(row)
        if wanted.ids is not None and occurrence.id not in wanted.ids:
            return False
        if wanted.day is not None and self._source.day(row) != wanted.day:
            return False
        if wanted.origin is not None and self._source.clip(row).origin is not wanted.origin:
            return False
        return self._passes_details(row) and _passes(wanted.judged, occurrence, self._source.draft_records(row))

    def _passes_details(self, row: int) -> bool:
        wanted, occurrence = self.filter, self._source.occurrence(row)
        if wanted.kind is not None and occurrence.kind != wanted.kind:
            return False
        if wanted.dark is not None and self._source.clip(row).dark is not wanted.dark:
            return False
        if wanted.named is not None and self._source.named(row) != wanted.named:
            return False
        if wanted.hours is not None:
            first, last = wanted.hours
            hour = self._source.hour(row)
            if not (first <= hour < last if first < last else hour >= first or hour < last):
                return False
        return wanted.gate is None or wanted.gate in self._source.index(row).data(Role.DRAFT).stopped_at


def _passes(judged: str, occurrence: Occurrence, recorded: bool) -> bool:
    verdict = occurrence.verdict
    match judged:
        case "unjudged":
            return verdict is None
        case "real" | "false" | "unsure":
            return verdict is not None and verdict.value == judged
        case "missed":
            return verdict is Verdict.REAL and not recorded
        case "false recorded":
            return verdict is Verdict.FALSE and recorded
    return True
