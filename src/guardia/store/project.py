"""The project: site, cameras, settings, clips, traces, occurrences and the logbook."""

from __future__ import annotations

import json
import math
import os
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.evidence.clock import check_zone
from guardia.core.evidence.evidence import Cause, Clip, Evidence, Occurrence, Origin, listed_spans, with_causes
from guardia.core.evidence.judgement import kind_of
from guardia.core.evidence.watch import without
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings, settings_from_dict, settings_to_dict
from guardia.core.trace.measure import Trace
from guardia.core.trace.stack import TraceStack
from guardia.core.view.geometry import KnownView, known_view_from_dict, known_view_to_dict
from guardia.store.camera_lists import CameraLists
from guardia.store.camera_times import CameraTimes
from guardia.store.database import Database
from guardia.store.measurements import Measurements
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.media_folder import MediaFolder, refuse_links
from guardia.store.records import Camera, NewClip, NewOccurrence, Site

FILE_NAME = "project.sqlite"


class Project:
    """An open project, for one thread; open another for another thread.

    Parameters
    ----------
    folder
        The project's folder.
    create
        Make a new project there.
    site
        For a new project.

    Raises
    ------
    ProjectError
        If the folder holds no usable project, or one already when a new one is to be made.
    """

    def __init__(self, folder: Path, *, create: bool = False, site: Site | None = None) -> None:
        self.folder = folder
        own = (FILE_NAME, f"{FILE_NAME}-wal", f"{FILE_NAME}-shm", f"{FILE_NAME}-journal", MEDIA, "open.lock")
        refuse_links(folder, own)
        place = site or Site(folder.name, "UTC")
        if create:
            check_zone(place.time_zone)
            try:
                (folder / MEDIA).mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise ProjectError(
                    f"The folder {folder} cannot be made ({error.strerror}).", do="Choose a folder of your own."
                ) from error
        begin = ("INSERT INTO site (id, name, time_zone) VALUES (1, ?, ?)", (place.name, place.time_zone))
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
        self.media = MediaFolder(folder)
        self.lists = CameraLists(self._db)
        self.times = CameraTimes(self._db)
        self.measurements = Measurements(self._db, self.media)
        self.damage: list[str] = []

    def close(self) -> None:
        """Close the project; everything is already saved."""
        self._db.close()

    def __enter__(self) -> Project:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def take_damage(self) -> list[str]:
        """What was found damaged and set aside since the last call, in sentences, each once."""
        found, self.damage = list(dict.fromkeys(self.damage)), []
        return found

    def compact(self) -> None:
        """Write the file anew without gaps."""
        self._db.run("VACUUM")

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return self._zone

    def site(self) -> Site:
        """The project's site."""
        rows = self._db.rows("SELECT name, time_zone FROM site")
        if not rows:
            raise ProjectError(
                f"The making of the project in {self.folder} was cut short; it holds nothing yet.",
                do="Choose New project and the same folder.",
            )
        return Site(rows[0]["name"], rows[0]["time_zone"])

    def camera_names(self) -> dict[int, str]:
        """Names of all cameras by number, in order of name."""
        return {row["id"]: row["name"] for row in self._db.rows("SELECT id, name FROM camera ORDER BY name")}

    def cameras(self) -> list[Camera]:
        """All cameras by name."""
        return [self.camera(row["id"]) for row in self._db.rows("SELECT id FROM camera ORDER BY name")]

    def camera(self, camera_id: int) -> Camera:
        """One camera with its settings in force and its draft.

        Parameters
        ----------
        camera_id
            Number in the project.

        Returns
        -------
        Camera
            The camera.

        Raises
        ------
        ProjectError
            If the project has no such camera, or what it keeps of it is damaged.
        """
        rows = self._db.rows(
            "SELECT name, capability, clock_error_s, time_pattern, view FROM camera WHERE id = ?", (camera_id,)
        )
        if not rows:
            raise ProjectError(f"This project has no camera number {camera_id}.")
        one = rows[0]
        try:
            bodies = {
                row["role"]: settings_from_dict(json.loads(row["body"]))
                for row in self._db.rows(
                    "SELECT role, body FROM settings WHERE camera_id = ? AND to_s IS NULL", (camera_id,)
                )
            }
            return Camera(
                camera_id, str(one["name"]), capability_from_dict(json.loads(one["capability"])), bodies["installed"],
                bodies["draft"], float(one["clock_error_s"]), str(one["time_pattern"]),
                known_view_from_dict(json.loads(one["view"])) if one["view"] else None,
            )  # fmt: skip
        except (InvalidValue, KeyError, ValueError, TypeError, AttributeError, RecursionError) as error:
            raise ProjectError(
                f"What the project keeps of the camera '{one['name']}' is damaged ({error}).",
                kept="It is set aside; the other cameras are not affected.",
                do="Restore the project from a backup to get it back.",
            ) from error

    def add_camera(
        self, name: str, capability: Mapping[str, Any], installed: Settings, *, from_s: float | None = None
    ) -> int:
        """Add a camera whose draft begins as its installed settings.

        Parameters
        ----------
        name
            Named after its place; not yet used in this project.
        capability
            JSON form of the make.
        installed
            Settings in force.
        from_s
            Since when, POSIX seconds, None if unknown.

        Returns
        -------
        int
            Its number.

        Raises
        ------
        InvalidValue
            If the capability cannot be used or the name is taken.
        """
        capability_from_dict(capability)
        if self._db.rows("SELECT 1 FROM camera WHERE name = ?", (name,)):
            raise InvalidValue(f"There is already a camera named '{name}'.", do="Name each camera after its own place.")
        body = json.dumps(settings_to_dict(installed))
        with self._db.transaction():
            camera_id = self._db.run(
                "INSERT INTO camera (name, capability) VALUES (?, ?)", (name, json.dumps(capability))
            )
            for role, since in (("installed", from_s), ("draft", None)):
                self._db.run(
                    "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, ?, ?, ?)",
                    (camera_id, role, since, body),
                )
        return camera_id

    def save_draft(self, camera_id: int, draft: Settings) -> None:
        """Keep a draft, at once and whole."""
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET body = ? WHERE camera_id = ? AND role = 'draft'",
                (json.dumps(settings_to_dict(draft)), camera_id),
            )

    def install_draft(self, camera_id: int, *, note: str = "") -> None:
        """Record that the draft has been entered on the camera: it is now installed, the former settings are dated."""
        draft = self.camera(camera_id).draft
        with self._db.transaction():
            self.times.install(camera_id, json.dumps(settings_to_dict(draft)))
            self._log(camera_id, "draft entered on the camera", note)

    def _log(self, camera_id: int | None, what: str, detail: str = "") -> None:
        self._db.run(
            "INSERT INTO logbook (at_s, camera_id, what, detail) VALUES (?, ?, ?, ?)",
            (time.time(), camera_id, what, detail),
        )

    def logbook(self, camera_id: int) -> list[tuple[float, str, str]]:
        """(POSIX seconds, what, detail) of a camera, newest first."""
        rows = self._db.rows(
            "SELECT at_s, what, detail FROM logbook WHERE camera_id = ? ORDER BY id DESC", (camera_id,)
        )
        return [(row["at_s"], row["what"], row["detail"]) for row in rows]

    def set_view(self, camera_id: int, known: KnownView | None) -> None:
        """Keep what is known of a camera's view; None forgets it."""
        body = json.dumps(known_view_to_dict(known)) if known is not None else ""
        with self._db.transaction():
            self._db.run("UPDATE camera SET view = ? WHERE id = ?", (body, camera_id))

    def clip_names(self, camera_id: int) -> frozenset[tuple[str, int]]:
        """Original name and size in bytes of each of a camera's clips."""
        rows = self._db.rows("SELECT original_name, bytes FROM clip WHERE camera_id = ?", (camera_id,))
        return frozenset((r["original_name"], r["bytes"]) for r in rows)

    def add_clip(self, camera_id: int, new: NewClip, *, stopped: Callable[[], bool] = lambda: False) -> int | None:
        """Copy a clip into the media folder and enter it.

        Parameters
        ----------
        camera_id
            The camera that recorded it.
        new
            What is known of it.
        stopped
            Asked between pieces of a large file; True ends the copy.

        Returns
        -------
        int | None
            Its number, None if this camera has the very same file already.

        Raises
        ------
        ProjectError
            If the copy fails; nothing is left behind then.
        Cancelled
            If it was stopped; likewise.
        """
        suffix = new.path.suffix.lower()
        suffix = suffix if suffix.isascii() and suffix[1:].isalnum() else ""

        def name_of(digest: str) -> str | None:
            known = self._db.rows("SELECT 1 FROM clip WHERE camera_id = ? AND digest = ?", (camera_id, digest))
            return None if known else f"{digest[:16]}-{camera_id}{suffix}"

        original = plain_name(new.path)
        try:
            digest = self.media.take_in(new.path, name_of, stopped)
        except OSError as error:
            raise ProjectError(
                f"{original} cannot be copied into the project ({error.strerror}).",
                kept="The clips taken in before are kept.",
                do="Check the file and the space on the disk, then import the rest again.",
            ) from error
        if digest is None or (name := name_of(digest)) is None:
            return None
        with self._db.transaction():
            # Another window may have taken the same file in meanwhile.
            if name_of(digest) is None:
                return None
            return self._db.run(
                "INSERT INTO clip (camera_id, file, original_name, digest, bytes, start_s, start_source, duration_s,"
                " width, height, codec, origin, cause) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    camera_id, name, original, digest, (self.media.path / name).stat().st_size, new.start_s,
                    new.start_source, new.duration_s, new.width, new.height, new.codec, new.origin.value,
                    new.cause.value if new.cause else "",
                ),
            )  # fmt: skip

    def set_clock(self, camera_id: int, *, clock_error_s: float, time_pattern: str) -> None:
        """Keep a camera's clock error (seconds, positive when fast) and how it writes times in file names."""
        with self._db.transaction():
            self._db.run(
                "UPDATE camera SET clock_error_s = ?, time_pattern = ? WHERE id = ?",
                (clock_error_s, time_pattern, camera_id),
            )

    def waiting(self, camera_id: int) -> int:
        """Number of a camera's clips that are here but not measured yet."""
        return sum(self.media.file(self.file_name(c.id)) is not None for c in self.clips(camera_id, analysed=False))

    def clip_count(self) -> int:
        """Number of clips in the whole project."""
        return int(self._db.rows("SELECT count(*) AS n FROM clip")[0]["n"])

    def clips(self, camera_id: int, *, analysed: bool | None = None) -> list[Clip]:
        """Clips of a camera in order of time; only analysed or only not analysed ones if asked.

        Those that cannot be measured at all count as neither.
        """
        condition = {
            None: "",
            True: "AND t.clip_id IS NOT NULL",
            False: "AND t.clip_id IS NULL AND c.trouble = ''",
        }[analysed]
        rows = self._db.rows(
            "SELECT c.id, c.original_name, c.true_s, c.duration_s, c.origin, c.cause, t.brightness FROM clip_at c "
            f"LEFT JOIN measured t ON t.clip_id = c.id WHERE c.camera_id = ? {condition} ORDER BY c.true_s, c.id",
            (camera_id,),
        )
        found = []
        for r in rows:
            try:
                found.append(
                    Clip(
                        r["id"], r["original_name"], float(r["true_s"]), float(r["duration_s"]), Origin(r["origin"]),
                        math.nan if r["brightness"] is None else float(r["brightness"]),
                        Cause(r["cause"]) if r["cause"] else Cause.MOTION,
                    )
                )  # fmt: skip
            except (ValueError, TypeError) as error:
                self.damage.append(f"Clip number {r['id']} is set aside: what is kept of it is damaged ({error}).")
        return found

    def set_cause(self, causes: Mapping[int, str]) -> None:
        """Say why clips, by id, were recorded; '' leaves it to the camera's list."""
        with self._db.transaction():
            for clip_id, cause in causes.items():
                self._db.run("UPDATE clip SET cause = ? WHERE id = ?", (cause, clip_id))

    def causes_said(self, camera_id: int) -> dict[int, str]:
        """What was said of why a camera's clips were recorded, by clip id; '' where nothing was."""
        rows = self._db.rows("SELECT id, cause FROM clip WHERE camera_id = ?", (camera_id,))
        return {r["id"]: r["cause"] for r in rows}

    def set_clip_start(self, clip_id: int, start_s: float, source: str) -> None:
        """Give a clip another start (POSIX seconds) and say how it is known."""
        with self._db.transaction():
            self._db.run("UPDATE clip SET start_s = ?, start_source = ? WHERE id = ?", (start_s, source, clip_id))

    def clip_start(self, clip_id: int) -> tuple[float, str]:
        """Start of a clip as it was read (POSIX seconds, the clock's error not taken off) and how it is known."""
        row = self._db.rows("SELECT start_s, start_source FROM clip WHERE id = ?", (clip_id,))[0]
        return row["start_s"], row["start_source"]

    def clip_path(self, clip_id: int) -> Path:
        """The clip's file in the media folder.

        Parameters
        ----------
        clip_id
            Number in the project.

        Returns
        -------
        Path
            The file.

        Raises
        ------
        ProjectError
            If the file is gone.
        """
        path = self.media.file(self.file_name(clip_id))
        if path is None:
            raise ProjectError(
                f"The clip {self._original_name(clip_id)} is missing from {self.media.path}.",
                kept="Its judgement and its trace are kept, so scores stay the same.",
                do="Put the media folder back beside project.sqlite to see its pictures.",
            )
        return path

    def clip_size(self, clip_id: int) -> tuple[int, int]:
        """Width and height of a clip's picture, pixels."""
        row = self._db.rows("SELECT width, height FROM clip WHERE id = ?", (clip_id,))[0]
        return row["width"], row["height"]

    def file_name(self, clip_id: int) -> str:
        """Name of a clip's file in the media folder."""
        return str(self._db.rows("SELECT file FROM clip WHERE id = ?", (clip_id,))[0]["file"])

    def clip_path_or_none(self, clip_id: int) -> Path | None:
        """The clip's file, None if it is gone."""
        return self.media.file(self.file_name(clip_id))

    def _original_name(self, clip_id: int) -> str:
        return str(self._db.rows("SELECT original_name FROM clip WHERE id = ?", (clip_id,))[0]["original_name"])

    def evidence(self, camera_id: int) -> Evidence:
        """Everything that this camera's settings are scored on.

        Parameters
        ----------
        camera_id
            Number in the project.

        Returns
        -------
        Evidence
            Analysed clips, their occurrences and traces.
        """
        with self._db.reading():
            clips: list[Clip] = []
            stack = TraceStack(self._whole_traces(camera_id, clips))
            events = tuple(self.lists.events(camera_id))
            occurrences = self._occurrences(camera_id, {c.id for c in clips})
            known = self.camera(camera_id).view
            said, entered = self.causes_said(camera_id), self.times.entered(camera_id)
            listed, epochs = self.times.listed(camera_id), self.times.epochs(camera_id)
            waiting = [c for c in self.clips(camera_id, analysed=False) if c.origin is Origin.MOTION]
            unmeasured = (*(c.start_s for c in waiting), *self.measurements.troubles(camera_id).values())
        caused = with_causes(clips, events, said)
        spans = (
            *((e.from_s, e.to_s) for e in entered if e.up),
            *((c.start_s, c.end_s) for c in caused if c.origin is Origin.CONTINUOUS),
            *listed_spans(listed, events, caused, self._zone),
        )
        watched = without(spans, [(e.from_s, e.to_s) for e in entered if not e.up])
        view = known.view if known else None
        occurred = tuple(occurrences)
        return Evidence(tuple(caused), occurred, stack, self._zone.key, events, view, watched, epochs, unmeasured)

    def _whole_traces(self, camera_id: int, clips: list[Clip]) -> Iterator[Trace]:
        """Traces of a camera one after another, so that they are never all here; each one's clip is put to `clips`."""
        known = {c.id: c for c in self.clips(camera_id, analysed=True)}
        for clip_id, trace in self.measurements.each(camera_id):
            if (clip := known.get(clip_id)) is None:
                continue
            if isinstance(trace, str):
                self.damage.append(f"{clip.name} is set aside: what was measured of it is damaged ({trace}).")
                continue
            clips.append(clip)
            yield trace

    def together(self) -> AbstractContextManager[None]:
        """Make several changes one: all of them are kept, or none."""
        return self._db.transaction()

    def _occurrences(self, camera_id: int, clips: Collection[int]) -> list[Occurrence]:
        rows = self._db.rows(
            "SELECT o.id, o.clip_id, o.start_s, o.end_s, o.kind, o.visit FROM occurrence o "
            "JOIN clip_at c ON c.id = o.clip_id JOIN measured t ON t.clip_id = c.id "
            "WHERE c.camera_id = ? AND NOT o.gone ORDER BY c.true_s + o.start_s, o.id",
            (camera_id,),
        )
        found = []
        for r in rows:
            if r["clip_id"] not in clips:
                continue
            try:
                kind = r["kind"] and kind_of(r["kind"]).id
                found.append(
                    Occurrence(r["id"], r["clip_id"], float(r["start_s"]), float(r["end_s"]), kind, r["visit"])
                )
            except (KeyError, ValueError, TypeError) as error:
                self.damage.append(f"Occurrence number {r['id']} is set aside: it is damaged ({error}).")
        return found

    def add_occurrence(self, clip_id: int, new: NewOccurrence, kind: str) -> int:
        """Enter an occurrence found or split off by hand; gives its number."""
        count = self._db.rows("SELECT count(*) AS n FROM occurrence WHERE clip_id = ?", (clip_id,))[0]["n"]
        name = f"{Path(self.file_name(clip_id)).stem}-{count}.jpg"
        self.media.write(name, new.strip)
        with self._db.transaction():
            return self._db.run(
                "INSERT INTO occurrence (clip_id, start_s, end_s, key_times, strip, kind) VALUES (?, ?, ?, ?, ?, ?)",
                (clip_id, new.start_s, new.end_s, json.dumps(list(new.key_times_s)), name, kind),
            )

    def show_occurrences(self, shown: Sequence[int], hidden: Sequence[int]) -> None:
        """Bring occurrences back and put others away, which keeps them for an undo."""
        with self._db.transaction():
            for gone, ids in ((0, shown), (1, hidden)):
                for occurrence_id in ids:
                    self._db.run("UPDATE occurrence SET gone = ? WHERE id = ?", (gone, occurrence_id))

    def new_visit(self) -> int:
        """A number that no visit has yet."""
        return int(self._db.rows("SELECT coalesce(max(visit), 0) + 1 AS n FROM occurrence")[0]["n"])

    def set_visits(self, visits: Mapping[int, int | None]) -> None:
        """Say of occurrences, by id, which visit they are part of."""
        with self._db.transaction():
            for occurrence_id, visit in visits.items():
                self._db.run("UPDATE occurrence SET visit = ? WHERE id = ?", (visit, occurrence_id))

    def judge(self, kinds: Mapping[int, str]) -> None:
        """Keep judgements by occurrence id, all in one transaction; an empty kind takes one back."""
        with self._db.transaction():
            for occurrence_id, kind in kinds.items():
                self._db.run("UPDATE occurrence SET kind = ? WHERE id = ?", (kind, occurrence_id))

    def strip(self, occurrence_id: int) -> bytes:
        """The key pictures of an occurrence, as JPEG; empty if there are none."""
        rows = self._db.rows("SELECT strip FROM occurrence WHERE id = ?", (occurrence_id,))
        return self.media.read(rows[0]["strip"]) if rows else b""

    def key_times(self, occurrence_id: int) -> list[float]:
        """Times of the key pictures on the clip's clock."""
        rows = self._db.rows("SELECT key_times FROM occurrence WHERE id = ?", (occurrence_id,))
        return [float(t) for t in json.loads(rows[0]["key_times"])] if rows else []

    def clean_view(self, camera_id: int) -> bytes:
        """The camera's picture without what moves, as JPEG; empty if there is none yet."""
        return bytes(self._db.rows("SELECT clean_view FROM camera WHERE id = ?", (camera_id,))[0]["clean_view"] or b"")

    def put_clean_view(self, camera_id: int, jpeg: bytes) -> None:
        """Keep the camera's picture without what moves."""
        with self._db.transaction():
            self._db.run("UPDATE camera SET clean_view = ? WHERE id = ?", (jpeg, camera_id))


def plain_name(path: Path) -> str:
    """A file's name as text that can be kept and shown; bytes that are no UTF-8 become a sign of their own."""
    return os.fsencode(path.name).decode("utf-8", "replace")
