"""Every command that writes, killed at a random moment: what it writes is there whole or not at all.

    python -m tests.store.kill_commands [ROUNDS]

Prints one line per command: how often it was killed before it had ended, and how often it had ended. 1 when anything
was damaged, or a round left what neither stood before nor stands after.
"""

import contextlib
import json
import os
import random
import select
import shutil
import signal
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from guardia.cli import main
from guardia.core.base.errors import ProjectError
from guardia.store.project import Project
from tests.given_options import make_seeds
from tests.support import in_file


def commands(folder: Path) -> dict[str, list[str]]:
    """A line for each command that writes to a project, or a file that somebody names."""
    site, one = str(folder / "site"), ["--camera", "Gate"]
    return {
        "judge": ["judge", site, *one, "--from", str(folder / "judged.csv")],
        "judge to": ["judge", site, *one, "--to", str(folder / "out.csv")],
        "purpose": ["purpose", site, *one, "--begin", "way in"], "first": ["first", site, *one, "--save"],
        "tune": ["tune", site, *one, "--save"], "new": ["new", site, "--camera", "Yard", "--make", "phone-as-camera"],
        "new site": ["new", str(folder / "fresh"), "--camera", "Yard", "--make", "phone-as-camera", "--site", "Yard",
                     "--time-zone", "UTC"],
        "bring-in": ["bring-in", site, str(folder / "clip.mp4"), *one], "merge": ["merge", site, str(folder / "other")],
        "sheet": ["sheet", site, *one, "--pdf", str(folder / "sheet.pdf")],
        "due": ["due", site, "--calendar", str(folder / "due.ics")],
        "damaged": ["damaged", site, "--save", str(folder / "damaged.json"), "--delete"],
        "scales": ["scales", "--learn", site, "--export", str(folder / "scales.json")],
    }  # fmt: skip


def killed(line: list[str], after_s: float) -> bool:
    """Run a command in a process of its own and kill it after a while; whether it was killed before it had ended."""
    child = os.fork()
    if child == 0:
        os.setsid()
        quiet = os.open(os.devnull, os.O_RDWR)
        for stream in (1, 2):
            os.dup2(quiet, stream)
        with contextlib.suppress(BaseException):
            os._exit(main(line))
        os._exit(9)
    deadline = time.monotonic() + after_s
    while time.monotonic() < deadline:
        if os.waitpid(child, os.WNOHANG)[0]:
            return False
        select.select([], [], [], 0.001)
    with contextlib.suppress(ProcessLookupError):
        os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return True


def state(folder: Path) -> str:
    """What a project holds that a command may change, and what lies beside it; raises where it is damaged."""
    parts = []
    for name in ("site", "fresh"):
        if not (folder / name / "project.sqlite").exists():
            continue
        assert in_file(folder / name, "PRAGMA integrity_check")[0][0] == "ok"
        # A new one whose making was cut short says so, and is made by the same command again.
        cut_short = contextlib.suppress(ProjectError) if name == "fresh" else contextlib.nullcontext()
        with cut_short, Project(folder / name) as project:
            for camera in project.cameras.all():
                evidence = project.evidence(camera.id)
                for clip in project.clips.of(camera.id):
                    assert project.clips.path(clip.id).stat().st_size
                purposes = [asked.purpose for asked in project.things.purposes(camera.id)]
                parts.append(
                    (camera.name, camera.draft, sorted((o.id, o.kind) for o in evidence.occurrences), purposes)
                )
    for file in ("judged.csv", "out.csv", "sheet.pdf", "due.ics", "damaged.json", "scales.json"):
        path = folder / file
        if path.exists():
            content = path.read_bytes()
            assert content, f"{file} is empty"
            if file.endswith(".json"):
                json.loads(content)
            if file.endswith(".pdf"):
                assert content.rstrip().endswith(b"%%EOF"), f"{file} is cut short"
            parts.append((file, len(content.splitlines()) if file.endswith(".csv") else True))
    return repr(parts)


def run(rounds: int) -> dict[str, Counter[str]]:
    """So many kills over all commands in turn; by command, what came of them."""
    chance = random.Random(1)
    counts: dict[str, Counter[str]] = {}
    with tempfile.TemporaryDirectory(prefix="guardia-kills-") as home:
        os.environ["XDG_DATA_HOME"] = f"{home}/data"
        seeds, folder = Path(home) / "seeds", Path(home) / "here"
        make_seeds(seeds)
        with open(os.devnull, "w") as nowhere, contextlib.redirect_stdout(nowhere):
            main(["judge", str(seeds / "site"), "--camera", "Gate", "--to", str(seeds / "judged.csv")])
        (seeds / "judged.csv").write_text((seeds / "judged.csv").read_text().replace("foliage", "vehicle"))
        in_file(seeds / "site", "INSERT INTO reading (camera_id, at_s, what, value) VALUES (1, 'x', 'battery', 3)")
        whole: dict[str, tuple[float, set[str]]] = {}
        for name in commands(folder):
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(seeds, folder)
            before, begun = state(folder), time.monotonic()
            killed(commands(folder)[name], 300.0)
            whole[name] = (time.monotonic() - begun, {before, state(folder)})
            counts[name] = Counter()
        for number in range(rounds):
            name = list(whole)[number % len(whole)]
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(seeds, folder)
            takes_s, right = whole[name]
            early = killed(commands(folder)[name], chance.uniform(0, 1.1 * takes_s))
            try:
                found = state(folder)
            except (AssertionError, ProjectError, ValueError) as error:
                counts[name][f"damaged: {error}"] += 1
                continue
            part = name == "bring-in" or found in right  # a clip may be in and not yet measured
            counts[name]["killed" if early else "ended"] += 1
            counts[name][f"neither before nor after: {found}"] += not part
    return {name: +one for name, one in counts.items()}


if __name__ == "__main__":
    result = run(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
    for name, one in result.items():
        print(f"{name:<10} {', '.join(f'{number} {words}' for words, number in one.items())}")
    sys.exit(any(words not in ("killed", "ended") for one in result.values() for words in one))
