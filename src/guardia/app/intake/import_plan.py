"""What an import would do, before it does anything: which file goes to which camera, when it began, what is wrong."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.app.intake.event_import import LIST_SUFFIXES, METADATA_SUFFIXES
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.clock import (
    behind_in_name,
    error_words,
    far_apart,
    resolve,
    time_in_name,
    times_in_name,
    true_time,
)
from guardia.media.reader import ClipInfo, clip_start, probe
from guardia.store.clips import plain_name

VIDEO_SUFFIXES = frozenset(
    f".{ending}"
    for ending in (
        "3gp asf avi dav flv h264 h265 hevc m2ts m4v mkv mov mp4 mpeg mpg mts ts vob webm wmv".split()  # noqa: SIM905
    )
)
STILL_SUFFIXES = frozenset((".jpg", ".jpeg", ".png", ".bmp", ".webp"))
OVERLAP_S = 1.0
"""Clips of one camera and origin that overlap by more than this are told."""

TAKEN = ("new", "perhaps here")
"""States of planned clips that are brought in, unless their bytes are here already."""

RULES = ("one", "folder", "name")
"""How clips find their camera: all to one, by the name of a folder above them, or by the beginning of their name."""


@dataclass(frozen=True)
class Known:
    """What the project has already of a camera."""

    id: int
    """The camera's number."""
    name: str
    """Its name."""
    time_pattern: str
    """How it writes times in file names."""
    clock_error_s: float
    """What its clock shows less the true time."""
    clips: frozenset[tuple[str, int]]
    """(original name, bytes) of its clips."""


@dataclass(frozen=True)
class PlannedClip:
    """One file and what becomes of it."""

    path: Path
    """The file."""
    camera_id: int | None
    """The camera it goes to, None when no camera's name fits."""
    state: str
    """'new', 'perhaps here' (name and size are known; the bytes are compared when brought in), 'copy' (of another one
    found), 'cannot be read' or 'no camera'."""
    start: datetime | None
    """Begin by the camera's clock, aware, None when it cannot be read."""
    source: str
    """How that is known."""
    info: ClipInfo | None
    """What the file says of itself, None when it cannot be read."""
    note: str = ""
    """What to look at, in a sentence; empty when nothing is wrong."""


@dataclass(frozen=True)
class Plan:
    """What an import would do."""

    clips: tuple[PlannedClip, ...]
    """Every clip found."""
    lists: tuple[tuple[Path, int | None], ...] = ()
    """(file, camera's number or None) of every event list and metadata file found."""
    notes: tuple[str, ...] = ()
    """What was noticed of the whole."""

    @property
    def wanted(self) -> tuple[PlannedClip, ...]:
        """The clips that would be taken in, unless their bytes are here already."""
        return tuple(c for c in self.clips if c.state in TAKEN)


@dataclass(frozen=True)
class Found:
    """Files looked into, before it is decided what becomes of them."""

    clips: tuple[tuple[Path, ClipInfo | str], ...]
    """(file, what it says of itself or the reason why it cannot be read)."""
    lists: tuple[Path, ...]
    """Event lists and metadata files."""
    stopped: bool = False
    """The person stopped the search."""
    alike: Mapping[Path, str] = field(default_factory=dict)
    """SHA-256 of the files of which another has the same size."""
    notes: tuple[str, ...] = ()
    """What was left out."""


def find_files(paths: Iterable[Path], suffixes: frozenset[str]) -> Iterable[Path]:
    """Files as given, and of folders those with a fitting ending, in order of name; hidden ones left out.

    Links out of a folder are not followed.
    """
    for path in paths:
        if path.is_dir():
            for folder, folders, names in os.walk(path):
                folders[:] = sorted(f for f in folders if not f.startswith("."))
                for name in sorted(names):
                    file = Path(folder) / name
                    if file.suffix.lower() in suffixes and not name.startswith("."):
                        yield file
        else:
            yield path


def look_into(paths: Sequence[Path], origin: Origin, *, token: Token, progress: Report) -> Found:
    """Find clips and lists and read what each clip says of itself, on all cores."""
    wanted = STILL_SUFFIXES if origin is Origin.SNAPSHOT else VIDEO_SUFFIXES
    others = LIST_SUFFIXES | METADATA_SUFFIXES
    files = list(dict.fromkeys(find_files(paths, wanted | others)))
    roots = [p.resolve() for p in paths if p.is_dir()]
    clips = [f for f in files if f.suffix.lower() not in others]
    meter = Meter(len(clips), progress)
    looked_at: list[tuple[Path, ClipInfo | str]] = []

    def leads_out(path: Path) -> bool:
        return path.is_symlink() and bool(roots) and not any(path.resolve().is_relative_to(r) for r in roots)

    def look(path: Path) -> ClipInfo | str:
        if token.cancelled:
            return ""
        if leads_out(path):
            return f"{plain_name(path)} is a link to a file outside the folder; it was left out."
        try:
            return probe(path)
        except GuardiaError as error:
            return str(error)
        except Exception as error:  # whatever is wrong with one file, the others go on
            return f"{plain_name(path)} cannot be looked into ({type(error).__name__}: {error}); it was left out."

    with ThreadPoolExecutor(max_workers=os.cpu_count()) as pool:
        for number, (path, info) in enumerate(zip(clips, pool.map(look, clips), strict=True)):
            if token.cancelled:
                break
            looked_at.append((path, info))
            meter.at(number + 1, f"Looking into {plain_name(path)}")
    lists = [f for f in files if f.suffix.lower() in others]
    notes = []
    list_files = []
    for file in lists:
        if leads_out(file):
            notes.append(f"{plain_name(file)} is a link to a file outside the folder; it was left out.")
        elif not file.is_file():
            notes.append(f"{plain_name(file)} is no file that can be read; it was left out.")
        else:
            list_files.append(file)
    return Found(tuple(looked_at), tuple(list_files), token.cancelled, _digests(looked_at, token), tuple(notes))


def _digests(files: Sequence[tuple[Path, ClipInfo | str]], token: Token) -> dict[Path, str]:
    """SHA-256 of the files that share their size with another: only they can be copies."""
    by_size: dict[int, list[Path]] = {}
    for path, info in files:
        if isinstance(info, ClipInfo):
            by_size.setdefault(info.bytes, []).append(path)
    digests: dict[Path, str] = {}
    for paths in by_size.values():
        for path in paths if len(paths) > 1 else ():
            if token.cancelled:
                return digests
            with suppress(OSError), path.open("rb") as file:
                digests[path] = hashlib.file_digest(file, "sha256").hexdigest()
    return digests


def make_plan(
    found: Found,
    cameras: Sequence[Known],
    *,
    zone: ZoneInfo,
    rule: str = "one",
    camera_id: int | None = None,
    patterns: Mapping[int, str] | None = None,
) -> Plan:
    """Decide what becomes of each file; nothing is read or written.

    Args:
        found: From look_into().
        cameras: The project's cameras.
        zone: The site's.
        rule: One of RULES.
        camera_id: The camera for the rule 'one', and for lists that no name assigns.
        patterns: Patterns of file names by camera, instead of those kept for them.

    Returns:
        The plan.

    Raises:
        InvalidValue: If a pattern cannot be used.
    """
    pattern_of = {c.id: c.time_pattern for c in cameras} | dict(patterns or {})
    # The cameras of a site are in one zone: more than its two shifts are numbers of another kind.
    behind = len({word for path, _ in found.clips if (word := behind_in_name(path.name))}) <= 2
    planned = []
    seen: dict[tuple[int, str, int], Path] = {}
    for path, info in found.clips:
        camera = _camera_for(path, cameras, rule, camera_id)
        if isinstance(info, str):
            planned.append(PlannedClip(path, camera, "cannot be read", None, "", None, info))
            continue
        pattern = pattern_of.get(camera, "") if camera is not None else ""
        start, source = clip_start(path, info, zone, pattern, behind=behind)
        new_clip = PlannedClip(path, camera, "new", start, source, info, _doubt(path, source, pattern, zone, behind))
        if camera is None:
            new_clip = replace(new_clip, state="no camera", note="No camera's name fits this file; it is left out.")
        else:
            key = (camera, path.name, info.bytes)
            new_clip = _held_against(new_clip, cameras, seen.get(key), info.bytes)
            seen.setdefault(key, path)
        planned.append(new_clip)
    planned = sorted(
        _with_overlaps(_without_copies(planned, found.alike)),
        key=lambda c: (c.state not in ("cannot be read", "no camera"), not c.note),
    )
    lists = tuple((path, _camera_for(path, cameras, rule, camera_id, also=True)) for path in found.lists)
    notes = [*found.notes, *_times_told(planned, cameras, pattern_of, behind)]
    return Plan(tuple(planned), lists, tuple(notes))


def _held_against(clip: PlannedClip, cameras: Sequence[Known], before: Path | None, size: int) -> PlannedClip:
    """The same clip, and what tells that it may be in the project already, or in the plan as `before`."""
    one = (plain_name(clip.path), size)
    if here := [c.name for c in cameras if c.id != clip.camera_id and one in c.clips]:
        clip = replace(clip, note=f"'{here[0]}' has a clip of this name and size: the same file?")
    if any(c.id == clip.camera_id and one in c.clips for c in cameras):
        return replace(clip, state="perhaps here", note="compared with the clip of this name and size.")
    if before is not None:
        return replace(clip, state="perhaps here", note=f"compared with the one in {before.parent.name}.")
    return clip


def _times_told(
    planned: Sequence[PlannedClip], cameras: Sequence[Known], pattern_of: Mapping[int, str], behind: bool
) -> list[str]:
    """How the times of clips were come by, where that leaves a doubt."""
    notes = []
    guessed = sum(c.source == "file date" for c in planned if c.state == "new")
    if guessed:
        notes.append(
            f"The start of {count_of(guessed, 'clip')} is only a guess from the file's date: "
            "choose how to read it from the names."
        )
    shifted = [
        p for p in planned if p.source == "file name" and not pattern_of.get(p.camera_id or 0)
        and (at := time_in_name(p.path.name, behind=behind)) is not None and at.tzinfo is not None
    ]  # fmt: skip
    if shifted:
        notes.append(
            f"{count_of(len(shifted), 'name says', 'names say')} in which zone the time is, such as "
            f"{plain_name(shifted[0].path)}; choose another form of the time if that is wrong."
        )
    slow = [c for c in cameras if c.clock_error_s and any(p.camera_id == c.id and p.state == "new" for p in planned)]
    return [*notes, *(f"Times of '{c.name}' are put right: its clock is {error_words(c.clock_error_s)}." for c in slow)]


def rule_by_names(found: Found, cameras: Sequence[Known]) -> str:
    """The rule that what names say asks for: by folder or by file name where every file names a camera, else one."""
    if len(cameras) > 1 and found.clips:
        for rule in ("folder", "name"):
            if all(_camera_for(path, cameras, rule, None) is not None for path, _ in found.clips):
                return rule
    return "one"


_SURE = ("file name", "metadata", "file date")
"""How the start of a clip is known, the surest first."""


def _without_copies(planned: Sequence[PlannedClip], digests: Mapping[Path, str]) -> list[PlannedClip]:
    """Of files with the very same content for one camera the one whose start is known best is taken."""
    alike: dict[tuple[int | None, str], list[int]] = {}
    for number, clip in enumerate(planned):
        if clip.state in TAKEN and clip.path in digests:
            alike.setdefault((clip.camera_id, digests[clip.path]), []).append(number)
    result = list(planned)
    for numbers in alike.values():
        best = min(numbers, key=lambda n: (_SURE.index(planned[n].source), n))
        for number in numbers:
            if number != best:
                one, other = (plain_name(planned[n].path) for n in (number, best))
                note = f"{one} is the same file as {other}; it is taken once."
                result[number] = replace(planned[number], state="copy", note=note)
    return result


def _camera_for(
    path: Path, cameras: Sequence[Known], rule: str, camera_id: int | None, *, also: bool = False
) -> int | None:
    """The camera of a file by the rule; with `also`, the chosen one when no name fits."""
    if rule == "one":
        return camera_id
    places = [p.name for p in path.parents] if rule == "folder" else [path.stem]
    fitting = []
    for camera in cameras:
        word = _plain(camera.name)
        if any(_plain(p) == word or (rule == "name" and _plain(p).startswith(word)) for p in places):
            fitting.append((len(word), camera.id))
    return max(fitting)[1] if fitting else camera_id if also else None


def _plain(name: str) -> str:
    return "".join(c for c in name.lower() if c.isalnum())


def _doubt(path: Path, source: str, pattern: str, zone: ZoneInfo, behind: bool) -> str:
    """What is doubtful about a clip's start."""
    if source == "file date":
        return "Its start is only a guess from the file's date."
    if source == "file name":
        named = time_in_name(path.name, pattern, latest=datetime.now(UTC), behind=behind)
        if not pattern and far_apart(times_in_name(path.name)) and named is not None:
            return f"Its name holds two times; {named:%Y-%m-%d %H:%M:%S} is taken."
        doubt = resolve(named, zone).doubt if named is not None else ""
        if doubt == "twice":
            return "Its start falls in the hour that the clocks showed twice; the first is taken."
        if doubt == "never":
            return "Its start names a time that the clocks skipped."
    return ""


def _with_overlaps(planned: Sequence[PlannedClip]) -> list[PlannedClip]:
    """Note clips that begin before the one before them on the same camera has ended."""
    result = list(planned)
    new = [(c.camera_id or 0, c.start.timestamp(), n) for n, c in enumerate(planned) if c.state == "new" and c.start]
    for (camera, begin, before), (other, following, after) in pairwise(sorted(new)):
        one, two = planned[before], planned[after]
        if camera != other or one.info is None:
            continue
        overlap = begin + one.info.duration_s - following
        if overlap > OVERLAP_S and not result[after].note:
            result[after] = replace(two, note=f"Begins {overlap:.0f} s before {plain_name(one.path)} has ended.")
    return result


def shown_start(clip: PlannedClip, clock_error_s: float) -> datetime | None:
    """True start of a planned clip, the clock's error taken off."""
    return None if clip.start is None else true_time(clip.start, clock_error_s)
