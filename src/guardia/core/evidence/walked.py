"""Walk tests whose result was entered by hand, without a clip of them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import moment

RESULTS = {"R": "recorded whole", "L": "recorded late or cut", "M": "missed", "N": "recorded, nobody alerted"}
"""What can come of a walk, by its key."""


@dataclass(frozen=True)
class Walked:
    """One walk and what came of it."""

    at_s: float
    """When, POSIX seconds."""
    way: str
    """How somebody went, as in core.prove.walks.Way."""
    near_m: float
    """Where it passed or ended, metres ahead of the camera."""
    far_m: float
    """Where it began; the same for one across."""
    dark: bool
    """In the dark, else by day."""
    zones: tuple[str, ...] = ()
    """Names of the zones that it went through, none for the whole picture."""
    notch: str = ""
    """Set on the camera then; empty where the sensitivity was given directly."""
    strength: float = 0.0
    """Size of a walking adult where it was largest, over the nominal threshold of that notch; 0 where the view does not
    tell it."""
    result: str = "R"
    """A key of RESULTS."""
    alert_s: float | None = None
    """Seconds after the trigger at which the phone told it; None where that was not looked at or did not come."""

    def __post_init__(self) -> None:
        moment(self.at_s, "The date of a walk")
        sound = 0 < self.near_m <= self.far_m <= 10_000 and 0 <= self.strength < math.inf
        if not sound or self.result not in RESULTS:
            raise InvalidValue("A walk needs a moment, distances above 0 m, and a result that is known.")
        if self.alert_s is not None and (self.result in "MN" or not 0 <= self.alert_s <= 3600):
            raise InvalidValue("An alert comes 0 to 3600 s after a trigger, and not after a walk without an alert.")

    @property
    def tells_of_alert(self) -> bool:
        """Whether it is a test of the alert, too: when it came, or that it never did."""
        return self.alert_s is not None or self.result == "N"

    @property
    def triggered(self) -> bool:
        """Whether the camera triggered."""
        return self.result != "M"
