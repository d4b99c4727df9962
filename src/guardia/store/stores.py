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

_FORM = TypeAdapter(Store)


class Stores:
    """Stores by number.

    Parameters
    ----------
    database
        The project's.
    readings
        Of its stores.
    damage
        Where it is put what was found damaged and set aside, in sentences.
    """

    def __init__(self, database: Database, readings: Readings, damage: list[str]) -> None:
        self._db, self._readings, self._damage = database, readings, damage

    def all(self) -> tuple[Fitted, ...]:
        """All stores in the order in which they were entered."""
        stores = []
        hung: dict[int, list[int]] = {}
        for row in self._db.rows("SELECT store_id, camera_id FROM camera_store ORDER BY camera_id"):
            hung.setdefault(row["store_id"], []).append(row["camera_id"])
        for row in self._db.rows("SELECT id, body FROM store ORDER BY id"):
            try:
                store = read_as(_FORM, json.loads(row["body"]), "A store")
            except (InvalidValue, ValueError, TypeError, RecursionError) as error:
                self._damage.append(f"A store is set aside: what is kept of it is damaged ({error}).")
                continue
            cameras = tuple(hung.get(row["id"], ()))
            stores.append(Fitted(row["id"], store, cameras, self._readings.of_store(row["id"])))
        return tuple(stores)

    def set_all(self, stores: Sequence[Fitted]) -> None:
        """Keep all stores with their cameras and readings.

        Parameters
        ----------
        stores
            Those with the number 0 are new.

        Raises
        ------
        InvalidValue
            If two have one name.
        """
        names = [f.store.name for f in stores]
        if len({*names}) < len(names):
            raise InvalidValue("Two stores cannot have one name.", kept="Nothing was changed.")
        with self._db.transaction():
            self._db.run("DELETE FROM reading WHERE store_id IS NOT NULL")
            self._db.run("DELETE FROM camera_store")
            self._db.run("DELETE FROM store")
            for fitted in stores:
                body = _FORM.dump_json(fitted.store).decode()
                number = self._db.run("INSERT INTO store (id, body) VALUES (?, ?)", (fitted.id or None, body))
                for camera_id in fitted.cameras:
                    self._db.run("INSERT INTO camera_store (camera_id, store_id) VALUES (?, ?)", (camera_id, number))
                self._readings.set_of_store(number, fitted.readings)

    def of(self, camera_id: int) -> tuple[Fitted, ...]:
        """The stores of a camera; what the others on them write is not told here."""
        return tuple(f for f in self.all() if camera_id in f.cameras)
