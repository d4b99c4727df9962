"""What each camera of Tern Quay is for."""

from __future__ import annotations

from dataclasses import replace

from guardia.benchcam import tern_quay
from guardia.core.purpose.patterns import PATTERN_OF, begun
from guardia.core.purpose.purpose import Asked
from guardia.store.project import Project

PATTERN = {
    "Pontoon gate": "way in", "Slipway": "parking", "Workshop door": "own people expected",
    "Fuel berth": "yard at night", "Office step": "deliveries", "Winter store": "goods",
}  # fmt: skip
"""The pattern of each place."""

KEEP_DAYS = 21.0
"""The boatyard keeps three weeks, for the insurance."""


def enter_purposes(project: Project) -> None:
    """Enter what each camera of the demo is for, asked since its first day."""
    for camera in project.cameras.all():
        purpose = replace(begun(PATTERN_OF[PATTERN[camera.name]], camera.capability), keep_days=KEEP_DAYS)
        project.things.set_purposes(camera.id, [Asked(tern_quay.FIRST_DAY.timestamp(), purpose)])
