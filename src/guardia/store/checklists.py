"""What was ticked on the commissioning lists of a project's cameras."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass

from guardia.core.base.values import moment
from guardia.store.database import Database
from guardia.store.rows import Damaged, keep_rows, read_each


@dataclass(frozen=True)
class Checked:
    """What somebody said of an item."""

    state: str
    """Done, not done, does not apply."""
    who: str
    """Who said so."""
    at_s: float
    """When, POSIX seconds."""


class Checklists:
    """Ticked items by camera.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def of(self, camera_id: int) -> dict[str, Checked]:
        """By the item's id."""
        return dict(self._of(camera_id).values())

    def _of(self, camera_id: int) -> dict[int, tuple[str, Checked]]:
        rows = self._db.rows("SELECT id, item, state, who, at_s FROM checked WHERE camera_id = ?", (camera_id,))
        return read_each(
            rows, lambda r: (str(r["item"]), Checked(str(r["state"]), str(r["who"]), moment(r["at_s"]))),
            "checked", self._damage,
        )  # fmt: skip

    def set_all(self, camera_id: int, checked: Mapping[str, Checked]) -> None:
        """Keep what was ticked of a camera."""
        with self._db.transaction():
            keep_rows(
                self._db, "checked", self._of(camera_id), list(checked.items()),
                lambda one: {"camera_id": camera_id, "item": one[0], **asdict(one[1])},
            )  # fmt: skip
