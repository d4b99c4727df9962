"""What the evidence shows of the levels: how strong something was, and whether the camera triggered."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Clip
from guardia.core.evidence.evidence import Evidence, looked_during, noted_spans
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.replay.factor import Seen
from guardia.core.replay.objects import object_classes
from guardia.core.replay.passable import passable
from guardia.core.replay.replay import motion_under
from guardia.core.replay.strength import lasting_sizes, strengths


def seen_by(evidence: Evidence, capability: Capability) -> list[Seen]:
    """What the evidence shows of the levels.

    A motion clip is here because it triggered under the settings of then; it tells nothing more where footage shows the
    same. Footage and walk tests tell both ways, but only on a camera whose lists or motion clips show that it went on
    looking meanwhile, and of what did not trigger only where no other gate explains that: a filter, hours, a pause,
    detection switched off. Walks entered by hand tell by what the view says of a walking adult at that distance.

    Args:
        evidence: Clips, events, settings by date.
        capability: The make.

    Returns:
        Motion clips, then footage, then walks, each in order of time.
    """
    of_then = _Strengths(evidence, capability)
    looked = looked_during(evidence)
    footage = [(c.start_s, c.end_s) for c in evidence.clips if c.id in looked]
    seen = []
    for clip in evidence.motion_clips:
        settings = _telling(evidence, clip)
        shown_better = any(a < clip.end_s and clip.start_s < b for a, b in footage)
        if settings is not None and not shown_better and (strength := of_then.of_clip(clip, settings)) > 0:
            seen.append(Seen(settings.level_in(dark=clip.dark), strength, triggered=True, selected=True))
    noted = noted_spans(evidence)
    for place, (index, begin, end) in enumerate(evidence.spans if looked else ()):
        clip = evidence.clips[index]
        settings = _telling(evidence, clip)
        if clip.id not in looked or settings is None:
            continue
        triggered = any(a < end and begin < b for a, b in noted)
        strength = of_then.of(place, settings)
        if strength > 0 and (triggered or not of_then.explained(place, settings)):
            seen.append(Seen(settings.level_in(dark=clip.dark), strength, triggered))
    seen += [Seen(w.notch, w.strength, w.triggered) for w in evidence.walks if w.notch and w.strength]
    return seen


def _telling(evidence: Evidence, clip: Clip) -> Settings | None:
    """The settings in force, where they name a level and could trigger."""
    settings = evidence.settings_of(clip)
    triggers = settings is not None and settings.detection.sensitivity is None and settings.detection.detection_on
    return settings if triggers else None


class _Strengths:
    """Strengths under the settings of then, and what else than size explains a silence."""

    def __init__(self, evidence: Evidence, capability: Capability) -> None:
        self._evidence, self._capability = evidence, capability
        # By identity: the settings of a date are one object, and comparing them for thousands of clips takes long.
        self._known: dict[int, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
        self._explained: dict[Settings, NDArray[np.bool_]] = {}
        self._noted = noted_spans(evidence)

    def of(self, place: int, settings: Settings) -> float:
        """The largest of one occurrence."""
        return float(self._of(settings)[0][place])

    def of_clip(self, clip: Clip, settings: Settings) -> float:
        """The largest of a whole clip."""
        starts, index = self._evidence.stack.clip_start, self._evidence.clip_index[clip.id]
        return float(self._of(settings)[1][starts[index] : starts[index + 1]].max(initial=0.0))

    def _of(self, settings: Settings) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        if id(settings) not in self._known:
            motion = motion_under(self._evidence, Candidate(settings, self._capability))
            hold_s = settings.detection.hold_s
            lasting = lasting_sizes(self._evidence.stack, motion.sizes, hold_s) / motion.needed
            self._known[id(settings)] = strengths(self._evidence, motion.sizes, motion.needed, hold_s=hold_s), lasting
        return self._known[id(settings)]

    def explained(self, place: int, settings: Settings) -> bool:
        """Whether another gate than the size may be why an occurrence did not trigger."""
        if settings not in self._explained:
            candidate = Candidate(settings, self._capability)
            closed = ~passable(self._evidence, candidate)
            if settings.detection.objects:
                classes = object_classes(self._evidence, self._capability)
                closed |= np.array([not classes[o.id].by for o in self._evidence.occurrences], bool)
            self._explained[settings] = closed
        begin, rest_s = self._evidence.spans[place][1], settings.recording.rest_s
        return bool(self._explained[settings][place]) or any(a <= begin <= b + rest_s for a, b in self._noted)
