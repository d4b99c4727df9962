"""The view-model of one camera: evidence, installed settings, draft, and their scores side by side."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from guardia.app.work.jobs import Report, Token
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.evidence.evidence import SHORTEST_S, Epoch, Evidence, Occurrence, Origin
from guardia.core.evidence.judgement import kind_of
from guardia.core.evidence.watch import Entered
from guardia.core.make.settings import Settings, entered_zones
from guardia.core.make.zone_parts import zone_parts
from guardia.core.make.zones import PolygonZone, to_blocks, zone_cells
from guardia.core.replay.replay import Replay, replay
from guardia.core.score.coverage import Uncovered, uncovered
from guardia.core.score.explain import Explained, explain
from guardia.core.score.score import Comparison, Score, compare, score
from guardia.core.trace.measure import GRID_COLUMNS, GRID_ROWS
from guardia.core.view.geometry import KnownView
from guardia.media.analysis import key_pictures, moving_pictures
from guardia.store.project import Project
from guardia.store.records import Camera, NewOccurrence

LEAD_S = 3.0
LONGEST_LOOK_S = 120.0
LOOK_WIDTH_PX = 640

TAKE_BACK = ""
"""The kind that stands for 'not judged'."""


@dataclass(frozen=True, eq=False)
class Loaded:
    """What a camera's view-model begins with; can be read in another thread.

    Parameters
    ----------
    camera
        Name, make, installed settings and draft.
    evidence
        Clips, traces, occurrences.
    installed_replay
        The installed settings on that evidence.
    damage
        What was damaged in the project and set aside, in sentences.
    """

    camera: Camera
    evidence: Evidence
    installed_replay: Replay
    damage: tuple[str, ...] = ()


def load_camera(project: Project, camera_id: int) -> Loaded:
    """Read a camera and replay its installed settings."""
    camera = project.camera(camera_id)
    evidence = project.evidence(camera_id)
    return Loaded(camera, evidence, replay(evidence, camera.installed, camera.capability), tuple(project.take_damage()))


class CameraModel(QObject):
    """One camera as the window shows it. The state is immutable; intents change it and signals tell.

    Parameters
    ----------
    project
        The open project, of the main thread.
    loaded
        The camera as read from the project.
    undo
        The project's undo stack.
    messages
        Where errors are told.
    """

    draft_changed = pyqtSignal()
    judgements_changed = pyqtSignal()
    comparison_changed = pyqtSignal()
    evidence_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    installed_changed = pyqtSignal()
    view_changed = pyqtSignal()

    def __init__(self, project: Project, loaded: Loaded, undo: QUndoStack, messages: MessageHub) -> None:
        super().__init__()
        self._project = project
        self._undo = undo
        self._messages = messages
        self.camera: Camera = loaded.camera
        self.evidence: Evidence = loaded.evidence
        self._by_id: dict[int, Occurrence] = {o.id: o for o in self.evidence.occurrences}
        self.draft: Settings = self.camera.draft
        self.previewing = False
        self.selected: tuple[int, ...] = ()
        self._installed_replay: Replay | None = loaded.installed_replay
        self._installed_score: tuple[Replay, Evidence, Score] | None = None
        self._compared: tuple[object, Comparison] | None = None
        self._explained: tuple[Evidence, Explained] | None = None
        self.comparison: Comparison = self._compare(self.draft)

    def _compare(self, draft: Settings) -> Comparison:
        camera, evidence = self.camera, self.evidence
        if self._installed_replay is None:
            self._installed_replay = replay(evidence, camera.installed, camera.capability)
        parts = zone_parts(draft, camera.capability, columns=evidence.stack.columns, rows=evidence.stack.rows)
        # Only the cells of the zones count: a corner that moves within its cells changes nothing.
        cells = tuple((p.cells.tobytes(), p.contrast, p.needed) for p in parts)
        key = (draft.with_values(zones=()), cells, evidence, self._installed_replay)
        if self._compared is None or self._compared[0] != key:
            if self._installed_score is None or self._installed_score[:2] != (self._installed_replay, evidence):
                told = score(evidence, self._installed_replay)
                self._installed_score = (self._installed_replay, evidence, told)
            made = compare(
                evidence,
                camera.installed,
                draft,
                camera.capability,
                installed_replay=self._installed_replay,
                installed_score=self._installed_score[2],
            )
            self._compared = (key, made)
        return self._compared[1]

    def occurrence(self, occurrence_id: int) -> Occurrence:
        """One occurrence of this camera; raises KeyError for a foreign one."""
        return self._by_id[occurrence_id]

    def clean_view(self) -> bytes:
        """The camera's picture without what moves, as JPEG; empty if there is none."""
        return self._project.clean_view(self.camera.id)

    def picture_size(self) -> tuple[int, int]:
        """Width and height of the camera's clips in pixels, (0, 0) while there are none."""
        return self._project.clip_size(self.evidence.clips[0].id) if self.evidence.clips else (0, 0)

    def strip(self, occurrence_id: int) -> bytes:
        """The key pictures of an occurrence side by side, as JPEG."""
        return self._project.strip(occurrence_id)

    def key_times(self, occurrence_id: int) -> list[float]:
        """Times of those pictures on the clip's clock."""
        return self._project.key_times(occurrence_id)

    def pictures_job(self, occurrence_id: int) -> Callable[[Token, Report], list[tuple[float, bytes]]]:
        """Work that reads the pictures around an occurrence; to be run off the interface thread."""
        occurrence = self._by_id[occurrence_id]
        path = self._project.clip_path(occurrence.clip_id)
        start = max(0.0, occurrence.start_s - LEAD_S)
        times = self.evidence.stack.times[self.evidence.clip_index[occurrence.clip_id]]
        end = min(occurrence.end_s + LEAD_S, start + LONGEST_LOOK_S, times[-1] if times else 0.0)

        def read(token: Token, _report: Report) -> list[tuple[float, bytes]]:
            return moving_pictures(path, start, end, width_px=LOOK_WIDTH_PX, stopped=lambda: token.cancelled)

        return read

    def walk_tests(self) -> list[Path]:
        """The files of the walk tests."""
        return [self._project.clip_path(c.id) for c in self.evidence.clips if c.origin is Origin.WALK_TEST]

    def logbook(self) -> list[tuple[float, str, str]]:
        """(POSIX seconds, what, detail), newest first."""
        return self._project.logbook(self.camera.id)

    def reload(self) -> None:
        """Read the evidence anew, after an import."""
        self.evidence = self._project.evidence(self.camera.id)
        for line in self._project.take_damage():
            self._messages.tell(line, Severity.WARNING)
        self._by_id = {o.id: o for o in self.evidence.occurrences}
        self._installed_replay = None
        self.selected = tuple(i for i in self.selected if i in self._by_id)
        self.comparison = self._compare(self.draft)
        self.evidence_changed.emit()
        self.judgements_changed.emit()
        self.comparison_changed.emit()

    def reload_if_grown(self) -> None:
        """Read the evidence anew if more clips are measured than are shown."""
        if self._project.measurements.measured(self.camera.id) > len(self.evidence.clips):
            self.reload()

    def select(self, ids: Iterable[int]) -> None:
        """Select occurrences in every view."""
        chosen = tuple(i for i in ids if i in self._by_id)
        if chosen != self.selected:
            self.selected = chosen
            self.selection_changed.emit()

    def preview(self, draft: Settings) -> None:
        """Score a draft while a gesture is under way, without keeping it."""
        self.previewing = draft != self.camera.draft
        if draft == self.draft:
            return
        self.draft = draft
        self.comparison = self._compare(draft)
        self.comparison_changed.emit()

    def change_draft(self, draft: Settings, what: str) -> None:
        """Keep a new draft; can be undone."""
        self.previewing = False
        kept = self.camera.draft
        if draft == kept:
            self._take_draft(kept)
            return
        try:
            self._project.save_draft(self.camera.id, draft)
        except GuardiaError as error:
            self._messages.tell_error(error)
            self._take_draft(kept)
            return
        self._undo.push(_Step(what, self.apply_draft, (kept,), (draft,)))

    def _take_draft(self, draft: Settings) -> None:
        self.camera = replace(self.camera, draft=draft)
        self.draft = draft
        self.comparison = self._compare(draft)
        self.draft_changed.emit()
        self.comparison_changed.emit()

    def apply_draft(self, draft: Settings) -> None:
        """Keep and show a draft; for the undo command."""
        try:
            self._project.save_draft(self.camera.id, draft)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        self._take_draft(draft)

    def judge(self, ids: Iterable[int], kind: str) -> None:
        """Judge occurrences; can be undone."""
        old = {i: self._by_id[i].kind for i in ids}
        new = {i: kind for i in old if old[i] != kind}
        if not new:
            return
        try:
            self._project.judge(new)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        words = kind_of(kind).text if kind else "not judged"
        before = {i: old[i] for i in new}
        self._undo.push(_Step(f"judge {len(new)} as {words}", self.apply_judgements, (before,), (new,)))

    def apply_judgements(self, kinds: Mapping[int, str]) -> None:
        """Keep and show judgements; for the undo command."""
        try:
            self._project.judge(kinds)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        occurrences = [replace(o, kind=kinds.get(o.id, o.kind)) for o in self.evidence.occurrences]
        self.evidence = self.evidence.with_occurrences(occurrences)
        if self.camera.installed.detection.objects:
            self._installed_replay = None  # what an object filter lets through goes by the judgements, too
        self._by_id = {o.id: o for o in occurrences}
        self.comparison = self._compare(self.draft)
        self.judgements_changed.emit()
        self.comparison_changed.emit()

    @property
    def grid(self) -> tuple[int, int]:
        """(columns, rows) of the evidence's cells, the usual ones while there is no evidence."""
        stack = self.evidence.stack
        return (stack.columns, stack.rows) if stack.frames else (GRID_COLUMNS, GRID_ROWS)

    def entered_words(self) -> list[str]:
        """What is lost when the draft's drawn zones are entered as the make's blocks; nothing when they are blocks."""
        capability, draft = self.camera.capability, self.draft
        if capability.zone_form != "blocks" or not any(isinstance(z, PolygonZone) for z in draft.detection.zones):
            return []
        columns, rows = self.grid
        drawn = zone_cells(draft.detection.zones, columns=columns, rows=rows)
        entered = zone_cells(entered_zones(draft, capability), columns=columns, rows=rows)
        free = replace(capability, blocks=(columns, rows))
        as_drawn = draft.with_values(zones=(to_blocks(draft.detection.zones, columns=columns, rows=rows),))
        one = replay(self.evidence, as_drawn, free).outcomes
        two = self.comparison.draft_replay.outcomes
        flips = sum(one[i].recorded != two[i].recorded for i in one)
        cells = int((drawn != entered).sum())
        return [f"Entered as blocks: {cells} cells differ from what is drawn, {flips} occurrences end otherwise."]

    def set_visits(self, visits: Mapping[int, int | None]) -> None:
        """Join occurrences to visits, or take them out with None; can be undone."""
        old = {i: self._by_id[i].visit for i in visits}
        new = {i: v for i, v in visits.items() if old[i] != v}
        if new and self._kept(self._project.set_visits, new):
            words = "join to a visit" if any(v is not None for v in new.values()) else "take apart"
            self._undo.push(_Step(words, self.apply_visits, ({i: old[i] for i in new},), (new,)))

    def _kept(self, write: Callable[..., None], *values: Any) -> bool:
        """Whether a change could be written; tried before the undo stack has it, so that a failure leaves no step."""
        try:
            write(*values)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return False
        return True

    def apply_visits(self, visits: Mapping[int, int | None]) -> None:
        """Keep and show which visit occurrences belong to; for the undo command."""
        if self._kept(self._project.set_visits, visits):
            self.reload()

    def quietest_s(self, occurrence_id: int) -> float:
        """The moment with least motion well inside an occurrence, on the clip's clock: where it splits best."""
        o = self._by_id[occurrence_id]
        index = self.evidence.clip_index[o.clip_id]
        base, times = int(self.evidence.stack.clip_start[index]), self.evidence.stack.times[index]
        sizes = self.evidence.stack.sizes_anywhere(contrast=self.comparison.installed_replay.motion.contrast)
        margin = 0.2 * (o.end_s - o.start_s)
        inside = [n for n, t in enumerate(times) if o.start_s + margin <= t <= o.end_s - margin]
        return times[min(inside, key=lambda n: int(sizes[base + n]))] if inside else (o.start_s + o.end_s) / 2

    def split_job(self, occurrence_id: int, at_s: float) -> Callable[[Token, Report], tuple[int, list[NewOccurrence]]]:
        """Work that makes the key pictures of both parts; to be run off the interface thread.

        Parameters
        ----------
        occurrence_id
            The occurrence.
        at_s
            Where to split, on the clip's clock, inside it.

        Returns
        -------
        Callable[[Token, Report], tuple[int, list[NewOccurrence]]]
            Gives the occurrence's id and its two parts.

        Raises
        ------
        InvalidValue
            If the moment does not lie inside.
        """
        o = self._by_id[occurrence_id]
        if not o.start_s + SHORTEST_S <= at_s <= o.end_s - SHORTEST_S:
            raise InvalidValue(
                "This occurrence cannot be split there: each part must last at least "
                f"{SHORTEST_S} s, and it runs from {o.start_s:.1f} to {o.end_s:.1f} s.",
                kept="It was left whole.",
            )
        path = self._project.clip_path(o.clip_id)
        times = self.evidence.stack.times[self.evidence.clip_index[o.clip_id]]

        def make(token: Token, _report: Report) -> tuple[int, list[NewOccurrence]]:
            parts = []
            for begin, end in ((o.start_s, at_s), (at_s, o.end_s)):
                token.check()
                inside = [t for t in times if begin <= t <= end] or [begin]
                keys = [inside[round(n * (len(inside) - 1) / 4)] for n in range(5)]
                parts.append(NewOccurrence(begin, end, keys, key_pictures(path, keys)))
            return occurrence_id, parts

        return make

    def uncovered(self) -> list[Uncovered]:
        """Motion that nothing which the camera recorded or listed covers, by the make's most sensitive notch."""
        finest = min(self.camera.capability.notches, key=lambda n: (n.size, n.contrast))
        return uncovered(self.evidence, contrast=finest.contrast, size=finest.size)

    def take_up_job(self) -> Callable[[Token, Report], list[tuple[int, NewOccurrence]]]:
        """Work that makes key pictures of what no occurrence stands for yet; gives (clip, occurrence) pairs."""
        found = [u for u in self.uncovered() if u.occurrence_id is None]
        paths = {u.clip_id: self._project.clip_path(u.clip_id) for u in found}

        def make(token: Token, _report: Report) -> list[tuple[int, NewOccurrence]]:
            made = []
            for u in found:
                token.check()
                steps = 4 if u.end_s > u.start_s else 0
                keys = [u.start_s + n * (u.end_s - u.start_s) / max(1, steps) for n in range(steps + 1)]
                made.append((u.clip_id, NewOccurrence(u.start_s, u.end_s, keys, key_pictures(paths[u.clip_id], keys))))
            return made

        return make

    def put_split(self, occurrence_id: int, parts: Sequence[NewOccurrence]) -> None:
        """Put an occurrence's parts in its place; can be undone."""
        o = self._by_id[occurrence_id]
        try:
            with self._project.together():
                new = [self._project.add_occurrence(o.clip_id, part, o.kind) for part in parts]
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        gone = [occurrence_id]
        self._undo.push(_Step("split", self.apply_shown, (gone, new), (new, gone)))

    def add_found(self, found: Sequence[tuple[int, NewOccurrence]]) -> None:
        """Put occurrences found in a search among the others; can be undone."""
        try:
            with self._project.together():
                new = [self._project.add_occurrence(clip_id, one, "") for clip_id, one in found]
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        self._undo.push(_Step("take up what was found", self.apply_shown, ([], new), (new, [])))

    def apply_shown(self, shown: Sequence[int], hidden: Sequence[int]) -> None:
        """Show some occurrences and put others away; for the undo command."""
        try:
            self._project.show_occurrences(shown, hidden)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        self.reload()

    def set_view(self, known: KnownView | None) -> None:
        """Say what is known of the camera's view; can be undone."""
        before = self.camera.view
        if known != before and self._kept(self._project.set_view, self.camera.id, known):
            self._undo.push(_Step("set the view", self.apply_view, (before,), (known,)))

    def apply_view(self, known: KnownView | None) -> None:
        """Keep and show the view; for the undo command."""
        if not self._kept(self._project.set_view, self.camera.id, known):
            return
        self.camera = replace(self.camera, view=known)
        self.evidence = replace(self.evidence, view=known.view if known else None)
        self._installed_replay = None
        self.comparison = self._compare(self.draft)
        self.view_changed.emit()
        self.comparison_changed.emit()

    def keep_pattern(self, time_pattern: str) -> None:
        """Remember how the camera writes times in file names; counts for clips brought in from now on."""
        if self._kept(self._write_clock, self.camera.clock_error_s, time_pattern):
            self.camera = replace(self.camera, time_pattern=time_pattern)

    def _write_clock(self, clock_error_s: float, time_pattern: str) -> None:
        self._project.set_clock(self.camera.id, clock_error_s=clock_error_s, time_pattern=time_pattern)

    def set_clock_error(self, clock_error_s: float) -> None:
        """Say how wrong the camera's clock is; every time of its clips and events moves. Can be undone."""
        before = self.camera.clock_error_s
        if clock_error_s != before and self._kept(self._write_clock, clock_error_s, self.camera.time_pattern):
            self._undo.push(_Step("set the clock's error", self.apply_clock, (before,), (clock_error_s,)))

    def apply_clock(self, clock_error_s: float) -> None:
        """Keep and show the clock's error; for the undo command."""
        if self._kept(self._write_clock, clock_error_s, self.camera.time_pattern):
            self.camera = replace(self.camera, clock_error_s=clock_error_s)
            self.reload()

    def clip_start(self, clip_id: int) -> tuple[float, str]:
        """Start of a clip (POSIX seconds) and how it is known."""
        return self._project.clip_start(clip_id)

    def give_clip_start(self, clip_id: int, start_s: float) -> None:
        """Give a clip the true start that the technician knows; can be undone. The start that it has is no change."""
        if abs(start_s - self.evidence.clips[self.evidence.clip_index[clip_id]].start_s) < 0.5:
            return
        before, after = (clip_id, *self.clip_start(clip_id)), (clip_id, start_s, "given")
        if self._kept(self._project.set_clip_start, *after):
            self._undo.push(_Step("give start of clip", self.apply_clip_start, before, after))

    def apply_clip_start(self, clip_id: int, start_s: float, source: str) -> None:
        """Keep and show a clip's start; for the undo command."""
        if self._kept(self._project.set_clip_start, clip_id, start_s, source):
            self.reload()

    def watched_entered(self) -> tuple[Entered, ...]:
        """The spans of watched time that were entered."""
        return self._project.times.entered(self.camera.id)

    def set_watched(self, spans: Sequence[Entered]) -> None:
        """Say when the camera was up and when it was down; can be undone."""
        before, after = self.watched_entered(), tuple(spans)
        if after != before and self._kept(self._project.times.set_entered, self.camera.id, after):
            self._undo.push(_Step("say when it was watched", self.apply_watched, (before,), (after,)))

    def apply_watched(self, spans: Sequence[Entered]) -> None:
        """Keep and show watched time; for the undo command."""
        if self._kept(self._project.times.set_entered, self.camera.id, spans):
            self.reload()

    def set_epochs(self, epochs: Sequence[Epoch]) -> None:
        """Say which settings were installed when; can be undone."""
        before, after = self.evidence.epochs, tuple(epochs)
        if after != before and self._kept(self._project.times.set_epochs, self.camera.id, after):
            self._undo.push(_Step("date the settings", self.apply_epochs, (before,), (after,)))

    def apply_epochs(self, epochs: Sequence[Epoch]) -> None:
        """Keep and show which settings were installed when; for the undo command."""
        if self._kept(self._project.times.set_epochs, self.camera.id, epochs):
            self.camera = self._project.camera(self.camera.id)
            self.reload()
            self.installed_changed.emit()

    def set_cause(self, clip_ids: Iterable[int], cause: str) -> None:
        """Say why clips were recorded, '' to go by the camera's list; can be undone."""
        said = self._project.causes_said(self.camera.id)
        old = {i: said[i] for i in clip_ids if said[i] != cause}
        new = dict.fromkeys(old, cause)
        if new and self._kept(self._project.set_cause, new):
            self._undo.push(_Step("say why it recorded", self.apply_cause, (old,), (new,)))

    def apply_cause(self, causes: Mapping[int, str]) -> None:
        """Keep and show why clips were recorded; for the undo command."""
        if self._kept(self._project.set_cause, causes):
            self.reload()

    @property
    def explained(self) -> Explained:
        """Whether the motion model explains what this camera recorded, each clip under the settings that made it."""
        if self._explained is None or self._explained[0] is not self.evidence:
            replays = {self.camera.installed: self.comparison.installed_replay}

            def replay_of(settings: Settings) -> Replay:
                if settings not in replays:
                    replays[settings] = replay(self.evidence, settings, self.camera.capability)
                return replays[settings]

            self._explained = (self.evidence, explain(self.evidence, replay_of))
        return self._explained[1]

    def install_draft(self, note: str) -> None:
        """Record that the draft has been entered on the camera."""
        try:
            self._project.install_draft(self.camera.id, note=note)
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        self.camera = self._project.camera(self.camera.id)
        self.reload()
        self.installed_changed.emit()


class _Step(QUndoCommand):
    """One change that can be undone: the same intent with the new values or with the old ones.

    Parameters
    ----------
    what
        Its name in the history.
    apply
        A method of the view-model that keeps and shows values.
    old
        Its arguments before.
    new
        Its arguments after.
    """

    def __init__(self, what: str, apply: Callable[..., None], old: tuple[Any, ...], new: tuple[Any, ...]) -> None:
        super().__init__(what)
        self._apply, self._old, self._new = apply, old, new

    def redo(self) -> None:
        """Do it, or do it again."""
        self._apply(*self._new)

    def undo(self) -> None:
        """Take it back."""
        self._apply(*self._old)
