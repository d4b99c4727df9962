"""The stores of a site, which cameras record to them, and what was read off them."""

from __future__ import annotations

import json
from collections.abc import Sequence

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.storage.stores import Fitted, Store
from guardia.store.database import Database
from guardia.store.readings import Readings
from guardia.store.rows import WHAT, Damaged, put_body, read_each

_FORM = TypeAdapter(Store)


class Stores:
    """Stores by number.

    Args:
        database: The project's.
        readings: Of its stores.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, readings: Readings, damage: list[Damaged | str]) -> None:
        self._db, self._readings, self._damage = database, readings, damage

    def all(self) -> tuple[Fitted, ...]:
        """All stores in the order in which they were entered."""
        connected: dict[int, list[int]] = {}
        for row in self._db.rows("SELECT store_id, camera_id FROM camera_store ORDER BY camera_id"):
            connected.setdefault(row["store_id"], []).append(row["camera_id"])
        stores = read_each(
            self._db.rows("SELECT id, body FROM store ORDER BY id"),
            lambda row: read_as(_FORM, json.loads(row["body"]), WHAT["store"]), "store", self._damage,
        )  # fmt: skip
        return tuple(
            Fitted(number, store, tuple(connected.get(number, ())), self._readings.of_store(number))
            for number, store in stores.items()
        )

    def set_all(self, stores: Sequence[Fitted]) -> None:
        """Keep all stores with their cameras and readings.

        Args:
            stores: Those with the number 0 are new.

        Raises:
            InvalidValue: If two have one name.
        """
        names = [f.store.name for f in stores]
        if len({*names}) < len(names):
            raise InvalidValue("Two stores cannot have one name.", kept="Nothing was changed.")
        with self._db.transaction():
            before, stay = self.all(), {fitted.id for fitted in stores}
            for gone in (fitted.id for fitted in before if fitted.id not in stay):
                for table in ("reading", "camera_store"):
                    self._db.run(f"DELETE FROM {table} WHERE store_id = ?", (gone,))
                self._db.run("DELETE FROM store WHERE id = ?", (gone,))
            for fitted in (f for f in stores if f not in before):
                body = _FORM.dump_json(fitted.store).decode()
                number = put_body(self._db, "store", fitted.id or None, body)
                self._db.run("DELETE FROM camera_store WHERE store_id = ?", (number,))
                for camera_id in fitted.cameras:
                    self._db.run("INSERT INTO camera_store (camera_id, store_id) VALUES (?, ?)", (camera_id, number))
                self._readings.set_of_store(number, fitted.readings)

    def of(self, camera_id: int) -> tuple[Fitted, ...]:
        """The stores of a camera; what the others on them write is not told here."""
        return tuple(f for f in self.all() if camera_id in f.cameras)
