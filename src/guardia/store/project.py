"""The project: site, cameras, settings, clips, traces, occurrences and the logbook."""

from __future__ import annotations

import hashlib
import json
import math
import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from guardia.core.capability import capability_from_dict
from guardia.core.errors import Cancelled, InvalidValue, ProjectError
from guardia.core.evidence import Clip, Evidence, Occurrence, Origin
from guardia.core.geometry import KnownView, known_view_from_dict, known_view_to_dict
from guardia.core.settings import Settings, settings_from_dict, settings_to_dict
from guardia.core.stack import TraceStack
from guardia.core.trace import CONTRAST_LEVELS, Trace
from guardia.store.camera_lists import CameraLists
from guardia.store.database import Database, pack, unpack
from guardia.store.records import Camera, NewClip, NewOccurrence, Site

FILE_NAME = "project.sqlite"
MEDIA = "media"
_PIECE_BYTES = 1 << 22


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
        if create:
            if (folder / FILE_NAME).exists():
                raise ProjectError(
                    f"{folder} already holds a project.", kept="It was not changed.", do="Open it instead."
                )
            _check_zone(site.time_zone if site else "UTC")
            try:
                (folder / MEDIA).mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise ProjectError(
                    f"The folder {folder} cannot be made ({error.strerror}).", do="Choose a folder of your own."
                ) from error
        self._db = Database(folder / FILE_NAME, create=create)
        self.lists = CameraLists(self._db)
        if create:
            place = site or Site(folder.name, "UTC")
            self._db.run("INSERT INTO site (id, name, time_zone) VALUES (1, ?, ?)", (place.name, place.time_zone))

    def close(self) -> None:
        """Close the project; everything is already saved."""
        self._db.close()

    def __enter__(self) -> Project:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def compact(self) -> None:
        """Write the file anew without gaps."""
        self._db.run("VACUUM")

    def site(self) -> Site:
        """The project's site."""
        row = self._db.rows("SELECT name, time_zone FROM site")[0]
        return Site(row["name"], row["time_zone"])

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
            If the project has no such camera.
        """
        rows = self._db.rows(
            "SELECT name, capability, clock_error_s, time_pattern, view FROM camera WHERE id = ?", (camera_id,)
        )
        if not rows:
            raise ProjectError(f"This project has no camera number {camera_id}.")
        bodies = {
            row["role"]: settings_from_dict(json.loads(row["body"]))
            for row in self._db.rows(
                "SELECT role, body FROM settings WHERE camera_id = ? AND to_s IS NULL", (camera_id,)
            )
        }
        capability = capability_from_dict(json.loads(rows[0]["capability"]))
        one = rows[0]
        return Camera(
            camera_id, one["name"], capability, bodies["installed"], bodies["draft"], one["clock_error_s"],
            one["time_pattern"], known_view_from_dict(json.loads(one["view"])) if one["view"] else None,
        )  # fmt: skip

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

    def earlier_settings(self, camera_id: int) -> list[tuple[float, Settings]]:
        """Settings that were installed before: (until when, POSIX seconds, the settings), the latest first."""
        rows = self._db.rows(
            "SELECT to_s, body FROM settings WHERE camera_id = ? AND role = 'installed' AND to_s IS NOT NULL "
            "ORDER BY to_s DESC",
            (camera_id,),
        )
        return [(r["to_s"], settings_from_dict(json.loads(r["body"]))) for r in rows]

    def save_draft(self, camera_id: int, draft: Settings) -> None:
        """Keep a draft, at once and whole."""
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET body = ? WHERE camera_id = ? AND role = 'draft'",
                (json.dumps(settings_to_dict(draft)), camera_id),
            )

    def install_draft(self, camera_id: int, *, note: str = "") -> None:
        """Record that the draft has been entered on the camera: it is now installed, the former settings are dated."""
        now = time.time()
        draft = self.camera(camera_id).draft
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET to_s = ? WHERE camera_id = ? AND role = 'installed' AND to_s IS NULL",
                (now, camera_id),
            )
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, 'installed', ?, ?)",
                (camera_id, now, json.dumps(settings_to_dict(draft))),
            )
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
        part = self.folder / MEDIA / f"taking-in-{os.getpid()}.part"
        try:
            digest = _copy_hashed(new.path, part, stopped)
            name = f"{digest[:16]}-{camera_id}{new.path.suffix.lower()}"
            if self._db.rows("SELECT 1 FROM clip WHERE camera_id = ? AND digest = ?", (camera_id, digest)):
                part.unlink()
                return None
            target = self.folder / MEDIA / name
            os.replace(part, target)
        except OSError as error:
            with suppress(OSError):
                part.unlink()
            raise ProjectError(
                f"{new.path.name} cannot be copied into the project ({error.strerror}).",
                kept="The clips taken in before are kept.",
                do="Check the file and the space on the disk, then import the rest again.",
            ) from error
        except Cancelled:
            part.unlink(missing_ok=True)
            raise
        with self._db.transaction():
            return self._db.run(
                "INSERT INTO clip (camera_id, file, original_name, digest, bytes, start_s, start_source, duration_s,"
                " width, height, codec, origin) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    camera_id, name, new.path.name, digest, target.stat().st_size, new.start_s, new.start_source,
                    new.duration_s, new.width, new.height, new.codec, new.origin.value,
                ),
            )  # fmt: skip

    def set_clock(self, camera_id: int, *, clock_error_s: float, time_pattern: str) -> None:
        """Keep a camera's clock error (seconds, positive when fast) and how it writes times in file names."""
        with self._db.transaction():
            self._db.run(
                "UPDATE camera SET clock_error_s = ?, time_pattern = ? WHERE id = ?",
                (clock_error_s, time_pattern, camera_id),
            )

    def measured(self, camera_id: int) -> int:
        """Number of a camera's clips that are measured."""
        sql = "SELECT count(*) AS n FROM clip c JOIN trace t ON t.clip_id = c.id WHERE c.camera_id = ?"
        return int(self._db.rows(sql, (camera_id,))[0]["n"])

    def waiting(self, camera_id: int) -> int:
        """Number of a camera's clips that are here but not measured yet."""
        clips = self.clips(camera_id, analysed=False)
        return sum((self.folder / MEDIA / self._file_name(c.id)).is_file() for c in clips)

    def clip_count(self) -> int:
        """Number of clips in the whole project."""
        return int(self._db.rows("SELECT count(*) AS n FROM clip")[0]["n"])

    def clips(self, camera_id: int, *, analysed: bool | None = None) -> list[Clip]:
        """Clips of a camera in order of time; only analysed or only not analysed ones if asked."""
        condition = {None: "", True: "AND t.clip_id IS NOT NULL", False: "AND t.clip_id IS NULL"}[analysed]
        rows = self._db.rows(
            "SELECT c.id, c.original_name, c.true_s, c.duration_s, c.origin, t.brightness FROM clip_at c "
            f"LEFT JOIN trace t ON t.clip_id = c.id WHERE c.camera_id = ? {condition} ORDER BY c.true_s, c.id",
            (camera_id,),
        )
        return [
            Clip(
                r["id"], r["original_name"], r["true_s"], r["duration_s"], Origin(r["origin"]),
                math.nan if r["brightness"] is None else r["brightness"],
            )
            for r in rows
        ]  # fmt: skip

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
        path = self.folder / MEDIA / self._file_name(clip_id)
        if not path.is_file():
            raise ProjectError(
                f"The clip {path.name} is missing from {path.parent}.",
                kept="Its judgement and its trace are kept, so scores stay the same.",
                do="Put the media folder back beside project.sqlite to see its pictures.",
            )
        return path

    def clip_size(self, clip_id: int) -> tuple[int, int]:
        """Width and height of a clip's picture, pixels."""
        row = self._db.rows("SELECT width, height FROM clip WHERE id = ?", (clip_id,))[0]
        return row["width"], row["height"]

    def put_analysis(
        self,
        clip_id: int,
        trace: Trace,
        occurrences: Sequence[NewOccurrence],
        *,
        background: bytes,
        brightness: float,
    ) -> None:
        """Keep what was measured of a clip, its background (JPEG, mean luma 0..255) and the occurrences found in it.

        The pictures are written beside the clip first; only then does the transaction name them.
        """
        stem = Path(self._file_name(clip_id)).stem
        self._write_picture(f"{stem}-background.jpg", background)
        strips = [f"{stem}-{number}.jpg" for number in range(len(occurrences))]
        for name, new in zip(strips, occurrences, strict=True):
            self._write_picture(name, new.strip)
        with self._db.transaction():
            self._db.run(
                "INSERT OR REPLACE INTO trace VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    clip_id, trace.columns, trace.rows, trace.changed.shape[1], pack(trace.times_s, "<f8"),
                    pack(trace.frame_start, "<i8"), pack(trace.cell, "<u2"), pack(trace.changed, "u1"),
                    brightness,
                ),
            )  # fmt: skip
            for name, new in zip(strips, occurrences, strict=True):
                self._db.run(
                    "INSERT INTO occurrence (clip_id, start_s, end_s, key_times, strip) VALUES (?, ?, ?, ?, ?)",
                    (clip_id, new.start_s, new.end_s, json.dumps(list(new.key_times_s)), name),
                )

    def _file_name(self, clip_id: int) -> str:
        name: str = self._db.rows("SELECT file FROM clip WHERE id = ?", (clip_id,))[0]["file"]
        return name

    def _write_picture(self, name: str, content: bytes) -> None:
        part = self.folder / MEDIA / f"{name}.part"
        try:
            part.write_bytes(content)
            os.replace(part, self.folder / MEDIA / name)
        except OSError as error:
            raise ProjectError(
                f"A picture cannot be written into the project ({error.strerror}).",
                kept="The clips measured before are kept.",
                do="Check the space on the disk, then import again: what is missing is measured then.",
            ) from error

    def _picture(self, name: str) -> bytes:
        """Content of a picture in the media folder, empty if it is gone."""
        try:
            return (self.folder / MEDIA / name).read_bytes()
        except OSError:
            return b""

    def backgrounds(self, camera_id: int, around_s: float, *, limit: int = 9) -> list[bytes]:
        """Backgrounds (JPEG) of analysed clips within an hour of the same time of day, from the nearest days."""
        zone = ZoneInfo(self.site().time_zone)
        rows = self._db.rows(
            "SELECT c.file, c.true_s AS start_s FROM clip_at c JOIN trace t ON t.clip_id = c.id "
            "WHERE c.camera_id = ? AND c.true_s <> ? ORDER BY abs(c.true_s - ?)",
            (camera_id, around_s, around_s),
        )
        hour = _hour(around_s, zone)
        near = [r for r in rows if abs((_hour(r["start_s"], zone) - hour + 12) % 24 - 12) <= 1.0][:limit]
        names = [f"{Path(r['file']).stem}-background.jpg" for r in near]
        return [content for name in names if (content := self._picture(name))]

    def stills(self, camera_id: int, clip: Clip, *, limit: int = 12) -> list[Path]:
        """Files of a camera's snapshots of the same time of day as a clip, itself left out, from the nearest days."""
        zone = ZoneInfo(self.site().time_zone)
        rows = self._db.rows(
            "SELECT file, true_s AS start_s FROM clip_at WHERE camera_id = ? AND origin = ? AND id <> ? "
            "ORDER BY abs(true_s - ?)",
            (camera_id, Origin.SNAPSHOT.value, clip.id, clip.start_s),
        )
        hour = _hour(clip.start_s, zone)
        near = [r for r in rows if abs((_hour(r["start_s"], zone) - hour + 12) % 24 - 12) <= 1.0][:limit]
        return [path for r in near if (path := self.folder / MEDIA / r["file"]).is_file()]

    def brightness(self, clip_id: int) -> float | None:
        """Mean luma (0..255) of a clip's background, None if it is not analysed."""
        rows = self._db.rows("SELECT brightness FROM trace WHERE clip_id = ?", (clip_id,))
        return float(rows[0]["brightness"]) if rows else None

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
        clips = self.clips(camera_id, analysed=True)
        stack = TraceStack(self.traces(camera_id))
        occurrences, events = tuple(self._occurrences(camera_id)), tuple(self.lists.events(camera_id))
        known = self.camera(camera_id).view
        zone = self.site().time_zone
        return Evidence(tuple(clips), occurrences, stack, zone, events, known.view if known else None)

    def traces(self, camera_id: int) -> Iterator[Trace]:
        """Traces of a camera's clips in order of time, read one after another."""
        order = (
            "SELECT t.* FROM trace t JOIN clip_at c ON c.id = t.clip_id WHERE c.camera_id = ? ORDER BY c.true_s, c.id"
        )
        return (_trace(row) for row in self._db.each(order, (camera_id,)))

    def together(self) -> AbstractContextManager[None]:
        """Make several changes one: all of them are kept, or none."""
        return self._db.transaction()

    def _occurrences(self, camera_id: int) -> list[Occurrence]:
        rows = self._db.rows(
            "SELECT o.id, o.clip_id, o.start_s, o.end_s, o.kind, o.visit FROM occurrence o "
            "JOIN clip_at c ON c.id = o.clip_id JOIN trace t ON t.clip_id = c.id "
            "WHERE c.camera_id = ? AND NOT o.gone ORDER BY c.true_s + o.start_s, o.id",
            (camera_id,),
        )
        return [Occurrence(r["id"], r["clip_id"], r["start_s"], r["end_s"], r["kind"], r["visit"]) for r in rows]

    def add_occurrence(self, clip_id: int, new: NewOccurrence, kind: str) -> int:
        """Enter an occurrence found or split off by hand; gives its number."""
        count = self._db.rows("SELECT count(*) AS n FROM occurrence WHERE clip_id = ?", (clip_id,))[0]["n"]
        name = f"{Path(self._file_name(clip_id)).stem}-{count}.jpg"
        self._write_picture(name, new.strip)
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
        return self._picture(rows[0]["strip"]) if rows else b""

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


def _copy_hashed(source: Path, target: Path, stopped: Callable[[], bool]) -> str:
    """Copy a file piece by piece and give its SHA-256, reading it once."""
    digest = hashlib.sha256()
    with source.open("rb") as read, target.open("wb") as write:
        while piece := read.read(_PIECE_BYTES):
            if stopped():
                raise Cancelled
            digest.update(piece)
            write.write(piece)
    return digest.hexdigest()


def _check_zone(name: str) -> None:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise InvalidValue(f"'{name}' is no time zone.", do="Use an IANA name such as Europe/London.") from error


def _hour(posix_s: float, zone: ZoneInfo) -> float:
    moment = datetime.fromtimestamp(posix_s, UTC).astimezone(zone)
    return moment.hour + moment.minute / 60


def _trace(row: Any) -> Trace:
    if row["levels"] != len(CONTRAST_LEVELS):
        raise ProjectError(
            "This project's traces were measured with other contrast levels.", do="Import the clips again."
        )
    return Trace(
        unpack(row["times_s"], "<f8"),
        unpack(row["frame_start"], "<i8"),
        unpack(row["cell"], "<u2"),
        unpack(row["changed"], "u1").reshape(-1, row["levels"]),
        row["columns"],
        row["rows"],
    )
