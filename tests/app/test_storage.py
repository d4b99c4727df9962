"""Storage in a project: stores, readings and facts kept and undone, originals exported, the command line."""

import hashlib
import json
import signal
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO

from guardia.app.project.session import Session
from guardia.app.site.keep_export import export_one
from guardia.app.work.messages import MessageHub
from guardia.cli import main
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Store, StoreKind
from guardia.store.project import Project
from tests.support import FolderCase, in_file

EXPORTING = """
import sys
from pathlib import Path
from guardia.app.site.keep_export import export_one
from guardia.store.project import Project
with Project(Path(sys.argv[1])) as project:
    camera = next(c for c in project.cameras.all() if c.name == "Slipway")
    for clip in project.clips.of(camera.id):
        export_one(project, camera.id, clip.id, Path(sys.argv[2]), stopped=lambda: print("piece", flush=True))
"""


class StorageOfAProject(FolderCase):
    def setUp(self):
        super().setUp()
        self.demo = self.copy_demo()

    def session(self):
        session = Session(self.demo, MessageHub())
        self.addCleanup(session.close)
        session.load_cameras()
        return session, {m.camera.name: m for m in session.cameras.opened.values()}

    def test_stores_readings_and_facts_are_kept_shown_and_undone(self):
        session, models = self.session()
        model = models["Fuel berth"]
        before = model.evidence.storage
        session.storage.add_store(Store("Second card", StoreKind.CARD, 128.0), [model.camera.id])
        added = model.evidence.storage.stores[-1]
        session.storage.add_readings(added.id, [Reading(5.0, Measure.FAILED)])
        session.storage.set_fact(model.camera.id, "live", 9.0)
        session.storage.set_fact(model.camera.id, "required_days", 40.0)
        now = model.evidence.storage
        self.assertEqual(now.stores[-1].readings, (Reading(5.0, Measure.FAILED),))
        self.assertEqual((now.facts["live"], now.of_site["required_days"]), (9.0, 40.0))
        self.assertEqual(models["Slipway"].evidence.storage.of_site["required_days"], 40.0)
        with Project(self.demo) as again:
            self.assertEqual(again.storage(model.camera.id), now)
        while session.undo.canUndo():
            session.undo.undo()
        self.assertEqual(model.evidence.storage, before)

    def test_what_cannot_be_is_refused_and_nothing_changes(self):
        session, models = self.session()
        model = models["Fuel berth"]
        before = model.evidence.storage
        with self.assertRaises(InvalidValue):
            session.storage.set_fact(model.camera.id, "allowance", -1.0)
        session.storage.add_store(Store("Fuel card", StoreKind.CARD, 8.0), [model.camera.id])
        self.assertIn("one name", session.messages.told[-1].text)
        self.assertEqual(model.evidence.storage, before)
        self.assertFalse(session.undo.canUndo())

    def test_cameras_that_share_a_store_share_its_days(self):
        session, models = self.session()
        alone = models["Slipway"].comparison.installed_replay.keeping
        disk = next(f for f in session.storage.stores if f.store.name == "Recorder disk")
        ids = [models[n].camera.id for n in ("Slipway", "Pontoon gate")]
        session.storage.remove_store(disk.id)  # with its readings, which tell of the slipway alone
        session.storage.add_store(disk.store, ids)
        shared = models["Slipway"].comparison.installed_replay.keeping
        self.assertLess(shared.days.value, 0.7 * alone.days.value)
        self.assertEqual(shared.fitted.others.parts[0].name, "Pontoon gate")

    def test_damaged_stores_and_readings_are_set_aside_by_name(self):
        in_file(self.demo, "UPDATE store SET body = '{' WHERE id = 1")
        in_file(self.demo, "UPDATE reading SET value = 900 WHERE what = 'battery' AND value = 100")
        with Project(self.demo) as project:
            for camera in project.cameras.all():
                project.evidence(camera.id)
            damage = project.take_damage()
        self.assertTrue(any("A store is set aside" in line for line in damage))
        self.assertTrue(any("A reading is set aside" in line for line in damage))

    def test_an_original_is_copied_whole_with_its_times_and_refused_when_changed(self):
        target = self.folder / "stick"
        target.mkdir()
        with Project(self.demo) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Winter store")
            clip = next(c for c in project.clips.of(camera.id) if c.name.endswith(".mp4"))
            folder = export_one(project, camera.id, clip.id, target)
            about = json.loads((folder / f"{folder.name}.json").read_text("utf-8"))
            copy = (folder / about["file"]).read_bytes()
            self.assertEqual(copy, project.clips.path(clip.id).read_bytes())
            self.assertEqual(hashlib.sha256(copy).hexdigest(), about["sha256"])
            self.assertEqual(about["clock_error_s"], camera.clock_error_s)
            self.assertEqual(export_one(project, camera.id, clip.id, target), folder)  # the very same is there already
            (folder / about["file"]).write_bytes(b"other")
            with self.assertRaisesRegex(ProjectError, "is not this original"):
                export_one(project, camera.id, clip.id, target)
            other = next(c for c in project.clips.of(camera.id) if c.id != clip.id)
            project.clips.path(other.id).write_bytes(b"changed since")
            with self.assertRaisesRegex(ProjectError, "no longer the file"):
                export_one(project, camera.id, other.id, target)
            with self.assertRaisesRegex(ProjectError, "cannot be exported"):
                export_one(project, camera.id, clip.id, self.folder / "not there")
        self.assertEqual([p.name for p in target.iterdir()], [folder.name])

    def test_a_missing_and_a_changed_original_are_named_and_all_others_are_exported(self):
        target = self.folder / "sticks" / "new"
        command = ("storage", str(self.demo), "--camera", "Winter store", "--export", str(target))
        with redirect_stdout(StringIO()):
            self.assertEqual(main(list(command)), 0)
        count = len(list(target.iterdir()))
        self.assertGreater(count, 4)
        with Project(self.demo) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Winter store")
            names = [json.loads(p.read_text("utf-8"))["original_name"] for p in sorted(target.glob("*/*.json"))]
            first, second = (next(c for c in project.clips.of(camera.id) if c.name == name) for name in names[:2])
            project.clips.path(first.id).unlink()
            project.clips.path(second.id).write_bytes(b"changed since")
        again = self.folder / "again"
        with redirect_stdout(StringIO()), redirect_stderr(StringIO()) as told:
            self.assertEqual(main([*command[:-1], str(again)]), 1)
        self.assertEqual(len(list(again.iterdir())), count - 2)
        self.assertIn("is missing from", told.getvalue())
        self.assertIn("no longer the file that was imported", told.getvalue())

    def test_killed_at_any_moment_only_whole_verified_copies_are_there(self):
        kills = 0
        for number in range(8):
            target = self.folder / f"stick{number}"
            target.mkdir()
            command = [sys.executable, "-c", EXPORTING, str(self.demo), str(target)]
            with subprocess.Popen(command, stdout=subprocess.PIPE) as running:
                for _ in range(2 * number + 1):
                    running.stdout.readline()
                running.send_signal(signal.SIGKILL)
            kills += running.returncode == -signal.SIGKILL
            for folder in (p for p in target.iterdir() if not p.name.startswith(".")):
                about = json.loads((folder / f"{folder.name}.json").read_text("utf-8"))
                self.assertEqual(hashlib.sha256((folder / about["file"]).read_bytes()).hexdigest(), about["sha256"])
        self.assertGreaterEqual(kills, 4)

    def ask(self, *arguments):
        with redirect_stdout(StringIO()) as out:
            self.assertEqual(main(["storage", str(self.demo), *arguments]), 0)
        return out.getvalue()

    def test_the_command_line_finds_the_three_mistakes_of_the_demo(self):
        found = {one["camera"]: one for one in json.loads(self.ask("--json"))}
        said = {name: " ".join(f["words"] for f in one["findings"]) for name, one in found.items()}
        self.assertIn("full since 2026-09-19 and does not overwrite", said["Slipway"])
        self.assertIn("set to record to 'remote plan'", said["Workshop door"])
        self.assertIn("snapshots 88%", said["Winter store"])
        self.assertEqual(found["Workshop door"]["real_on_store"], 0)
        pontoon = found["Pontoon gate"]
        self.assertAlmostEqual(pontoon["days_kept"]["value"], 256 * 0.955 / pontoon["written_gb_a_day"]["value"], 2)
        self.assertIn("way: loses 4 real of the evidence: record by motion", self.ask("--camera", "Pontoon gate"))
        target = self.folder / "stick"
        target.mkdir()
        words = self.ask("--camera", "Fuel berth", "--export", str(target))
        self.assertIn(f"{len(list(target.iterdir()))} originals copied", words)
