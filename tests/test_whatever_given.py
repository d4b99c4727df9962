"""What comes from outside is used or refused in words: options, names, files; nothing half made stays behind."""

import contextlib
import io
import json
import os
import stat
import subprocess
import sys
import unittest
from datetime import datetime
from pathlib import Path
from unittest.mock import patch

from hypothesis import example, given
from hypothesis import strategies as st

from guardia.app.camera.makes import capability_data, unsaid_settings
from guardia.cli import main
from guardia.cli.clips import settings_file
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.base.values import one_line
from guardia.core.hours.plan import Special, WeekPlan
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import settings_to_dict
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.formats.installed_file import read_installed
from guardia.formats.plain import save_file
from guardia.store.cameras import Cameras
from guardia.store.project import Project
from guardia.store.records import Site
from tests import given_options
from tests.given_options import make_seeds
from tests.support import FolderCase
from tests.ui import given_dialogs

TEXTS = st.text(max_size=120) | st.sampled_from(given_options.WORDS)
MAKE = "polygon-mains-camera"


class Options(unittest.TestCase):
    def test_every_command_line_ends_with_a_result_or_one_sentence(self):
        counts = given_options.run(60)
        self.assertLessEqual(set(counts), {"done", "refused in words"}, counts)
        self.assertGreater(min(counts.values()), 5)


class Fields(unittest.TestCase):
    def test_whatever_is_typed_into_the_dialogs_is_refused_in_words_or_can_be_read_again(self):
        counts, wrong, seen = given_dialogs.run(1)
        self.assertEqual(wrong, [])
        self.assertGreater(len(seen), 25)
        self.assertGreater(counts["accepted"], 10)


class Names(FolderCase):
    @given(text=TEXTS)
    def test_a_name_is_one_printable_line_or_refused(self, text):
        try:
            name = one_line(text, "A name")
        except InvalidValue:
            return
        self.assertEqual(one_line(name, "A name"), name)
        self.assertEqual((len(name.splitlines()), name.strip()), (1, name))
        self.assertLessEqual({*name}, {*text})

    def test_a_zone_in_a_settings_file_has_a_name_of_one_line_or_the_file_is_refused(self):
        make, path = capability_from_dict(capability_data(MAKE)), self.folder / "settings.json"
        corners = ((0.1, 0.1), (0.9, 0.1), (0.5, 0.9))
        for name, fits in (("By the gate", True), ("", True), ("two\nlines", False), ("x" * 300, False)):
            zone = PolygonZone(ZoneKind.WATCH, corners, name)
            form = settings_to_dict(unsaid_settings(make).with_values(zones=(zone,)))
            path.write_text(json.dumps(form), "utf-8-sig")  # some editors begin a file with a mark
            for read in (lambda: read_installed(path, make).values, lambda: settings_file(path)):
                with self.subTest(name), contextlib.nullcontext() if fits else self.assertRaises(InvalidValue):
                    read()

    def test_half_a_letter_in_settings_is_refused_and_the_camera_stays_readable(self):
        make_seeds(self.folder / "here")
        with Project(self.folder / "here" / "site") as project:
            (camera,) = project.cameras.all()
            closed = Special("half \udcff", datetime(2026, 9, 7), datetime(2026, 9, 8), "off")
            wanted = camera.draft.with_values(recording_plan=WeekPlan((), (closed,)))
            with self.assertRaisesRegex(InvalidValue, "half of a letter"):
                project.settings.save_draft(camera.id, wanted)
        with Project(self.folder / "here" / "site") as project:
            self.assertEqual((project.damaged(), project.cameras.get(camera.id).draft), ([], camera.draft))

    def test_whatever_a_camera_and_its_site_are_called_can_be_read_again(self):
        make = capability_data(MAKE)
        settings = unsaid_settings(capability_from_dict(make))
        with Project(self.folder / "site", create=True, site=Site("Yard", "UTC")) as project:

            @example(text="Gate", site="Yard", people="two")
            @given(text=TEXTS, site=TEXTS, people=TEXTS)
            def called(text, site, people):
                with contextlib.suppress(InvalidValue):
                    number = project.cameras.add(text, make, settings)
                    self.assertEqual(project.cameras.get(number).name, text.strip())
                with contextlib.suppress(InvalidValue):
                    project.set_site(Site(site, "UTC", people=people))
                    self.assertEqual(project.site(), Site(site.strip(), "UTC", people=people))

            called()
        with Project(self.folder / "site") as project:
            self.assertIn("Gate", project.cameras.names().values())


class NewProject(FolderCase):
    def run_main(self, *words: object) -> tuple[int, str]:
        told = io.StringIO()
        with contextlib.redirect_stderr(told), contextlib.redirect_stdout(io.StringIO()):
            return main([str(word) for word in words]), told.getvalue()

    def new(self, *more: object) -> tuple[int, str]:
        return self.run_main("new", self.folder / "a" / "site", "--make", MAKE, *more)

    def test_one_that_is_refused_leaves_nothing_and_a_full_disk_neither(self):
        yard = ("--site", "Yard", "--time-zone", "Europe/London")
        for more, words in (
            (("--camera", "..", *yard), "letter or digit"),
            (("--camera", "Gate", "--site", "\x07", "--time-zone", "UTC"), "U+0007"),
            (("--camera", "Gate", "--site", "Yard", "--time-zone", "Nowhere"), "Nowhere"),
            (("--camera", "Gate"), "needs a site and a time zone"),
        ):
            with self.subTest(more):
                status, told = self.new(*more)
                self.assertEqual((status, list(self.folder.iterdir())), (2, []))
                self.assertIn(words, told)
        full = ProjectError("The disk is full.")
        with patch.object(Cameras, "add", side_effect=full):
            self.assertEqual(self.new("--camera", "Gate", *yard), (2, "guardia: The disk is full.\n"))
        self.assertEqual(list(self.folder.iterdir()), [])
        self.assertEqual(self.new("--camera", "Gate", *yard)[0], 0)

    def test_on_a_project_that_is_there_another_site_or_zone_is_refused_and_none_is_needed(self):
        self.new("--camera", "Gate", "--site", "Yard", "--time-zone", "Europe/London")
        for flag, other in (("--site", "Field"), ("--time-zone", "UTC")):
            status, told = self.new("--camera", "Shed", flag, other)
            self.assertEqual(status, 2)
            self.assertIn(f"not '{other}'. No camera was added.", told)
        self.assertEqual(self.new("--camera", "Shed")[0], 0)
        with Project(self.folder / "a" / "site") as project:
            self.assertEqual([*project.cameras.names().values()], ["Gate", "Shed"])


class Ends(FolderCase):
    def end(self, error: BaseException) -> tuple[int, str]:
        told = io.StringIO()
        with (
            patch("guardia.cli.site.due", side_effect=error),
            patch("guardia.cli.user_data_path", return_value=self.folder),
            contextlib.redirect_stderr(told),
        ):
            return main(["due", "x"]), told.getvalue()

    def test_a_stop_a_fault_and_too_little_memory_are_told_in_one_line(self):
        for error, status, words in (
            (KeyboardInterrupt(), 130, "Stopped."),
            (MemoryError(), 2, "memory of this machine"),
            (RuntimeError("odd\nlines"), 2, "A fault of the program (RuntimeError: odd lines)"),
            (FileNotFoundError(2, "No such file", "x.mp4"), 2, "x.mp4 cannot be used (No such file)"),
        ):
            with self.subTest(words):
                ended, told = self.end(error)
                self.assertEqual((ended, told.count("\n")), (status, 1))
                self.assertIn(words, told)
        self.assertIn("RuntimeError: odd", (self.folder / "faults.log").read_text())

    def test_an_output_that_is_full_is_told_in_one_line(self):
        with open("/dev/full", "w") as full:
            done = subprocess.run(
                [sys.executable, "-m", "guardia", "scales", "--json"],
                stdout=full, stderr=subprocess.PIPE, text=True, timeout=60, check=False,
                env={**os.environ, "XDG_DATA_HOME": str(self.folder)},
            )  # fmt: skip
        self.assertEqual(done.returncode, 2)
        self.assertEqual(done.stderr, "guardia: The output cannot be written (No space left on device).\n")


class Saving(FolderCase):
    def test_a_device_is_written_to_and_a_link_followed(self):
        reads, writes = os.openpty()
        self.addCleanup(os.close, reads)
        self.addCleanup(os.close, writes)
        device = Path(os.ttyname(writes))
        save_file(device, b"to a device", "The table")
        self.assertEqual(os.read(reads, 99), b"to a device")
        self.assertTrue(stat.S_ISCHR(device.stat().st_mode))
        (self.folder / "real").write_text("old")
        (self.folder / "real").chmod(0o600)
        (self.folder / "link").symlink_to("real")
        save_file(self.folder / "link", "new", "The table")
        self.assertTrue((self.folder / "link").is_symlink())
        self.assertEqual((self.folder / "real").read_text(), "new")
        self.assertEqual((self.folder / "real").stat().st_mode & 0o777, 0o600)

    def test_what_cannot_be_written_is_told_and_what_was_there_is_kept(self):
        (self.folder / "old").write_text("old")
        for path in (
            self.folder,
            self.folder / "no" / "x",
            self.folder / "nul\0l",
            Path("."),
            self.folder / ("x" * 300),
        ):
            with self.subTest(path), self.assertRaisesRegex(ProjectError, "The table could not be saved to .*kept"):
                save_file(path, b"new", "The table")
        with patch("os.replace", side_effect=OSError(28, "No space left on device")), self.assertRaises(ProjectError):
            save_file(self.folder / "old", b"new", "The table")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["old"])
        self.assertEqual((self.folder / "old").read_text(), "old")
