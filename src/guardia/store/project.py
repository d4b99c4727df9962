"""The project: one open file with its repositories, and the evidence that they make up together."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from guardia.core.base.errors import GuardiaError, InvalidValue, ProjectError
from guardia.core.base.values import one_line, plain_text
from guardia.core.evidence.clips import Clip, Origin
from guardia.core.evidence.clock import check_zone
from guardia.core.evidence.events import CameraEvent
from guardia.core.evidence.evidence import Evidence, listed_spans, with_causes
from guardia.core.evidence.watch import Entered, Span, without
from guardia.core.hours.place import SitePlace
from guardia.core.replay.writing import volume_by_files
from guardia.core.storage.figure import Figure, total, with_name
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.stores import Fitted
from guardia.core.trace.measure import Trace
from guardia.core.trace.stack import TraceStack
from guardia.store.camera_lists import CameraLists
from guardia.store.cameras import Cameras
from guardia.store.checklists import Checklists
from guardia.store.clips import Clips
from guardia.store.damaged import delete_row, rows_of
from guardia.store.database import Database
from guardia.store.logbook import Logbook
from guardia.store.measurements import Measurements
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.media_folder import MediaFolder, refuse_links
from guardia.store.occurrences import Occurrences
from guardia.store.readings import Readings
from guardia.store.records import Site
from guardia.store.rows import Damaged
from guardia.store.settings import CameraSettings
from guardia.store.site_things import OF_CAMERA, SiteThings
from guardia.store.stores import Stores
from guardia.store.watched_times import WatchedTimes

FILE_NAME = "project.sqlite"

_FILES = (FILE_NAME, f"{FILE_NAME}-wal", f"{FILE_NAME}-shm", f"{FILE_NAME}-journal")
_OF_CAMERA = ("settings", "event", "watched", "logbook", "reading", "fact", "camera_store", "checked")


def _checked(site: Site) -> Site:
    """A site as it can be kept; raises InvalidValue for a name, time zone or coordinates that are none."""
    check_zone(site.time_zone)
    SitePlace(site.time_zone, site.latitude, site.longitude)
    people = plain_text(site.people, "Who is expected there")
    return replace(site, name=one_line(site.name, "A site's name"), people=people)


@contextmanager
def made_whole(folder: Path, site: Site) -> Iterator[Project]:
    """Make a project, whole or not at all: where something fails, whatever was made of it is removed.

    Args:
        folder: The project's folder; what else lies in it stays.
        site: Its site.

    Yields:
        The new project, open.

    Raises:
        InvalidValue: If the site cannot be kept as it is.
        ProjectError: If the folder cannot be made or written to, or holds a project already.
    """
    above = next((p for p in (folder, *folder.parents) if p.exists()), folder)
    there = (folder / FILE_NAME).exists()
    try:
        with Project(folder, create=True, site=site) as project:
            yield project
    except BaseException:
        if not there:
            for name in _FILES:
                (folder / name).unlink(missing_ok=True)
            with suppress(OSError):  # a folder that holds something stays
                (folder / MEDIA).rmdir()
                for made in (folder, *folder.parents):
                    if made == above:
                        break
                    made.rmdir()
        raise


class Project:
    """An open project, for one thread; open another for another thread.

    Args:
        folder: The project's folder.
        create: Make a new project there.
        site: For a new project.

    Raises:
        ProjectError: If the folder holds no usable project, or one already when a new one is to be made.
    """

    def __init__(self, folder: Path, *, create: bool = False, site: Site | None = None) -> None:
        self.folder = folder
        refuse_links(folder, (*_FILES, MEDIA, "open.lock"))
        place = site or Site(folder.name, "UTC")
        if create:
            place = _checked(place)
            try:
                (folder / MEDIA).mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise ProjectError(
                    f"The folder {folder} cannot be made ({error.strerror}).", do="Choose a folder of your own."
                ) from error
        begin = (
            "INSERT INTO site (id, name, time_zone, latitude, longitude, people) VALUES (1, ?, ?, ?, ?, ?)",
            (place.name, place.time_zone, place.latitude, place.longitude, place.people),
        )
        exists = (folder / FILE_NAME).exists()
        self._db = Database(folder / FILE_NAME, create=create, begin=begin)
        try:
            if create and exists and self._db.rows("SELECT 1 FROM site"):
                raise ProjectError(
                    f"{folder} already holds a project.", kept="It was not changed.", do="Open it instead."
                )
            if create and exists:
                self._db.run(*begin)  # the making of it was cut short
            self._zone = check_zone(self.site().time_zone)
        except BaseException:
            self._db.close()
            raise
        self._damage: list[Damaged | str] = []
        self.media = MediaFolder(folder)
        self.logbook = Logbook(self._db, self._damage)
        self.settings = CameraSettings(self._db, self.logbook, self._damage)
        self.cameras = Cameras(self._db, self.settings)
        self.clips = Clips(self._db, self.media, self._damage)
        self.occurrences = Occurrences(self._db, self.media, self.clips, self._damage)
        self.lists = CameraLists(self._db, self._damage)
        self.watched = WatchedTimes(self._db, self._damage)
        self.readings = Readings(self._db, self._damage)
        self.checklists = Checklists(self._db, self._damage)
        self.stores = Stores(self._db, self.readings, self._damage)
        self.things = SiteThings(self._db, self._damage)
        self.measurements = Measurements(self._db, self.media)

    def close(self) -> None:
        """Close the project; everything is already saved."""
        self._db.close()

    def __enter__(self) -> Project:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def take_damage(self) -> list[str]:
        """What was found damaged and set aside since the last call, in sentences, each once."""
        damage = list(dict.fromkeys(map(str, self._damage)))
        self._damage.clear()
        return damage

    def damaged(self) -> list[Damaged]:
        """Every row that is set aside and that nothing in force needs, each once; reads the whole site."""
        untold = list(self._damage)
        self._damage.clear()
        with self._db.reading():
            self.stores.all()
            self.things.units()
            self.things.tasks()
            self.settings.shared_hours()
            self.readings.facts(None)
            for camera_id in self.cameras.names():
                self.occurrences.of(camera_id, {c.id for c in self.clips.of(camera_id)})
                for read in (
                    self.lists.events, self.watched.entered, self.settings.epochs, self.things.walks,
                    self.things.purposes, self.readings.of_camera, self.readings.facts, self.checklists.of,
                    self.logbook.of,
                ):  # fmt: skip
                    read(camera_id)
                self._damage += self.measurements.damaged(camera_id)
            in_force = {row["id"] for row in self._db.rows("SELECT id FROM settings WHERE to_s IS NULL")}
        found = dict.fromkeys(one for one in self._damage if isinstance(one, Damaged))
        self._damage[:] = untold
        return [
            one for one in found if one.table != "camera" and not (one.table == "settings" and one.number in in_force)
        ]

    def damaged_rows(self, damaged: Damaged) -> list[dict[str, object]]:
        """What the project keeps of a damaged row and of those that mean nothing without it, as JSON takes it."""
        return rows_of(self._db, damaged)

    def delete_damaged(self, saved: Mapping[Damaged, list[dict[str, object]]]) -> int:
        """Delete rows that are still damaged, and those that mean nothing without them.

        Args:
            saved: Of each what damaged_rows() gave; one to which something came since then stays.

        Returns:
            How many of the damaged ones were deleted; of a clip whose measurement is one of them, it waits to be
            measured again.
        """
        with self._db.transaction():
            still = [one for one in self.damaged() if self.damaged_rows(one) == saved.get(one)]
            for one in still:
                delete_row(self._db, one)
        return len(still)

    def set_site(self, site: Site) -> None:
        """Give the site another name or time zone.

        Args:
            site: As it is called from now on.

        Raises:
            InvalidValue: If the time zone does not exist, or clips are here whose times were read in another one.
        """
        site = _checked(site)
        zone = check_zone(site.time_zone)
        if zone.key != self._zone.key and self.clips.count():
            raise InvalidValue(
                f"The times of the clips here were read in {self._zone.key}; another time zone would move them.",
                kept="The time zone was not changed.",
                do="Make a new project with the right time zone and import the clips there.",
            )
        with self._db.transaction():
            self._db.run(
                "UPDATE site SET name = ?, time_zone = ?, latitude = ?, longitude = ?, people = ?",
                (site.name, site.time_zone, site.latitude, site.longitude, site.people),
            )
        self._zone = zone

    def clear_away(self) -> None:
        """Delete for good what was put away: cameras, clips with their files, entries of the logbook."""
        rows = self._db.rows(
            "SELECT c.id, c.file FROM clip c JOIN camera k ON k.id = c.camera_id WHERE c.gone OR k.gone"
        )
        for row in rows:
            strips = self._db.rows("SELECT strip FROM occurrence WHERE clip_id = ?", (row["id"],))
            for name in (row["file"], self.measurements.background_name(row["id"]), *(s["strip"] for s in strips)):
                self.media.remove(name)
        away = "(SELECT id FROM camera WHERE gone)"
        clips = f"(SELECT id FROM clip WHERE gone OR camera_id IN {away})"
        with self._db.transaction():
            for table in ("occurrence", "trace", "boxes"):
                self._db.run(f"DELETE FROM {table} WHERE clip_id IN {clips}")
            self._db.run(f"DELETE FROM clip WHERE id IN {clips}")
            for table in (*_OF_CAMERA, *OF_CAMERA):
                self._db.run(f"DELETE FROM {table} WHERE camera_id IN {away}")
            self._db.run("DELETE FROM camera WHERE gone")
            self._db.run("DELETE FROM logbook WHERE gone")

    def compact(self) -> None:
        """Write the file anew without gaps."""
        self._db.run("VACUUM")

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return self._zone

    def site(self) -> Site:
        """The project's site."""
        rows = self._db.rows("SELECT name, time_zone, latitude, longitude, people FROM site")
        if not rows:
            raise ProjectError(
                f"The making of the project in {self.folder} was cut short; it holds nothing yet.",
                do="Choose New project and the same folder.",
            )
        return Site(**dict(rows[0]))

    def evidence(self, camera_id: int) -> Evidence:
        """Everything that this camera's settings are scored on."""
        with self._db.reading():
            clips: list[Clip] = []
            stack = TraceStack(self._whole_traces(camera_id, clips))
            events = tuple(self.lists.events(camera_id))
            occurrences = self.occurrences.of(camera_id, {c.id for c in clips})
            camera = self.cameras.get(camera_id)
            said, entered = self.clips.causes_said(camera_id), self.watched.entered(camera_id)
            listed, epochs = self.watched.listed(camera_id), self.settings.epochs(camera_id)
            waiting = [c for c in self.clips.of(camera_id, analysed=False) if c.origin is Origin.MOTION]
            unmeasured = (*(c.start_s for c in waiting), *self.measurements.troubles(camera_id).values())
            site, storage, walks = self.site(), self.storage(camera_id), self.things.walks(camera_id)
            other_views, asked = tuple(self.clips.other_views(camera_id)), self.things.purposes(camera_id)
        caused = with_causes(clips, events, said)
        watched = self._spans_watched(caused, events, entered, listed)
        view = camera.view.view if camera.view else None
        occurred = tuple(occurrences)
        return Evidence(
            tuple(caused),
            occurred,
            stack,
            self._zone.key,
            events,
            view,
            watched,
            epochs,
            unmeasured,
            site.coordinates,
            storage,
            walks,
            other_views,
            asked[-1].purpose if asked else None,
            camera.clock_error_s,
        )

    def _spans_watched(
        self, caused: Sequence[Clip], events: Sequence[CameraEvent], entered: Sequence[Entered], listed: Sequence[Span]
    ) -> tuple[Span, ...]:
        """When a camera was up and recording by motion."""
        spans = (
            *((e.from_s, e.to_s) for e in entered if e.up),
            *((c.start_s, c.end_s) for c in caused if c.origin is Origin.CONTINUOUS),
            *listed_spans(listed, events, caused, self._zone),
        )
        return without(spans, [(e.from_s, e.to_s) for e in entered if not e.up])

    @property
    def revision(self) -> tuple[int, int]:
        """Another value whenever something was written to the project, here or by another program."""
        return self._db.revision

    def camera_key(self, camera_id: int) -> str:
        """What is known of a camera, in short: another key where anything changed that its figures are based on.

        That of the other cameras on its stores counts, too, since they fill them.
        """
        with self._db.reading():
            rows = self._db.rows(
                "SELECT DISTINCT b.camera_id AS id FROM camera_store a JOIN camera_store b ON b.store_id = a.store_id "
                "WHERE a.camera_id = ?1 AND b.camera_id <> ?1 ORDER BY id",
                (camera_id,),
            )
            parts = [self._known_of(i) for i in (camera_id, *(row["id"] for row in rows))]
        return hashlib.sha256(repr(parts).encode()).hexdigest()

    def _known_of(self, camera_id: int) -> list[list[tuple[Any, ...]]]:
        questions = (
            "SELECT * FROM site",
            "SELECT count(*), max(id), total(shown_s), total(length(named) + length(cause)) FROM event "
            "WHERE camera_id = ?",
            "SELECT body FROM walk WHERE camera_id = ? ORDER BY id",
            "SELECT from_s, body FROM purpose WHERE camera_id = ? ORDER BY id",
            "SELECT on_day, what FROM task WHERE camera_id = ? OR camera_id IS NULL ORDER BY id",
            "SELECT g.body FROM hours_group g JOIN camera c ON c.hours_group_id = g.id WHERE c.id = ?",
            # As bytes: what a damaged row holds need not be text.
            "SELECT count(*), max(c.id), total(c.true_s), CAST(group_concat(c.cause || c.picture, '') AS BLOB) "
            "FROM clip_at c JOIN measured t ON t.clip_id = c.id WHERE c.camera_id = ?",
            "SELECT count(*), total(length(o.kind) * o.id), total(o.visit * o.id), "
            "CAST(group_concat(o.kind, '') AS BLOB) "
            "FROM occurrence o JOIN clip_at c ON c.id = o.clip_id WHERE c.camera_id = ? AND NOT o.gone",
            "SELECT role, from_s, to_s, body FROM settings WHERE camera_id = ? ORDER BY id",
            "SELECT name, capability, view, about, clock_error_s FROM camera WHERE id = ?",
            "SELECT from_s, to_s, up FROM watched WHERE camera_id = ? ORDER BY id",
            "SELECT count(*), max(id), total(value) FROM reading WHERE camera_id = ? OR store_id IN "
            "(SELECT store_id FROM camera_store WHERE camera_id = ?1)",
            "SELECT name, value FROM fact WHERE camera_id = ? OR camera_id IS NULL ORDER BY id",
            "SELECT s.body FROM store s JOIN camera_store c ON c.store_id = s.id WHERE c.camera_id = ? ORDER BY s.id",
        )
        return [
            [tuple(row) for row in self._db.rows(question, (camera_id,) if "?" in question else ())]
            for question in questions
        ]

    def storage(self, camera_id: int) -> StorageKnown:
        """What is known of where a camera's footage goes, with what the other cameras put on the same stores."""
        with self._db.reading():
            stores, of_site = self.stores.of(camera_id), self.readings.facts(None)
            readings = self.readings.of_camera(camera_id)
            with_others = tuple(self._with_expected(f, camera_id) for f in stores)
            clips = self.clips.of(camera_id)
        last = [c.end_s for c in clips] + [r.at_s for r in readings] + [r.at_s for f in stores for r in f.readings]
        asked = of_site.get("asked_on", max(last, default=0.0))
        return StorageKnown(with_others, self.readings.facts(camera_id), of_site, readings, asked)

    def _with_expected(self, fitted: Fitted, camera_id: int) -> Fitted:
        """A store with what the other cameras on it, and all of them, write there in a day."""
        names = self.cameras.names()
        written = {}
        for number in (i for i in fitted.cameras if i in names):
            try:
                written[number] = with_name(self._written(number), names[number])
            except GuardiaError as error:  # what is damaged of another camera is no reason to leave this one out
                self._damage.append(str(error))
        others = [figure for number, figure in written.items() if number != camera_id]
        return replace(
            fitted,
            others=total("other cameras on it", "GB", *others) if others else None,
            expected=total("worked out for those in force", "GB", *written.values()) if written else None,
        )

    def _written(self, camera_id: int) -> Figure:
        """What a camera writes in a day under the settings in force, by the sizes of its files."""
        known, clips = self.cameras.get(camera_id), self.clips.of(camera_id)
        events, listed, site = self.lists.events(camera_id), self.watched.listed(camera_id), self.site()
        caused = with_causes(clips, events, self.clips.causes_said(camera_id))
        files = Evidence(
            tuple(caused), (), TraceStack(()), self._zone.key,
            watched=self._spans_watched(caused, events, self.watched.entered(camera_id), listed),
            epochs=self.settings.epochs(camera_id), coordinates=site.coordinates,
            storage=StorageKnown(facts=self.readings.facts(camera_id)),
        )  # fmt: skip
        return volume_by_files(files, known.installed, known.capability)

    def _whole_traces(self, camera_id: int, clips: list[Clip]) -> Iterator[Trace]:
        """Traces of a camera one after another, so that they are never all here; each one's clip is put to `clips`."""
        aside = self.clips.other_views(camera_id)
        known = {c.id: c for c in self.clips.of(camera_id, analysed=True) if c.id not in aside}
        for clip_id, trace in self.measurements.each(camera_id):
            if (clip := known.get(clip_id)) is None:
                continue
            if isinstance(trace, str):
                self._damage.append(
                    f"{clip.name} is set aside: what was measured of it is damaged ({trace}). See Damaged entries."
                )
                continue
            clips.append(clip)
            yield trace

    def together(self) -> AbstractContextManager[None]:
        """Make several changes one: all of them are kept, or none."""
        return self._db.transaction()
