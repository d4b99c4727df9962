"""The stores of a site and what was typed in of them: every change can be undone and shows on all cameras."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import OF_SITE, Owner
from guardia.app.site.site_part import SitePart
from guardia.core.base.words import count_of
from guardia.core.score.power import uploads
from guardia.core.storage.data import OnLine, goes_without, line_load
from guardia.core.storage.facts import FACTS, check_fact, fact_figure
from guardia.core.storage.readings import Reading
from guardia.core.storage.stores import Fitted, Store


class SiteStorage(SitePart):
    """Stores, readings of them, and facts of cameras and the site."""

    @property
    def stores(self) -> tuple[Fitted, ...]:
        """All stores of the site."""
        return self._project.stores.all()

    def add_store(self, store: Store, cameras: Sequence[int]) -> None:
        """Enter a store and which cameras record to it."""
        self._set((*self.stores, Fitted(0, store, tuple(cameras))), f"enter '{store.name}'")

    def change_store(self, number: int, store: Store, cameras: Sequence[int]) -> None:
        """Correct a store, or which cameras record to it."""
        changed = tuple(replace(f, store=store, cameras=tuple(cameras)) if f.id == number else f for f in self.stores)
        self._set(changed, f"change '{store.name}'")

    def remove_store(self, number: int) -> None:
        """Take a store out with its readings."""
        self._set(tuple(f for f in self.stores if f.id != number), "take a store out")

    def add_readings(self, number: int, readings: Sequence[Reading]) -> None:
        """Keep what was read off a store; raises InvalidValue where it cannot be."""
        changed = []
        for fitted in self.stores:
            if fitted.id == number:
                merged = sorted({*fitted.readings, *readings}, key=lambda r: (r.at_s, r.what))
                fitted = replace(fitted, readings=tuple(merged))
            changed.append(fitted)
        self._set(tuple(changed), "read a store off")

    def remove_reading(self, number: int, reading: Reading) -> None:
        """Take a reading of a store out."""
        changed = [
            replace(f, readings=tuple(r for r in f.readings if r != reading)) if f.id == number else f
            for f in self.stores
        ]
        self._set(tuple(changed), "take a reading out")

    def _set(self, stores: tuple[Fitted, ...], what: str) -> None:
        before = self.stores
        if stores != before:
            self._changes.make(OF_SITE, what, self._project.stores.set_all, lambda _: self.refresh(), before, stores)

    def set_fact(self, camera_id: int, name: str, value: float | None) -> None:
        """Type a fact in, of the camera or of the site as it is one; None lets it be assumed again.

        Args:
            camera_id: The camera on whose page it is typed.
            name: Id of the fact.
            value: In its unit.

        Raises:
            InvalidValue: If it cannot be.
        """
        if value is not None:
            check_fact(name, value)
        whose = None if FACTS[name].of_site else camera_id
        before = self._project.readings.facts(whose)
        after: Mapping[str, float] = {k: v for k, v in before.items() if k != name}
        after = after if value is None else {**after, name: value}
        if after != before:
            self._changes.make(
                OF_SITE if whose is None else Owner(camera_id, self._session.camera_name(camera_id)),
                f"type in: {FACTS[name].words}" if value is not None else f"assume: {FACTS[name].words}",
                lambda facts: self._project.readings.set_facts(whose, facts),
                lambda _: self.refresh(),
                before,
                after,
            )

    def line_words(self) -> str:
        """What all cameras that send off the site need of its line at once; empty where none does."""
        opened = self._session.cameras.opened
        sending = [
            OnLine(m.camera.name, need)
            for m in opened.values()
            if (need := uploads(m.comparison.draft_replay.keeping)) is not None
        ]
        if not sending:
            return ""
        left_out = len(self._session.camera_ids()) - len(opened)
        load = line_load(sending)
        facts = self._project.readings.facts(None)
        words = f"{count_of(len(sending), 'camera')} sending at once: {load.words}"
        if left_out:
            words += f" ({count_of(left_out, 'camera')} not opened yet, left out)"
        upload = fact_figure(facts, "upload")
        if upload is None:
            return f"{words}. The line's measured upload is not typed in."
        without = goes_without(sending, upload)
        lost = f": {', '.join(without)} would go without first" if without else ", which it carries"
        return f"{words} of the line's {upload.words}{lost}."

    def follow(self, model: CameraModel) -> None:
        """Show on the other cameras of its stores what changed on one: together they fill them."""
        opened = self._session.cameras.opened
        mine = {i for fitted in self.stores if model.camera.id in fitted.cameras for i in fitted.cameras}
        for other in [opened[i] for i in mine if i in opened]:
            if other is not model:
                other.reload_storage()

    def refresh(self) -> None:
        """Show on every camera that is opened what is known now."""
        for model in list(self._session.cameras.opened.values()):
            model.reload_storage()
