"""All that is known of where one camera's footage goes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from guardia.core.storage.readings import Reading
from guardia.core.storage.stores import Fitted, StoreKind


@dataclass(frozen=True)
class StorageKnown:
    """Stores, facts and readings of one camera."""

    stores: tuple[Fitted, ...] = ()
    """That it hangs on."""
    facts: Mapping[str, float] = field(default_factory=dict)
    """Typed in of the camera, by id."""
    of_site: Mapping[str, float] = field(default_factory=dict)
    """Typed in of the site."""
    readings: tuple[Reading, ...] = ()
    """Read off the camera, in order of time."""
    asked_s: float = 0.0
    """The moment at which it is asked what is still there, POSIX seconds."""

    def target(self, chosen: str) -> Fitted | None:
        """The store that is recorded to under a chosen target; the first that is no copy where nobody chose."""
        if chosen:
            return next((f for f in self.stores if f.store.kind == chosen), None)
        own = [f for f in self.stores if f.store.kind is not StoreKind.COPY]
        return next((f for f in own if not f.store.beside), next(iter(own), None))

    @property
    def copies(self) -> tuple[Fitted, ...]:
        """Stores that get recordings whatever store is chosen."""
        return tuple(f for f in self.stores if f.store.kind is StoreKind.COPY or f.store.beside)
