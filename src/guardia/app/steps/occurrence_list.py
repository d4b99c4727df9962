"""The list of occurrences that Evidence shows: a model, and a filter over it."""

from __future__ import annotations

from datetime import date
from enum import IntEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QSortFilterProxyModel, Qt

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.evidence.clips import Clip, Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.replay.replay import Replay
from guardia.core.score.find import Filter, matching


class Role(IntEnum):
    """Data of an occurrence beyond its text."""

    OCCURRENCE = Qt.ItemDataRole.UserRole + 1
    CLIP = Qt.ItemDataRole.UserRole + 2
    INSTALLED = Qt.ItemDataRole.UserRole + 3
    DRAFT = Qt.ItemDataRole.UserRole + 4
    REPEATED = Qt.ItemDataRole.UserRole + 5


class OccurrenceListModel(QAbstractListModel):
    """All occurrences of a camera in order of time.

    Args:
        session: For local times.
        model: The camera.
        parent: Qt's owner.
    """

    def __init__(self, session: Session, model: CameraModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._model = model
        self._looked: tuple[tuple[Evidence, Replay, Filter], NDArray[np.bool_]] | None = None
        model.evidence_changed.connect(self._reset)
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

    def draft_marks(self, row: int) -> bool:
        """Whether motion records the occurrence of a row under the draft."""
        return self._model.comparison.draft_replay.marks(self.occurrence(row).id)

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

    def matching(self, wanted: Filter) -> NDArray[np.bool_]:
        """(N,) which occurrences pass a filter under the draft; worked out once for all rows."""
        key = (self._model.evidence, self._model.comparison.draft_replay, wanted)
        if self._looked is None or self._looked[0] != key:
            self._looked = (key, matching(key[0], wanted, key[1]))
        return self._looked[1]

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

    def filterAcceptsRow(self, row: int, _parent: QModelIndex) -> bool:
        """Whether an occurrence passes."""
        return bool(self._source.matching(self.filter)[row])
