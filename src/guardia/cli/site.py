"""Commands on the whole site: stores, what is due."""

from __future__ import annotations

import argparse
import math
import sys
from collections.abc import Callable, Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from platformdirs import user_data_path

from guardia.cli.arguments import path_named
from guardia.cli.output import print_json
from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.storage.figure import days_words
from guardia.formats.plain import save_file


def add_to(add: Callable[..., argparse.ArgumentParser]) -> None:
    """Add these commands to the program's."""
    text = "Say how long footage, a charge and data last, and what to save before when."
    command = add("storage", storage, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", action="append", default=[], metavar="NAME", help="all if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")
    command.add_argument(
        "--export", type=path_named, metavar="FOLDER", help="copy the originals of one camera's real ones"
    )
    command = add("due", due, "Say what is due when on the cameras of a site.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--calendar", type=path_named, metavar="FILE", help="save it as iCalendar, too")
    command = add("damaged", damaged, "List the entries of a project that cannot be read; save and delete them.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument(
        "--save", type=path_named, metavar="FILE", help="save them as JSON, as they stand in the project"
    )
    command.add_argument("--delete", action="store_true", help="delete those that were saved")
    text = "List a folder of projects, those first that need care most; nothing in them is changed."
    command = add("portfolio", portfolio, text)
    command.add_argument("folder", type=path_named, metavar="FOLDER")
    text = "Show what your cameras taught about their makes; learn from projects, use it in others."
    command = add("scales", scales, text)
    for name, does in (("--learn", "keep what its cameras show"), ("--use", "let its cameras start from that")):
        command.add_argument(name, type=path_named, action="append", default=[], metavar="PROJECT", help=does)
    command.add_argument(
        "--import", dest="source", type=path_named, metavar="FILE", help="add what another machine learned"
    )
    command.add_argument(
        "--export", type=path_named, metavar="FILE", help="save it as JSON: no picture, place or name in it"
    )
    text = "Bring what a second copy of a project knows into the first: judgements with time and person, readings."
    command = add("merge", merge, text)
    command.add_argument("first", type=path_named, metavar="A", help="the project that is changed")
    command.add_argument("second", type=path_named, metavar="B", help="the other copy, which is not")
    command.add_argument("--keep", choices=("later", "first", "second"), default="later", help="where they differ")
    text = "Let the simulated camera record a week that nobody has seen, to tune by hand."
    command = add("practice", practice, text)
    command.add_argument("project", type=path_named, metavar="FOLDER", help="a new folder; with --result a practice")
    command.add_argument("--level", type=int, default=1, metavar="N", help="1, one cause by day, to 5, all of them")
    command.add_argument("--scene", type=int, default=0, metavar="N", help="which scene")
    command.add_argument("--result", action="store_true", help="hold the draft against the truth of the week after")


def _days(figure: Mapping[str, Any] | None) -> str:
    if figure is None:
        return "not known"
    return days_words(math.inf if figure["value"] is None else figure["value"])


def storage(options: argparse.Namespace) -> int:
    """Print how long footage lasts on each camera, or export the originals of one."""
    from guardia.app.scripted.storage import export_real, project_storage

    if options.export is not None:
        if len(options.camera) != 1:
            raise InvalidValue("Name one camera whose recordings are exported.", do="Add --camera NAME.")
        exported = export_real(options.project, camera=options.camera[0], target=options.export)
        if options.json:
            print_json([str(path) for path in exported.folders])
        else:
            copied = count_of(len(exported.folders), "original")
            print(f"{copied} copied to {options.export}, each verified by its SHA-256")
        for line in exported.left_out:
            print(line, file=sys.stderr)
        return 1 if exported.left_out else 0
    storage = project_storage(options.project, cameras=options.camera, draft=options.draft)
    if options.json:
        print_json(storage)
        return 0
    for one in storage:
        print(f"{one['camera']}: keeps {_days(one['days_kept'])}, {one['written_gb_a_day']['value']:.2f} GB a day")
        for finding in one["findings"]:
            print(f"  {'!' if finding['serious'] else '-'} {finding['words']}")
        for way in one["ways"][:3]:
            loses = f"loses {way['real_lost']} real of the evidence: " if way["real_lost"] else ""
            print(f"  way: {loses}{', '.join(way['change'])}: {_days(way['days_kept'])}")
    return 0


def due(options: argparse.Namespace) -> int:
    """Print what is due, and save it as a calendar if asked."""
    from guardia.app.scripted.storage import project_due
    from guardia.formats.calendar import days_calendar

    due = project_due(options.project)
    if options.calendar is not None:
        entries = [(f"{d['camera']}: {d['what']}", d["why"], date.fromisoformat(d["by"])) for d in due]
        save_file(options.calendar, days_calendar(entries), "The calendar")
    if options.json:
        print_json(due)
    else:
        for one in due:
            print(f"{one['by']}  {one['camera']}: {one['what']} ({one['why']})")
    return 0


def damaged(options: argparse.Namespace) -> int:
    """Print what of a project cannot be read, saved and deleted if asked; 1 when some of it stays."""
    from guardia.app.site.damaged import damaged_entries

    lines, deleted, waiting = damaged_entries(options.project, save=options.save, delete=options.delete)
    if options.json:
        print_json([{"what": what, "number": number, "why": why} for what, number, why in lines])
    else:
        for what, number, why in lines:
            print(f"{what} (number {number}): {why}")
        told = f"{count_of(len(lines), 'entry', 'entries')} cannot be read" if lines else "Every entry can be read"
        saved = f", saved to {options.save}" if options.save is not None else ""
        print(f"{told}{saved}{f', {deleted} deleted' if options.delete else ''}.")
        if deleted and waiting:
            print(f"{count_of(waiting, 'clip')} to be measured again: guardia measure-again {options.project}")
    return 1 if len(lines) > deleted else 0


def practice(options: argparse.Namespace) -> int:
    """Begin a practice, or print what came of one."""
    from guardia.app.project.practice import finish, keep_result, new_scene, result_lines
    from guardia.app.work.jobs import Progress, Token

    def progress(at: Progress) -> None:
        if sys.stderr.isatty():
            print(f"\r{at.what}: {at.done} of {at.total}   ", end="", file=sys.stderr, flush=True)

    if not options.result:
        folder = new_scene(options.project, options.level, options.scene, token=Token(), progress=progress)
        result: dict[str, object] = {"project": str(folder), "level": options.level, "scene": options.scene}
        lines = [f"{folder}: tune it, then ask for the result"]
    else:
        reached = finish(options.project, token=Token(), progress=progress)
        keep_result(user_data_path("guardia"), reached)
        result, lines = asdict(reached), result_lines(reached)
    if options.json:
        print_json(result)
    else:
        print("\n".join(lines))
    return 0


def portfolio(options: argparse.Namespace) -> int:
    """Print a folder of projects; 1 when one cannot be read."""
    from guardia.app.project.portfolio import portfolio as sites_in
    from guardia.app.site.summary import today_here

    sites, today = sites_in(options.folder), today_here()
    if options.json:
        print_json([
            {"folder": str(s.folder), "site": s.name, "cameras": s.cameras, "overdue": s.overdue(today),
             "trouble": s.trouble, "lines": [asdict(line) for line in s.lines]}
            for s in sites
        ])  # fmt: skip
    else:
        for s in sites:
            late = f", {count_of(s.overdue(today), 'date')} overdue" if s.overdue(today) else ""
            unmet = f", {s.unmet} of {s.asked} not as asked" if s.unmet else ""
            print(f"{s.name} ({count_of(s.cameras, 'camera')}{unmet}{late}): {s.words}")
        if not sites:
            print(f"There is no project in {options.folder}.", file=sys.stderr)
    return 1 if not sites or any(s.trouble for s in sites) else 0


def scales(options: argparse.Namespace) -> int:
    """Print what the person's own cameras taught, after learning, importing and using it as asked."""
    from guardia.app.project import own_scales as own
    from guardia.core.tuning.scale import taught_words
    from guardia.store.project import Project

    home, lines = user_data_path("guardia"), []
    for folder in options.learn:
        with Project(folder) as project:
            lines.append(f"{folder}: learned from {count_of(own.learn(home, project), 'camera')}")
    if options.source is not None:
        own.write_scales(home / own.FILE_NAME, own.own_scales(home) | own.scales_from(options.source))
    for folder in options.use:
        with Project(folder) as project:
            for name, taught in own.use(home, project):
                start = "its make's own band" if taught is None else taught_words(taught)
                lines.append(f"{folder}, {name}: starts from {start}")
    makes = own.by_make(own.own_scales(home))
    if options.export is not None:
        own.write_scales(options.export, own.own_scales(home))
    if options.json:
        print_json([{"make": name, "cameras": count, "seen": seen} for name, count, seen in makes])
    else:
        lines += [f"{name}: {count_of(count, 'camera')}, {count_of(seen, 'thing')} seen" for name, count, seen in makes]
        print("\n".join(lines) or "No camera of yours has taught anything yet: --learn PROJECT.")
    return 0


def merge(options: argparse.Namespace) -> int:
    """Bring two copies together; 1 when there are notes."""
    from guardia.app.project.merging import Keep
    from guardia.app.project.merging import merge as bring_together

    merged = bring_together(options.first, options.second, keep=Keep(options.keep))
    if options.json:
        print_json(asdict(merged))
    else:
        print(f"{count_of(merged.taken, 'judgement')} and {count_of(merged.readings, 'reading')} taken")
        for difference in merged.differences:
            print(f"  {difference.words}")
        for line in merged.notes:
            print(line, file=sys.stderr)
    return 1 if merged.notes else 0
