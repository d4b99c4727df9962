"""What was measured of clips, in the project: traces, backgrounds, and the occurrences found in them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.base.errors import ProjectError
from guardia.core.base.values import is_moment
from guardia.core.evidence.clips import NewOccurrence, Origin
from guardia.core.trace.backgrounds import ClipLook, wall_seconds
from guardia.core.trace.measure import CONTRAST_LEVELS, MODEL_VERSION, Trace
from guardia.store.database import Database, pack, unpack
from guardia.store.media_folder import MediaFolder
from guardia.store.rows import Damaged

_Named = tuple[NewOccurrence, str]
"""What was found, and the name of its strip of pictures."""

MOST_CELLS = 1 << 12
"""No grid has more cells; a trace that says so is damaged."""


def _packed(trace: Trace) -> tuple[int, int, int, bytes, bytes, bytes, bytes]:
    return (
        trace.columns, trace.rows, trace.changed.shape[1], pack(trace.times_s, "<f8"), pack(trace.frame_start, "<i8"),
        pack(trace.cell, "<u2"), pack(trace.changed, "u1"),
    )  # fmt: skip


_COLUMNS = "columns = ?, rows = ?, levels = ?, times_s = ?, frame_start = ?, cell = ?, changed = ?"


class Measurements:
    """What was measured of a project's clips.

    Args:
        database: The project's.
        media: Its media folder.
    """

    def __init__(self, database: Database, media: MediaFolder) -> None:
        self._db = database
        self._media = media

    def put_analysis(
        self,
        clip_id: int,
        trace: Trace,
        occurrences: Sequence[NewOccurrence],
        *,
        background: bytes,
        brightness: float,
        length_s: float = 0.0,
        helped: str = "",
    ) -> bool:
        """Keep a clip's first look and what it comes to, at once; as put_first_look() and finish()."""
        self._media.write(self.background_name(clip_id), background)
        strips = self._write_strips(clip_id, occurrences)
        with self._db.transaction():
            self._put_first_look(clip_id, trace, brightness, length_s)
            if fresh := self._finish(clip_id, None, helped):
                self._add(clip_id, list(zip(occurrences, strips, strict=True)))
            return fresh

    def put_first_look(
        self, clip_id: int, trace: Trace, *, background: bytes, brightness: float, length_s: float
    ) -> None:
        """Keep what was measured of a clip by itself; it counts only after finish().

        Args:
            clip_id: The clip.
            trace: Measured against the clip's own background.
            background: That background, JPEG.
            brightness: Its mean luma, 0..255.
            length_s: Length of the clip by its pictures; 0 leaves it as it is.
        """
        self._media.write(self.background_name(clip_id), background)
        with self._db.transaction():
            self._put_first_look(clip_id, trace, brightness, length_s)

    def _put_first_look(self, clip_id: int, trace: Trace, brightness: float, length_s: float) -> None:
        if self._db.rows("SELECT 1 FROM measured WHERE clip_id = ? AND model = ?", (clip_id, MODEL_VERSION)):
            return  # another window was quicker
        self._db.run("DELETE FROM trace WHERE clip_id = ? AND NOT final", (clip_id,))
        again = bool(self._db.rows("SELECT 1 FROM trace WHERE clip_id = ?", (clip_id,)))
        values = (*_packed(trace), brightness, MODEL_VERSION)
        if again:
            # What an older model measured is replaced; its occurrences and their judgements stay.
            self._db.run(
                f"UPDATE trace SET {_COLUMNS}, brightness = ?, model = ?, helped = '' WHERE clip_id = ?",
                (*values, clip_id),
            )
        else:
            self._db.run(
                "INSERT INTO trace (columns, rows, levels, times_s, frame_start, cell, changed, brightness, model,"
                " final, clip_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 0, ?)",
                (*values, clip_id),
            )
        if length_s > 0:
            self._db.run("UPDATE clip SET duration_s = ? WHERE id = ?", (length_s, clip_id))

    def finish(
        self,
        clip_id: int,
        trace: Trace | None,
        occurrences: Sequence[NewOccurrence],
        *,
        helped: str,
        before: Sequence[tuple[float, float]] | None = None,
    ) -> bool:
        """Let a clip count, with the help of others.

        Args:
            clip_id: A clip that was looked at.
            trace: Measured with the help of others, None when it is as it was.
            occurrences: Found in it; they are entered when it counted not yet, else they take the place of `before`.
            helped: Key of those others, from backgrounds.key_of(), marked where they changed the trace.
            before: (start, end) seconds of what was found in the trace of before, None where the same is found now.
                Where all there is stands so, nobody moved it: it moves to what is found now, with its judgement.

        Returns:
            Whether it counts from now on; False when it did already.
        """
        again = before is not None and self._as_found(clip_id, before)
        if before is not None and not again:
            occurrences = ()
        named = list(zip(occurrences, self._write_strips(clip_id, occurrences), strict=True))
        with self._db.transaction():
            fresh = self._finish(clip_id, trace, helped)
            if fresh or again:
                self._add(clip_id, named if fresh else self._moved(clip_id, named))
            return fresh

    def _there(self, clip_id: int) -> list[sqlite3.Row]:
        return self._db.rows(
            "SELECT id, start_s, end_s, kind, gone FROM occurrence WHERE clip_id = ? ORDER BY start_s", (clip_id,)
        )

    def _as_found(self, clip_id: int, before: Sequence[tuple[float, float]]) -> bool:
        """Whether a clip's occurrences are those that were found: moved, split and joined by nobody."""
        there = [(round(r["start_s"], 3), round(r["end_s"], 3)) for r in self._there(clip_id) if not r["gone"]]
        return there == [(round(a, 3), round(b, 3)) for a, b in before]

    def _moved(self, clip_id: int, named: Sequence[_Named]) -> list[_Named]:
        """Let what is there move to what is found now, and give what is new; what is found no more goes."""
        left, there = list(named), self._there(clip_id)
        alone = len(named) == 1 == sum(not row["gone"] for row in there)
        for row in there:
            over = (
                left
                if alone
                else [one for one in left if one[0].start_s < row["end_s"] and row["start_s"] < one[0].end_s]
            )
            if over and not row["gone"]:
                new, name = over[0]
                left.remove(over[0])
                self._db.run(
                    "UPDATE occurrence SET start_s = ?, end_s = ?, key_times = ?, strip = ? WHERE id = ?",
                    (new.start_s, new.end_s, json.dumps(list(new.key_times_s)), name, row["id"]),
                )
            elif not row["kind"]:
                self._db.run("UPDATE occurrence SET gone = 1 WHERE id = ?", (row["id"],))
        return left

    def _add(self, clip_id: int, named: Sequence[_Named]) -> None:
        for new, name in named:
            self._db.run(
                "INSERT INTO occurrence (clip_id, start_s, end_s, key_times, strip) VALUES (?, ?, ?, ?, ?)",
                (clip_id, new.start_s, new.end_s, json.dumps(list(new.key_times_s)), name),
            )

    def _finish(self, clip_id: int, trace: Trace | None, helped: str) -> bool:
        if trace is not None:
            self._db.run(f"UPDATE trace SET {_COLUMNS} WHERE clip_id = ?", (*_packed(trace), clip_id))
        fresh = not self._db.rows("SELECT 1 FROM measured WHERE clip_id = ?", (clip_id,))
        self._db.run("UPDATE trace SET final = 1, helped = ? WHERE clip_id = ?", (helped, clip_id))
        return fresh

    def _write_strips(self, clip_id: int, occurrences: Sequence[NewOccurrence]) -> list[str]:
        """The pictures are written first; only then does a transaction name them."""
        stem = Path(self._file_name(clip_id)).stem
        strips = [f"{stem}-{number}.jpg" for number in range(len(occurrences))]
        for name, new in zip(strips, occurrences, strict=True):
            self._media.write(name, new.strip)
        return strips

    def looks(self, camera_id: int, zone: ZoneInfo) -> list[ClipLook]:
        """What is known of a camera's clips that were looked at, for the help that they are to each other."""
        rows = self._db.rows(
            "SELECT c.id, c.file, c.digest, c.true_s, c.origin, t.helped, t.final, t.model FROM clip_at c "
            "JOIN trace t ON t.clip_id = c.id WHERE c.camera_id = ? ORDER BY c.true_s, c.digest",
            (camera_id,),
        )
        return [
            ClipLook(
                r["id"], r["digest"], wall_seconds(r["true_s"], zone), r["origin"] == Origin.SNAPSHOT.value,
                r["helped"], bool(r["final"]), r["model"],
            )
            for r in rows
            if is_moment(r["true_s"])  # the clip itself is set aside where it is read
        ]  # fmt: skip

    def background(self, clip_id: int) -> bytes:
        """A clip's background by itself (JPEG), empty if it is gone."""
        return self._media.read(self.background_name(clip_id))

    def trace(self, clip_id: int) -> Trace:
        """What was measured of a clip, whether or not it counts already; raises ProjectError if it is damaged."""
        return _trace(self._db.rows("SELECT * FROM trace WHERE clip_id = ?", (clip_id,))[0])

    def brightness(self, clip_id: int) -> float | None:
        """Mean luma (0..255) of a clip's background, None if it is not analysed."""
        rows = self._db.rows("SELECT brightness FROM trace WHERE clip_id = ?", (clip_id,))
        return float(rows[0]["brightness"]) if rows else None

    def measured(self, camera_id: int) -> int:
        """Number of a camera's clips that are measured."""
        sql = "SELECT count(*) AS n FROM clip_at c JOIN measured t ON t.clip_id = c.id WHERE c.camera_id = ?"
        return int(self._db.rows(sql, (camera_id,))[0]["n"])

    def outdated(self) -> int:
        """Number of clips that an older version of the motion model measured."""
        sql = "SELECT count(*) AS n FROM clip_at c JOIN measured t ON t.clip_id = c.id WHERE t.model < ?"
        return int(self._db.rows(sql, (MODEL_VERSION,))[0]["n"])

    def look_of(self, clip_id: int) -> int:
        """Version of the motion model that a clip was looked at with, 0 while it was not."""
        rows = self._db.rows("SELECT model FROM trace WHERE clip_id = ?", (clip_id,))
        return int(rows[0]["model"]) if rows else 0

    def set_trouble(self, clip_id: int, words: str) -> None:
        """Keep why a clip cannot be measured, so that it is not tried again and again."""
        with self._db.transaction():
            self._db.run("UPDATE clip SET trouble = ? WHERE id = ?", (words, clip_id))

    def troubles(self, camera_id: int) -> dict[str, float]:
        """Original names of motion clips that cannot be measured, with their starts (POSIX seconds)."""
        rows = self._db.rows(
            "SELECT original_name, true_s FROM clip_at WHERE camera_id = ? AND trouble <> '' AND origin = ?",
            (camera_id, Origin.MOTION.value),
        )
        return {r["original_name"]: r["true_s"] for r in rows if is_moment(r["true_s"])}

    def background_name(self, clip_id: int) -> str:
        """Name of the picture of a clip's background."""
        return f"{Path(self._file_name(clip_id)).stem}-background.jpg"

    def each(self, camera_id: int) -> Iterator[tuple[int, Trace | str]]:
        """Clip and trace of each clip of a camera that counts, in order of time; the reason where one is damaged."""
        for row in self._db.each(
            "SELECT t.* FROM measured t JOIN clip_at c ON c.id = t.clip_id WHERE c.camera_id = ? "
            "ORDER BY c.true_s, c.id",
            (camera_id,),
        ):
            try:
                yield row["clip_id"], _trace(row)
            except (ProjectError, ValueError, TypeError) as error:
                yield row["clip_id"], str(error)

    def damaged(self, camera_id: int) -> list[Damaged]:
        """What was measured of a camera's clips, cannot be read, and does not wait to be measured again."""
        return [
            Damaged("trace", clip_id, found)
            for clip_id, found in self.each(camera_id)
            if isinstance(found, str) and self.look_of(clip_id) == MODEL_VERSION
        ]

    def _file_name(self, clip_id: int) -> str:
        return str(self._db.rows("SELECT file FROM clip WHERE id = ?", (clip_id,))[0]["file"])


def _trace(row: Any) -> Trace:
    columns, rows = int(row["columns"]), int(row["rows"])
    if row["levels"] != len(CONTRAST_LEVELS) or not 0 < columns * rows <= MOST_CELLS or not 0 < columns <= 64:
        raise ProjectError("it was measured on another grid or with other contrast levels")
    times, start = unpack(row["times_s"], "<f8"), unpack(row["frame_start"], "<i8")
    cell, changed = unpack(row["cell"], "<u2"), unpack(row["changed"], "u1").reshape(-1, row["levels"])
    whole = (
        len(start) == len(times) + 1
        and len(cell) == len(changed)
        and start[0] == 0
        and start[-1] == len(cell)
        and bool((np.diff(start) >= 0).all())
        and bool((np.diff(times) > 0).all())
        and bool(np.isfinite(times).all())
        and int(cell.max(initial=0)) < columns * rows
    )
    if not whole:
        raise ProjectError("its parts do not fit together")
    return Trace(times, start, cell, changed, columns, rows)
