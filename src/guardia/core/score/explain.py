"""Does the motion model explain this camera? What it says of clips that the camera really made, and did not make."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import Span, length, merged, within, without
from guardia.core.make.settings import Settings
from guardia.core.replay.replay import Replay


@dataclass(frozen=True)
class Explained:
    """How far the model agrees with what the camera did under settings that are known."""

    triggered: tuple[int, ...]
    """Ids of motion clips on which the model would have triggered, too."""
    silent: tuple[int, ...]
    """Ids of motion clips on which it would not."""
    unknown: int
    """Motion clips made under settings that are not known."""
    footage_s: float
    """Seconds of continuous footage in which the camera made no motion clip, by its list no event either."""
    recorded_s: float
    """Seconds that the model would have recorded of those."""

    @property
    def words(self) -> str:
        """The result in sentences; empty when there is nothing to hold the model against."""
        clips = len(self.triggered) + len(self.silent)
        parts = []
        if clips:
            parts.append(f"The model explains {len(self.triggered)} of {clips} motion clips made under known settings")
        if self.footage_s:
            parts.append(
                f"on {self.footage_s / 60:.1f} min of footage without a clip it would have recorded "
                f"{self.recorded_s:.0f} s"
            )
        sentence = "; ".join(parts)
        return f"{sentence[:1].upper()}{sentence[1:]}." if parts else ""


def explain(evidence: Evidence, replay_of: Callable[[Settings], Replay]) -> Explained:
    """Hold the model against the camera, each clip under the settings that made it.

    Args:
        evidence: Clips, events and the settings that were in force.
        replay_of: Gives the replay of settings on this evidence.

    Returns:
        The result.
    """
    triggered: list[int] = []
    silent: list[int] = []
    unknown = 0
    taken: list[Span] = [(c.start_s, c.end_s) for c in evidence.clips if c.origin is Origin.MOTION]
    taken += [(e.at_s, e.at_s + (e.duration_s or 0.0) + 1e-3) for e in evidence.events]
    footage_s = recorded_s = 0.0
    for index, clip in enumerate(evidence.clips):
        if not clip.by_motion and clip.origin is not Origin.CONTINUOUS:
            continue
        settings = evidence.settings_of(clip)
        if settings is None:
            unknown += clip.by_motion
            continue
        done = replay_of(settings)
        if clip.by_motion:
            (triggered if _recorded(evidence, done, index) else silent).append(clip.id)
            continue
        free = without([(clip.start_s, clip.end_s)], taken)
        footage_s += length(free)
        would = merged((r.start_s, r.end_s) for r in done.recordings[index])
        recorded_s += sum(length(within(would, low, high)) for low, high in free)
    return Explained(tuple(triggered), tuple(silent), unknown, footage_s, recorded_s)


def _recorded(evidence: Evidence, done: Replay, index: int) -> bool:
    """Whether a clip would have been recorded: it triggers, or a recording that began before covers what it shows."""
    if done.recordings[index]:
        return True
    mine = evidence.of_clip.get(evidence.clips[index].id, ())
    return any(done.marks(o.id) for o in mine)
