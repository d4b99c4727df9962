"""Edits and imports into a project by a process that is killed at random moments; run by test_kill.py.

Prints one line per round: what the killed process had been told was saved, and what the project holds afterwards.
"""

import os
import random
import select
import signal
import sys
from pathlib import Path

from guardia.app.camera.makes import capability_data
from guardia.core.evidence.clips import NewOccurrence, Origin
from guardia.core.make.settings import Settings
from guardia.store.project import Project
from guardia.store.records import NewClip, Site
from tests.support import blob_trace, in_file

DRAFT = Settings.of("polygon-mains-camera", "5")
KINDS = ("person", "foliage", "animal", "unsure")


def edit_without_end(folder: Path, camera: int, round_number: int, told: int) -> None:
    """Save drafts and judgements and take clips in, telling of each only after it is saved."""
    with Project(folder) as project:
        first = project.evidence(camera).occurrences[0].id
        step = 0
        while True:
            step += 1
            project.settings.save_draft(camera, DRAFT.with_values(hold_s=step / 1000))
            os.write(told, f"draft {step}\n".encode())
            project.occurrences.judge({first: KINDS[step % 4]})
            os.write(told, f"judge {step % 4}\n".encode())
            if step % 3 == 0:
                source = folder.parent / f"{round_number}-{step}.mp4"
                source.write_bytes(os.urandom(200_000))
                clip = project.clips.add(camera, new_clip(source))
                project.measurements.put_analysis(clip, blob_trace([3] * 9), [strip()], background=b"b", brightness=1.0)
                os.write(told, f"clip {clip}\n".encode())
                source.unlink()


def new_clip(path: Path) -> NewClip:
    return NewClip(path, 1_757_200_000.0, "file name", 2.0, 640, 360, "h264", Origin.MOTION)


def strip() -> NewOccurrence:
    return NewOccurrence(0.0, 1.6, [0.2], b"jpeg" * 5000)


def main(folder: Path, rounds: int) -> None:
    chance = random.Random(1)
    with Project(folder, create=True, site=Site("Yard", "UTC")) as project:
        camera = project.cameras.add("Gate", capability_data("polygon-mains-camera"), DRAFT)
        source = folder.parent / "first.mp4"
        source.write_bytes(b"first")
        clip = project.clips.add(camera, new_clip(source))
        project.measurements.put_analysis(clip, blob_trace([3] * 9), [strip()], background=b"b", brightness=1.0)
    clips = {clip}
    for number in range(rounds):
        told, tell = os.pipe()
        child = os.fork()
        if child == 0:
            edit_without_end(folder, camera, number, tell)
        os.close(tell)
        wanted, heard = chance.randint(1, 40), b""
        while heard.count(b"\n") < wanted:
            heard += os.read(told, 4096)
        select.select([], [], [], chance.uniform(0, 0.01))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        while more := os.read(told, 65536):
            heard += more
        os.close(told)
        lines = heard.decode().splitlines()
        last = {word: line.split()[1] for line in lines for word in [line.split()[0]]}
        clips |= {int(line.split()[1]) for line in lines if line.startswith("clip")}
        with Project(folder) as project:
            held = round(project.cameras.get(camera).draft.detection.hold_s * 1000)
            evidence = project.evidence(camera)
            kind = KINDS.index(evidence.occurrences[0].kind)
            here = {c.id for c in project.clips.of(camera)}
            whole = all(
                project.occurrences.strip(o.id) and project.clips.path(o.clip_id).stat().st_size
                for o in evidence.occurrences
            )
            check = in_file(project.folder, "PRAGMA integrity_check")[0][0]
        print(held - int(last["draft"]), (kind - int(last.get("judge", kind))) % 4, len(clips - here), whole, check)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
