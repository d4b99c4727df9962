"""Where the footage of Tern Quay goes: stores, what was read off them, and three mistakes that the readings show.

The clips of the demo are shrunk for shipping; the rates typed in are those of the cameras at full size.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.store.project import Project

SITE_FACTS = {"required_days": 21.0, "upload": 3.0}

STORES: tuple[tuple[Store, tuple[str, ...], tuple[tuple[str, Measure, float | None], ...]], ...] = (
    (
        Store("Recorder disk", StoreKind.RECORDER, 1000.0, price=60.0, lasts_years=4.0, begins=date(2026, 8, 9)),
        ("Slipway",),
        (
            ("2026-08-28 09:10", Measure.USED, 440.0), ("2026-08-28 09:10", Measure.FREE, 513.0),
            ("2026-09-04 09:05", Measure.USED, 602.0), ("2026-09-04 09:05", Measure.FREE, 351.0),
            ("2026-09-11 08:55", Measure.USED, 763.0), ("2026-09-11 08:55", Measure.FREE, 190.0),
            ("2026-09-16 17:40", Measure.USED, 887.0), ("2026-09-16 17:40", Measure.FREE, 66.0),
            ("2026-09-19 12:00", Measure.USED, 953.0), ("2026-09-19 12:00", Measure.FREE, 0.0),
            ("2026-09-20 18:00", Measure.USED, 953.0), ("2026-09-20 18:00", Measure.FREE, 0.0),
        ),
    ),
    (
        Store("Workshop card", StoreKind.CARD, 64.0, price=14.0, lasts_years=3.0, begins=date(2026, 5, 2)),
        ("Workshop door",),
        (("2026-09-01 09:30", Measure.USED, 0.1), ("2026-09-01 09:30", Measure.FREE, 59.4),
         ("2026-09-17 09:20", Measure.USED, 0.1), ("2026-09-17 09:20", Measure.FREE, 59.4)),
    ),
    (
        Store("Stick of the hub", StoreKind.HUB, 64.0, price=11.0, lasts_years=3.0, begins=date(2026, 3, 14)),
        ("Winter store",),
        (("2026-09-17 10:00", Measure.HEALTHY, None),),
    ),
    (
        Store("Office card", StoreKind.CARD, 32.0, price=9.0, lasts_years=3.0, begins=date(2026, 4, 20)),
        ("Office step",),
        (("2026-09-17 10:10", Measure.HEALTHY, None),),
    ),
    (
        Store("Pontoon card", StoreKind.CARD, 256.0, price=38.0, lasts_years=3.0, begins=date(2026, 6, 1)),
        ("Pontoon gate",),
        (("2026-09-17 10:20", Measure.HEALTHY, None),),
    ),
    (
        Store("Copy of the pontoon", StoreKind.COPY, keeps_days=14.0, ends=date(2026, 12, 31), price_per_month=4.0),
        ("Pontoon gate",),
        (),
    ),
    (
        Store("Fuel card", StoreKind.CARD, 64.0, price=14.0, lasts_years=3.0, begins=date(2026, 6, 1)),
        ("Fuel berth",),
        (("2026-09-17 10:30", Measure.HEALTHY, None),),
    ),
)  # fmt: skip

SETTINGS: dict[str, dict[str, Any]] = {
    "Slipway": {"target": StoreKind.RECORDER, "overwrite": False, "mode": RecordingMode.CONTINUOUS, "quality": "4"},
    "Workshop door": {"target": StoreKind.REMOTE},
    "Winter store": {"target": StoreKind.HUB, "snapshot_every_s": 60.0, "quality": "best"},
    "Office step": {"target": StoreKind.CARD, "white_light": True},
    "Pontoon gate": {"target": StoreKind.CARD, "mode": RecordingMode.CONTINUOUS, "quality": "medium"},
    "Fuel berth": {"target": StoreKind.CARD, "quality": "high"},
}
"""The slipway's disk does not overwrite, the workshop records to a plan that nobody took, the winter store's battery
pays for a snapshot a minute."""

FACTS: dict[str, dict[str, float]] = {
    "Slipway": {"rate_light": 1.9, "rate_dark": 2.4},
    "Workshop door": {"rate_light": 2.6, "rate_dark": 3.3},
    "Winter store": {"rate_light": 1.6, "rate_dark": 2.1},
    "Office step": {"rate_light": 1.4, "rate_dark": 1.7, "allowance": 1.0, "tilt": 30.0},
    "Pontoon gate": {"rate_light": 1.7, "rate_dark": 2.3},
    "Fuel berth": {"rate_light": 3.6, "rate_dark": 4.4},
}

READINGS: dict[str, tuple[tuple[str, Measure, float | None], ...]] = {
    "Winter store": (
        ("2026-09-05 09:00", Measure.BATTERY, 100.0), ("2026-09-07 09:00", Measure.BATTERY, 80.0),
        ("2026-09-09 09:00", Measure.BATTERY, 61.0), ("2026-09-11 09:00", Measure.BATTERY, 39.0),
        ("2026-09-12 16:00", Measure.BATTERY, 100.0), ("2026-09-14 09:00", Measure.BATTERY, 84.0),
        ("2026-09-16 09:00", Measure.BATTERY, 63.0), ("2026-09-17 10:00", Measure.BATTERY, 53.0),
        ("2026-09-19 09:00", Measure.BATTERY, 34.0), ("2026-09-19 09:00", Measure.BATTERY_2, 7.0),
    ),
    "Office step": (
        ("2026-09-17 10:10", Measure.BATTERY, 91.0), ("2026-09-17 10:10", Measure.DATA_USED, 0.42),
        ("2026-09-09 21:05", Measure.ALERT_DELAY, 9.0), ("2026-09-09 21:20", Measure.ALERT_DELAY, 14.0),
        ("2026-09-16 21:10", Measure.ALERT_DELAY, 31.0), ("2026-09-16 21:30", Measure.ALERT_DELAY, None),
    ),
}  # fmt: skip


def enter_storage(project: Project) -> None:
    """Enter stores, readings and facts into the demo's project, and what of storage is set on its cameras."""
    cameras = {c.name: c for c in project.cameras.all()}

    def read(rows: tuple[tuple[str, Measure, float | None], ...]) -> tuple[Reading, ...]:
        zone = project.zone
        readings = [Reading(datetime.fromisoformat(at).replace(tzinfo=zone).timestamp(), m, v) for at, m, v in rows]
        return tuple(sorted(readings, key=lambda r: r.at_s))

    project.stores.set_all(
        [Fitted(0, store, tuple(cameras[n].id for n in names), read(rows)) for store, names, rows in STORES]
    )
    project.readings.set_facts(None, SITE_FACTS)
    for name, values in SETTINGS.items():
        camera = cameras[name]
        installed, draft = (s.with_values(**values) for s in (camera.installed, camera.draft))
        project.settings.correct_installed(camera.id, installed, draft)
        project.readings.set_facts(camera.id, FACTS.get(name, {}))
        project.readings.set_of_camera(camera.id, read(READINGS.get(name, ())))
