"""The bench camera at work without files: what several settings record of the same weeks, and what that is in truth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from guardia.benchcam.camera import LONGEST_S, RATE_HZ, Decider, Recorded, smoothed
from guardia.benchcam.event_list import ALERT_INTERVAL_S, hours_open, seen_class
from guardia.benchcam.record import LOOKS_AGAIN_S, TRUTH_FACTOR, stretches
from guardia.benchcam.scene import Light
from guardia.benchcam.tern_quay import LATITUDE, LONGITUDE, REAL_KINDS, TIME_ZONE, Scene, right_kind
from guardia.benchcam.tern_quay_events import Event
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import on_at
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.purpose.purpose import UNSAID, Purpose, Wanted

SEEN_S = 0.3
"""A real event counts as recorded when a recording shows this much of it."""


@dataclass(frozen=True)
class Truth:
    """What some settings recorded, held against what happened."""

    false_at: tuple[float, ...]
    """When a recording of nothing real began, seconds of the scene's clock."""
    real: tuple[float, ...]
    """When each real event began."""
    missed: tuple[float, ...]
    """When those began that must be recorded and that no recording shows."""
    false_alerts_at: tuple[float, ...] = ()
    """When somebody was alerted to nothing real."""
    unalerted: tuple[float, ...] = ()
    """When those began that somebody must be alerted to, and that no recording shows of which somebody was alerted."""


@dataclass
class _Camera:
    """One set of settings while the scene runs."""

    scene: Scene
    settings: Settings
    capability: Capability
    recorded: list[Recorded] = field(default_factory=list)
    alerts: list[float] = field(default_factory=list)
    free_s: float = -1e9
    decider: Decider | None = None
    trigger_s: float | None = None
    last_s: float = 0.0

    def begin(self) -> None:
        """A new stretch of the scene begins."""
        self.finish()
        self.decider = None

    def finish(self, at_s: float | None = None) -> None:
        """A recording under way ends."""
        if self.trigger_s is not None:
            rule = self.settings.recording
            end = self.last_s + 1 / RATE_HZ if at_s is None else at_s
            self.recorded.append(Recorded(self.trigger_s - rule.pre_record_s, self.trigger_s, end))
            self.free_s, self.trigger_s, self.decider = end + rule.rest_s, None, None

    def _let_through(self, at_s: float) -> bool:
        """Whether it is within its hours and its own eye names what the object filter lets through."""
        wanted = self.settings.detection.objects
        named = not wanted or seen_class(self.scene, at_s) in wanted
        return named and hours_open(self.settings.hours.recording_plan, self.scene, at_s)

    def _alert(self, at_s: float) -> None:
        """Alert to a trigger, unless a switch, the hours, the filter or the alert before stop that."""
        rule, interval_s = self.settings.alerts, max(ALERT_INTERVAL_S, self.settings.alerts.alert_interval_s)
        named = not rule.alert_classes or seen_class(self.scene, at_s) in rule.alert_classes
        due = not self.alerts or at_s - self.alerts[-1] >= interval_s
        if rule.alerts_on and named and due and hours_open(self.settings.hours.alert_plan, self.scene, at_s):
            self.alerts.append(at_s)

    def see(self, small: NDArray[np.float32], at_s: float) -> None:
        """Take in the next picture, as smoothed() gives it."""
        if self.trigger_s is None and at_s < self.free_s - LOOKS_AGAIN_S:
            return
        if self.decider is None:
            night = self.scene.light(at_s) is Light.NIGHT
            self.decider = Decider(
                self.settings, self.capability, night=night, truth_factor=TRUTH_FACTOR,
                sees=partial(seen_class, self.scene),
            )  # fmt: skip
        triggered = self.decider.triggered_by(small, at_s)
        rule = self.settings.recording
        if self.trigger_s is None:
            if triggered and at_s >= self.free_s and self._let_through(at_s):
                self.trigger_s = self.last_s = at_s
                self._alert(at_s)
            return
        self.last_s = at_s if self.decider.moving else self.last_s
        lasted = at_s - self.trigger_s
        still = at_s - self.last_s >= self.settings.detection.release_s
        if lasted >= (rule.length_s or LONGEST_S) or (still and (rule.length_s is None or rule.stop_when_still)):
            self.finish(at_s + 1 / RATE_HZ)


def run(
    scene: Scene,
    several: Sequence[Settings],
    capability: Capability,
    *,
    only: Callable[[float], bool] = lambda _begin: True,
    purpose: Purpose = UNSAID,
) -> list[Truth]:
    """Let a scene happen before a camera with several settings at once.

    Args:
        scene: The place and what happens there; power cuts, plans and full disks are left out of it here.
        several: The settings.
        capability: The make.
        only: Says of the beginning of a stretch (seconds of the scene's clock) whether it is run.
        purpose: What must be recorded and alerted; the part of the picture is left out of it here.

    Returns:
        In the order of `several`.
    """
    cameras = [_Camera(scene, settings, capability) for settings in several]
    ran: list[tuple[float, float]] = []
    for number, (begin, end) in enumerate(s for s in stretches(scene) if only(s[0])):
        ran.append((begin, end))
        view = scene.view(begin, number)
        for camera in cameras:
            camera.begin()
        for step in range(round((end + LONGEST_S - begin) * RATE_HZ)):
            at = begin + step / RATE_HZ
            if at >= end and all(camera.trigger_s is None for camera in cameras):
                break
            small = smoothed(view.coarse(at))
            for camera in cameras:
                camera.see(small, at)
    for camera in cameras:
        camera.finish()
    return [_truth(scene, camera, ran, purpose) for camera in cameras]


def _truth(scene: Scene, camera: _Camera, ran: Sequence[tuple[float, float]], purpose: Purpose) -> Truth:
    def is_false(begin_s: float, end_s: float) -> bool:
        events: list[dict[str, object]] = [
            {"kind": e.kind, "start_s": e.begin_s, "end_s": e.end_s}
            for e in scene.events
            if e.begin_s < end_s and e.end_s > begin_s
        ]
        return right_kind(events, begin_s, end_s) not in REAL_KINDS

    def asked(event: Event, wanted: Wanted) -> bool:
        kind = "expected" if event.expected else event.kind
        place = SitePlace(TIME_ZONE, LATITUDE, LONGITUDE)
        begin, end = (scene.local_time(at).timestamp() for at in (event.begin_s, event.end_s))
        return kind in wanted.kinds and bool(on_at(wanted.hours, [begin, end], place).any())

    recorded = camera.recorded
    false = [clip for clip in recorded if is_false(clip.start_s, clip.end_s)]
    wrong = {clip.trigger_s for clip in false}
    real = [e for e in scene.events if e.kind in REAL_KINDS and any(a <= e.begin_s < b for a, b in ran)]
    told = [clip for clip in recorded if clip.trigger_s in camera.alerts]

    def shown(event: Event, clips: Sequence[Recorded]) -> bool:
        return any(min(c.end_s, event.end_s) - max(c.start_s, event.begin_s) > SEEN_S for c in clips)

    missed = [e.begin_s for e in real if asked(e, purpose.record) and not shown(e, recorded)]
    unalerted = [e.begin_s for e in real if asked(e, purpose.alert) and not shown(e, told)]
    return Truth(
        tuple(clip.trigger_s for clip in false), tuple(e.begin_s for e in real), tuple(missed),
        tuple(at for at in camera.alerts if at in wrong), tuple(unalerted),
    )  # fmt: skip
