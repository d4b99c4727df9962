"""What a project gives out: tables, and the content of a settings sheet."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from guardia.app.project.session import Session
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.score.statistics import Line
from guardia.report.sheet import SheetContent
from guardia.report.tables import Row, occurrence_rows, statistic_rows, write_table


class Exports:
    """Tables and sheets of a project."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def save_statistic(self, camera_id: int, by: str, lines: Sequence[Line], name: str) -> None:
        """Save a statistic as a table."""
        self._save(Path(name), list(statistic_rows(self._session.camera_name(camera_id), by, lines)))

    def save_occurrences(self, name: str) -> None:
        """Save the occurrences of all cameras as a table."""
        rows = [
            r for m in self._session.models.values() for r in occurrence_rows(m.camera.name, m.evidence, m.comparison)
        ]
        self._save(Path(name), rows)

    def save_logbook(self, name: str) -> None:
        """Save the logbooks of all cameras as a table, newest first."""
        entries = [
            (entry, model.camera.name)
            for model in self._session.models.values()
            for entry in model.corrections.logbook()
        ]
        rows: list[Row] = [
            {"at": self._session.local_time(e.at_s).isoformat(timespec="seconds"), "camera": camera, "what": e.what,
             "detail": e.detail}
            for e, camera in sorted(entries, key=lambda one: -one[0].at_s)
        ]  # fmt: skip
        self._save(Path(name), rows)

    def _save(self, path: Path, rows: Sequence[Row]) -> None:
        try:
            write_table(path, rows)
        except GuardiaError as error:
            self._session.messages.tell_error(error)
            return
        self._session.messages.tell(f"{count_of(len(rows), 'row')} saved to {path}.")

    def sheet_content(self, camera_id: int) -> SheetContent:
        """What the settings sheet of a camera's draft says now."""
        model = self._session.camera(camera_id)
        return SheetContent(
            site=self._session.site.name,
            time_zone=self._session.site.time_zone,
            camera=model.camera.name,
            capability=model.camera.capability,
            settings=model.draft,
            comparison=model.comparison,
            made=datetime.now(UTC).astimezone(self._session.time_zone),
            explained=" ".join(filter(None, (model.scale_words, model.explained.words))),
        )
