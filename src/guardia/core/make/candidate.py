"""Settings with the make that gives their words a meaning: what is tried on evidence."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from guardia.core.make.capability import Capability
from guardia.core.make.settings import Sensitivity, Settings


@dataclass(frozen=True)
class Candidate:
    """Settings for one make: those installed, a draft, or any others."""

    settings: Settings
    """The settings."""
    capability: Capability
    """The make."""

    def with_values(self, **values: Any) -> Candidate:
        """The same but for some values, as Settings.with_values()."""
        return replace(self, settings=self.settings.with_values(**values))

    @property
    def sensitivity(self) -> Sensitivity:
        """Contrast and size threshold in force by day; raises InvalidValue if the make has no such notch."""
        return self.settings.sensitivity_under(self.capability)
