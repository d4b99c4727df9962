"""Every option of every command, given what nobody would type on purpose; counts what came of it.

    python -m tests.given_options [COUNT]

Each run gives one command with its sound arguments, one of them replaced. It must end with a result or with one
sentence; what JSON it prints must be JSON. Prints the counts; 1 when anything else happened.
"""

import argparse
import contextlib
import io
import json
import os
import random
import shutil
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from guardia.cli import main, program_parser
from guardia.cli.arguments import path_named
from tests.unlike import START, Made, make_project, trace_of

LEFT_OUT = ("demo", "open", "help", "benchmark", "screenshots", "words", "build-demo")
"""They open a window, or are for those who build the program."""

NUMBERS = ("0", "-1", "1e309", "nan", "inf", "99999999999999999999", "1.5", "", "many", "-0", "9" * 5000)
WORDS = (
    "", " ", "..", ".", "x" * 300, "two\nlines", "tab\there", "nul\x00l", "\udcff", "<b>bold</b>", "Gate", "'; DROP",
    "\u202egnp", "{}", "é" * 120, "-", "--", "%s%n", "～",
)  # fmt: skip
TIMES = ("0001-01-01", "9999-12-31", "1969-01-01", "2100-01-01", "2026-02-30", "1e9", "2026-W01-1", "20260101", "")
PATHS = ("", "/dev/null", "/dev/full", "/nowhere/at/all", ".", "x" * 300, "\udcff", "nul\x00l", "~")


GENERATED = 6
"""So many generated texts for each option."""


def texts(number: int, count: int = 100) -> list[str]:
    """Texts that hypothesis thinks of, of 80 characters at most; the same number gives the same."""
    return generated(st.text(st.characters(), max_size=80), number, count)


def generated(values: st.SearchStrategy[Any], number: int, count: int) -> list[Any]:
    """Values that hypothesis thinks of; the same number gives the same."""
    found: list[Any] = []

    @seed(number)
    @settings(max_examples=count, database=None, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(values)
    def gather(value: Any) -> None:
        found.append(value)

    gather()
    return found


def sound(folder: Path) -> dict[str, list[str]]:
    """A command line that works for each command."""
    project, other = str(folder / "site"), str(folder / "other")
    clip, settings = str(folder / "clip.mp4"), str(folder / "settings.json")
    one = ["--camera", "Gate"]
    zone = ["--site", "Yard", "--time-zone", "Europe/London"]
    return {
        "analyse": [clip], "replay": [clip, "--settings", settings], "score": [project, *one],
        "bring-in": [project, clip, *one, "--dry-run"],
        "new": [project, *zone, "--camera", "Yard", "--make", "polygon-mains-camera", "--settings", settings],
        "judge": [project, *one, "--to", str(folder / "judged.csv")], "purpose": [project, *one],
        "first": [project, *one], "tune": [project, *one], "sheet": [project, *one],
        "hours": [project, *one, "--from", "2026-09-07", "--to", "2026-09-08"], "storage": [project, *one],
        "due": [project], "damaged": [project], "portfolio": [str(folder)], "scales": [], "merge": [project, other],
        "practice": [str(folder / "practice"), "--level", "0"], "measure-again": [project],
    }  # fmt: skip


def _values(option: argparse.Action, chance: random.Random, generated: list[str]) -> list[str]:
    return [*_unlikely(option), *chance.sample(generated, GENERATED)]


def _unlikely(option: argparse.Action) -> tuple[str, ...]:
    if option.type is path_named or option.dest in ("ca", "cert", "key"):
        return PATHS
    if option.dest in ("first", "last", "watched"):
        return TIMES
    if option.type in (int, float) or option.dest in ("kind_cost", "level", "scene", "hold_out", "miss_cost"):
        return (*NUMBERS, *(f"vehicle={n}" for n in NUMBERS[:6])) if option.dest == "kind_cost" else NUMBERS
    return (*WORDS, *TIMES[:2], *NUMBERS[:3])


def lines_to_try(folder: Path) -> list[tuple[str, list[str]]]:
    """Every command with every option and each value."""
    commands = next(iter(program_parser()._subparsers._group_actions)).choices
    lines, chance, generated = [], random.Random(2), texts(1)
    for name, words in sound(folder).items():
        lines += [(name, words), (name, [*words, "--json"])]
        for option in commands[name]._actions:
            if isinstance(option, argparse._HelpAction | argparse._StoreTrueAction):
                continue
            for value in _values(option, chance, generated):
                if option.option_strings:
                    flag = option.option_strings[-1]
                    values = [value, "2026-09-08"] if option.dest == "watched" else [value]
                    kept = list(words)
                    if flag in kept:
                        del kept[kept.index(flag) : kept.index(flag) + 2]
                    lines.append((name, [*kept, flag, *values, "--json"]))
                elif words:
                    lines.append((name, [value, *words[1:], "--json"]))
    assert set(commands) == set(sound(folder)) | set(LEFT_OUT), set(commands) ^ set(sound(folder)) ^ set(LEFT_OUT)
    return lines


def outcome(words: list[str]) -> str:
    """What came of one command line: a result, a refusal in one sentence, or what went wrong."""
    out, told = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(told):
        try:
            status = main(words)
        except SystemExit as end:  # argparse tells of its own
            status = end.code
        except BaseException as error:
            return f"{words}: {type(error).__name__}: {error}"
    if status == 2:
        sentences = [line for line in told.getvalue().splitlines() if line.startswith("guardia")]
        return "refused in words" if len(sentences) == 1 and not out.getvalue() else f"{words}: {told.getvalue()}"
    if "--json" in words and "--" not in words:  # what follows that is no option
        try:
            json.loads(out.getvalue(), parse_constant=lambda name: 1 / 0 if name else 0)
        except (ValueError, ZeroDivisionError) as error:
            return f"{words}: no JSON ({error}): {out.getvalue()[:80]}"
    return "done" if status in (0, 1) else f"{words}: ended with {status}"


def run(count: int) -> Counter[str]:
    """Try so many command lines, each on a fresh project; what came of them, by words."""
    counts: Counter[str] = Counter()
    with (
        tempfile.TemporaryDirectory(prefix="guardia-options-") as home,
        contextlib.chdir(home),
        patch.dict(os.environ, XDG_DATA_HOME=f"{home}/data"),
    ):
        folder, fresh = Path(home) / "here", Path(home) / "fresh"
        make_seeds(fresh)
        lines = lines_to_try(folder)
        random.Random(1).shuffle(lines)
        for name, words in lines[:count]:
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(fresh, folder)
            counts[outcome([name, *words])] += 1
    return counts


def make_seeds(folder: Path) -> None:
    """A project, a copy of it, a clip and settings."""
    from guardia.app.camera.makes import capability_data, middle_settings
    from guardia.core.make.capability import capability_from_dict
    from guardia.core.make.settings import settings_to_dict
    from tests.support import steady, write_clip

    folder.mkdir()
    rng = np.random.default_rng(1)
    clips = [
        Made(trace_of(rng, "walker"), kind, START + 7200.0 * n)
        for n, kind in enumerate(("person", "foliage", "", "vehicle"))
    ]
    make_project(folder / "site", clips)
    shutil.copytree(folder / "site", folder / "other")
    write_clip(folder / "clip.mp4", steady(2, 5))
    make = capability_from_dict(capability_data("polygon-mains-camera"))
    (folder / "settings.json").write_text(json.dumps(settings_to_dict(middle_settings(make))))


if __name__ == "__main__":
    result = run(int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000)
    for told, number in result.most_common():
        print(f"{number:>6}  {told}")
    sys.exit(bool(set(result) - {"done", "refused in words"}))
