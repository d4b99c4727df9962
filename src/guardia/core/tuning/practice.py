"""What settings tuned by hand reached of what could be reached, and which step of the work cost most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from guardia.core.make.levers import LEVER_OF
from guardia.core.make.settings import Settings

STEPS: Mapping[str, tuple[str, ...]] = {
    "zones": ("zones",),
    "sensitivity": ("notch", "night_notch", "sensitivity"),
    "the minimum duration": ("hold_s", "release_s"),
    "object filter": ("objects",),
    "recording": ("rest_s", "pre_record_s", "length_s", "stop_when_still"),
    "hours": ("recording_plan",),
    "alerts": ("alerts_on", "alert_plan", "alert_interval_s", "alert_classes"),
}
"""Parts of the work in their order, with the values that are chosen there."""


@dataclass(frozen=True)
class Week:
    """What some settings did in a week whose truth is known."""

    false: int
    """False alerts."""
    missed: int
    """Real events that were not recorded, or nobody was alerted to, as they must be."""

    def cost(self, miss_cost: float) -> float:
        """What it costs, a false alert costing 1."""
        return self.false + miss_cost * self.missed


def with_step_of(settings: Settings, better: Settings) -> dict[str, Settings]:
    """The settings with one part of the work taken from better ones, by its words; parts alike are left out."""
    swapped = {}
    for words, names in STEPS.items():
        values = {name: LEVER_OF[name].read(better) for name in names}
        if any(LEVER_OF[name].read(settings) != value for name, value in values.items()):
            swapped[words] = settings.with_values(**values)
    return swapped


def reached(installed: float, own: float, best: float) -> float:
    """Share of the possible gain that was reached, from their costs.

    Args:
        installed: Cost of the settings at the beginning.
        own: Cost of those chosen by hand.
        best: The lowest cost known.

    Returns:
        1 for the best, 0 for no gain, below 0 for a loss; 1 or 0 where nothing was to be gained.
    """
    if installed <= best:
        return 1.0 if own <= best else 0.0
    return (installed - own) / (installed - best)
