"""The view-model of the step View: what is known of the camera's view, and the reach that follows from it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.people_model import PeopleModel
from guardia.app.steps.step_model import StepModel
from guardia.app.work.jobs import Report, Token
from guardia.core.base.distances import distance
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Occurrence, Origin
from guardia.core.make.settings import Sensitivity, Settings
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.purpose.judgement import kind_of
from guardia.core.score.reach import ASSUMED_SHARE, THINGS, Shown, Thing, reach_m
from guardia.core.view.calibration import MARK_ERROR, PersonMark, calibrate, calibrate_robustly
from guardia.core.view.geometry import LADDER, KnownView, view_from_lens
from guardia.core.view.tracks import TRACK_ERROR, Track, farthest_walk, walk_marks
from guardia.media.analysis import fine_tracks

PEOPLE = ("person", "expected")
MOST_PICTURES = 30


MOUNT_HEIGHTS_M = (2.0, 2.5, 3.0, 4.0, 6.0)
"""Usual mount heights, to be compared; common practice, no source."""


@dataclass(frozen=True)
class HeightLine:
    """What the camera would see from another height, aimed at the same ground."""

    height_m: float
    """The height."""
    nearest_m: float
    """Where the ground begins to be seen; infinite where none is."""
    reach_m: float
    """How far away a walking adult triggers who crosses the view by day."""
    now: bool
    """Whether it is the height of the camera."""


@dataclass(frozen=True)
class ReachLine:
    """Reach of one thing under the draft, metres."""

    thing: Thing
    """The thing."""
    across: float
    """By day, crossing the view."""
    towards: float
    """By day, coming towards the camera."""
    night: float
    """At night, crossing."""


class CalibrationModel(StepModel):
    """View, marks and reach of one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.marks: tuple[PersonMark, ...] = ()
        # Height of marked persons, and the focal length in picture widths where the lens is known.
        self.person_m = 1.75
        self.lens: float | None = None
        self.people = session.step_model(PeopleModel, model)
        self.people.changed.connect(self.changed)
        self.picture_of: int | None = None
        self._picture: tuple[int, bytes] | None = None
        self._by_marks: KnownView | None = None
        model.view_changed.connect(self._view_changed)
        model.comparison_changed.connect(self.changed)

    def persons(self) -> list[tuple[int, str]]:
        """Occurrences on which somebody can be marked, each with its words: walk tests, then people, the latest first.

        What is not judged yet stands last: there may be somebody on it.
        """
        evidence = self.model.evidence

        def order(o: Occurrence) -> tuple[int, float]:
            walked = evidence.clip_of(o).origin is Origin.WALK_TEST
            return 0 if walked else 1 if o.kind in PEOPLE else 2, -evidence.span_s(o)[0]

        may = [o for o in evidence.occurrences if order(o)[0] < 2 or not o.kind]
        found = sorted(may, key=order)[:MOST_PICTURES]
        words = {o.id: kind_of(o.kind).text if o.kind else "not judged" for o in found}
        return [
            (o.id, f"{self._session.local_time(evidence.span_s(o)[0]):%a %d %b %H:%M}, {words[o.id]}") for o in found
        ]

    def show_picture(self, occurrence_id: int | None) -> None:
        """Show the picture of an occurrence to mark somebody on; None for the view without anybody."""
        self.picture_of = occurrence_id
        if occurrence_id is None or (self._picture is not None and self._picture[0] == occurrence_id):
            self.changed.emit()
            return
        try:
            work = self.model.pictures.whole_job(occurrence_id)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return

        def take(picture: bytes) -> None:
            self._picture = (occurrence_id, picture)
            if self.picture_of != occurrence_id:
                self.show_picture(self.picture_of)
            self.changed.emit()

        self.jobs.start("Reading a picture", work, take)

    def picture(self) -> bytes:
        """What is shown, as JPEG: the picture that was chosen once it is read, else the view without anybody."""
        if self._picture is not None and self._picture[0] == self.picture_of:
            return self._picture[1]
        return self.model.pictures.clean_view()

    @property
    def known(self) -> KnownView | None:
        """What is known of the view."""
        return self.model.camera.view

    @property
    def aspect(self) -> float:
        """Height of the picture over its width."""
        width, height = self.model.pictures.picture_size()
        return height / width if width else 9 / 16

    def type_in(self, *, height_m: float, tilt_deg: float, focal_mm: float, sensor_mm: float, lamp_m: float) -> None:
        """Take the view from typed numbers; a bad one is told and nothing is changed."""
        try:
            view = view_from_lens(
                height_m=height_m, tilt_deg=tilt_deg, focal_mm=focal_mm, sensor_width_mm=sensor_mm, aspect=self.aspect
            )
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        assumed = ["The ground is flat and the camera is not rolled."]
        if view.width_deg > 80:
            assumed.append(f"A wide lens may bend the picture: angles near its edge could be off by {view.bend:.0%}.")
        self.model.facts.set_view(KnownView(view, "typed", lamp_m=lamp_m or None, assumed=tuple(assumed)))

    def add_mark(self, foot: tuple[float, float], head: tuple[float, float]) -> None:
        """Mark a standing person of `person_m`; from two marks on the view is found."""
        if head[1] > foot[1]:
            foot, head = head, foot
        self.marks = (*self.marks, PersonMark(foot, head, self.person_m))[-5:]
        self._find_from_marks()

    def _find_from_marks(self) -> None:
        if len(self.marks) >= 2:
            self._find(self.marks, "marks")
        self.changed.emit()

    def drop_mark(self, number: int) -> None:
        """Forget one mark; the view is found anew from those that stay, or stays as it is with fewer than two."""
        self.marks = (*self.marks[:number], *self.marks[number + 1 :])
        self._find_from_marks()

    def _view_changed(self) -> None:
        """Marks stand for the view that was found by them: they go when another is shown, as after undo.

        The new score that follows shows it.
        """
        if len(self.marks) >= 2 and self.known != self._by_marks:
            self.marks = ()

    def clear_marks(self) -> None:
        """Forget the marks; the view stays."""
        self.marks = ()
        self.changed.emit()

    def from_walk_test(self) -> bool:
        """Find the view from the longest track of the walk tests, of a person of `person_m`, off the interface thread.

        Gives False while that is under way, or when a walk test's file is missing.
        """
        try:
            paths = self.model.pictures.walk_tests()
        except GuardiaError as error:
            self._messages.tell_error(error)
            return False

        def work(token: Token, _report: Report) -> list[Track]:
            tracks: list[Track] = []
            for path in paths:
                tracks += fine_tracks(path, stopped=lambda: token.cancelled)
                token.check()
            return tracks

        return self.jobs.start("Following the walk test", work, self._on_tracks)

    def _on_tracks(self, tracks: list[Track]) -> None:
        track = farthest_walk(tracks)
        if track is None:
            self._messages.tell(
                "No walk test follows somebody for five seconds. Bring one in, or mark two standing "
                "persons on the picture."
            )
            return
        marks = walk_marks(track, height_m=self.person_m)
        self._find(marks, "walk test", mark_error=TRACK_ERROR)

    def _find(self, marks: tuple[PersonMark, ...], how: str, *, mark_error: float = MARK_ERROR) -> None:
        try:
            seek = calibrate_robustly if how == "walk test" else calibrate
            calibration = seek(marks, aspect=self.aspect, focal=self.lens, mark_error=mark_error)
        except InvalidValue as error:
            self._messages.tell_error(error)
            return
        lamp_m = self.known.lamp_m if self.known else None
        known = KnownView(
            calibration.view, how, calibration.size_error, calibration.distance_error, lamp_m, calibration.assumed
        )
        self._by_marks = known if how == "marks" else None
        self.model.facts.set_view(known)

    def _shares(self, *, dark: bool) -> Shown:
        known = self.known
        assert known is not None
        both = self.people.shown(known.view)
        return both[dark] if both is not None else Shown(ASSUMED_SHARE, 0)

    def reach(self) -> list[ReachLine]:
        """Reach of every thing under the draft; empty while no view is known."""
        by_light = self._by_light(self.model.draft)
        return [self._line(thing, *by_light) for thing in THINGS] if self.known is not None else []

    def reach_in_view(self, settings: Settings) -> list[tuple[float, str]]:
        """How far a walking adult who crosses the view triggers under some settings, by day and at night.

        Args:
            settings: The settings.

        Returns:
            Row of the picture, 0 at its upper edge and 1 at its lower, and words; empty while no view is known.
        """
        if self.known is None:
            return []
        line, view = self._line(THINGS[0], *self._by_light(settings)), self.known.view
        both = [(line.across, distance(line.across))]
        both += [(line.night, f"{distance(line.night)} at night")] if line.night != line.across else []
        at = view.to_picture(np.array([(0.0, 0.0, metres) for metres, _ in both]))[:, 1]
        return [(float(row), words) for (metres, words), row in zip(both, at, strict=True) if metres > 0]

    def _by_light(self, settings: Settings) -> tuple[Sensitivity, Sensitivity]:
        """The sensitivity in force by day and at night."""
        make = self.model.camera.capability
        day, night = (settings.in_light(dark=dark).sensitivity_under(make) for dark in (False, True))
        return day, night

    def reach_by_notch(self, thing: Thing) -> list[tuple[str, ReachLine]]:
        """Reach of a thing at every notch of the make; empty while no view is known."""
        notches = self.model.camera.capability.notches if self.known is not None else ()
        return [(n.label, self._line(thing, at, at)) for n in notches for at in (Sensitivity(n.contrast, n.size),)]

    def heights(self) -> list[HeightLine]:
        """What other mount heights would see, aimed at the same ground; empty while no view is known."""
        if self.known is None:
            return []
        now, ((contrast, size), _) = self.known.view, self._by_light(self.model.draft)
        lines, shown = [], self._shares(dark=False)
        for height_m in sorted({round(now.height_m, 1), *MOUNT_HEIGHTS_M}):
            tilt_deg = now.tilt_deg
            if 0 < tilt_deg < 90:
                tilt_deg = math.degrees(math.atan2(height_m * math.tan(math.radians(tilt_deg)), now.height_m))
            view = replace(now, height_m=height_m, tilt_deg=tilt_deg)
            across = reach_m(view, THINGS[0], contrast=contrast, size=size, across=True, shown=shown)
            lines.append(HeightLine(height_m, view.nearest_m, across, height_m == round(now.height_m, 1)))
        return lines

    def _line(self, thing: Thing, by_day: Sensitivity, at_night: Sensitivity) -> ReachLine:
        known = self.known
        assert known is not None
        day, night = self._shares(dark=False), self._shares(dark=True)
        contrast, size = by_day
        across, towards = (
            reach_m(known.view, thing, contrast=contrast, size=size, across=a, shown=day) for a in (True, False)
        )
        contrast, size = at_night
        dark = reach_m(known.view, thing, contrast=contrast, size=size, across=True, shown=night, lamp_m=known.lamp_m)
        return ReachLine(thing, across, towards, dark)

    def reach_by_zone(self, thing: Thing) -> list[tuple[str, float, float, ReachLine]]:
        """(name, nearest, farthest ground in metres, reach of a thing) of each watch zone, by its own notch.

        The farthest ground is infinite for a zone that reaches the horizon; zones without any ground are left out.
        """
        known = self.known
        if known is None:
            return []
        reaches = []
        draft = self.model.draft
        for zone in draft.detection.zones:
            if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH:
                ahead = known.view.to_ground(np.array(zone.points))[:, 1]
                if np.isnan(ahead).all():
                    continue
                own = {"notch": zone.notch, "night_notch": "", "sensitivity": None} if zone.notch else {}
                line = self._line(thing, *self._by_light(draft.with_values(**own)))
                far = math.inf if np.isnan(ahead).any() else float(ahead.max())
                reaches.append((zone.name, float(np.nanmin(ahead)), far, line))
        return reaches

    def measured_on(self) -> str:
        """What the share of a silhouette that shows rests on, in words."""
        if self.known is None:
            return ""
        if self.people.shown(self.known.view) is None:
            return "being measured, assumed until then"
        parts = []
        for name, dark in (("by day", False), ("at night", True)):
            persons = self._shares(dark=dark).persons
            parts.append(f"{name} measured on {count_of(persons, 'person')}" if persons else f"{name} assumed")
        return ", ".join(parts)

    def ladder(self) -> list[tuple[str, float, float]]:
        """(requirement, px/m, distance in metres to which it holds) of the operational requirements."""
        if self.known is None:
            return []
        width, _ = self.model.pictures.picture_size()
        return [(name, density, self.known.view.distance_for(density, width)) for name, density in LADDER]
