"""Hours that several cameras of a site have in common: one plan, which each camera enters in its own form."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import OF_SITE
from guardia.app.site.open_site import OpenSite
from guardia.app.site.site_part import SitePart
from guardia.app.work.messages import MessageHub
from guardia.store.project import Project
from guardia.store.settings import HoursGroup, SharedHours


class SharedHoursOfSite(SitePart):
    """Groups of cameras whose drafts have their hours in common; every change can be undone."""

    def __init__(self, session: OpenSite, project: Project, messages: MessageHub) -> None:
        super().__init__(session, project, messages)
        self._known: tuple[HoursGroup, ...] | None = None

    @property
    def groups(self) -> tuple[HoursGroup, ...]:
        """The groups by name."""
        if self._known is None:
            self._known = self._project.settings.shared_hours().groups
        return self._known

    def group_of(self, camera_id: int) -> HoursGroup | None:
        """The group that a camera belongs to."""
        return next((g for g in self.groups if camera_id in g.cameras), None)

    def share(self, model: CameraModel, name: str, others: Collection[int]) -> None:
        """Let a camera's hours be those of others, too; without others it has its own again.

        Args:
            model: The camera whose draft's hours are shared.
            name: What the group is called.
            others: Numbers of the other cameras; those of the group that are left out keep its hours as their own.
        """
        settings, mine = self._project.settings, model.camera.id
        before = settings.shared_hours()
        hours = {i: camera.draft.hours for i, camera in self._session.cameras.all().items()}
        members = (mine, *(i for i in others if i != mine))
        left = self.group_of(mine)
        rest = [replace(g, cameras=tuple(i for i in g.cameras if i not in members)) for g in before.groups if g != left]
        shared = [HoursGroup(name.strip(), members, hours[mine])] if len(members) > 1 else []
        groups = tuple(g for g in (*rest, *shared) if len(g.cameras) > 1)
        in_one = {i for g in groups for i in g.cameras}
        was_in_one = {i for g in before.groups for i in g.cameras}
        own = {i: hours.get(i, h) if i in was_in_one - in_one else h for i, h in before.own.items()}
        after = SharedHours(groups, own)
        if after != before:
            self._changes.make(OF_SITE, "share hours", settings.set_shared_hours, lambda _: self._show(), before, after)

    def follow(self, model: CameraModel) -> None:
        """Show the hours of a camera's draft on the others of its group."""
        self._known = None
        group = self.group_of(model.camera.id)
        for camera_id in group.cameras if group is not None else ():
            other = self._session.cameras.opened.get(camera_id)
            if other is not None and other is not model:
                other.show_hours(model.camera.draft.hours)

    def _show(self) -> None:
        """Show the drafts as they are kept now."""
        self._known = None
        for camera_id, model in self._session.cameras.opened.items():
            model.show_hours(self._project.settings.now(camera_id)[1].hours)
        self._session.cameras_changed.emit()
