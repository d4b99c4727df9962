"""What each camera of Tern Quay is for."""

from __future__ import annotations

from dataclasses import replace

from guardia.benchcam import tern_quay
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.capability import Capability
from guardia.core.purpose.patterns import OUT_OF_HOURS, PATTERN_OF, begun
from guardia.core.purpose.purpose import Asked, Purpose
from guardia.store.project import Project

PATTERN = {
    "Pontoon gate": "way in", "Slipway": "parking", "Workshop door": "own people expected",
    "Fuel berth": "yard at night", "Office step": "deliveries", "Winter store": "goods",
}  # fmt: skip
"""The pattern of each place."""

EVENING_TO_MORNING = WeekPlan((Stretch(EVERY_DAY, Edge(18 * 60), Edge(7 * 60), overnight=True),))

KEEP_DAYS = 21.0
"""The boatyard keeps three weeks, for the insurance."""


def purpose_of(place: str, make: Capability) -> Purpose:
    """What the camera at a place is for, as its make can be told."""
    purpose = replace(begun(PATTERN_OF[PATTERN[place]], make), keep_days=KEEP_DAYS)
    if not make.schedule.by_weekday and purpose.alert.hours == OUT_OF_HOURS:
        # Its make has the same hours every day.
        purpose = replace(purpose, alert=replace(purpose.alert, hours=EVENING_TO_MORNING))
    return purpose


def enter_purposes(project: Project) -> None:
    """Enter what each camera of the demo is for, asked since its first day."""
    since_s = tern_quay.FIRST_DAY.timestamp()
    for camera in project.cameras.all():
        project.things.set_purposes(camera.id, [Asked(since_s, purpose_of(camera.name, camera.capability))])
