"""The pictures of one camera: of its view, of its occurrences."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from guardia.app.camera.shown_camera import ShownCamera
from guardia.app.work.jobs import Report, Token
from guardia.core.base.errors import GuardiaError
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.events import Boxes
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.view.picture import PictureFacts, grey_of, picture_facts
from guardia.core.view.walk_look import WalkLook
from guardia.media.analysis import decode_grey, lifted, look_at_walk, moving_pictures, still_of
from guardia.media.reader import frame_rate
from guardia.store.project import Project

LOOKED_AT = 5
"""So many of the latest pictures of each light are looked at."""

WALKS_LOOKED_AT = 3
"""So many of the latest walk tests are looked at."""

LEAD_S = 3.0
LONGEST_LOOK_S = 120.0
LOOK_WIDTH_PX = 640
REPORT_WIDTH_PX = 640
WHOLE_WIDTH_PX = 1280


class CameraPictures:
    """Pictures of a camera."""

    def __init__(self, model: ShownCamera, project: Project) -> None:
        self._model, self._project = model, project

    def clean_view(self) -> bytes:
        """The camera's picture without what moves, as JPEG; empty if there is none."""
        return self._project.cameras.clean_view(self._model.camera.id)

    def picture_size(self) -> tuple[int, int]:
        """Width and height of the camera's clips in pixels, (0, 0) while there are none."""
        return self._project.clips.size(self._model.evidence.clips[0].id) if self._model.evidence.clips else (0, 0)

    def facts_job(self) -> Callable[[], PictureFacts | None]:
        """Work that looks at the latest pictures by day and at night; to be run off the interface thread."""
        planned, clips = self.clean_view(), self._model.evidence.clips
        by_light = [[c for c in clips if c.dark is dark][-LOOKED_AT:] for dark in (False, True)]
        light, dark = ([self._project.measurements.background(c.id) for c in some] for some in by_light)

        moving = [c for c in clips if c.origin is not Origin.SNAPSHOT]
        latest = self._project.clips.path_or_none(moving[-1].id) if moving else None
        guessed = self._project.clips.guessed(self._model.camera.id)

        def look() -> PictureFacts | None:
            if not planned:
                return None
            seen = [[grey_of(decode_grey(one)) for one in some if one] for some in (light, dark)]
            rate = 0.0
            with suppress(GuardiaError):
                rate = frame_rate(latest) if latest is not None else 0.0
            return replace(
                picture_facts(grey_of(decode_grey(planned)), *seen), frame_rate=rate or None, guessed=guessed
            )

        return look

    def walks_job(self) -> Callable[[], list[tuple[float, WalkLook | None]]]:
        """Work that looks at the latest walk tests, newest first: when, and how good the picture is.

        To be run off the interface thread. None stands where nobody is followed, or the file is gone.
        """
        known, tests = self._model.camera.view, [c for c in self._model.evidence.clips if c.origin is Origin.WALK_TEST]
        files = [(c.start_s, self._project.clips.path_or_none(c.id)) for c in tests[: -1 - WALKS_LOOKED_AT : -1]]
        view = known.view if known is not None else None

        def look_at(path: Path | None) -> WalkLook | None:
            with suppress(GuardiaError):
                return look_at_walk(path, view) if path is not None else None
            return None

        return lambda: [(at_s, look_at(path)) for at_s, path in files]

    def strip(self, occurrence_id: int) -> bytes:
        """The key pictures of an occurrence side by side, as JPEG; those of the night brightened for the eye."""
        strip = self._project.occurrences.strip(occurrence_id)
        dark = self._model.evidence.clip_of(self._model.occurrence(occurrence_id)).dark
        return lifted(strip) if dark and strip else strip

    def key_times(self, occurrence_id: int) -> list[float]:
        """Times of those pictures on the clip's clock."""
        return self._project.occurrences.key_times(occurrence_id)

    def pictures_job(self, occurrence_id: int) -> Callable[[Token, Report], list[tuple[float, bytes]]]:
        """Work that reads the pictures around an occurrence; to be run off the interface thread."""
        occurrence = self._model.state.by_id[occurrence_id]
        path = self._project.clips.path(occurrence.clip_id)
        start = max(0.0, occurrence.start_s - LEAD_S)
        times = self._model.evidence.stack.times[self._model.evidence.clip_index[occurrence.clip_id]]
        end = min(occurrence.end_s + LEAD_S, start + LONGEST_LOOK_S, times[-1] if times else 0.0)

        def read(token: Token, _report: Report) -> list[tuple[float, bytes]]:
            return moving_pictures(path, start, end, width_px=LOOK_WIDTH_PX, stopped=lambda: token.cancelled)

        return read

    def whole_job(self, occurrence_id: int) -> Callable[[Token, Report], bytes]:
        """Work that reads the whole picture in the middle of an occurrence, as JPEG; off the interface thread."""
        occurrence = self._model.state.by_id[occurrence_id]
        path = self._project.clips.path(occurrence.clip_id)
        at_s = self.key_times(occurrence_id)[1:2] or [(occurrence.start_s + occurrence.end_s) / 2]
        return lambda _token, _report: still_of(path, at_s[0], None, width_px=WHOLE_WIDTH_PX)

    def for_report(self, blurred: bool) -> list[tuple[str, bytes]]:
        """A few pictures for a paper: what was missed, what was recorded, the most frequent false one.

        Args:
            blurred: Whatever moves is made unrecognisable.

        Returns:
            Words and JPEG of each; clips whose file is gone are left out.
        """
        evidence, outcomes = self._model.evidence, self._model.comparison.installed_replay.outcomes
        real = [o for o in evidence.occurrences if o.verdict is Verdict.REAL]
        false = [o for o in evidence.occurrences if o.verdict is Verdict.FALSE]
        kinds = Counter(o.kind for o in false).most_common(1)
        wanted = [
            ("missed", next((o for o in reversed(real) if not outcomes[o.id].recorded), None)),
            ("recorded", next((o for o in reversed(real) if outcomes[o.id].recorded), None)),
            ("false", next((o for o in reversed(false) if o.kind == kinds[0][0]), None) if kinds else None),
        ]
        taken = []
        for words, occurrence in wanted:
            path = self._project.clips.path_or_none(occurrence.clip_id) if occurrence is not None else None
            if occurrence is None or path is None:
                continue
            at_s = (occurrence.start_s + occurrence.end_s) / 2
            trace = self._project.measurements.trace(occurrence.clip_id) if blurred else None
            with suppress(GuardiaError):
                picture = still_of(path, at_s, trace, width_px=REPORT_WIDTH_PX)
                taken.append((f"{words}: {kind_of(occurrence.kind).text}", picture))
        return taken

    def camera_boxes(self, clip_id: int) -> list[Boxes]:
        """Boxes around objects that the camera itself, or somebody by hand, drew in a clip."""
        return list(self._project.lists.boxes(clip_id).values())

    def walk_tests(self) -> list[Path]:
        """The files of the walk tests."""
        return [self._project.clips.path(c.id) for c in self._model.evidence.clips if c.origin is Origin.WALK_TEST]
