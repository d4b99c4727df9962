"""The occurrences of a project: what was found in its clips, and how it was judged."""

from __future__ import annotations

import getpass
import json
import time
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from guardia.core.base.values import LONGEST_CLIP_S, number
from guardia.core.evidence.clips import NewOccurrence, Occurrence
from guardia.core.purpose.judgement import kind_of
from guardia.store.clips import Clips
from guardia.store.database import Database
from guardia.store.media_folder import MediaFolder
from guardia.store.rows import Damaged, read_each


@dataclass(frozen=True)
class KeptJudgement:
    """An occurrence with what was said of it."""

    id: int
    """Its number."""
    digest: str
    """SHA-256 of its clip."""
    clip: str
    """Name of the clip."""
    start_s: float
    """On the clip's clock."""
    end_s: float
    """Likewise."""
    kind: str
    """Empty while it is not judged."""
    at_s: float
    """When it was judged, POSIX seconds; 0 where that is not known."""
    by: str
    """By whom."""
    undone_s: float
    """When the judgement was made that was undone here last, POSIX seconds; 0 where none was."""


class Said(NamedTuple):
    """What is said of an occurrence, and of when and whom that is."""

    kind: str
    """Empty while it is not judged."""
    at_s: float | None
    """When it was judged, POSIX seconds; None where that is not known."""
    by: str
    """By whom."""
    undone_s: float | None
    """When the judgement was made that was undone last, so that a copy which still has it is known to be older."""

    def then(self, kind: str, at_s: float, by: str) -> Said:
        """After another judgement, made at a moment by somebody; one that is empty takes this one back."""
        return Said(kind, at_s, by, self.undone_s) if kind else Said("", None, "", self.at_s)

    def before(self, new: Said) -> Said:
        """The same after `new` was undone."""
        return self._replace(undone_s=new.at_s if new.at_s is not None else self.undone_s)


@dataclass(frozen=True)
class WithoutPictures:
    """An occurrence whose key pictures are not in the media folder."""

    id: int
    """Its number."""
    clip_id: int
    """Its clip."""
    times_s: tuple[float, ...]
    """Of the key pictures, on the clip's clock."""
    strip: str
    """Name under which they are to be kept."""


def person() -> str:
    """The name under which somebody is signed in on this machine; empty where there is none."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


class Occurrences:
    """Occurrences, by camera.

    Args:
        database: The project's.
        media: The folder of their key pictures.
        clips: The clips that show them.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, media: MediaFolder, clips: Clips, damage: list[Damaged | str]) -> None:
        self._db, self._media, self._clips, self._damage = database, media, clips, damage

    def of(self, camera_id: int, clips: Collection[int]) -> list[Occurrence]:
        """Occurrences of a camera in those of its clips, in order of time."""
        rows = self._db.rows(
            "SELECT o.id, o.clip_id, o.start_s, o.end_s, o.kind, o.visit FROM occurrence o "
            "JOIN clip_at c ON c.id = o.clip_id JOIN measured t ON t.clip_id = c.id "
            "WHERE c.camera_id = ? AND NOT o.gone ORDER BY c.true_s + o.start_s, o.id",
            (camera_id,),
        )
        rows = [r for r in rows if r["clip_id"] in clips]
        return list(read_each(rows, _occurrence, "occurrence", self._damage).values())

    def add(self, clip_id: int, new: NewOccurrence, kind: str) -> int:
        """Enter an occurrence found or split off by hand; gives its number."""
        count = self._db.rows("SELECT count(*) AS n FROM occurrence WHERE clip_id = ?", (clip_id,))[0]["n"]
        name = f"{Path(self._clips.file_name(clip_id)).stem}-{count}.jpg"
        self._media.write(name, new.strip)
        with self._db.transaction():
            return self._db.run(
                "INSERT INTO occurrence (clip_id, start_s, end_s, key_times, strip, kind) VALUES (?, ?, ?, ?, ?, ?)",
                (clip_id, new.start_s, new.end_s, json.dumps(list(new.key_times_s)), name, kind),
            )

    def show(self, shown: Sequence[int], hidden: Sequence[int]) -> None:
        """Bring occurrences back and put others away, which keeps them for an undo."""
        with self._db.transaction():
            for gone, ids in ((0, shown), (1, hidden)):
                for occurrence_id in ids:
                    self._db.run("UPDATE occurrence SET gone = ? WHERE id = ?", (gone, occurrence_id))

    def new_visit(self) -> int:
        """A number that no visit has yet."""
        return int(self._db.rows("SELECT coalesce(max(visit), 0) + 1 AS n FROM occurrence")[0]["n"])

    def cameras_of(self, visits: Collection[int | None]) -> list[int]:
        """Numbers of the cameras that saw a part of some visits."""
        rows = self._db.rows(
            "SELECT DISTINCT c.camera_id AS id, o.visit FROM occurrence o JOIN clip_at c ON c.id = o.clip_id "
            "WHERE o.visit IS NOT NULL AND NOT o.gone"
        )
        return list(dict.fromkeys(row["id"] for row in rows if row["visit"] in visits))

    def set_visits(self, visits: Mapping[int, int | None]) -> None:
        """Say of occurrences, by id, which visit they are part of."""
        with self._db.transaction():
            for occurrence_id, visit in visits.items():
                self._db.run("UPDATE occurrence SET visit = ? WHERE id = ?", (visit, occurrence_id))

    def judge(self, kinds: Mapping[int, str]) -> None:
        """Keep judgements by occurrence id, all in one transaction; an empty kind takes one back."""
        now, by = time.time(), person()
        self.put_said({i: said.then(kinds[i], now, by) for i, said in self.said(kinds).items()})

    def said(self, ids: Iterable[int]) -> dict[int, Said]:
        """What is said of occurrences, by their numbers."""
        chosen = "id IN (SELECT value FROM json_each(?))"
        rows = self._db.rows(
            f"SELECT id, kind, judged_s, judged_by, undone_s FROM occurrence WHERE {chosen}", (json.dumps([*ids]),)
        )
        return {row["id"]: Said(*tuple(row)[1:]) for row in rows}

    def put_said(self, said: Mapping[int, Said]) -> None:
        """Keep what is said of occurrences, with its moment and person, all in one transaction."""
        with self._db.transaction():
            for occurrence_id, one in said.items():
                self._db.run(
                    "UPDATE occurrence SET kind = ?, judged_s = ?, judged_by = ?, undone_s = ? WHERE id = ?",
                    (*one, occurrence_id),
                )

    def judged(self, camera_id: int) -> list[KeptJudgement]:
        """All occurrences of a camera with who said when what they are, judged or not."""
        rows = self._db.rows(
            "SELECT o.id, c.digest, c.original_name, o.start_s, o.end_s, o.kind, coalesce(o.judged_s, 0) AS at_s, "
            "o.judged_by, coalesce(o.undone_s, 0) FROM occurrence o JOIN clip_at c ON c.id = o.clip_id "
            "WHERE c.camera_id = ? AND NOT o.gone",
            (camera_id,),
        )
        return [KeptJudgement(*tuple(row)) for row in rows]

    def take(self, judged: Iterable[tuple[int, KeptJudgement]]) -> None:
        """Keep judgements made elsewhere, by the number of the occurrence here, with their time and person."""
        self.put_said({i: Said(one.kind, one.at_s or None, one.by, one.undone_s or None) for i, one in judged})

    def strip(self, occurrence_id: int) -> bytes:
        """The key pictures of an occurrence, as JPEG; empty if there are none."""
        rows = self._db.rows("SELECT strip FROM occurrence WHERE id = ?", (occurrence_id,))
        return self._media.read(rows[0]["strip"]) if rows else b""

    def without_pictures(self) -> dict[int, WithoutPictures]:
        """The occurrences whose key pictures are gone, by number, those of one clip together."""
        rows = self._db.rows("SELECT id, clip_id, key_times, strip FROM occurrence WHERE NOT gone ORDER BY clip_id, id")
        return {
            r["id"]: WithoutPictures(r["id"], r["clip_id"], tuple(json.loads(r["key_times"])), r["strip"])
            for r in rows
            if self._media.file(r["strip"]) is None
        }

    def picture_names(self) -> set[str]:
        """Names of the files with key pictures, those that are gone among them."""
        return {row["strip"] for row in self._db.rows("SELECT strip FROM occurrence")}

    def put_pictures(self, lacking: WithoutPictures, strip: bytes) -> None:
        """Keep key pictures that were drawn anew; raises ProjectError if they cannot be written."""
        self._media.write(lacking.strip, strip)

    def key_times(self, occurrence_id: int) -> list[float]:
        """Times of the key pictures on the clip's clock."""
        rows = self._db.rows("SELECT key_times FROM occurrence WHERE id = ?", (occurrence_id,))
        return [float(t) for t in json.loads(rows[0]["key_times"])] if rows else []


def _occurrence(row: Any) -> Occurrence:
    begin, end = (
        number(row[edge], -LONGEST_CLIP_S, LONGEST_CLIP_S, "A time in a clip") for edge in ("start_s", "end_s")
    )
    visit = None if row["visit"] is None else int(row["visit"])
    return Occurrence(row["id"], row["clip_id"], begin, end, row["kind"] and kind_of(row["kind"]).id, visit)
