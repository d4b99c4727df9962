"""Commands on clips: measured, replayed, brought in, judged."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

from guardia.app.camera.makes import capability_data, make_from_file
from guardia.app.intake.import_plan import RULES
from guardia.app.work.engine import Cluster
from guardia.cli.arguments import measured_where, of_camera, path_named
from guardia.cli.output import print_json
from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.evidence.clock import check_zone
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings, settings_given
from guardia.formats.plain import read_object

COLUMNS = {
    "time": "time", "date": "date", "length": "duration", "class": "named", "alert": "alert", "zone": "zone",
    "cause": "cause", "form": "form",
}  # fmt: skip
"""What a column of an event list can mean, by its word on the command line; `form` is that of the time."""


def add_to(add: Callable[..., argparse.ArgumentParser]) -> None:
    """Add these commands to the program's."""
    command = add("analyse", analyse, "Measure clips and say what moves in them and when.")
    command.add_argument("clips", nargs="+", type=path_named, metavar="CLIP", help="a video file, or a folder of them")
    command.add_argument("--time-zone", default="UTC", help="of times in file names (IANA name)")
    measured_where(command)
    command = add("replay", replay, "Say when settings would trigger and record on a clip.")
    command.add_argument("clip", type=path_named, metavar="CLIP")
    command.add_argument("--settings", type=path_named, required=True, metavar="FILE", help="JSON, see docs/formats.md")
    command.add_argument(
        "--capability", type=path_named, metavar="FILE", help="a make of your own instead of a shipped one"
    )
    command = add("bring-in", bring_in, "Bring clips, pictures, event lists and metadata into a project.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("paths", nargs="+", type=path_named, metavar="PATH", help="files and folders")
    command.add_argument("--camera", metavar="NAME", required=True, help="the camera that recorded them")
    command.add_argument("--origin", choices=[o.value for o in Origin], default=Origin.MOTION.value)
    command.add_argument("--cause", choices=[c.value for c in Cause], help="why it recorded; else by its event list")
    command.add_argument(
        "--watched", nargs=2, metavar=("FROM", "TO"), help="all that it recorded by motion between these times is here"
    )
    command.add_argument("--cameras-by", choices=RULES, default="one", help="how files find their camera")
    command.add_argument("--pattern", help="of the time in file names, for example %%d%%m%%y_%%H%%M%%S")
    words = "column of event lists, such as time=Recorded; known: " + ", ".join(COLUMNS)
    command.add_argument("--column", action="append", default=[], metavar="WHAT=NAME", help=words)
    words = "zone of times in event lists that name none, an IANA name; else the site's"
    command.add_argument("--times-in", metavar="ZONE", help=words)
    command.add_argument("--dry-run", action="store_true", help="only say what would happen")
    measured_where(command)
    command = add("new", new, "Make a project with one camera, or add a camera to one.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--site", metavar="NAME", help="of a new project")
    words = "of a new project, IANA name, for example Europe/Oslo"
    command.add_argument("--time-zone", metavar="ZONE", help=words)
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--make", required=True, metavar="ID", help="a shipped make, or a JSON file of your own")
    command.add_argument("--settings", type=path_named, metavar="FILE", help="installed on it; else not known")
    text = "Take the judgements of a camera's occurrences from a table, or write them to one."
    command = add("judge", judge, text)
    of_camera(command)
    way = command.add_mutually_exclusive_group(required=True)
    way.add_argument(
        "--from", dest="source", type=path_named, metavar="FILE", help="CSV, JSON Lines or XLSX: clip,begin,end,kind"
    )
    way.add_argument("--to", type=path_named, metavar="FILE", help="the same form")
    text = "Measure what an older version measured; old figures beside new."
    command = add("measure-again", measure_again, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")


def analyse(options: argparse.Namespace) -> int:
    """Print what moves in clips; 1 when one was skipped."""
    from guardia.app.intake.import_plan import VIDEO_SUFFIXES, find_files
    from guardia.app.scripted.offline import analyse_files

    files = list(find_files(options.clips, VIDEO_SUFFIXES))
    result = analyse_files(files, time_zone=options.time_zone, cluster=_cluster(options), device=options.decode_on)
    if options.json:
        print_json(result)
    else:
        for clip in result["clips"]:
            print(f"{clip['file']}: {clip['duration_s']:.1f} s, {clip['width']} x {clip['height']} {clip['codec']}")
            print(f"  began {clip['start']} (by {clip['start_source']}), {clip['sampled_pictures']} pictures sampled")
            for span in clip["motion"]:
                print(f"  motion {span['start_s']:.1f} to {span['end_s']:.1f} s, up to {span['largest_percent']:.1f} %")
            for line in clip["notes"]:
                print(f"  {line}")
        if "decoding" in result:
            print(result["decoding"])
        for line in result["skipped"]:
            print(f"skipped: {line}", file=sys.stderr)
    return 1 if result["skipped"] else 0


def _cluster(options: argparse.Namespace) -> Cluster | None:
    if options.cluster is None:
        return None
    return Cluster(options.cluster, options.shared, options.tls_ca, options.tls_cert, options.tls_key)


def settings_file(path: Path) -> Settings:
    """Settings from a JSON file; raises InvalidValue where there are none."""
    return settings_given(read_object(path, "The settings"))


def replay(options: argparse.Namespace) -> int:
    """Print when settings would trigger on a clip."""
    from guardia.app.scripted.offline import replay_clip

    settings = settings_file(options.settings)
    if options.capability:
        capability = capability_from_dict(make_from_file(options.capability))
    else:
        capability = capability_from_dict(capability_data(settings.capability))
    result = replay_clip(options.clip, settings, capability)
    if options.json:
        print_json(result)
    else:
        print(f"{result['clip']}: {count_of(len(result['recordings']), 'recording')}")
        for entry in result["recordings"]:
            ran = ", the clip ends before the motion does" if entry["ran_on"] else ""
            print(
                f"  trigger {entry['trigger_s']:.1f} s, records {entry['start_s']:.1f} to {entry['end_s']:.1f} s{ran}"
            )
        for line in (*result["limits_broken"], *result["notes"]):
            print(f"  note: {line}")
    return 0


def new(options: argparse.Namespace) -> int:
    """Make a project with a camera."""
    from guardia.app.scripted.whole_job import new_project

    settings = settings_file(options.settings) if options.settings else None
    result = new_project(
        options.project, site=options.site, time_zone=options.time_zone, camera=options.camera, make=options.make,
        settings=settings,
    )  # fmt: skip
    if options.json:
        print_json(result)
    else:
        print(f"{result['project']}: camera '{result['camera']}' is there")
    return 0


def _columns(options: argparse.Namespace) -> dict[str, str]:
    columns = {"clock": check_zone(options.times_in).key} if options.times_in is not None else {}
    for text in options.column:
        what, _, name = text.partition("=")
        if what not in COLUMNS or not name:
            raise InvalidValue(
                f"{text[:40]!a} names no column.", do=f"Write WHAT=NAME; known are {', '.join(COLUMNS)}."
            )
        columns[COLUMNS[what]] = name
    return columns


def bring_in(options: argparse.Namespace) -> int:
    """Bring files in; 1 when there are notes."""
    from guardia.app.scripted.offline import bring_in

    result = bring_in(
        options.project,
        options.paths,
        camera=options.camera,
        origin=Origin(options.origin),
        rule=options.cameras_by,
        pattern=options.pattern,
        dry_run=options.dry_run,
        cause=Cause(options.cause) if options.cause else None,
        watched=options.watched,
        cluster=_cluster(options),
        device=options.decode_on,
        columns=_columns(options),
    )
    if options.json:
        print_json(result)
    else:
        for clip in result["clips"]:
            print(f"{clip['file']}: {clip['state']}, {clip['camera'] or 'no camera'}, {clip['start'] or 'no start'}")
        for what in ("added", "measured", "events"):
            if what in result:
                print(f"{what}: {result[what]}")
        if "decoding" in result:
            print(result["decoding"])
        for line in result["notes"]:
            print(line, file=sys.stderr)
    return 1 if result["notes"] else 0


def judge(options: argparse.Namespace) -> int:
    """Take judgements in, or write them."""
    from guardia.app.scripted.whole_job import judge_from, judge_to

    if options.to:
        result = judge_to(options.project, camera=options.camera, path=options.to)
        words = f"{count_of(result['written'], 'occurrence')} written to {result['file']}"
    else:
        result = judge_from(options.project, camera=options.camera, path=options.source)
        others = f", {count_of(result['other_cameras'], 'line')} of other cameras" if result["other_cameras"] else ""
        words = f"{count_of(result['judged'], 'occurrence')} judged{others}"
    if options.json:
        print_json(result)
    else:
        print(words)
        for line in result.get("notes", ()):
            print(line, file=sys.stderr)
    return 1 if result.get("notes") else 0


def measure_again(options: argparse.Namespace) -> int:
    """Measure again what an older version measured."""
    from guardia.app.scripted.offline import measure_again

    result = measure_again(options.project)
    if options.json:
        print_json(result)
    else:
        print(f"{count_of(result['measured'], 'clip')} measured again")
        for camera in result["cameras"]:
            print(f"{camera['name']}, installed: {'; '.join(camera['changes'])}")
        for line in result["notes"]:
            print(line, file=sys.stderr)
    return 1 if result["notes"] else 0
