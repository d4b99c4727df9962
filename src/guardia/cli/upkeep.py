"""Commands for those who build Guardia: benchmark, pictures, the demo."""

from __future__ import annotations

import argparse
import sys

from guardia.app.project.makes import capability_data
from guardia.cli.output import print_json
from guardia.core.make.capability import capability_from_dict


def benchmark(options: argparse.Namespace) -> int:
    """Print the bars of speed; 1 when one is missed."""
    if options.tuning:
        return _benchmark_tuning(options)
    from guardia.tools.benchmark import run_benchmark

    results = run_benchmark(lambda text: print(text, "...", file=sys.stderr))
    if options.json:
        print_json([{**vars(r), "ratio": r.ratio} for r in results])
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


def build_demo(options: argparse.Namespace) -> int:
    """Record the demo and build its project."""
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
