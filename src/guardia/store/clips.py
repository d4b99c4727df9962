"""The clips of a project: their files and what is known of them."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

from guardia.core.base.errors import ProjectError
from guardia.core.base.values import LONGEST_CLIP_S, moment, number
from guardia.core.evidence.clips import Cause, Clip, Origin
from guardia.store.database import Database
from guardia.store.media_folder import MediaFolder
from guardia.store.records import NewClip
from guardia.store.rows import Damaged, read_each

LARGEST_FILE = 1e15
WIDEST_PX = 1e6
SAME_VIEW, SAID_SAME = "same", "said to be the same"
"""A clip shows the planned view: by its picture, or because somebody said so."""


class Clips:
    """Clips, by camera.

    Args:
        database: The project's.
        media: The folder of their files.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, media: MediaFolder, damage: list[Damaged | str]) -> None:
        self._db, self._media, self._damage = database, media, damage

    def names(self, camera_id: int) -> frozenset[tuple[str, int]]:
        """Original name and size in bytes of each of a camera's clips."""
        rows = self._db.rows("SELECT original_name, bytes FROM clip WHERE camera_id = ? AND NOT gone", (camera_id,))
        return frozenset((r["original_name"], r["bytes"]) for r in rows)

    def add(self, camera_id: int, new: NewClip, *, stopped: Callable[[], bool] = lambda: False) -> int | None:
        """Copy a clip into the media folder and enter it.

        Args:
            camera_id: The camera that recorded it.
            new: What is known of it.
            stopped: Asked between pieces of a large file; True ends the copy.

        Returns:
            Its number, None if this camera has the very same file already; one that was put away is brought back.

        Raises:
            ProjectError: If the copy fails; nothing is left behind then.
            Cancelled: If it was stopped; likewise.
            InvalidValue: If its start is no date that a camera can have.
        """
        moment(new.start_s, f"The start of {plain_name(new.path)}")
        suffix = new.path.suffix.lower()
        suffix = suffix if suffix.isascii() and suffix[1:].isalnum() else ""

        def name_of(digest: str) -> str | None:
            known = self._db.rows(
                "SELECT 1 FROM clip WHERE camera_id = ? AND digest = ? AND NOT gone", (camera_id, digest)
            )
            return None if known else f"{digest[:16]}-{camera_id}{suffix}"

        original = plain_name(new.path)
        try:
            digest = self._media.take_in(new.path, name_of, stopped)
        except OSError as error:
            raise ProjectError(
                f"{original} cannot be copied into the project ({error.strerror}).",
                kept="The clips imported before are kept.",
                do="Check the file and the space on the disk, then import the rest again.",
            ) from error
        if digest is None or (name := name_of(digest)) is None:
            return None
        with self._db.transaction():
            # Another window may have taken the same file in meanwhile.
            if name_of(digest) is None:
                return None
            away = self._db.rows("SELECT id FROM clip WHERE camera_id = ? AND digest = ?", (camera_id, digest))
            if away:
                self._db.run("UPDATE clip SET gone = 0 WHERE id = ?", (away[0]["id"],))
                return int(away[0]["id"])
            return self._db.run(
                "INSERT INTO clip (camera_id, file, original_name, digest, bytes, start_s, start_source, duration_s,"
                " width, height, codec, origin, cause) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    camera_id, name, original, digest, (self._media.path / name).stat().st_size, new.start_s,
                    new.start_source, new.duration_s, new.width, new.height, new.codec, new.origin.value,
                    new.cause.value if new.cause else "",
                ),
            )  # fmt: skip

    def waiting(self, camera_id: int) -> int:
        """Number of a camera's clips that are here but not measured yet."""
        return sum(self._media.file(self.file_name(c.id)) is not None for c in self.of(camera_id, analysed=False))

    def count(self) -> int:
        """Number of clips in the whole project."""
        return int(self._db.rows("SELECT count(*) AS n FROM clip_at")[0]["n"])

    def of(self, camera_id: int, *, analysed: bool | None = None) -> list[Clip]:
        """Clips of a camera in order of time; only analysed or only not analysed ones if asked.

        Those that cannot be measured at all count as neither.
        """
        condition = {None: "", True: "AND t.clip_id IS NOT NULL", False: "AND t.clip_id IS NULL AND c.trouble = ''"}[
            analysed
        ]
        rows = self._db.rows(
            "SELECT c.id, c.original_name, c.start_s, c.true_s, c.duration_s, c.origin, c.cause, c.bytes, c.width, "
            "t.brightness FROM clip_at c "
            f"LEFT JOIN measured t ON t.clip_id = c.id WHERE c.camera_id = ? {condition} ORDER BY c.true_s, c.id",
            (camera_id,),
        )
        return list(read_each(rows, _clip, "clip", self._damage).values())

    def set_gone(self, clip_ids: Iterable[int], gone: bool) -> None:
        """Put clips away, or bring them back; their occurrences, judgements and files stay for that."""
        with self._db.transaction():
            for clip_id in clip_ids:
                self._db.run("UPDATE clip SET gone = ? WHERE id = ?", (gone, clip_id))

    def views(self, camera_id: int) -> dict[int, str]:
        """What was found of each clip's view, by number: nothing yet, the planned one, or how it differs."""
        rows = self._db.rows("SELECT id, picture FROM clip_at WHERE camera_id = ?", (camera_id,))
        return {r["id"]: r["picture"] for r in rows}

    def other_views(self, camera_id: int) -> frozenset[int]:
        """Numbers of the clips that show another view than the planned one, and are not scored."""
        return frozenset(i for i, words in self.views(camera_id).items() if words not in ("", SAME_VIEW, SAID_SAME))

    def set_views(self, views: Mapping[int, str]) -> None:
        """Keep what was found, or said, of clips' views."""
        with self._db.transaction():
            for clip_id, words in views.items():
                self._db.run("UPDATE clip SET picture = ? WHERE id = ?", (words, clip_id))

    def guessed(self, camera_id: int) -> int:
        """Number of a camera's clips whose beginning is only known by the date of their file."""
        sql = "SELECT count(*) AS n FROM clip_at WHERE camera_id = ? AND start_source = 'file date'"
        return int(self._db.rows(sql, (camera_id,))[0]["n"])

    def troubles(self, camera_id: int) -> dict[int, str]:
        """Why clips of a camera cannot be measured, by number."""
        rows = self._db.rows("SELECT id, trouble FROM clip_at WHERE camera_id = ? AND trouble <> ''", (camera_id,))
        return {r["id"]: r["trouble"] for r in rows}

    def set_causes(self, causes: Mapping[int, str]) -> None:
        """Say why clips, by id, were recorded; '' leaves it to the camera's list."""
        with self._db.transaction():
            for clip_id, cause in causes.items():
                self._db.run("UPDATE clip SET cause = ? WHERE id = ?", (cause, clip_id))

    def causes_said(self, camera_id: int) -> dict[int, str]:
        """What was said of why a camera's clips were recorded, by clip id; '' where nothing was."""
        rows = self._db.rows("SELECT id, cause FROM clip WHERE camera_id = ?", (camera_id,))
        return {r["id"]: r["cause"] for r in rows}

    def set_start(self, clip_id: int, start_s: float, source: str) -> None:
        """Give a clip another start (POSIX seconds) and say how it is known; raises InvalidValue for no usable date."""
        moment(start_s, "The start of a clip")
        with self._db.transaction():
            self._db.run("UPDATE clip SET start_s = ?, start_source = ? WHERE id = ?", (start_s, source, clip_id))

    def start(self, clip_id: int) -> tuple[float, str]:
        """Start of a clip as it was read (POSIX seconds, the clock's error not taken off) and how it is known."""
        row = self._db.rows("SELECT start_s, start_source FROM clip WHERE id = ?", (clip_id,))[0]
        return row["start_s"], row["start_source"]

    def path(self, clip_id: int) -> Path:
        """The clip's file in the media folder.

        Args:
            clip_id: Number in the project.

        Returns:
            The file.

        Raises:
            ProjectError: If the file is gone.
        """
        path = self._media.file(self.file_name(clip_id))
        if path is None:
            raise ProjectError(
                f"The clip {self._original_name(clip_id)} is missing from {self._media.path}.",
                kept="Its judgement and its trace are kept, so scores stay the same.",
                do="Put the media folder back beside project.sqlite to see its pictures.",
            )
        return path

    def path_or_none(self, clip_id: int) -> Path | None:
        """The clip's file, None if it is gone."""
        return self._media.file(self.file_name(clip_id))

    def size(self, clip_id: int) -> tuple[int, int]:
        """Width and height of a clip's picture, pixels."""
        row = self._db.rows("SELECT width, height FROM clip WHERE id = ?", (clip_id,))[0]
        return row["width"], row["height"]

    def latest_size(self, camera_id: int) -> tuple[int, int]:
        """Width and height of a camera's latest clip, pixels; (0, 0) without any."""
        rows = self._db.rows(
            "SELECT width, height FROM clip_at WHERE camera_id = ? ORDER BY true_s DESC LIMIT 1", (camera_id,)
        )
        return (rows[0]["width"], rows[0]["height"]) if rows else (0, 0)

    def original(self, clip_id: int) -> tuple[str, str]:
        """Name that the file had on the camera, and its SHA-256 as it was taken in."""
        row = self._db.rows("SELECT original_name, digest FROM clip WHERE id = ?", (clip_id,))[0]
        return str(row["original_name"]), str(row["digest"])

    def file_name(self, clip_id: int) -> str:
        """Name of a clip's file in the media folder."""
        return str(self._db.rows("SELECT file FROM clip WHERE id = ?", (clip_id,))[0]["file"])

    def _original_name(self, clip_id: int) -> str:
        return str(self._db.rows("SELECT original_name FROM clip WHERE id = ?", (clip_id,))[0]["original_name"])


def _clip(row: Any) -> Clip:
    moment(row["start_s"], "The start of a clip")  # a text would be nought in the sum that corrects it
    return Clip(
        row["id"], str(row["original_name"]), moment(row["true_s"], "The start of a clip"),
        number(row["duration_s"], 0, LONGEST_CLIP_S, "The length of a clip"), Origin(row["origin"]),
        math.nan if row["brightness"] is None else number(row["brightness"], 0, 255, "The brightness of a clip"),
        Cause(row["cause"]) if row["cause"] else Cause.MOTION,
        int(number(row["bytes"], 0, LARGEST_FILE, "The size of a clip")),
        int(number(row["width"], 0, WIDEST_PX, "The width of a clip")),
    )  # fmt: skip


def plain_name(path: Path) -> str:
    """A file's name as text that can be kept and shown; bytes that are no UTF-8 become a sign of their own."""
    return os.fsencode(path.name).decode("utf-8", "replace")
