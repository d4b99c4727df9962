"""What a project gives out: tables, and the content of a settings sheet."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.base.errors import GuardiaError, ProjectError
from guardia.core.base.words import count_of
from guardia.core.prove.due import due_of
from guardia.core.score.statistics import Line
from guardia.core.score.storage_findings import storage_findings
from guardia.report.sheet import SheetContent, lines_against, score_rows
from guardia.report.tables import Row, occurrence_rows, statistic_rows, write_table

if TYPE_CHECKING:
    from guardia.report.owner_pdf import OwnerPage


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

    def save_report(self, name: str) -> None:
        """Save a report for the owner of the site, a page a camera, as PDF."""
        from guardia.report.owner_pdf import owner_pdf  # slow to import, and needed only here

        session, path = self._session, Path(name)
        today = datetime.now(UTC).astimezone(session.time_zone)
        models = sorted(session.models.values(), key=lambda m: (m.camera.about.patrol or 10_000, m.camera.name))
        content = owner_pdf(session.site.name, session.site.time_zone, today, [self._page(m) for m in models])
        try:
            path.write_bytes(content)
        except OSError as error:
            session.messages.tell_error(
                ProjectError(
                    f"The report could not be saved to {path} ({error.strerror}).", do="Choose another folder."
                )
            )
        else:
            session.messages.tell(f"A report of {count_of(len(models), 'camera')} was saved to {path}.")

    def _page(self, model: CameraModel) -> OwnerPage:
        from guardia.report.owner_pdf import OwnerPage  # as in save_report()

        camera, both = model.camera, model.comparison
        lines = lines_against(camera.installed, camera.draft, camera.capability)
        changes = [f"{line.text} ({line.note})" if line.note else line.text for line in lines if line.changes]
        installed, draft = both.installed_replay, both.draft_replay
        dues = due_of(camera.name, installed)
        known = [*filter(None, (model.scale_words, model.explained.words)), *both.limits]
        return OwnerPage(
            camera.name, camera.capability.name, changes, score_rows(both.installed, both.draft), model.lasts_words(),
            [f.words for f in storage_findings(draft, installed)], [f"{d.on}: {d.what}, {d.why}" for d in dues], known,
        )  # fmt: skip

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
