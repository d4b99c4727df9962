"""Commands that score and choose settings."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable

from guardia.cli.arguments import day_named, of_camera, path_named
from guardia.cli.clips import settings_file
from guardia.cli.output import print_json
from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.purpose.patterns import PATTERN_OF
from guardia.core.purpose.purpose import purpose_from_dict
from guardia.formats.judgements import kind_named
from guardia.formats.plain import read_object, save_file


def add_to(add: Callable[..., argparse.ArgumentParser]) -> None:
    """Add these commands to the program's."""
    command = add("score", score, "Score installed and draft of a project's cameras on their judged evidence.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", metavar="NAME", help="only this camera")
    text = "Say what a camera is for, or print it: what must be recorded and alerted, met or not."
    command = add("purpose", purpose, text)
    of_camera(command)
    way = command.add_mutually_exclusive_group()
    way.add_argument("--begin", choices=sorted(PATTERN_OF), metavar="PATTERN", help=", ".join(sorted(PATTERN_OF)))
    way.add_argument("--set", dest="source", type=path_named, metavar="FILE", help="JSON, see docs/formats.md")
    way.add_argument("--nothing", action="store_true", help="ask nothing of it any more")
    command = add("first", first, "Say what to set before there is any clip, and which walks prove it.")
    of_camera(command)
    command.add_argument("--save", action="store_true", help="keep it as the draft")
    command = add("tune", tune, "Search better settings for a camera and prove them on days held out.")
    of_camera(command)
    command.add_argument(
        "--miss-cost", type=float, default=5.0, metavar="N", help="of a miss; a false recording costs 1"
    )
    command.add_argument("--kind-cost", action="append", default=[], metavar="KIND=N", help="factor for single kinds")
    command.add_argument("--hold-out", type=int, default=0, metavar="DAYS", help="keep the last days out; else in turn")
    command.add_argument("--unseen", action="store_true", help="also choose what motion clips cannot show the price of")
    command.add_argument("--save", action="store_true", help="keep what is chosen as the draft")
    command = add("sheet", sheet, "Print the settings sheet of a camera: what to enter, and what it changes.")
    of_camera(command)
    command.add_argument("--settings", type=path_named, metavar="FILE", help="these in place of the draft")
    command.add_argument("--pdf", type=path_named, metavar="FILE", help="save it as PDF, too")
    command = add("hours", hours, "Say when a camera records and alerts, and what is typed in for that.")
    of_camera(command)
    command.add_argument("--from", dest="first", type=day_named, metavar="DATE", help="first date; today if left out")
    command.add_argument("--to", dest="last", type=day_named, metavar="DATE", help="last date; a week if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")


def score(options: argparse.Namespace) -> int:
    """Print the score of installed and draft."""
    from guardia.app.scripted.offline import score_project

    result = score_project(options.project, camera=options.camera)
    if options.json:
        print_json(result)
        return 0
    for camera in result["cameras"]:
        print(camera["name"])
        for asked, old, new in camera["purpose_lines"]:
            print(f"  {asked}")
            print(f"    {old}" if old == new else f"    installed {old}\n    draft {new}")
        for what, old, new in camera["lines"]:
            print(f"  {what:<42}{old:<28}{new}")
        for change in camera["changes"]:
            print(f"  {change['certainty']} {change['flip']}: {change['when']} {change['kind']} ({change['reason']})")
        for line in (camera["explained"], *camera["limits"]) if camera["explained"] else camera["limits"]:
            print(f"  {line}")
    return 0


def sheet(options: argparse.Namespace) -> int:
    """Print the settings sheet of a camera, or save it as PDF."""
    from guardia.app.scripted.whole_job import camera_sheet
    from guardia.report.sheet import lines_against, score_rows, sheet_to_dict

    other = settings_file(options.settings) if options.settings else None
    content = camera_sheet(options.project, camera=options.camera, settings=other)
    if options.pdf is not None:
        from guardia.report.sheet_pdf import sheet_pdf

        save_file(options.pdf, sheet_pdf(content), "The sheet")
    if options.json:
        print_json(sheet_to_dict(content))
        return 0
    installed = content.comparison.installed_replay.candidate.settings
    print(f"{content.camera}, {content.capability.name}")
    for line in lines_against(installed, content.settings, content.capability):
        print(f"  {'*' if line.changes else ' '} {line.words}")
    for what, old, new in score_rows(content.comparison.installed, content.comparison.draft):
        print(f"  {what:<42}{old:<28}{new}")
    for limit in content.limits:
        print(f"  {limit}")
    if options.pdf is not None:
        print(f"saved to {options.pdf}")
    return 0


def purpose(options: argparse.Namespace) -> int:
    """Print what a camera is for, met or not, after saying it as asked."""
    from guardia.app.scripted.whole_job import camera_purpose

    new = purpose_from_dict(read_object(options.source, "The purpose")) if options.source is not None else None
    result = camera_purpose(
        options.project, camera=options.camera, pattern=options.begin or "", purpose=new, nothing=options.nothing
    )
    if options.json:
        print_json(result)
        return 0
    if result["purpose"] is None:
        print(f"{options.camera}: nobody said what it is for")
    for line in result["lines"]:
        print(f"  {line['asked']}")
        print(f"    {line['installed']['met']}: {line['installed']['found']}")
        for why in line["installed"]["why"]:
            print(f"      {why}")
    return 0


def first(options: argparse.Namespace) -> int:
    """Print what to set on a camera before there is any clip."""
    from guardia.app.scripted.whole_job import first_of_camera

    result = first_of_camera(options.project, camera=options.camera, save=options.save)
    if options.json:
        print_json(result)
        return 0
    for one in result["settings"]:
        print(f"  {one['setting']}: {one['value']}")
        print(f"    {one['why']}")
    for line in (*result["walks"], *result["missing"]):
        print(f"  {line}")
    if result["saved"]:
        print("kept as the draft")
    return 0


def _kind_cost(text: str) -> tuple[str, float]:
    kind, _, factor = text.partition("=")
    try:
        return kind_named(kind), float(factor)
    except ValueError as error:
        raise InvalidValue(
            f"'{text}' is no kind with a number.", do="Write for example --kind-cost vehicle=3."
        ) from error


def tune(options: argparse.Namespace) -> int:
    """Print what tuning finds for a camera."""
    from guardia.app.scripted.whole_job import tune_camera

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
        print_json(result)
        return 0
    print(f"{result['camera']}: {result['answer'].replace('_', ' ')}, {result['tried']} settings tried")
    for line in result["why"]:
        print(f"  {line}")
    for words, name in (
        ("held out", "held_out"),
        ("installed, same days", "installed_held_out"),
        ("tuned on", "tuned"),
        ("installed", "installed"),
    ):
        counts = result[name]
        if counts is not None:
            print(f"  {words:<10} false alerts {counts['false_alerts']}, false recordings {counts['false']}, "
                  f"lost {counts['lost']} of {counts['real']} ({counts['missed']} missed), "
                  f"late or cut {counts['late']}, {counts['days']:.1f} days")  # fmt: skip
    if result["margin"] is not None:
        print(f"  the weakest real one passes by {result['margin']:.0%}")
    if result["cost"]["words"]:
        print(f"  cost: {result['cost']['words']}")
    if (week := result["coming_week"]) is not None:
        alerts, false, missed = (week[name] for name in ("false_alerts", "false", "missed"))
        many = f"{alerts['low']:.0f} to {alerts['high']:.0f} false alerts, {false['low']:.0f} to {false['high']:.0f} "
        print(f"  a coming week: {many}false recordings, up to {missed['high']:.0f} missed (90 %)")
    for line in result["enter"]:
        print(f"  enter: {line}")
    return 0


def hours(options: argparse.Namespace) -> int:
    """Print when a camera records and alerts."""
    from guardia.app.scripted.hours import camera_hours

    result = camera_hours(
        options.project, camera=options.camera, first=options.first, last=options.last, draft=options.draft
    )
    if options.json:
        print_json(result)
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
        f"the evidence outside the recording hours, {counted['real_not_told']} real that trigger without an alert"
    )
    return 0
