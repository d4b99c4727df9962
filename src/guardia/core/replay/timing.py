"""Triggers and recordings from the size of motion over time. docs/motion-model.md step 5."""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence
from typing import NamedTuple

from guardia.core.make.settings import Settings
from guardia.core.trace.stack import Run

TIME_EPSILON_S = 1e-6
"""Presentation times are compared with this slack, so that 0.6 s after 0.2 s counts as 0.4 s."""


class Recording(NamedTuple):
    """One recording the camera would have made. All times in seconds on the clip's own clock plus its start."""

    trigger_s: float
    """When motion had lasted long enough."""
    motion_start_s: float
    """First picture of the motion that triggered."""
    motion_end_s: float
    """Last picture with enough motion before it was still for the release time."""
    start_s: float
    """Beginning of the recording, pre-record included."""
    end_s: float
    """End of the recording."""
    ran_on: bool
    """The pictures ended before the motion did, so the true end is later."""


def recordings(
    times: Sequence[float],
    runs: Sequence[Run],
    settings: Settings,
    *,
    start_s: float = 0.0,
    free_from_s: float = -math.inf,
) -> list[Recording]:
    """Simulate the camera's timing on one clip.

    Args:
        times: Seconds from the clip's beginning, rising.
        runs: Stretches of pictures whose size reaches the threshold, in order.
        settings: Hold, release, pre-record, length, stop once it is still, and rest are used.
        start_s: Start of the clip on the camera's clock.
        free_from_s: The camera rests until then on that clock (from an earlier clip).

    Returns:
        In order of time, on the camera's clock.
    """
    detection, rule = settings.detection, settings.recording
    hold_s, release_s = detection.hold_s - TIME_EPSILON_S, detection.release_s
    done: list[Recording] = []
    free = free_from_s
    previous_end = -math.inf
    at = following = 0
    while at < len(runs):
        first, last = max(runs[at][0], following), runs[at][1]
        begin = first
        if first <= last and times[first] + start_s < free - TIME_EPSILON_S:
            begin = bisect.bisect_left(times, free - start_s - TIME_EPSILON_S, first, last + 1)
        if begin > last:
            at += 1
            continue
        trigger = bisect.bisect_left(times, times[begin] + hold_s, begin, last + 1)
        if trigger > last:
            at += 1
            continue
        end_run = at
        while (
            end_run + 1 < len(runs)
            and times[runs[end_run + 1][0]] - times[runs[end_run][1]] < release_s - TIME_EPSILON_S
        ):
            end_run += 1
        motion_end = times[runs[end_run][1]]
        ran_on = times[-1] - motion_end < release_s - TIME_EPSILON_S
        stop = min(motion_end + release_s, times[-1]) if ran_on else motion_end + release_s
        if rule.length_s is None:
            end = stop
        elif rule.stop_when_still:
            end = min(times[trigger] + rule.length_s, max(stop, times[trigger]))
        else:
            end = times[trigger] + rule.length_s
        trigger_s = times[trigger] + start_s
        previous_end, begun = end + start_s, max(trigger_s - rule.pre_record_s, previous_end)
        done.append(Recording(trigger_s, times[begin] + start_s, motion_end + start_s, begun, previous_end, ran_on))
        if ran_on and end <= stop:
            break  # the recording had not ended when the pictures did
        following = trigger + 1
        free = previous_end + rule.rest_s
        while at < len(runs) and times[runs[at][1]] + start_s < free - TIME_EPSILON_S:
            at += 1
    return done
