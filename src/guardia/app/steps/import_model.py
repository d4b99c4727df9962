"""The view-model of bringing evidence in: sources, what would become of each file, and the columns of event lists."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.intake.event_import import METADATA_SUFFIXES
from guardia.app.intake.import_plan import Found, Known, Plan, look_into, make_plan, rule_by_names, shown_start
from guardia.app.intake.importing import ImportRequest
from guardia.app.project.session import Session
from guardia.app.work.job_runner import JobRunner
from guardia.core.base.errors import GuardiaError
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.evidence.events import ColumnMapping
from guardia.core.evidence.watch import local_date, midnight
from guardia.formats.event_lists import ListShape, guess_mapping, look_at, read_events
from guardia.formats.mot import looks_like_boxes


class ImportModel(QObject):
    """What is to be brought in, and what would happen."""

    changed = pyqtSignal()

    def __init__(self, session: Session, camera_id: int, origin: Origin) -> None:
        super().__init__(session)
        self.session = session
        self.camera_id = camera_id
        self.origin = origin
        self.cause: Cause | None = None
        self.watched: tuple[float, float] | None = None
        self.rule = "one"
        self._rule_chosen = False
        self.sources: tuple[Path, ...] = ()
        self.cameras: list[Known] = session.intake.known_cameras()
        self.patterns: dict[int, str] = {}
        self.plan = Plan(())
        self.problem = ""
        self.shapes: dict[Path, ListShape] = {}
        self.mappings: dict[Path, ColumnMapping] = {}
        self.jobs = JobRunner(self)
        session.adopt(self.jobs)
        self.jobs.failed.connect(session.messages.tell_error)
        self._found = Found((), ())

    def pattern(self) -> str:
        """Pattern of file names of the chosen camera."""
        remembered = next((c.time_pattern for c in self.cameras if c.id == self.camera_id), "")
        return self.patterns.get(self.camera_id, remembered)

    def add(self, paths: Sequence[Path]) -> None:
        """Add files or folders and look into them."""
        self.sources = tuple(dict.fromkeys((*self.sources, *paths)))
        self.look()

    def set_origin(self, origin: Origin) -> None:
        """Say how the clips were recorded; pictures are looked for as snapshots only."""
        if origin is not self.origin:
            self.origin = origin
            self.look()

    def look(self) -> None:
        """Look into the sources, off the interface thread."""
        if not self.sources:
            return
        sources, origin = self.sources, self.origin
        self.jobs.cancel()
        self.jobs.start(
            "Looking into the files",
            lambda token, report: look_into(sources, origin, token=token, progress=report),
            self._on_found,
        )

    def _on_found(self, found: Found) -> None:
        self._found = found
        for path in found.lists:
            if path in self.shapes or path.suffix.lower() in METADATA_SUFFIXES or looks_like_boxes(path):
                continue
            try:
                self.shapes[path] = look_at(path)
                self.mappings[path] = guess_mapping(self.shapes[path])
            except GuardiaError as error:
                self.session.messages.tell_error(error)
        if not self._rule_chosen:
            self.rule = rule_by_names(found, self.cameras)
        self.make()

    def make(self) -> None:
        """Plan anew with what is chosen now."""
        try:
            self.plan = make_plan(
                self._found,
                self.cameras,
                zone=self.session.time_zone,
                rule=self.rule,
                camera_id=self.camera_id,
                patterns=self.patterns,
            )
            self.problem = ""
        except GuardiaError as error:
            self.problem = str(error)
        self.changed.emit()

    def set_rule(self, rule: str) -> None:
        """Choose how clips find their camera."""
        self.rule, self._rule_chosen = rule, True
        self.make()

    def set_pattern(self, pattern: str) -> None:
        """Choose how the camera writes times in file names; with several cameras, how all of them do."""
        chosen = [self.camera_id] if self.rule == "one" else [c.id for c in self.cameras]
        self.patterns |= dict.fromkeys(chosen, pattern)
        self.make()

    def set_mapping(self, path: Path, mapping: ColumnMapping) -> None:
        """Choose which columns of an event list mean what."""
        self.mappings[path] = mapping
        self.changed.emit()

    def list_words(self, path: Path) -> str:
        """What an event list or metadata file holds, in words."""
        if path.suffix.lower() in METADATA_SUFFIXES:
            return "ONVIF metadata: motion events and object boxes"
        if looks_like_boxes(path):
            return f"boxes in the MOTChallenge form, for the clip named '{path.stem}'"
        if path not in self.shapes:
            return "cannot be read as an event list"
        mapping = self.mappings[path]
        if not mapping.time:
            return "no column that can be read as a time: choose the columns"
        named = [f"{what} from '{column}'" for what, column in _meanings(mapping) if column]
        return f"{self.shapes[path].form}: {', '.join(named)}"

    def preview(self, path: Path, mapping: ColumnMapping) -> tuple[int, list[str], list[str]]:
        """How many entries a mapping reads from a list, the first as text, and what it skips or doubts."""
        report = read_events(self.shapes[path], mapping, self.session.time_zone)
        shown = []
        for event in report.events[:6]:
            when = f"{self.session.local_time(event.at_s):%Y-%m-%d %H:%M:%S}"
            length = f"{event.duration_s:g} s" if event.duration_s is not None else "length not given"
            alert = {True: "alert sent", False: "no alert", None: "alert not given"}[event.alert]
            shown.append(f"{when}, {length}, {event.named or 'no class'}, {alert}")
        return len(report.events), shown, [*report.skipped, *report.doubts]

    def start_words(self, number: int) -> str:
        """True start of a planned clip at the site."""
        clip = self.plan.clips[number]
        error_s = next((c.clock_error_s for c in self.cameras if c.id == clip.camera_id), 0.0)
        start: datetime | None = shown_start(clip, error_s)
        return f"{start.astimezone(self.session.time_zone):%a %d %b %Y %H:%M:%S}" if start else ""

    def camera_name(self, camera_id: int | None) -> str:
        """Name of a camera, empty for none."""
        return next((c.name for c in self.cameras if c.id == camera_id), "")

    def days(self) -> tuple[float, float] | None:
        """From midnight before the first planned clip of the chosen camera to midnight after the last, POSIX s."""
        error_s = next((c.clock_error_s for c in self.cameras if c.id == self.camera_id), 0.0)
        starts = [
            start.timestamp()
            for clip in self.plan.wanted
            if clip.camera_id == self.camera_id
            and clip.source != "file date"
            and (start := shown_start(clip, error_s)) is not None
        ]
        if not starts:
            return None
        zone = self.session.time_zone
        return midnight(local_date(min(starts), zone), zone), midnight(
            local_date(max(starts), zone) + timedelta(days=1), zone
        )

    def start(self) -> bool:
        """Bring it in; gives False while another import runs."""
        for camera_id, pattern in self.patterns.items():
            self.session.camera(camera_id).facts.keep_pattern(pattern)
        mappings = {path: m for path, m in self.mappings.items() if m.time}
        lists = tuple(
            (p, c)
            for p, c in self.plan.lists
            if p in mappings or p.suffix.lower() in METADATA_SUFFIXES or looks_like_boxes(p)
        )
        request = ImportRequest(
            self.session.folder,
            self.camera_id,
            self.sources,
            self.origin,
            rule=self.rule,
            plan=replace(self.plan, lists=lists),
            mappings=mappings,
            cause=self.cause if self.origin is Origin.MOTION else None,
            watched=self.watched if self.origin is Origin.MOTION else None,
        )
        return self.session.intake.run(request)

    def close(self) -> None:
        """Stop looking."""
        self.jobs.drain()


def _meanings(mapping: ColumnMapping) -> list[tuple[str, str]]:
    return [
        ("time", mapping.time),
        ("length", mapping.duration),
        ("class", mapping.named),
        ("alert", mapping.alert),
        ("zone", mapping.zone),
        ("cause", mapping.cause),
    ]
