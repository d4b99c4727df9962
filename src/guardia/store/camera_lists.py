"""What cameras say of their clips, in the project: event lists and object boxes."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from guardia.core.base.values import LONGEST_CLIP_S, moment, number
from guardia.core.evidence.clips import Cause
from guardia.core.evidence.events import Boxes, CameraEvent
from guardia.store.database import Database, pack, unpack
from guardia.store.rows import Damaged, read_each


class CameraLists:
    """Event lists and boxes of a project's cameras.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def add_events(self, camera_id: int, shown: Sequence[CameraEvent], source: str) -> int:
        """Take in entries of a camera's event list.

        Args:
            camera_id: The camera.
            shown: The events at the times that the camera's clock showed.
            source: Name of the list.

        Returns:
            How many were new; the same time, class and zone is taken in once.
        """
        before = self.event_count(camera_id)
        with self._db.transaction():
            for e in shown:
                self._db.run(
                    "INSERT OR IGNORE INTO event (camera_id, shown_s, duration_s, named, alert, zone, source, cause) "
                    "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                    (camera_id, e.at_s, e.duration_s, e.named, e.alert, e.zone, source, e.cause),
                )
        return self.event_count(camera_id) - before

    def event_count(self, camera_id: int) -> int:
        """Number of entries of a camera's event lists."""
        return int(self._db.rows("SELECT count(*) AS n FROM event WHERE camera_id = ?", (camera_id,))[0]["n"])

    def events(self, camera_id: int) -> list[CameraEvent]:
        """Entries of a camera's event lists in order of time, the clock's error taken off."""
        rows = self._db.rows(
            "SELECT e.*, e.shown_s - k.clock_error_s AS at_s FROM event e JOIN camera k ON k.id = e.camera_id "
            "WHERE e.camera_id = ? ORDER BY e.shown_s, e.id",
            (camera_id,),
        )
        return list(read_each(rows, _event, "event", self._damage).values())

    def put_boxes(self, clip_id: int, boxes: Boxes, source: str) -> None:
        """Keep object boxes of a clip, on its clock; those of the same source are replaced."""
        with self._db.transaction():
            self._db.run(
                "INSERT OR REPLACE INTO boxes VALUES (?, ?, ?, ?, ?, ?)",
                (
                    clip_id, source, pack(boxes.times_s, "<f8"), pack(boxes.object_id, "<i8"),
                    pack(boxes.box, "<f8"),
                    json.dumps({str(k): v for k, v in boxes.named.items()}),
                ),
            )  # fmt: skip

    def boxes(self, clip_id: int) -> dict[str, Boxes]:
        """Object boxes of a clip by their source."""
        rows = self._db.rows("SELECT * FROM boxes WHERE clip_id = ? ORDER BY source", (clip_id,))
        return {
            r["source"]: Boxes(
                unpack(r["times_s"], "<f8"),
                unpack(r["object_id"], "<i8"),
                unpack(r["box"], "<f8").reshape(-1, 4),
                {int(k): v for k, v in json.loads(r["named"]).items()},
            )
            for r in rows
        }


def _event(row: Any) -> CameraEvent:
    moment(row["shown_s"])  # a text would be nought in the sum that corrects it
    lasts = None if row["duration_s"] is None else number(row["duration_s"], 0, LONGEST_CLIP_S, "A length")
    alert = None if row["alert"] is None else bool(row["alert"])
    cause = Cause(row["cause"]).value if row["cause"] else ""
    return CameraEvent(moment(row["at_s"]), lasts, str(row["named"]), alert, str(row["zone"]), cause)
