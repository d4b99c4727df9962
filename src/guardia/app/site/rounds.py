"""What is due on a site, and saving it for a calendar."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from pathlib import Path

from guardia.app.site.open_site import OpenSite
from guardia.app.site.units import SiteUnits
from guardia.core.base.errors import GuardiaError, ProjectError
from guardia.core.base.words import count_of
from guardia.core.hours.place import SitePlace
from guardia.core.prove.due import Due, due_of, in_patrol_order
from guardia.formats.calendar import days_calendar, read_days
from guardia.formats.plain import save_file
from guardia.store.site_things import Task

AHEAD_DAYS = 366
"""Recurring entries of a calendar are imported for a year."""

BY_HAND = "entered by hand, or from a calendar"


class Rounds:
    """What is due on all cameras of an open project.

    Args:
        session: The open site.
        units: With the dates that were entered by hand.
    """

    def __init__(self, session: OpenSite, units: SiteUnits) -> None:
        self._session, self._units = session, units

    @property
    def today(self) -> date:
        """This day at the site."""
        return datetime.now(self._session.time_zone).date()

    def due(self) -> list[Due]:
        """Everything that is due, overdue first, of one day in patrol order."""
        due: list[Due] = []
        cameras = self._session.cameras
        for model in cameras.opened.values():
            camera = model.camera
            due += due_of(camera.name, model.comparison.installed_replay, camera.about.patrol)
        for camera_id, line in self._session.summaries.items():
            due += line.dues if camera_id not in cameras.opened else []
        places = {i: (camera.name, camera.about.patrol) for i, camera in cameras.all().items()}
        for task in self._units.tasks:
            camera_name, patrol = places.get(task.camera_id or 0, (self._session.site.name, 0))
            due.append(Due(camera_name, task.what, task.on, BY_HAND, patrol, by_hand=True))
        return in_patrol_order(due)

    def reminder(self) -> str:
        """What is due by today, in a sentence; empty where nothing is."""
        due = [one for one in self.due() if one.on <= self.today]
        if not due:
            return ""
        first = due[0]
        return (
            f"{count_of(len(due), 'thing is', 'things are')} due at {self._session.site.name}, first: {first.camera}, "
            f"{first.what}, since {first.on:%d %b %Y}. Round, Due lists all."
        )

    def read_calendar(self, path: Path) -> None:
        """Import whole-day entries of a calendar, each for the camera that its title begins with."""
        session, today, messages = self._session, self.today, self._session.messages
        site = session.site
        place = SitePlace(site.time_zone, site.latitude, site.longitude)
        try:
            entries = read_days(path, place, today, today + timedelta(days=AHEAD_DAYS))
        except GuardiaError as error:
            messages.tell_error(error)
            return
        worked_out = {(f"{d.camera}: {d.what}", d.on) for d in self.due()}
        entries = [entry for entry in entries if entry not in worked_out]
        names = {session.camera_name(i): i for i in session.camera_ids()}
        tasks = []
        for title, on in entries:
            camera, _, what = title.partition(": ")
            tasks.append(Task(names[camera], on, what) if camera in names and what else Task(None, on, title))
        known = set(self._units.tasks)
        new = [t for t in dict.fromkeys(tasks) if t not in known]
        if new:
            self._units.add_tasks(new, f"add {count_of(len(new), 'date')}")
        more = f" {len(tasks) - len(new)} were here already." if len(new) < len(tasks) else ""
        messages.tell(f"{count_of(len(new), 'date')} imported from {path.name}.{more}")

    def save(self, path: Path) -> None:
        """Save it as a calendar."""
        dues = self.due()
        entries = [(f"{d.camera}: {d.what}", d.why, d.on) for d in dues]
        messages = self._session.messages
        try:
            save_file(path, days_calendar(entries), "The calendar")
        except ProjectError as error:
            messages.tell_error(error)
        else:
            messages.tell(f"{count_of(len(entries), 'date')} saved to {path}.")
