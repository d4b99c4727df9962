"""Commands for those who build Guardia: benchmark, pictures, the demo."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

from guardia.app.camera.makes import capability_data
from guardia.cli.output import print_json
from guardia.core.base.words import count_of
from guardia.core.make.capability import capability_from_dict


def add_to(add: Callable[..., argparse.ArgumentParser]) -> None:
    """Add these commands to the program's."""
    command = add("benchmark", benchmark, "Measure the bars of speed, each as a ratio in one run.")
    command.add_argument("--tuning", action="store_true", help="instead what tuning is worth on weeks nobody had seen")
    command.add_argument("--first", action="store_true", help="instead what first settings are worth before any clip")
    command.add_argument("--scenes", type=int, default=10, metavar="N", help="scenes, with --first")
    command.add_argument("--scale", action="store_true", help="instead how costs grow with clips and workers")
    command.add_argument("--largest", type=int, default=30_000, metavar="N", help="most clips, with --scale")
    command.add_argument("--seeds", type=int, default=10, metavar="N", help="weeks for each camera, with --tuning")
    command = add("screenshots", screenshots, "Take pictures of every main view from the demo.", machine=False)
    command.add_argument("--folder", type=Path, default=Path("docs/screenshots"))
    command = add("words", words, "List every text that the program can show, with its place.")
    command.add_argument("--check", action="store_true", help="list instead words that are not to be used; 1 if any")
    text = "Record the demo site with the bench camera, build its project and pack it."
    command = add("build-demo", build_demo, text, machine=False)
    command.add_argument("recorded", type=Path, help="folder for the bench camera's files")
    command.add_argument("project", type=Path, help="folder of the project to make")


def benchmark(options: argparse.Namespace) -> int:
    """Print the bars of speed; 1 when one is missed."""
    if options.tuning:
        return _benchmark_tuning(options)
    if options.first:
        return _benchmark_first(options)
    if options.scale:
        return _benchmark_scale(options)
    from guardia.tools.benchmark import run_benchmark

    results = run_benchmark(lambda text: print(text, "...", file=sys.stderr))
    if options.json:
        print_json([{**vars(r), "ratio": r.ratio} for r in results])
    else:
        for r in results:
            print(f"{'met   ' if r.met else 'MISSED'} {r.name}:")
            print(f"       {r.ours:.3f} {r.unit} / {r.reference:.3f} {r.unit} = ratio {r.ratio:.3f} ({r.bar})")
    return 0 if all(r.met for r in results) else 1


def _benchmark_scale(options: argparse.Namespace) -> int:
    from guardia.tools.benchmark_scale import lines_of, run_scale

    rates, growths = run_scale(lambda text: print(text, "...", file=sys.stderr), options.largest)
    if options.json:
        print_json({"rates": rates, "growth": [{**vars(g), "exponent": g.exponent} for g in growths]})
    else:
        print("\n".join(lines_of(rates, growths)))
    return 0 if all(g.met for g in growths) else 1


def _benchmark_first(options: argparse.Namespace) -> int:
    from guardia.tools.benchmark_first import first_days, lines_of

    days = list(first_days(options.scenes, lambda text: print(text, "...", file=sys.stderr)))
    if options.json:
        print_json([vars(day) for day in days])
    else:
        print("\n".join(lines_of(days)))
    return 0


def _benchmark_tuning(options: argparse.Namespace) -> int:
    from guardia.tools.benchmark_tuning import coming_weeks, lines_of, tune_demo

    table = tune_demo()
    weeks = list(coming_weeks(table, options.seeds, lambda text: print(text, "...", file=sys.stderr)))
    if options.json:
        print_json([vars(week) for week in weeks])
    else:
        print("\n".join(lines_of(table, weeks)))
    return 0


def screenshots(options: argparse.Namespace) -> int:
    """Print the names of the pictures taken."""
    from guardia.tools.screenshots import take_screenshots

    for path in take_screenshots(options.folder):
        print(path)
    return 0


def words(options: argparse.Namespace) -> int:
    """Print all texts, or the words among them that are not to be used."""
    from guardia.tools.words import faults, texts

    found = texts()
    wrong = faults(found)
    if options.json:
        print_json([{"place": place, "text": text} for place, text in found] if not options.check else wrong)
    else:
        print("\n".join(wrong if options.check else (f"{place}\t{text}" for place, text in found)))
    return 1 if options.check and wrong else 0


def build_demo(options: argparse.Namespace) -> int:
    """Record the demo and build its project."""
    from guardia.app.work.jobs import Token
    from guardia.benchcam.record import record
    from guardia.benchcam.tern_quay import PLACES, build_scene
    from guardia.tools.demo_builder import build_demo
    from guardia.tools.pack_demo import pack_demo

    for place in PLACES:
        folder = options.recorded / place.slug
        if not (folder / "truth.jsonl").exists():
            print(f"recording {place.name} ...", file=sys.stderr)
            record(build_scene(place), folder, capability_from_dict(capability_data(place.installed.capability)))
    notes = build_demo(options.recorded, options.project, token=Token(), progress=lambda _: None)
    packed = options.project.with_name(f"{options.project.name}-packs")
    count = count_of(len(pack_demo(options.project, packed)), "file")
    print("\n".join([f"built {options.project}, {count} packed as {packed}", *notes]))
    return 0
