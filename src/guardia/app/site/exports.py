"""What a project gives out: tables, and the content of a settings sheet."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from guardia.app.camera.camera_model import CameraModel
from guardia.app.site.cameras import MOST_CARDS
from guardia.app.site.open_site import OpenSite
from guardia.core.base.errors import GuardiaError, ProjectError
from guardia.core.base.words import count_of
from guardia.core.prove.due import due_of
from guardia.core.score.statistics import StatisticLine
from guardia.core.score.storage_findings import storage_findings
from guardia.formats.plain import save_file
from guardia.report.analytics_xml import analytics_xml
from guardia.report.sheet import USUAL_ASPECT, SheetContent, changes_of, score_rows, sheet_to_dict, unmet_lines
from guardia.report.tables import Row, occurrence_rows, statistic_rows, table_file

if TYPE_CHECKING:
    from guardia.report.owner_pdf import OwnerPage


class ReportPictures(StrEnum):
    """Which pictures a report holds."""

    NONE = "no pictures"
    BLURRED = "pictures, blurred wherever something moved"
    PLAIN = "pictures as they are"


class Exports:
    """Tables and sheets of a project."""

    def __init__(self, session: OpenSite) -> None:
        self._session = session

    def save_statistic(self, camera_id: int, by: str, lines: Sequence[StatisticLine], name: str) -> None:
        """Save a statistic as a table."""
        self._save(Path(name), list(statistic_rows(self._session.camera_name(camera_id), by, lines)))

    def save_occurrences(self, name: str) -> None:
        """Save the occurrences of all cameras as a table."""
        self._session.cameras.read_each(
            "Occurrences as a table",
            lambda m: list(occurrence_rows(m.camera.name, m.evidence, m.comparison)),
            lambda rows: self._save(Path(name), [row for of_camera in rows.values() for row in of_camera]),
        )

    def save_logbook(self, name: str) -> None:
        """Save the logbooks of all cameras as a table, newest first."""

        def entries(model: CameraModel) -> list[tuple[float, Row]]:
            local = self._session.local_time
            return [
                (e.at_s, {"at": local(e.at_s).isoformat(timespec="seconds"), "camera": model.camera.name,
                          "what": e.what, "detail": e.detail, "observed": model.observed(e)})
                for e in model.corrections.logbook()
            ]  # fmt: skip

        def save(of_camera: dict[int, list[tuple[float, Row]]]) -> None:
            known = [one for part in of_camera.values() for one in part]
            self._save(Path(name), [row for _, row in sorted(known, key=lambda one: -one[0])])

        self._session.cameras.read_each("Logbook as a table", entries, save)

    def _save(self, path: Path, rows: Sequence[Row]) -> None:
        try:
            save_file(path, table_file(path, rows), "The table")
        except GuardiaError as error:
            self._session.messages.tell_error(error)
            return
        self._session.messages.tell(f"{count_of(len(rows), 'row')} saved to {path}.")

    def save_report(self, name: str, pictures: ReportPictures = ReportPictures.NONE) -> None:
        """Save a report for the owner of the site, a page a camera, as PDF; pictures only where they are asked for."""
        session, path = self._session, Path(name)

        def save(report: bytes, cameras: int) -> None:
            try:
                save_file(path, report, "The report")
            except ProjectError as error:
                session.messages.tell_error(error)
            else:
                session.messages.tell(f"A report of {count_of(cameras, 'camera')} was saved to {path}.")

        self._report("Report", pictures, save)

    def report_paper(self, pictures: ReportPictures, then: Callable[[bytes, str], object]) -> None:
        """Make that report, off the interface thread; `then` is called with the PDF and its title."""
        title = f"Report: {self._session.site.name}"
        self._report(title, pictures, lambda report, _: then(report, title))

    def sheet_paper(self, camera_id: int) -> tuple[bytes, str]:
        """A camera's settings sheet as PDF, and its title."""
        from guardia.report.sheet_pdf import sheet_pdf  # slow to import, and needed only here

        content = self.sheet_content(camera_id)
        return sheet_pdf(content), f"Settings sheet: {content.camera}"

    def _report(self, title: str, pictures: ReportPictures, then: Callable[[bytes, int], object]) -> None:
        """Make the report; `then` is called with it and the number of its cameras."""
        cameras, site = self._session.cameras, self._session.site
        today = datetime.now(UTC).astimezone(self._session.time_zone)

        def lay_out(pages: dict[int, tuple[int, OwnerPage]]) -> None:
            ordered = [page for _, page in sorted(pages.values(), key=lambda one: (one[0] or 10_000, one[1].camera))]

            def work() -> bytes:
                from guardia.report.owner_pdf import owner_pdf  # slow to import, and needed only here

                return owner_pdf(site.name, site.time_zone, today, ordered, site.people)

            if len(ordered) <= MOST_CARDS:
                then(work(), len(ordered))
            else:  # the pages of 500 cameras take seconds
                cameras.runner.start(title, lambda _token, _report: work(), lambda made: then(made, len(ordered)))

        cameras.read_each(title, partial(self._page, pictures), lay_out)

    def _page(self, pictures: ReportPictures, model: CameraModel) -> tuple[int, OwnerPage]:
        """A camera's page, with its place on the round."""
        from guardia.report.owner_pdf import OwnerPage  # as in save_report()

        camera, both = model.camera, model.comparison
        changes = changes_of(camera.installed, camera.draft, camera.capability)
        installed, draft = both.installed_replay, both.draft_replay
        dues = due_of(camera.name, installed)
        shown = []
        if pictures is not ReportPictures.NONE:
            shown = model.pictures.for_report(pictures is ReportPictures.BLURRED)
        known = [*filter(None, (model.scale_words, model.explained.words)), *both.limits]
        page = OwnerPage(
            camera.name, camera.capability.name, changes, unmet_lines(model.met),
            score_rows(both.installed, both.draft), model.lasts_words(),
            [f.words for f in storage_findings(draft, installed)], [f"{d.on}: {d.what}, {d.why}" for d in dues], known,
            shown,
        )  # fmt: skip
        return camera.about.patrol, page

    def save_sheet(self, camera_id: int, path: Path) -> bool:
        """Save a camera's settings sheet; the ending says in which form. Tells whether and where it was saved."""
        messages = self._session.messages
        try:
            self._write_sheet(self.sheet_content(camera_id), path)
        except GuardiaError as error:
            messages.tell_error(error)
            return False
        messages.tell(f"Saved {path}.")
        return True

    def save_sheets(self, folder: Path) -> None:
        """Save the settings sheets of all cameras in a folder, each as PDF and JSON."""
        messages = self._session.messages
        failed: list[GuardiaError] = []

        def save(model: CameraModel) -> bool:
            if failed:
                return False
            try:
                for ending in ("pdf", "json"):
                    stem = file_stem(model.camera.name)
                    self._write_sheet(self._content(model), folder / f"{stem}-settings.{ending}")
            except GuardiaError as error:
                failed.append(error)
            return not failed

        def done(saved: dict[int, bool]) -> None:
            if failed:
                messages.tell_error(failed[0])
            else:
                messages.tell(f"The sheets of {count_of(len(saved), 'camera')} were saved to {folder}.")

        self._session.cameras.read_each("Settings sheets", save, done)

    @staticmethod
    def _write_sheet(content: SheetContent, path: Path) -> None:
        match path.suffix.lower():
            case ".pdf":
                from guardia.report.sheet_pdf import sheet_pdf  # slow to import, and needed only here

                data: bytes | str = sheet_pdf(content)
            case ".xml":
                data = analytics_xml(content.camera, content.settings, content.capability)
            case _:
                data = json.dumps(sheet_to_dict(content), indent=2, ensure_ascii=False) + "\n"
        save_file(path, data, "The sheet")

    def sheet_content(self, camera_id: int) -> SheetContent:
        """What the settings sheet of a camera's draft says now."""
        return self._content(self._session.camera(camera_id))

    def _content(self, model: CameraModel) -> SheetContent:
        return SheetContent(
            site=self._session.site.name,
            time_zone=self._session.site.time_zone,
            camera=model.camera.name,
            capability=model.camera.capability,
            settings=model.draft,
            comparison=model.comparison,
            met=model.met,
            made=datetime.now(UTC).astimezone(self._session.time_zone),
            explained=" ".join(filter(None, (model.scale_words, model.explained.words))),
            aspect=aspect_of(model.pictures.picture_size()),
        )


def aspect_of(size: tuple[int, int]) -> float:
    """Height over width of a picture; the usual one while none is known."""
    width, height = size
    return height / width if width and height else USUAL_ASPECT


def file_stem(name: str) -> str:
    """A camera's name as the beginning of a file name."""
    return "".join(c if c.isalnum() else "-" for c in name.lower()).strip("-")[:80] or "camera"
