import hashlib
import json
import math
import os
import resource
import shutil
import signal
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import replace
from datetime import date
from itertools import islice
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import strategies as st

from guardia.app.camera.makes import capability_data
from guardia.app.camera.shown_camera import load_camera
from guardia.core.base.errors import Cancelled, GuardiaError, InvalidValue, ProjectError
from guardia.core.evidence.clips import Cause, NewOccurrence, Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.evidence.events import CameraEvent
from guardia.core.evidence.walked import Walked
from guardia.core.evidence.watch import Entered
from guardia.core.make.settings import HoursSettings, Settings, settings_to_dict
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.core.storage.units import Hung, Unit, UnitKind
from guardia.core.view.geometry import KnownView, ViewGeometry
from guardia.store import database
from guardia.store.checklists import Checked
from guardia.store.database import Database
from guardia.store.project import FILE_NAME, Project
from guardia.store.records import NewClip, Site
from guardia.store.settings import HoursGroup, SharedHours
from guardia.store.site_things import Task
from tests.given_options import generated
from tests.support import FolderCase, blob_trace, capability, in_file

INSTALLED = Settings.of("polygon-mains-camera", "7", hold_s=0.4)


class ProjectCase(FolderCase):
    def new_project(self) -> tuple[Project, int]:
        project = Project(self.folder / "site", create=True, site=Site("Yard", "Europe/London"))
        self.addCleanup(project.close)
        camera = project.cameras.add("Gate", capability_data("polygon-mains-camera"), INSTALLED)
        return project, camera

    def clip_file(self, content: bytes = b"pictures", name: str = "a.mp4") -> NewClip:
        path = self.folder / name
        path.write_bytes(content)
        return NewClip(path, 1_757_200_000.0, "file name", 12.0, 640, 360, "h264", Origin.MOTION)


class Keeping(ProjectCase):
    def test_everything_is_there_again_after_reopening(self):
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())
        trace = blob_trace([0, 4, 9, 4, 0])
        project.measurements.put_analysis(
            clip, trace, [NewOccurrence(0.2, 0.6, [0.2, 0.4], b"jpeg")], background=b"back", brightness=90.0
        )
        occurrence = project.evidence(camera).occurrences[0]
        project.occurrences.judge({occurrence.id: "person"})
        draft = Settings.of("polygon-mains-camera", "5")
        project.settings.save_draft(camera, draft)
        project.cameras.put_clean_view(camera, b"view")
        project.close()
        with Project(self.folder / "site") as again:
            one = again.cameras.get(camera)
            self.assertEqual((one.name, one.installed, one.draft), ("Gate", INSTALLED, draft))
            evidence = again.evidence(camera)
            self.assertEqual(evidence.occurrences[0].kind, "person")
            self.assertEqual(list(evidence.stack.times[0]), trace.times_s.tolist())
            self.assertEqual(again.occurrences.strip(occurrence.id), b"jpeg")
            self.assertEqual(again.occurrences.key_times(occurrence.id), [0.2, 0.4])
            self.assertEqual((again.cameras.clean_view(camera), again.measurements.brightness(clip)), (b"view", 90.0))
            self.assertEqual(again.clips.path(clip).read_bytes(), b"pictures")

    def test_installing_the_draft_dates_the_former_settings_and_is_logged(self):
        project, camera = self.new_project()
        draft = Settings.of("polygon-mains-camera", "5")
        project.settings.save_draft(camera, draft)
        project.settings.install_draft(camera, note="after complaint")
        self.assertEqual(project.cameras.get(camera).installed, draft)
        entry = project.logbook.of(camera)[0]
        self.assertEqual((entry.what, entry.detail), ("draft entered on the camera", "after complaint"))
        project.logbook.correct(entry.id, "after the owner's complaint")
        self.assertEqual(project.logbook.of(camera)[0].detail, "after the owner's complaint")
        project.logbook.correct(entry.id, entry.detail, gone=True)
        self.assertEqual(project.logbook.of(camera), [])
        with closing(sqlite3.connect(self.folder / "site" / FILE_NAME)) as raw:
            past = raw.execute("SELECT body FROM settings WHERE role = 'installed' AND to_s IS NOT NULL").fetchall()
        self.assertEqual([json.loads(p[0])["detection"]["notch"] for p in past], ["7"])

    def test_the_same_file_is_not_taken_in_twice(self):
        project, camera = self.new_project()
        self.assertIsNotNone(project.clips.add(camera, self.clip_file()))
        self.assertIsNone(project.clips.add(camera, self.clip_file(name="copy.mp4")))


class WhenThingsGoWrong(ProjectCase):
    def test_a_clip_that_was_put_away_comes_back_with_its_file_or_is_deleted_for_good(self):
        project, camera = self.new_project()
        one, two = (project.clips.add(camera, self.clip_file(name.encode(), name)) for name in ("a.mp4", "b.mp4"))
        project.clips.set_gone([one, two], True)
        self.assertEqual(project.clips.add(camera, self.clip_file(b"a.mp4", "a.mp4")), one)
        kept, lost = project.clips.path(one), project.clips.path(two)
        project.clear_away()
        self.assertEqual((kept.exists(), lost.exists()), (True, False))
        self.assertEqual([c.id for c in project.clips.of(camera)], [one])
        other = project.cameras.add("Door", capability_data("phone-as-camera"), INSTALLED)
        project.cameras.set_gone(other, True)
        project.cameras.add("Door", capability_data("phone-as-camera"), INSTALLED)
        with self.assertRaisesRegex(InvalidValue, "already a camera named 'Door'"):
            project.cameras.set_gone(other, False)
        project.clear_away()
        self.assertEqual(sorted(project.cameras.names().values()), ["Door", "Gate"])

    def test_a_site_is_called_otherwise_and_its_zone_corrected_while_it_has_no_clips(self):
        project, camera = self.new_project()
        project.set_site(Site("Yard two", "Europe/Oslo"))
        self.assertEqual((project.site(), project.zone.key), (Site("Yard two", "Europe/Oslo"), "Europe/Oslo"))
        project.clips.add(camera, self.clip_file())
        with self.assertRaisesRegex(InvalidValue, "were read in Europe/Oslo"):
            project.set_site(Site("Yard two", "UTC"))

    def test_a_failing_copy_leaves_nothing_behind(self):
        project, camera = self.new_project()
        new = self.clip_file()
        with (
            mock.patch("guardia.store.media_folder.os.replace", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(ProjectError, "No space left.*kept"),
        ):
            project.clips.add(camera, new)
        self.assertEqual(project.clips.of(camera), [])
        self.assertEqual(list((self.folder / "site" / "media").iterdir()), [])

    def test_a_large_copy_that_is_stopped_leaves_nothing_behind(self):
        project, camera = self.new_project()
        with self.assertRaises(Cancelled):
            project.clips.add(camera, self.clip_file(), stopped=lambda: True)
        self.assertEqual(list((self.folder / "site" / "media").iterdir()), [])

    def test_a_failing_step_is_rolled_back_whole(self):
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())
        spoilt = NewOccurrence(0.0, None, [0.0], b"")
        with self.assertRaises(sqlite3.IntegrityError):
            project.measurements.put_analysis(clip, blob_trace([1]), [spoilt], background=b"", brightness=0.0)
        self.assertEqual(len(project.clips.of(camera, analysed=False)), 1)

    def test_foreign_newer_and_missing_files_are_refused_untouched(self):
        with self.assertRaisesRegex(ProjectError, "no Guardia project"):
            Project(self.folder / "nowhere")
        (self.folder / FILE_NAME).write_text("a shopping list " * 100)
        with self.assertRaisesRegex(ProjectError, "not a Guardia project"):
            Project(self.folder)
        other = self.folder / "other"
        other.mkdir()
        with closing(sqlite3.connect(other / FILE_NAME)) as foreign:
            foreign.execute("CREATE TABLE t (x)")
        with self.assertRaisesRegex(ProjectError, "not a Guardia project"):
            Project(other)
        project, _ = self.new_project()
        project.close()
        with closing(sqlite3.connect(self.folder / "site" / FILE_NAME)) as newer:
            newer.execute(f"PRAGMA user_version = {database.SCHEMA_VERSION + 1}")
        with self.assertRaisesRegex(ProjectError, "newer Guardia"):
            Project(self.folder / "site")

    def test_a_disk_that_takes_no_more_is_told_and_what_was_saved_stays(self):
        # A limit of the operating system on what this process may write stands in for the full disk.
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())
        project.close()
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        before = resource.getrlimit(resource.RLIMIT_FSIZE)
        self.addCleanup(resource.setrlimit, resource.RLIMIT_FSIZE, before)
        with Project(self.folder / "site") as full:
            wal = (self.folder / "site" / FILE_NAME).stat().st_size
            large = self.clip_file(b"x" * 2 * wal, "b.mp4")
            resource.setrlimit(resource.RLIMIT_FSIZE, (wal, before[1]))
            turns = np.linspace(0, 2 * np.pi, 3000, endpoint=False)
            round_zone = tuple(zip(0.5 + 0.4 * np.cos(turns), 0.5 + 0.4 * np.sin(turns), strict=True))
            long = PolygonZone(ZoneKind.WATCH, round_zone)
            with self.assertRaisesRegex(ProjectError, "disk|cannot be opened or read"):
                full.settings.save_draft(camera, Settings.of("polygon-mains-camera", "5", (long,) * 8))
            with self.assertRaisesRegex(ProjectError, "cannot be copied.*kept"):
                full.clips.add(camera, large)
            resource.setrlimit(resource.RLIMIT_FSIZE, before)
            self.assertEqual(full.cameras.get(camera).draft, INSTALLED)
            self.assertEqual([c.id for c in full.clips.of(camera)], [clip])
            full.settings.save_draft(camera, Settings.of("polygon-mains-camera", "5"))
        with Project(self.folder / "site") as again:
            self.assertEqual(again.cameras.get(camera).draft.detection.notch, "5")

    def test_on_a_network_folder_no_memory_is_shared_and_everything_is_kept(self):
        mounts = self.folder / "mounts"
        mounts.write_text(
            f"disk / ext4 rw 0 0\nserver:/x {self.folder} nfs4 rw 0 0\nlocal {self.folder}/site/media ext4\n"
        )
        with mock.patch.object(database, "MOUNTS", mounts):
            self.assertTrue(database.on_network(self.folder / "site" / FILE_NAME))
            self.assertFalse(database.on_network(self.folder / "site" / "media" / "a.mp4"))
            project, camera = self.new_project()
            project.settings.save_draft(camera, INSTALLED.with_values(hold_s=0.4))
            self.assertEqual([p.name for p in project.folder.glob("*-wal")], [])
        with Project(self.folder / "site") as again:
            self.assertEqual(again.cameras.get(camera).draft.detection.hold_s, 0.4)

    def test_errors_of_the_disk_are_told_in_words(self):
        project, camera = self.new_project()
        database = Database(project.folder / FILE_NAME)
        self.addCleanup(database.close)
        for text, word in (
            ("database or disk is full", "disk is full"),
            ("attempt to write a readonly database", "cannot be written"),
            ("database is locked", "Another program"),
            ("disk I/O error", "cannot be opened or read"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ProjectError, word), database.plainly():
                raise sqlite3.OperationalError(text)
        self.assertEqual(project.cameras.get(camera).draft, INSTALLED)

    def test_a_second_project_in_one_folder_and_a_second_camera_of_one_name_are_refused(self):
        project, _ = self.new_project()
        with self.assertRaisesRegex(ProjectError, "already holds a project"):
            Project(self.folder / "site", create=True)
        with self.assertRaisesRegex(InvalidValue, "already a camera named 'Gate'"):
            project.cameras.add("Gate", capability_data("phone-as-camera"), INSTALLED)
        with self.assertRaisesRegex(InvalidValue, "no time zone"):
            Project(self.folder / "new", create=True, site=Site("x", "Mars/Olympus"))
        with self.assertRaisesRegex(ProjectError, "no camera number 99"):
            project.cameras.get(99)

    def test_a_moved_media_folder_is_named_and_the_scores_stay(self):
        folder = self.copy_demo()
        shutil.move(folder / "media", folder / "elsewhere")
        with Project(folder) as project:
            camera = project.cameras.all()[0]
            evidence = project.evidence(camera.id)
            self.assertGreater(len(evidence.occurrences), 20)
            with self.assertRaisesRegex(ProjectError, "missing.*media folder"):
                project.clips.path(evidence.clips[0].id)


class Migrating(ProjectCase):
    def test_each_step_brings_an_older_file_forward_after_a_backup(self):
        project, _ = self.new_project()
        project.close()
        more = (*database.MIGRATIONS, "ALTER TABLE site ADD COLUMN note TEXT NOT NULL DEFAULT 'kept';")
        newer = mock.patch.multiple(database, MIGRATIONS=more, SCHEMA_VERSION=len(more))
        with newer, Project(self.folder / "site") as again:
            self.assertEqual(in_file(again.folder, "SELECT name, note FROM site")[0]["note"], "kept")
        backup = self.folder / "site" / f"project.before-schema-{len(more)}.sqlite"
        with closing(sqlite3.connect(backup)) as raw:
            self.assertEqual(raw.execute("PRAGMA user_version").fetchone()[0], database.SCHEMA_VERSION)

    @contextmanager
    def older(self, steps: int, **camera: object) -> Iterator[Database]:
        """A file as an older version left it, after so many steps: one camera, then what the caller puts in."""
        self.old = self.folder / "old"
        self.old.mkdir()
        values = {"name": "Gate", "capability": json.dumps(capability_data("polygon-mains-camera")), **camera}
        early = mock.patch.multiple(database, MIGRATIONS=database.MIGRATIONS[:steps], SCHEMA_VERSION=steps)
        with early, closing(Database(self.old / FILE_NAME, create=True)) as old:
            old.run("INSERT INTO site (id, name, time_zone) VALUES (1, 'Yard', 'Europe/London')")
            old.run(
                f"INSERT INTO camera ({', '.join(values)}) VALUES ({', '.join('?' * len(values))})", [*values.values()]
            )
            for role in ("installed", "draft"):
                body = json.dumps(settings_to_dict(INSTALLED))
                old.run("INSERT INTO settings (camera_id, role, body) VALUES (1, ?, ?)", (role, body))
            yield old

    def test_a_file_of_every_older_version_opens_with_its_camera_after_a_backup(self):
        for steps in range(1, len(database.MIGRATIONS)):
            with self.subTest(steps):
                with self.older(steps):
                    pass
                with Project(self.old) as project:
                    camera = project.cameras.get(1)
                    self.assertEqual((camera.name, camera.installed, camera.draft), ("Gate", INSTALLED, INSTALLED))
                    self.assertEqual(project.evidence(1).epochs, (Epoch(-math.inf, math.inf, INSTALLED),))
                self.assertTrue((self.old / f"project.before-schema-{steps + 1}.sqlite").exists())
                shutil.rmtree(self.old)

    @staticmethod
    def put_clip(old: Database) -> None:
        old.run("INSERT INTO clip VALUES (1, 1, 'f.mp4', 'g.mp4', 'd', 9, 1000, 'file name', 12, 1, 1, 'h', 'motion')")
        empty = [database.pack(np.zeros(n), form) for n, form in ((0, "<f8"), (1, "<i8"), (0, "<u2"), (0, "u1"))]
        old.run("INSERT INTO trace VALUES (1, 32, 18, 5, ?, ?, ?, ?, 90)", empty)

    def test_step_2_keeps_clips_and_judgements_of_an_older_file(self):
        with self.older(1) as old:
            self.put_clip(old)
            old.run("INSERT INTO occurrence VALUES (7, 1, 2, 5, 'person', '[]', '')")
        with Project(self.old) as project:
            evidence = project.evidence(1)
            self.assertEqual([(o.id, o.kind, o.visit) for o in evidence.occurrences], [(7, "person", None)])
            self.assertEqual((evidence.clips[0].start_s, evidence.events), (1000.0, ()))
            project.cameras.set_clock(1, clock_error_s=60.0, time_pattern="%H")
            self.assertEqual(project.clips.of(1)[0].start_s, 940.0)
            project.clips.set_start(1, 1000.0, "given")
            self.assertEqual(project.clips.of(1)[0].start_s, 1000.0)
        self.assertTrue((self.old / "project.before-schema-2.sqlite").exists())

    def test_step_3_adds_a_view_to_the_cameras_of_an_older_file(self):
        with self.older(2, clock_error_s=7):
            pass
        known = KnownView(ViewGeometry(3.0, 12.0, 0.8), "typed", lamp_m=15.0)
        with Project(self.old) as project:
            self.assertEqual((project.cameras.get(1).clock_error_s, project.cameras.get(1).view), (7.0, None))
            project.cameras.set_view(1, known)
        with Project(self.old) as project:
            self.assertEqual((project.cameras.get(1).view, project.evidence(1).view), (known, known.view))
            project.cameras.set_view(1, None)
            self.assertIsNone(project.cameras.get(1).view)
        self.assertTrue((self.old / "project.before-schema-3.sqlite").exists())

    def test_step_4_marks_what_an_older_model_measured_and_keeps_it(self):
        data = capability_data("polygon-mains-camera")
        data["notches"] = [n | {k: n[k] * 2 for k in ("size", "size_low", "size_high")} for n in data["notches"]]
        del data["version"]
        with self.older(3, capability=json.dumps(data)) as old:
            self.put_clip(old)
            old.run("INSERT INTO event (camera_id, shown_s, named, zone, source) VALUES (1, 1001, '', '', 'list.csv')")
        with Project(self.old) as project:
            self.assertEqual(project.measurements.outdated(), 1)
            evidence = project.evidence(1)
            self.assertEqual((evidence.clips[0].cause, evidence.watched), (Cause.MOTION, ()))
            self.assertEqual(evidence.epochs, (Epoch(-math.inf, math.inf, INSTALLED),))
            # Sizes of older makes count cells; they stand for about half as much of what changed.
            self.assertEqual(project.cameras.get(1).capability, capability())
        self.assertTrue((self.old / "project.before-schema-4.sqlite").exists())

    def test_step_5_shows_all_of_an_older_file_and_hides_what_is_put_away(self):
        with self.older(4) as old:
            old.run("INSERT INTO clip (id, camera_id, file, original_name, digest, bytes, start_s, start_source,"
                    " duration_s, width, height, codec, origin) VALUES (1, 1, 'f', 'g', 'd', 9, 5, '', 1, 1, 1, '',"
                    " 'motion')")  # fmt: skip
        with Project(self.old) as project:
            self.assertEqual(([c.id for c in project.clips.of(1)], project.clips.count()), ([1], 1))
            project.clips.set_gone([1], True)
            self.assertEqual((project.clips.of(1), project.clips.count()), ([], 0))
            project.clips.set_gone([1], False)
            project.cameras.set_gone(1, True)
            self.assertEqual((project.cameras.names(), project.clips.count()), ({}, 0))

    def test_two_that_open_an_older_file_at_once_both_succeed(self):
        project, _ = self.new_project()
        project.close()
        path = self.folder / "site" / FILE_NAME
        slow = "\n".join(f"ALTER TABLE site ADD COLUMN n{n} TEXT NOT NULL DEFAULT '';" for n in range(40))
        more = (*database.MIGRATIONS, slow)
        told: list[BaseException] = []
        ready = threading.Barrier(4)

        def open_it() -> None:
            ready.wait()
            try:
                Database(path).close()
            except BaseException as error:
                told.append(error)

        with mock.patch.multiple(database, MIGRATIONS=more, SCHEMA_VERSION=len(more)):
            threads = [threading.Thread(target=open_it) for _ in range(4)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual(told, [])

    def test_a_step_that_fails_leaves_the_file_as_it_was(self):
        project, camera = self.new_project()
        project.close()
        bad = (*database.MIGRATIONS, "CREATE TABLE extra (x);\nTHIS IS NOT SQL;")
        with mock.patch.multiple(database, MIGRATIONS=bad, SCHEMA_VERSION=len(bad)):
            self.assertRaises(sqlite3.OperationalError, Project, self.folder / "site")
        with Project(self.folder / "site") as again:
            self.assertEqual(again.cameras.get(camera).name, "Gate")
            self.assertEqual(in_file(again.folder, "SELECT name FROM sqlite_master WHERE name = 'extra'"), [])


class FromOthers(ProjectCase):
    """Projects that somebody else made, or that were damaged on the way."""

    def closed(self, clips: int = 3) -> Path:
        project, camera = self.new_project()
        for number in range(clips):
            new = replace(self.clip_file(bytes([number]), f"{number}.mp4"), start_s=1_757_200_000.0 + 600 * number)
            clip = project.clips.add(camera, new)
            found = [NewOccurrence(0.2, 0.6, [0.2], b"jpeg")]
            project.measurements.put_analysis(clip, blob_trace([0, 4, 9]), found, background=b"b", brightness=90.0)
        second = project.cameras.add("Yard", capability_data("phone-as-camera"), Settings.of("phone-as-camera", "high"))
        self.assertEqual(second, 2)
        project.close()
        return self.folder / "site"

    def spoil(self, folder: Path, sql: str) -> None:
        with closing(sqlite3.connect(folder / FILE_NAME, isolation_level=None)) as raw:
            raw.execute(sql)

    def test_one_bad_row_sets_aside_what_it_belongs_to_and_nothing_else(self):
        good = self.closed()
        for number, (sql, clips, occurrences) in enumerate(
            (
                ("UPDATE trace SET changed = x'00' WHERE clip_id = 2", 2, 2),
                ("UPDATE trace SET cell = times_s WHERE clip_id = 2", 2, 2),
                ("UPDATE trace SET columns = 4000 WHERE clip_id = 2", 2, 2),
                ("UPDATE clip SET origin = 'dream' WHERE id = 2", 2, 2),
                ("UPDATE occurrence SET kind = 'ghost' WHERE id = 2", 3, 2),
            )
        ):
            folder = Path(shutil.copytree(good, self.folder / f"bad{number}"))
            self.spoil(folder, sql)
            with self.subTest(sql), Project(folder) as project:
                evidence = project.evidence(1)
                self.assertEqual((len(evidence.clips), len(evidence.occurrences)), (clips, occurrences))
                self.assertEqual(len(project.take_damage()), 1)
        for number, sql in enumerate(
            (
                "UPDATE camera SET capability = '{' WHERE id = 1",
                "UPDATE settings SET body = '[]' WHERE camera_id = 1 AND role = 'draft'",
                "DELETE FROM settings WHERE camera_id = 1 AND role = 'installed'",
                "UPDATE camera SET view = '{}' WHERE id = 1",
            )
        ):
            folder = Path(shutil.copytree(good, self.folder / f"worse{number}"))
            self.spoil(folder, sql)
            with self.subTest(sql), Project(folder) as project:
                with self.assertRaisesRegex(ProjectError, "'Gate' is damaged.*set aside"):
                    project.cameras.get(1)
                self.assertEqual(project.cameras.get(2).name, "Yard")

    def test_no_value_of_any_table_keeps_the_other_camera_or_the_site_from_being_read(self):
        good, tried = self.full_site(), 0
        with closing(sqlite3.connect(good / FILE_NAME)) as raw:
            columns = [
                (table, column[1])
                for (table,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
                for column in raw.execute(f"PRAGMA table_info({table})").fetchall()
                if column[1] != "id" and raw.execute(f"SELECT 1 FROM {table}").fetchone()
            ]
        self.assertGreater(len({table for table, _ in columns}), 14)
        (self.folder / "bad").mkdir()
        kinds = st.text(max_size=80), st.integers(-(2**63), 2**63 - 1), st.floats(), st.binary(max_size=80), st.none()
        thought_of = iter(generated(st.one_of(*kinds), 7, 2 * len(columns)))
        for table, column in columns:
            always = ("{}", "", -1, 1e308, b"\x8c", "9999-12-31", 253_402_214_400.0)
            for value in (*always, *islice(thought_of, 2)):
                shutil.copyfile(good / FILE_NAME, self.folder / "bad" / FILE_NAME)
                try:
                    in_file(self.folder / "bad", f"UPDATE {table} SET {column} = ? WHERE rowid = "
                            f"(SELECT min(rowid) FROM {table})", (value,))  # fmt: skip
                except sqlite3.IntegrityError:
                    continue
                tried += 1
                with self.subTest(table, column=column, value=value):
                    self.read_all(self.folder / "bad", of_site=table == "site")
        self.assertGreater(tried, 400)

    def full_site(self) -> Path:
        """A project with something in every table."""
        folder = self.closed()
        with Project(folder) as project:
            project.logbook.add(1, "seen", "a web")
            project.watched.set_entered(1, [Entered(1_757_200_000.0, 1_757_300_000.0, True)])
            project.readings.set_of_camera(1, [Reading(1_757_200_000.0, Measure.BATTERY, 80.0)])
            project.readings.set_facts(1, {"asked": 3.0})
            project.checklists.set_all(1, {"clock": Checked("done", "Ada", 1_757_200_000.0)})
            project.stores.set_all([Fitted(0, Store("Card", StoreKind.CARD, 64.0), (1, 2), ())])
            project.things.set_units([Hung(0, Unit("Hub", UnitKind.HUB), (1, 2))])
            project.things.set_tasks([Task(1, date(2026, 9, 1), "clean the lens")])
            project.things.set_walks(1, [Walked(1_757_200_000.0, "towards", 3.0, 9.0, False)])
            project.things.keep_summary(1, {"key": "k"})
            project.lists.add_events(1, [CameraEvent(1_757_200_000.0, 4.0, "person", True, "", "")] * 2, "list")
            project.settings.set_shared_hours(
                SharedHours((HoursGroup("week", (1,), HoursSettings()),), {1: HoursSettings(), 2: HoursSettings()})
            )
            project.settings.install_draft(1)
        return folder

    def read_all(self, folder: Path, *, of_site: bool) -> None:
        """Everything that a start reads: the second camera whole, the first, which may be damaged, in words."""
        try:
            with Project(folder) as project:
                project.settings.shared_hours(), project.stores.all(), project.things.units(), project.things.tasks()
                project.things.summaries(), project.logbook.of(1), project.checklists.of(1), project.clips.count()
                load_camera(project, 2)
                with suppress(ProjectError):
                    load_camera(project, 1)
        except GuardiaError:
            if not of_site:
                raise

    def test_what_cannot_be_read_is_listed_saved_and_deleted_with_what_hangs_on_it_and_nothing_else(self):
        folder = self.full_site()
        spoilt = {
            "store": "body = '{'", "unit": "body = '{'", "hours_group": "body = '{'", "reading": "value = 'x'",
            "walk": "body = '{'", "task": "on_day = 'soon'", "fact": "value = 'x'", "watched": "to_s = 'x'",
            "checked": "at_s = 'x'", "clip": "start_s = 'x'", "event": "shown_s = 'x'",
        }  # fmt: skip
        with Project(folder) as project:
            project.stores.set_all(
                [*project.stores.all(), Fitted(0, Store("Disk", StoreKind.RECORDER, 64.0), (2,), ())]
            )
        for table, change in spoilt.items():
            in_file(folder, f"UPDATE {table} SET {change} WHERE id = (SELECT min(id) FROM {table})")
        in_file(folder, "UPDATE occurrence SET kind = 'ghost' WHERE clip_id = 3")
        in_file(folder, "UPDATE settings SET from_s = 'x'")
        before = {table: len(in_file(folder, f"SELECT 1 FROM {table}")) for table in ("clip", "trace", "settings")}
        with Project(folder) as project:
            found = project.damaged()
            self.assertEqual(sorted(one.table for one in found), sorted({*spoilt, "occurrence", "settings"}))
            (clip,) = (project.damaged_rows(one) for one in found if one.table == "clip")
            self.assertEqual([row["table"] for row in clip][-1], "clip")
            self.assertLessEqual({"trace", "occurrence"}, {row["table"] for row in clip})
            saved = {one: project.damaged_rows(one) for one in found}
            json.dumps(list(saved.values()))
            self.assertEqual(project.delete_damaged(saved), len(found))
            self.assertEqual(project.damaged(), [])
            self.assertEqual([f.store.name for f in project.stores.all()], ["Disk"])
            load_camera(project, 1)
        self.assertEqual(in_file(folder, "PRAGMA foreign_key_check"), [])
        after = {table: len(in_file(folder, f"SELECT 1 FROM {table}")) for table in before}
        # The settings in force and the drafts are needed, however damaged their begin: only the earlier ones went.
        self.assertEqual(
            after, {"clip": before["clip"] - 1, "trace": before["trace"] - 1, "settings": before["settings"] - 1}
        )

    def test_what_somebody_mended_meanwhile_is_not_deleted_nor_what_came_since_it_was_saved(self):
        folder = self.full_site()
        in_file(folder, "UPDATE reading SET value = 'x'")
        with Project(folder) as project:
            saved = {one: project.damaged_rows(one) for one in project.damaged()}
            in_file(folder, "UPDATE reading SET value = 70")
            self.assertEqual((project.delete_damaged(saved), len(project.readings.of_camera(1))), (0, 1))
            in_file(folder, "UPDATE clip SET start_s = 'x' WHERE id = 3")
            saved = {one: project.damaged_rows(one) for one in project.damaged()}
            in_file(
                folder, "INSERT INTO occurrence (clip_id, start_s, end_s, key_times, strip) VALUES (3, 1, 2, '[]', '')"
            )
            self.assertEqual(project.delete_damaged(saved), 0)
            saved = {one: project.damaged_rows(one) for one in project.damaged()}
            self.assertEqual(project.delete_damaged(saved), 1)

    def test_a_clip_whose_measurement_is_damaged_is_listed_and_then_measured_again(self):
        folder = self.full_site()
        in_file(folder, "UPDATE trace SET times_s = x'00' WHERE clip_id = 3")
        with Project(folder) as project:
            (found,) = project.damaged()
            self.assertIn("What was measured of a clip is set aside", str(found))
            occurrences = len(in_file(folder, "SELECT 1 FROM occurrence WHERE clip_id = 3"))
            self.assertEqual(project.delete_damaged({found: project.damaged_rows(found)}), 1)
            self.assertEqual((project.damaged(), project.measurements.outdated()), ([], 1))
        self.assertEqual(len(in_file(folder, "SELECT 1 FROM occurrence WHERE clip_id = 3")), occurrences)

    def test_what_is_damaged_stays_where_it_is_when_something_beside_it_is_changed(self):
        folder = self.full_site()
        with Project(folder) as project:
            second = replace(project.stores.all()[0], id=0, store=Store("Disk", StoreKind.RECORDER, 64.0), cameras=())
            project.stores.set_all([*project.stores.all(), second])
            project.things.set_units([*project.things.units(), Hung(0, Unit("Line", UnitKind.LINE), ())])
        damaged = {
            "store": "UPDATE store SET body = '{' WHERE id = 1",
            "unit": "UPDATE unit SET body = '{' WHERE id = 1",
            "reading": "UPDATE reading SET value = 'x'",
            "walk": "UPDATE walk SET body = '{'",
            "task": "UPDATE task SET on_day = 'soon'",
            "fact": "UPDATE fact SET value = 'x'",
            "watched": "UPDATE watched SET to_s = 'x'",
            "settings": "UPDATE settings SET from_s = 'x' WHERE to_s IS NOT NULL",
            "camera_store": "",
            "camera_unit": "",
        }
        for sql in filter(None, damaged.values()):
            in_file(folder, sql)
        before = {table: [tuple(r) for r in in_file(folder, f"SELECT * FROM {table}")] for table in damaged}
        with Project(folder) as project:
            disk = project.stores.all()[0]
            project.stores.set_all([replace(disk, cameras=(2,))])
            project.things.set_units([replace(project.things.units()[0], cameras=(2,))])
            project.readings.set_of_camera(1, [Reading(1_757_200_500.0, Measure.BATTERY, 70.0)])
            project.readings.set_facts(1, {"other": 1.0})
            project.things.set_walks(1, [])
            project.things.set_tasks([])
            project.watched.set_entered(1, [Entered(1_757_400_000.0, 1_757_500_000.0, True)])
            project.settings.set_epochs(1, [Epoch(-math.inf, math.inf, INSTALLED)])
            self.assertEqual([f.store.name for f in project.stores.all()], ["Disk"])
        for table, rows in before.items():
            after = [tuple(r) for r in in_file(folder, f"SELECT * FROM {table}")]
            kept = [r for r in rows if "{" in r or "x" in r or "soon" in r or table.startswith("camera_")]
            self.assertTrue(kept, table)
            self.assertLessEqual(set(kept), set(after), table)

    def test_links_are_refused_and_never_written_through(self):
        folder = self.closed()
        victim = self.folder / "victim.txt"
        victim.write_text("mine")
        (folder / "media" / "evil.jpg").symlink_to(victim)
        with Project(folder) as project:
            project.media.write("evil.jpg", b"picture")
            self.assertEqual(project.media.read("evil.jpg"), b"picture")
            (folder / "media" / "other.jpg").symlink_to(victim)
            self.assertEqual(project.media.read("other.jpg"), b"")
            self.assertEqual(project.media.read("../project.sqlite"), b"")
        (folder / f"project.before-schema-{len(database.MIGRATIONS) + 1}.sqlite").symlink_to(victim)
        more = (*database.MIGRATIONS, "ALTER TABLE site ADD COLUMN note TEXT;")
        with mock.patch.multiple(database, MIGRATIONS=more, SCHEMA_VERSION=len(more)):
            Project(folder).close()
        self.assertEqual(victim.read_text(), "mine")
        shutil.move(folder / "media", self.folder / "elsewhere")
        (folder / "media").symlink_to(self.folder / "elsewhere")
        with self.assertRaisesRegex(ProjectError, "'media'.*is a link"):
            Project(folder)

    def test_foreign_triggers_views_and_tables_are_refused(self):
        for number, sql in enumerate(
            (
                "CREATE TRIGGER t AFTER INSERT ON clip BEGIN DELETE FROM occurrence; END",
                "CREATE TABLE extra (x)",
                "DROP INDEX occurrence_of_clip",
            )
        ):
            folder = Path(shutil.copytree(self.closed(1), self.folder / f"f{number}"))
            shutil.rmtree(self.folder / "site")
            self.spoil(folder, sql)
            with self.subTest(sql), self.assertRaisesRegex(ProjectError, "foreign or missing"):
                Project(folder)

    def test_packed_numbers_that_would_fill_the_memory_are_refused(self):
        with mock.patch.object(database, "MOST_BYTES", 1000):
            self.assertRaises(ProjectError, database.unpack, database.pack(np.zeros(5000), "<f8"), "<f8")
        self.assertRaises(ProjectError, database.unpack, b"junk", "<f8")

    def test_a_project_whose_making_was_cut_short_can_be_made_again(self):
        folder = self.folder / "half"
        folder.mkdir()
        Database(folder / FILE_NAME, create=True).close()
        with self.assertRaisesRegex(ProjectError, "cut short.*New project"):
            Project(folder)
        with Project(folder, create=True, site=Site("Yard", "Europe/London")) as project:
            self.assertEqual(project.site().name, "Yard")

    def test_names_of_zones_and_files_that_cannot_be(self):
        for zone in ("America", "posixrules", "Mars/Olympus", "x" * 300, "", "../etc"):
            with self.subTest(zone), self.assertRaisesRegex(InvalidValue, "no time zone"):
                Project(self.folder / "zone", create=True, site=Site("x", zone))
        project, camera = self.new_project()
        strange = self.folder / os.fsdecode(b"caf\xe9.mp4")
        strange.write_bytes(b"pictures")
        clip = project.clips.add(camera, replace(self.clip_file(), path=strange))
        self.assertEqual(project.clips.of(camera)[0].name, "caf\ufffd.mp4")
        self.assertEqual(project.clips.path(clip).read_bytes(), b"pictures")


class SeveralAtOnce(ProjectCase):
    def test_two_windows_take_in_and_measure_the_same_clip_once(self):
        one, camera = self.new_project()
        with Project(self.folder / "site") as other:
            clip = one.clips.add(camera, self.clip_file())
            with mock.patch.object(other.media, "take_in", side_effect=lambda *_: hashed(b"pictures")):
                self.assertIsNone(other.clips.add(camera, self.clip_file()))
            found = [NewOccurrence(0.2, 0.6, [0.2], b"jpeg")]
            for project in (one, other):
                project.measurements.put_analysis(clip, blob_trace([0, 4, 9]), found, background=b"b", brightness=9.0)
            self.assertEqual(len(one.evidence(camera).occurrences), 1)

    def test_reading_sees_one_state_while_an_import_commits(self):
        one, camera = self.new_project()
        clips = [one.clips.add(camera, self.clip_file(bytes([n]), f"{n}.mp4")) for n in range(2)]

        def measure(clip: int) -> None:
            found = [NewOccurrence(0.2, 0.6, [0.2], b"jpeg")]
            one.measurements.put_analysis(clip, blob_trace([0, 4, 9]), found, background=b"b", brightness=90.0)

        measure(clips[0])
        with Project(self.folder / "site") as other:
            events = other.lists.events

            def interrupted(camera_id: int) -> object:
                # The measured clips are read by now, those that wait are not.
                measure(clips[1])
                return events(camera_id)

            with mock.patch.object(other.lists, "events", interrupted):
                seen = other.evidence(camera)
            self.assertEqual([len(seen.clips), len(seen.unmeasured_s), len(seen.occurrences)], [1, 1, 1])
            later = other.evidence(camera)
            self.assertEqual([len(later.clips), len(later.unmeasured_s), len(later.occurrences)], [2, 0, 2])


def hashed(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()
