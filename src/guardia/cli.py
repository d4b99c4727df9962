"""Guardia without a window: the same capabilities, each with --json.

Each command imports what it needs when it runs, so that the window opens quickly.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import sys
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import Any

from platformdirs import user_data_path

from guardia import __version__
from guardia.app.intake.import_plan import RULES
from guardia.app.project.makes import capability_data
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Cause, Origin
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings, settings_from_dict
from guardia.formats.judgements import kind_named


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; errors are told in plain words on standard error.

    Parameters
    ----------
    arguments
        Without the program's name; the process's own when None.

    Returns
    -------
    int
        0 when all went well, 1 when something was skipped or a bar was missed, 2 when the command could not be done.
    """
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")
    options = _parser().parse_args(arguments)
    try:
        status: int = options.act(options)
    except GuardiaError as error:
        print(f"guardia: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read the output, such as head, wanted no more of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    return status


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="guardia",
        description="A settings bench for installed cameras: score settings on clips that the camera really recorded.",
    )
    parser.add_argument("--version", action="version", version=f"Guardia {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def add(name: str, act: Any, text: str, *, machine: bool = True) -> argparse.ArgumentParser:
        command = commands.add_parser(name, help=text, description=text)
        command.set_defaults(act=act)
        if machine:
            command.add_argument("--json", action="store_true", help="print JSON instead of text")
        return command

    add("demo", _demo, "Open the window on your own copy of the demo site.", machine=False)
    command = add("open", _open, "Open the window, on a project if one is given.", machine=False)
    command.add_argument("project", nargs="?", type=Path)
    command = add("analyse", _analyse, "Measure clips and say what moves in them and when.")
    command.add_argument("clips", nargs="+", type=Path, metavar="CLIP", help="a video file, or a folder of them")
    command.add_argument("--time-zone", default="UTC", help="of times in file names (IANA name)")
    command = add("replay", _replay, "Say when settings would trigger and record on a clip.")
    command.add_argument("clip", type=Path, metavar="CLIP")
    command.add_argument("--settings", type=Path, required=True, metavar="FILE", help="JSON, see docs/formats.md")
    command.add_argument("--capability", type=Path, metavar="FILE", help="a make of your own instead of a shipped one")
    command = add("score", _score, "Score installed and draft of a project's cameras on their judged evidence.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--camera", metavar="NAME", help="only this camera")
    command = add("bring-in", _bring_in, "Bring clips, pictures, event lists and metadata into a project.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("paths", nargs="+", type=Path, metavar="PATH", help="files and folders")
    command.add_argument("--camera", metavar="NAME", required=True, help="the camera that recorded them")
    command.add_argument("--origin", choices=[o.value for o in Origin], default=Origin.MOTION.value)
    command.add_argument("--cause", choices=[c.value for c in Cause], help="why it recorded; else by its event list")
    command.add_argument(
        "--watched", nargs=2, metavar=("FROM", "TO"), help="all that it recorded by motion between these times is here"
    )
    command.add_argument("--cameras-by", choices=RULES, default="one", help="how files find their camera")
    command.add_argument("--pattern", help="of the time in file names, for example %%d%%m%%y_%%H%%M%%S")
    command.add_argument("--dry-run", action="store_true", help="only say what would happen")
    command = add("new", _new, "Make a project with one camera, or add a camera to one.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--site", required=True, metavar="NAME")
    command.add_argument("--time-zone", required=True, metavar="ZONE", help="IANA name, for example Europe/Oslo")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--make", required=True, metavar="ID", help="a shipped make, see docs/formats.md")
    command.add_argument("--settings", type=Path, metavar="FILE", help="installed on it; else its middle ones")
    command = add("judge", _judge, "Take the judgements of a camera's occurrences from a table, or write them to one.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    way = command.add_mutually_exclusive_group(required=True)
    way.add_argument("--from", dest="source", type=Path, metavar="FILE", help="CSV or JSON Lines: clip,begin,end,kind")
    way.add_argument("--to", type=Path, metavar="FILE", help="the same form")
    command = add("tune", _tune, "Search better settings for a camera and prove them on days held out.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument(
        "--miss-cost", type=float, default=5.0, metavar="N", help="of a miss; a false recording costs 1"
    )
    command.add_argument("--kind-cost", action="append", default=[], metavar="KIND=N", help="factor for single kinds")
    command.add_argument("--hold-out", type=int, default=0, metavar="DAYS", help="keep the last days out; else in turn")
    command.add_argument("--unseen", action="store_true", help="also choose what motion clips cannot show the price of")
    command.add_argument("--save", action="store_true", help="keep what is chosen as the draft")
    command = add("hours", _hours, "Say when a camera records and alerts, and what is typed in for that.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--from", dest="first", type=_date, metavar="DATE", help="first date; today if left out")
    command.add_argument("--to", dest="last", type=_date, metavar="DATE", help="last date; a week if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")
    command = add("storage", _storage, "Say how long footage, a charge and data last, and what to save before when.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--camera", action="append", default=[], metavar="NAME", help="all if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")
    command.add_argument("--export", type=Path, metavar="FOLDER", help="copy the originals of one camera's real ones")
    command = add("due", _due, "Say what is due when on the cameras of a site.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command.add_argument("--calendar", type=Path, metavar="FILE", help="save it as iCalendar, too")
    command = add("measure-again", _measure_again, "Measure what an older version measured; old figures beside new.")
    command.add_argument("project", type=Path, metavar="PROJECT")
    command = add("benchmark", _benchmark, "Measure the bars of speed, each as a ratio in one run.")
    command.add_argument("--tuning", action="store_true", help="instead what tuning is worth on weeks nobody had seen")
    command.add_argument("--seeds", type=int, default=10, metavar="N", help="weeks for each camera, with --tuning")
    command = add("screenshots", _screenshots, "Take pictures of every main view from the demo.", machine=False)
    command.add_argument("--folder", type=Path, default=Path("docs/screenshots"))
    command = add(
        "build-demo", _build_demo, "Record the demo site with the bench camera and build its project.", machine=False
    )
    command.add_argument("recorded", type=Path, help="folder for the bench camera's files")
    command.add_argument("project", type=Path, help="folder of the project to make")
    return parser


def _print_json(data: Any) -> None:
    # A file's name may hold bytes that are no text; what is printed is always UTF-8.
    text = json.dumps(data, indent=2, ensure_ascii=False)
    print(text.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))


def _demo(_options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    return run(user_data_path("guardia"), None, demo=True)


def _open(options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    return run(user_data_path("guardia"), options.project)


def _analyse(options: argparse.Namespace) -> int:
    from guardia.app.intake.import_plan import VIDEO_SUFFIXES, find_files
    from guardia.app.project.offline import analyse_files

    result = analyse_files(list(find_files(options.clips, VIDEO_SUFFIXES)), time_zone=options.time_zone)
    if options.json:
        _print_json(result)
    else:
        for clip in result["clips"]:
            print(f"{clip['file']}: {clip['duration_s']:.1f} s, {clip['width']} x {clip['height']} {clip['codec']}")
            print(f"  began {clip['start']} (by {clip['start_source']}), {clip['sampled_pictures']} pictures sampled")
            for span in clip["motion"]:
                print(f"  motion {span['start_s']:.1f} to {span['end_s']:.1f} s, up to {span['largest_percent']:.1f} %")
        for line in result["skipped"]:
            print(f"skipped: {line}", file=sys.stderr)
    return 1 if result["skipped"] else 0


def _settings_file(path: Path) -> Settings:
    try:
        data = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise InvalidValue(f"The settings file {path} cannot be read ({error.strerror}).") from error
    except (ValueError, RecursionError) as error:
        raise InvalidValue(f"The settings file {path} is not JSON ({error}).") from error
    if not isinstance(data, dict):
        raise InvalidValue(f"The settings file {path} must hold one JSON object.", do="See docs/formats.md.")
    return settings_from_dict(data)


def _replay(options: argparse.Namespace) -> int:
    from guardia.app.project.offline import replay_clip

    settings = _settings_file(options.settings)
    if options.capability:
        try:
            capability = capability_from_dict(json.loads(options.capability.read_text("utf-8")))
        except (OSError, ValueError) as error:
            raise InvalidValue(f"The capability file {options.capability} cannot be read ({error}).") from error
    else:
        capability = capability_from_dict(capability_data(settings.capability))
    result = replay_clip(options.clip, settings, capability)
    if options.json:
        _print_json(result)
    else:
        print(f"{result['clip']}: {len(result['recordings'])} recordings")
        for entry in result["recordings"]:
            ran = ", the clip ends before the motion does" if entry["ran_on"] else ""
            print(
                f"  trigger {entry['trigger_s']:.1f} s, records {entry['start_s']:.1f} to {entry['end_s']:.1f} s{ran}"
            )
        for line in (*result["limits_broken"], *result["notes"]):
            print(f"  note: {line}")
    return 0


def _score(options: argparse.Namespace) -> int:
    from guardia.app.project.offline import score_project

    result = score_project(options.project, camera=options.camera)
    if options.json:
        _print_json(result)
        return 0
    for camera in result["cameras"]:
        print(camera["name"])
        for what, old, new in camera["lines"]:
            print(f"  {what:<42}{old:<28}{new}")
        for change in camera["changes"]:
            print(f"  {change['flip']}: {change['when']} {change['kind']} ({change['reason']})")
        for line in (camera["explained"], *camera["limits"]) if camera["explained"] else camera["limits"]:
            print(f"  {line}")
    return 0


def _bring_in(options: argparse.Namespace) -> int:
    from guardia.app.project.offline import bring_in

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
    )
    if options.json:
        _print_json(result)
    else:
        for clip in result["clips"]:
            print(f"{clip['file']}: {clip['state']}, {clip['camera'] or 'no camera'}, {clip['start'] or 'no start'}")
        for what in ("added", "measured", "events"):
            if what in result:
                print(f"{what}: {result[what]}")
        for line in result["notes"]:
            print(line, file=sys.stderr)
    return 1 if result["notes"] else 0


def _new(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted import new_project

    settings = _settings_file(options.settings) if options.settings else None
    result = new_project(
        options.project, site=options.site, time_zone=options.time_zone, camera=options.camera, make=options.make,
        settings=settings,
    )  # fmt: skip
    if options.json:
        _print_json(result)
    else:
        print(f"{result['project']}: camera '{result['camera']}' is there")
    return 0


def _judge(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted import judge_from, judge_to

    if options.to:
        result = judge_to(options.project, camera=options.camera, path=options.to)
        words = f"{count_of(result['written'], 'occurrence')} written to {result['file']}"
    else:
        result = judge_from(options.project, camera=options.camera, path=options.source)
        words = f"{count_of(result['judged'], 'occurrence')} judged"
    if options.json:
        _print_json(result)
    else:
        print(words)
        for line in result.get("notes", ()):
            print(line, file=sys.stderr)
    return 1 if result.get("notes") else 0


def _date(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"'{text}' is no date such as 2026-12-24") from error


def _hours(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted_hours import camera_hours

    result = camera_hours(
        options.project, camera=options.camera, first=options.first, last=options.last, draft=options.draft
    )
    if options.json:
        _print_json(result)
        return 0
    for name in ("recording", "alerts"):
        part = result[name]
        print(f"{name}: {'always' if part is None else part['plan']}")
        for line in () if part is None else (*part["type_in"], *part["lost"]):
            print(f"    {line}")
        for begin, end in () if part is None else part["spans"]:
            print(f"  {begin} to {end}")
    counted = result["evidence"]
    print(
        f"{count_of(counted['real_outside'], 'real visit')} and {count_of(counted['false_outside'], 'false one')} of "
        f"the evidence outside the recording hours, {counted['real_not_told']} real that trigger and are not told"
    )
    return 0


def _storage(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted_storage import export_real, project_storage

    if options.export is not None:
        if len(options.camera) != 1:
            raise InvalidValue("Name one camera whose recordings are exported.", do="Add --camera NAME.")
        folders = export_real(options.project, camera=options.camera[0], target=options.export)
        if options.json:
            _print_json([str(path) for path in folders])
        else:
            print(f"{count_of(len(folders), 'original')} copied to {options.export}, each verified by its SHA-256")
        return 0
    storage = project_storage(options.project, cameras=options.camera, draft=options.draft)
    if options.json:
        _print_json(storage)
        return 0
    for one in storage:
        days = one["days_kept"]
        lasts = "not known" if days is None else "without end" if days["value"] is None else f"{days['value']:.1f} days"
        print(f"{one['camera']}: keeps {lasts}, {one['written_gb_a_day']['value']:.2f} GB a day")
        for finding in one["findings"]:
            print(f"  {'!' if finding['serious'] else '-'} {finding['words']}")
        for way in one["ways"][:3]:
            print(f"  way: {', '.join(way['change'])}: {way['days_kept']['value']:.1f} days")
    return 0


def _due(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted_storage import project_due
    from guardia.formats.calendar import days_calendar

    due = project_due(options.project)
    if options.calendar is not None:
        entries = [(f"{d['camera']}: {d['what']}", d["why"], date.fromisoformat(d["by"])) for d in due]
        try:
            options.calendar.write_bytes(days_calendar(entries))
        except OSError as error:
            raise InvalidValue(f"{options.calendar} cannot be written ({error.strerror}).") from error
    if options.json:
        _print_json(due)
    else:
        for one in due:
            print(f"{one['by']}  {one['camera']}: {one['what']} ({one['why']})")
    return 0


def _kind_cost(text: str) -> tuple[str, float]:
    kind, _, factor = text.partition("=")
    try:
        return kind_named(kind), float(factor)
    except ValueError as error:
        raise InvalidValue(
            f"'{text}' is no kind with a number.", do="Write for example --kind-cost vehicle=3."
        ) from error


def _tune(options: argparse.Namespace) -> int:
    from guardia.app.project.scripted import tune_camera

    def tried(count: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{count} settings tried", end="", file=sys.stderr, flush=True)

    result = tune_camera(
        options.project, camera=options.camera, miss_cost=options.miss_cost, hold_out=options.hold_out,
        unseen=options.unseen, save=options.save, kinds=dict(map(_kind_cost, options.kind_cost)), tried=tried,
    )  # fmt: skip
    if sys.stderr.isatty():
        print("\r", end="", file=sys.stderr)
    if options.json:
        _print_json(result)
        return 0
    print(f"{result['camera']}: {result['answer'].replace('_', ' ')}, {result['tried']} settings tried")
    for line in result["why"]:
        print(f"  {line}")
    for words, name in (("held out", "held_out"), ("tuned on", "tuned"), ("installed", "installed")):
        counts = result[name]
        if counts is not None:
            print(f"  {words:<10} false {counts['false']}, missed {counts['missed']} of {counts['real']}, "
                  f"late or cut {counts['late']}, {counts['days']:.1f} days")  # fmt: skip
    if result["margin"] is not None:
        print(f"  the weakest real one passes by {result['margin']:.0%}")
    for line in result["enter"]:
        print(f"  enter: {line}")
    return 0


def _measure_again(options: argparse.Namespace) -> int:
    from guardia.app.project.offline import measure_again

    result = measure_again(options.project)
    if options.json:
        _print_json(result)
    else:
        print(f"{count_of(result['measured'], 'clip')} measured again")
        for camera in result["cameras"]:
            print(f"{camera['name']}, installed: {'; '.join(camera['changes'])}")
        for line in result["notes"]:
            print(line, file=sys.stderr)
    return 1 if result["notes"] else 0


def _benchmark(options: argparse.Namespace) -> int:
    if options.tuning:
        return _benchmark_tuning(options)
    from guardia.tools.benchmark import run_benchmark

    results = run_benchmark(lambda text: print(text, "...", file=sys.stderr))
    if options.json:
        _print_json([{**vars(r), "ratio": r.ratio} for r in results])
    else:
        for r in results:
            print(f"{'met   ' if r.met else 'MISSED'} {r.name}:")
            print(f"       {r.ours:.3f} {r.unit} / {r.reference:.3f} {r.unit} = ratio {r.ratio:.3f} ({r.bar})")
    return 0 if all(r.met for r in results) else 1


def _benchmark_tuning(options: argparse.Namespace) -> int:
    from guardia.tools.benchmark_tuning import coming_weeks, lines_of, tune_demo

    table = tune_demo()
    weeks = list(coming_weeks(table, options.seeds, lambda text: print(text, "...", file=sys.stderr)))
    if options.json:
        _print_json([vars(week) for week in weeks])
    else:
        print("\n".join(lines_of(table, weeks)))
    return 0


def _screenshots(options: argparse.Namespace) -> int:
    from guardia.tools.screenshots import take_screenshots

    for path in take_screenshots(options.folder):
        print(path)
    return 0


def _build_demo(options: argparse.Namespace) -> int:
    from guardia.app.work.jobs import Token
    from guardia.benchcam.record import record
    from guardia.benchcam.tern_quay import PLACES, build_scene
    from guardia.tools.demo_builder import build_demo

    for place in PLACES:
        folder = options.recorded / place.slug
        if not (folder / "truth.jsonl").exists():
            print(f"recording {place.name} ...", file=sys.stderr)
            record(build_scene(place), folder, capability_from_dict(capability_data(place.installed.capability)))
    notes = build_demo(options.recorded, options.project, token=Token(), progress=lambda _: None)
    print("\n".join([f"built {options.project}", *notes]))
    return 0
